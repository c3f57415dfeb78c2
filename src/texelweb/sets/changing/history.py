"""How a set stood before: the moments at which its ledger or one of its files became another, and what both were then."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta

from texelcore.surface.files import FileFacts
from texelcore.surface.ledger import Ledger
from texelcore.surface.sources import Source
from texelweb.sets.changing.writing import name_of
from texelweb.sets.models import FileRevision, TextureSet

# Changes of one piece of work, as a sorting of files makes them, are one moment.
TOGETHER = timedelta(seconds=2)
MOST = 60


@dataclass(frozen=True)
class Moment:
    """A set became what it was from `at` on."""

    at: datetime
    what: str
    by: str


def moments_of(texture_set: TextureSet) -> list[Moment]:
    """The moments of a set, newest first, MOST at most."""
    ledgers = list(texture_set.revisions.select_related("by").order_by("-number")[:MOST])
    files = {int(file) for ledger in ledgers for file in ledger.ledger.files()}
    renewed = FileRevision.objects.filter(file__in=files, number__gt=1).select_related("by", "file").order_by("-at")[:MOST]
    found = [Moment(_told(ledger.at), ledger.what, name_of(ledger.by)) for ledger in ledgers]
    for entry in renewed:
        name = entry.file.path.rpartition("/")[2]
        found.append(Moment(_told(entry.at), f"{name}: {entry.what}", name_of(entry.by)))
    moments: list[Moment] = []
    for moment in sorted(found, key=lambda entry: entry.at, reverse=True):
        if moments and moments[-1].at - moment.at < TOGETHER:
            said = moments[-1].what if moment.what in moments[-1].what else f"{moment.what}; {moments[-1].what}"
            moments[-1] = Moment(moments[-1].at, said[:300], moments[-1].by)
        else:
            moments.append(moment)
    return moments[:MOST]


def _told(at: datetime) -> datetime:
    """A time as JSON tells it, to the millisecond, and not before it was."""
    return at + timedelta(microseconds=-at.microsecond % 1000)


def as_it_was(texture_set: TextureSet, at: datetime) -> tuple[Ledger, dict[Source, FileFacts]]:
    """A set's ledger, and the facts of its files by id, as they were. Raises KeyError for a moment before it was made."""
    kept = texture_set.revisions.filter(at__lte=at).order_by("-number").first()
    if kept is None:
        raise KeyError(at)
    ledger = kept.ledger
    held = FileRevision.objects.filter(file__in=[int(file) for file in ledger.files()])
    # A ledger may name a file a moment before that is noted.
    first = held.order_by("file", "number").distinct("file")
    newest = held.filter(at__lte=at).order_by("file", "-number").distinct("file")
    rows = {row.file_id: row for rows in (first, newest) for row in rows}
    return ledger, {str(file): FileFacts.model_validate(entry.facts_json) for file, entry in rows.items()}
