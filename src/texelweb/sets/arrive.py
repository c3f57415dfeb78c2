"""Work on an arrival: look at every file under guard, then take and sort what is good, in one transaction."""

from __future__ import annotations

import tempfile
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from django.core.files.storage import default_storage
from django.db import transaction

from texelcore.pixels.errors import TexelError
from texelcore.sorting.sort import sort_files
from texelcore.surface.ledger import FileFacts
from texelweb.jobs.models import Job
from texelweb.jobs.tasks import Reporter
from texelweb.projects.models import Project
from texelweb.sets.ledgers import create_set, merge_rows
from texelweb.sets.models import Arrival, ArrivalItem, SourceFile
from texelweb.sets.names import clean_path, remark_on
from texelweb.storage.blobs import keep, local_file
from texelweb.storage.guard import Guard
from texelweb.storage.models import Blob
from texelweb.storage.pictures import paint_small
from texelweb.storage.zips import is_zip, unpack

Outcome = ArrivalItem.Outcome


@dataclass(frozen=True)
class Looked:
    """A file that is good: where it came from in the arrival, its cleaned path, its facts and its stored bytes."""

    item: ArrivalItem
    path: str
    facts: FileFacts
    blob: Blob


def run(job: Job, reporter: Reporter) -> None:
    """The work of a sort job. Bytes are stored as they are looked at; rows appear all together at the end."""
    arrival = Arrival.objects.get(pk=job.subject)
    # A run that was cut off may have listed a zip's entries: they are listed again.
    arrival.items.filter(staged="").delete()
    looked: list[Looked] = []
    items = list(arrival.items.order_by("pk"))
    with Guard() as guard, tempfile.TemporaryDirectory(prefix="fairtexel-") as folder:
        for number, item in enumerate(items):

            def tell(share: float, path: str, number: int = number) -> None:
                reporter.progress(0.9 * (number + share) / len(items), path.rpartition("/")[2])

            tell(0.0, item.path)
            looked += list(_look_at(item, guard, Path(folder), tell))
    reporter.progress(0.92, "sorting into sets")
    with transaction.atomic():
        Project.objects.select_for_update().get(pk=arrival.project_id)
        taken = [file for entry in looked if (file := _take(arrival.project, entry)) is not None]
        sort_into_sets(arrival.project, taken, arrival.by)
        arrival.state = Arrival.State.DONE
        arrival.save()
    for item in items:
        default_storage.delete(item.staged)


def _look_at(item: ArrivalItem, guard: Guard, folder: Path, tell: Callable[[float, str], None]) -> Iterator[Looked]:
    """The good files of one item: itself, or what a zip holds. What is not good is recorded with its reason.

    `tell` hears the share of the item that is done (0–1) and the path at hand.
    """
    with local_file(item.staged) as staged:
        if not is_zip(staged):
            yield from _look_at_file(item, item.path, staged, guard)
            return
        inside = item.path.removesuffix(".zip").removesuffix(".ZIP")
        count = 0
        try:
            for name, place, share in unpack(staged, item.path.rpartition("/")[2], folder):
                entry = ArrivalItem.objects.create(arrival=item.arrival, path=name[:1024])
                count += 1
                if isinstance(place, TexelError):
                    _refuse(entry, place)
                else:
                    entry.bytes = place.stat().st_size
                    yield from _look_at_file(entry, f"{inside}/{name}", place, guard)
                tell(share, name)
        except TexelError as error:
            _refuse(item, error)
            return
        item.outcome = Outcome.PASSED_OVER
        item.problem = f"A zip with {count} picture(s)." if count else "A zip without pictures."
        item.save()


def _look_at_file(item: ArrivalItem, given: str, place: Path, guard: Guard) -> Iterator[Looked]:
    try:
        path = clean_path(given)
        facts = guard.facts(place, path)
    except TexelError as error:
        _refuse(item, error)
        return
    blob = keep(place, facts.sha256)
    paint_small(place, path, facts.sha256)
    yield Looked(item, path, facts, blob)


def _refuse(item: ArrivalItem, error: TexelError) -> None:
    item.outcome, item.problem, item.way_out = Outcome.REFUSED, error.problem, error.way_out
    item.save()


def _take(project: Project, looked: Looked) -> SourceFile | None:
    """Make or renew the source file of a looked-at file; None when nothing new came of it."""
    item, key = looked.item, looked.path.casefold()
    body = looked.facts.model_dump(mode="json")
    known = SourceFile.objects.filter(project=project, path_key=key).first()
    if known is None:
        file = SourceFile.objects.create(project=project, path=looked.path, path_key=key, blob=looked.blob, facts_json=body)
        item.outcome, item.file, item.problem = Outcome.ACCEPTED, file, remark_on(looked.path)
        item.save()
        return file
    if known.path != looked.path:
        _refuse(item, TexelError(item.path, f"differs only in letter case from {known.path}.", "Rename one of the two."))
        return None
    item.file = known
    if known.blob_id == looked.blob.sha256:
        item.outcome, item.problem = Outcome.KNOWN, "The same file is already here."
    else:
        known.blob, known.facts_json, known.revision = looked.blob, body, known.revision + 1
        known.save()
        item.outcome = Outcome.REPLACED
        item.problem = f"Now at revision {known.revision}; the ledger keeps its decisions."
    item.save()
    return None


def sort_into_sets(project: Project, new: list[SourceFile], user: Any) -> None:
    """Sort new and open files by name, together with all others as siblings; grow known sets, make new ones.

    Files that were set aside by hand take no part.
    """
    files = {str(file.pk): file for file in SourceFile.objects.filter(project=project, set_aside=False).select_related("set")}
    owner = {key: file.set for key, file in files.items()}
    movable = {str(file.pk) for file in new} | {key for key, home in owner.items() if home is None}
    sorting = sort_files(file.facts for file in files.values())
    for ledger in sorting.ledgers:
        fresh = [file for file in ledger.files() if file in movable]
        if not fresh:
            continue
        home = next((owner[file] for file in ledger.files() if owner[file] is not None), None)
        if home is None:
            home = create_set(project, ledger, user, "Sorted by name")
        else:
            merge_rows(home, ledger, fresh, user)
        SourceFile.objects.filter(pk__in=fresh, set__isnull=True).update(set=home, why_open="")
    for entry in sorting.open:
        SourceFile.objects.filter(pk=entry.file, set__isnull=True).update(why_open=entry.why)
