"""Taking looked-at files into a project, and sorting them into its sets."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from texelcore.pixels.errors import TexelError
from texelcore.sorting.sort import DOUBLE_FOLDER, sort_files
from texelcore.surface.ledger import FileFacts
from texelweb.projects.models import Project
from texelweb.sets import questions
from texelweb.sets.ledgers import create_set, merge_rows
from texelweb.sets.models import ArrivalItem, FileRevision, SourceFile
from texelweb.sets.names import remark_on
from texelweb.storage.models import Blob

Outcome = ArrivalItem.Outcome


@dataclass(frozen=True)
class Looked:
    """A file that is good and whose bytes are stored: its item in the arrival, its cleaned path and its facts."""

    item: ArrivalItem
    path: str
    facts: FileFacts


def take_all(project: Project, looked: list[Looked], user: Any) -> list[SourceFile]:
    """Make or renew the source files of looked-at files; gives the new ones. Items are changed and not saved.

    A file is known by its path, or by the path under which it first came: a re-export after a rename is still its re-export.
    """
    blobs = {entry.facts.sha256: Blob(sha256=entry.facts.sha256, bytes=entry.facts.bytes) for entry in looked}
    Blob.objects.bulk_create(blobs.values(), ignore_conflicts=True)
    here = {file.path_key: file for file in SourceFile.objects.filter(project=project)}
    arrived: dict[str, SourceFile] = {}
    for file in sorted(here.values(), key=lambda file: -file.pk):
        arrived[file.arrived_key] = file
    new: list[SourceFile] = []
    first: list[FileRevision] = []
    for entry in looked:
        known = here.get(entry.path.casefold()) or arrived.get(entry.path.casefold())
        path, remark = entry.path, remark_on(entry.path)
        if known is not None and _is_another(known, entry):
            path = _place_beside(entry, here)
            remark = f"has the name of {known.path}, letter case aside; it is kept as {path}, and you are asked which to use."
            known = here.get(path.casefold())
        if known is not None:
            _take_again(known, entry, user)
            continue
        key, body = path.casefold(), entry.facts.model_dump(mode="json") | {"path": path}
        file = SourceFile(project=project, path=path, path_key=key, arrived_key=key, blob_id=entry.facts.sha256, facts_json=body)
        here[key] = file
        new.append(file)
        first.append(FileRevision(file=file, number=1, blob_id=entry.facts.sha256, facts_json=body, what="Arrived", by=user))
        _record(entry.item, file, Outcome.ACCEPTED, remark)
    SourceFile.objects.bulk_create(new)
    FileRevision.objects.bulk_create(first)
    return new


def _is_another(known: SourceFile, entry: Looked) -> bool:
    """Whether a file of a known path is no re-export of it: it came beside it, or under a name in other letter case."""
    same_key = known.path_key == entry.path.casefold() and known.blob_id != entry.facts.sha256
    return same_key and (known.path != entry.path or known.pk is None)


def _place_beside(entry: Looked, here: Mapping[str, SourceFile]) -> str:
    """A path for a second file of one name: free, or its own from before, with the same bytes or to be renewed."""
    folder, slash, name = entry.path.rpartition("/")
    while True:
        folder = f"{folder}{slash}{DOUBLE_FOLDER}"
        slash = "/"
        taken = here.get(f"{folder}/{name}".casefold())
        own = taken is not None and taken.pk is not None and taken.path == f"{folder}/{name}"
        if taken is None or own or taken.blob_id == entry.facts.sha256:
            return f"{folder}/{name}"


def _take_again(known: SourceFile, entry: Looked, user: Any) -> None:
    """A file that is here already, or that came again with other contents."""
    same_path = known.path_key == entry.path.casefold()
    if known.blob_id == entry.facts.sha256:
        _record(entry.item, known, Outcome.KNOWN, "The same file is already here.")
    else:
        renew(known, entry.facts.sha256, entry.facts.model_dump(mode="json"), "Exported again", user)
        renamed = "" if same_path else f" It is called {known.path} here."
        said = f"Now at revision {known.revision}; the ledger keeps its decisions.{renamed}"
        _record(entry.item, known, Outcome.REPLACED, said)


def renew(file: SourceFile, sha256: str, facts_json: Any, what: str, user: Any) -> None:
    """Give a file other bytes as a new revision. What depends on it is stale from then on, since builds go by hash."""
    file.blob_id, file.facts_json, file.revision = sha256, facts_json, file.revision + 1
    file.save()
    FileRevision.objects.create(file=file, number=file.revision, blob_id=sha256, facts_json=facts_json, what=what, by=user)


def bring_back(file: SourceFile, number: int, user: Any) -> None:
    """Make an older revision the newest. Raises TexelError for one that is not there or is current already."""
    revision = file.revisions.filter(number=number).first()
    if revision is None or revision.blob_id == file.blob_id:
        raise TexelError(file.facts.name, f"has no other revision {number}.", "Choose one from its list.")
    renew(file, revision.blob_id, revision.facts_json, f"Revision {number} brought back", user)
    questions.refresh(file.project)


def sort_into_sets(project: Project, new: list[SourceFile], user: Any, origin: Any = None) -> None:
    """Sort new and open files together with all others as siblings; grow known sets, make new ones, and ask what is open.

    Files that were set aside by hand take no part. Sets that are made take `origin` (a core Origin as JSON).
    """
    files = {str(file.pk): file for file in SourceFile.objects.filter(project=project, set_aside=False).select_related("set")}
    owner = {key: file.set for key, file in files.items()}
    movable = {str(file.pk) for file in new} | {key for key, home in owner.items() if home is None}
    sorting = sort_files((file.facts for file in files.values()), project.rules.habits)
    for ledger in sorting.ledgers:
        fresh = [file for file in ledger.files() if file in movable]
        if not fresh:
            continue
        home = next((owner[file] for file in ledger.files() if owner[file] is not None), None)
        if home is None:
            home = create_set(project, ledger, user, "Sorted by name and pixels", origin)
        else:
            merge_rows(home, ledger, fresh, user)
        SourceFile.objects.filter(pk__in=fresh, set__isnull=True).update(set=home, why_open="")
    for entry in sorting.open:
        SourceFile.objects.filter(pk=entry.file, set__isnull=True).update(why_open=entry.why)
    questions.refresh(project)


def _record(item: ArrivalItem, file: SourceFile | None, outcome: str, problem: str, way_out: str = "") -> None:
    item.file, item.outcome, item.problem, item.way_out = file, outcome, problem, way_out
