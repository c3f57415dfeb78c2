"""Taking looked-at files into a project, and sorting them into its sets."""

from __future__ import annotations

from typing import Any

from texelcore.pixels.errors import TexelError
from texelcore.sorting.sort import sort_files
from texelcore.surface.ledger import FileFacts
from texelweb.projects.models import Project
from texelweb.sets import questions
from texelweb.sets.ledgers import create_set, merge_rows
from texelweb.sets.models import ArrivalItem, FileRevision, SourceFile
from texelweb.sets.names import remark_on
from texelweb.storage.models import Blob

Outcome = ArrivalItem.Outcome


def take(project: Project, item: ArrivalItem, path: str, facts: FileFacts, blob: Blob, user: Any) -> SourceFile | None:
    """Make or renew the source file of a looked-at file; None when nothing new came of it.

    A file is known by its path, or by the path under which it first came: a re-export after a rename is still its re-export.
    """
    key, body = path.casefold(), facts.model_dump(mode="json")
    here = SourceFile.objects.filter(project=project, path_key=key).first()
    known = here or SourceFile.objects.filter(project=project, arrived_key=key).order_by("pk").first()
    if known is None:
        file = SourceFile.objects.create(project=project, path=path, path_key=key, arrived_key=key, blob=blob, facts_json=body)
        FileRevision.objects.create(file=file, number=1, blob=blob, facts_json=body, what="Arrived", by=user)
        _record(item, file, Outcome.ACCEPTED, remark_on(path))
        return file
    if here is not None and here.path != path:
        _record(item, None, Outcome.REFUSED, f"differs only in letter case from {here.path}.", "Rename one of the two.")
        return None
    if known.blob_id == blob.sha256:
        _record(item, known, Outcome.KNOWN, "The same file is already here.")
        return None
    renew(known, blob, body, "Exported again", user)
    renamed = f" It is called {known.path} here." if here is None else ""
    _record(item, known, Outcome.REPLACED, f"Now at revision {known.revision}; the ledger keeps its decisions.{renamed}")
    return None


def renew(file: SourceFile, blob: Blob, facts_json: Any, what: str, user: Any) -> None:
    """Give a file other bytes as a new revision. What depends on it is stale from then on, since builds go by hash."""
    file.blob, file.facts_json, file.revision = blob, facts_json, file.revision + 1
    file.save()
    FileRevision.objects.create(file=file, number=file.revision, blob=blob, facts_json=facts_json, what=what, by=user)


def bring_back(file: SourceFile, number: int, user: Any) -> None:
    """Make an older revision the newest. Raises TexelError for one that is not there or is current already."""
    revision = file.revisions.filter(number=number).select_related("blob").first()
    if revision is None or revision.blob_id == file.blob_id:
        raise TexelError(file.facts.name, f"has no other revision {number}.", "Choose one from its list.")
    renew(file, revision.blob, revision.facts_json, f"Revision {number} brought back", user)
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
    item.save()
