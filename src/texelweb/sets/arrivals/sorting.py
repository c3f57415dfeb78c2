"""Taking looked-at files into a project, and sorting them into its sets."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Collection, Iterable, Mapping
from dataclasses import asdict, dataclass
from functools import reduce
from typing import Any, Literal

from django.db import connection, transaction
from psycopg import sql

from texelcore.naming.habits import Habit
from texelcore.naming.house import Reader
from texelcore.pixels.errors import TexelError
from texelcore.sorting.cuts import home_folder
from texelcore.sorting.merging import merged_with
from texelcore.sorting.neighbours import Company
from texelcore.sorting.sort import DOUBLE_FOLDER, OpenFile, sort_files
from texelcore.surface.evidence import DirectionSeen
from texelcore.surface.files import FileFacts
from texelcore.surface.ledger import Ledger
from texelcore.surface.sources import Source
from texelweb.projects.models import Project
from texelweb.record.steps import note_deed
from texelweb.sets.answering.questions import Touched, refresh
from texelweb.sets.arrivals.names import remark_on
from texelweb.sets.changing.folders import ensure, folders_of_sets
from texelweb.sets.changing.ledgers import change_many, create_sets
from texelweb.sets.changing.writing import lock_project
from texelweb.sets.models import ArrivalItem, FileRevision, SourceFile, TextureSet
from texelweb.storage.models import Blob
from texelweb.storage.rows import update_many

Outcome = ArrivalItem.Outcome
BATCH = 500
Phase = Literal["sort", "write", "ask"]
Begins = Callable[[Phase], None]


def _quiet(phase: Phase) -> None:
    """Nobody listens."""


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
    Blob.objects.bulk_create(blobs.values(), ignore_conflicts=True, batch_size=BATCH)
    keys = {entry.path.casefold() for entry in looked}
    mine = SourceFile.objects.filter(project=project)
    # Facts are large and not needed to tell whether a path is taken.
    here = {file.path_key: file for file in mine.defer("facts_json", "open_json")}
    arrived: dict[str, SourceFile] = {}
    for file in sorted(here.values(), key=lambda file: -file.pk):
        if file.arrived_key in keys:
            arrived[file.arrived_key] = file
    new: list[SourceFile] = []
    checked: dict[Source, FileFacts] = {}
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
        file = SourceFile(
            project=project,
            path=path,
            path_key=key,
            arrived_key=key,
            home=home_folder(path),
            blob_id=entry.facts.sha256,
            facts_json=body,
        )
        here[key] = file
        new.append(file)
        checked[key] = entry.facts
        _record(entry.item, file, Outcome.ACCEPTED, remark)
    SourceFile.objects.bulk_create(new, batch_size=BATCH)
    for file in new:
        file.knows(checked[file.path_key])
    _first_revisions(new, user)
    return new


def _first_revisions(new: list[SourceFile], user: Any) -> None:
    """Each new file as its own first revision. The database copies the facts: they are most of what an arrival writes."""
    command = sql.SQL(
        "INSERT INTO {revisions} (file_id, number, blob_id, facts_json, what, by_id, at) "
        "SELECT id, 1, blob_id, facts_json, 'Arrived', %s, now() FROM {files} WHERE id = ANY(%s)"
    ).format(
        revisions=sql.Identifier(FileRevision._meta.db_table),
        files=sql.Identifier(SourceFile._meta.db_table),
    )
    with connection.cursor() as cursor:
        cursor.execute(command, [user.pk if user else None, [file.pk for file in new]])


def _is_another(known: SourceFile, looked: Looked) -> bool:
    """Whether a file of a known path is no re-export of it: it came beside it, or under a name in other letter case."""
    same_key = known.path_key == looked.path.casefold() and known.blob_id != looked.facts.sha256
    return same_key and (known.path != looked.path or known.pk is None)


def _place_beside(looked: Looked, here: Mapping[str, SourceFile]) -> str:
    """A path for a second file of one name: free, or its own from before, with the same bytes or to be renewed."""
    folder, slash, name = looked.path.rpartition("/")
    while True:
        folder = f"{folder}{slash}{DOUBLE_FOLDER}"
        slash = "/"
        taken = here.get(f"{folder}/{name}".casefold())
        own = taken is not None and taken.pk is not None and taken.path == f"{folder}/{name}"
        if taken is None or own or taken.blob_id == looked.facts.sha256:
            return f"{folder}/{name}"


def _take_again(known: SourceFile, looked: Looked, user: Any) -> None:
    """A file that is here already, or that came again with other contents."""
    same_path = known.path_key == looked.path.casefold()
    if known.blob_id == looked.facts.sha256:
        _record(looked.item, known, Outcome.KNOWN, "The same file is already here.")
    else:
        renew(known, looked.facts.sha256, looked.facts.model_dump(mode="json"), "Exported again", user)
        renamed = "" if same_path else f" It is called {known.path} here."
        said = f"Now at revision {known.revision}; the ledger keeps its decisions.{renamed}"
        _record(looked.item, known, Outcome.REPLACED, said)


def renew(file: SourceFile, sha256: str, facts_json: Any, what: str, user: Any) -> None:
    """Give a file other bytes as a new revision. What depends on it is stale from then on, since builds go by hash."""
    file.blob_id, file.facts_json, file.revision = sha256, facts_json, file.revision + 1
    file.save()
    FileRevision.objects.create(file=file, number=file.revision, blob_id=sha256, facts_json=facts_json, what=what, by=user)


def bring_back(file: SourceFile, number: int, user: Any) -> SourceFile:
    """Make an older revision the newest; gives the file as it is then. Raises TexelError for one that is not there or is current
    already."""
    with transaction.atomic():
        lock_project(file.project_id)
        file = SourceFile.objects.select_related("project").get(pk=file.pk)
        revision = file.revisions.filter(number=number).first()
        if revision is None or revision.blob_id == file.blob_id:
            raise TexelError(file.facts.name, f"has no other revision {number}.", "Choose one from its list.")
        renew(file, revision.blob_id, revision.facts_json, f"Revision {number} brought back", user)
        note_deed(file.project, "file", f"Revision {number} brought back", user, file.facts.name, file.pk, about=file.set_id)
        refresh(file.project, Touched({file.set_id} if file.set_id else set(), {file.pk}))
    return file


@dataclass
class Sorted:
    """What sorting did to a project: sets that it made, and sets that grew, with their revisions before and after."""

    made: list[TextureSet]
    grown: list[tuple[int, int, int]]

    def touched(self) -> set[int]:
        """The ids of all sets that are not as they were."""
        return {entry.pk for entry in self.made} | {entry[0] for entry in self.grown}


def sort_into_sets(
    project: Project,
    new: Collection[SourceFile],
    user: Any,
    origin: Any = None,
    renewed: Collection[int] = (),
    begins: Begins = _quiet,
) -> Sorted:
    """Sort new files, and the open ones beside them, together with what is in their folders; grow known sets, make new ones, and
    ask what is open.

    Files that were set aside by hand take no part. Sets that are made take `origin` (a core Origin as JSON). `renewed` are ids of
    files that came again with other contents. `begins` is told when a phase of the work begins.
    """
    begins("sort")
    homes = {file.home for file in new}
    # The new ones are at hand; there may be thousands, with facts of some kilobytes each.
    moving = {file.pk for file in new}
    around = SourceFile.objects.filter(project=project, set_aside=False, home__in=homes).exclude(pk__in=moving)
    files = sorted([*new, *around], key=lambda file: file.pk)
    done = _sort(project, files, moving, user, origin, begins=begins)
    begins("ask")
    again = dict(SourceFile.objects.filter(pk__in=renewed, set__isnull=False).values_list("pk", "set"))
    refresh(project, Touched(done.touched() | set(again.values()), moving | set(again), names=False), files)
    return done


def sort_by_habit(project: Project, files: Collection[SourceFile], habit: Habit, user: Any) -> Sorted:
    """Sort open files by what a person has said about their ending, whether or not that is kept as a habit of the house."""
    rules = project.rules
    kept = tuple(entry for entry in rules.habits if entry.words != habit.words)
    rules = rules.model_copy(update={"habits": (*kept, habit)})
    homes = {file.home for file in files}
    scope = list(SourceFile.objects.filter(project=project, set_aside=False, home__in=homes))
    return _sort(project, scope, {file.pk for file in files}, user, None, Reader(rules, project.code), only=True)


def sort_open(project: Project, user: Any) -> None:
    """Sort what is open again, after the rules or their habits have changed, and ask anew about everything."""
    homes = set(SourceFile.objects.filter(project=project, set__isnull=True, set_aside=False).values_list("home", flat=True))
    scope = list(SourceFile.objects.filter(project=project, set_aside=False, home__in=homes))
    if scope:
        _sort(project, scope, set(), user, None)
    refresh(project)


def _sort(
    project: Project,
    scope: list[SourceFile],
    movable: set[int],
    user: Any,
    origin: Any,
    reader: Reader | None = None,
    only: bool = False,
    begins: Begins = _quiet,
) -> Sorted:
    """Sort a part of a project's files; with `only` nothing but the movable ones is placed, and else what is open too."""
    reader = reader or Reader(project.rules, project.code)
    rows = {str(file.pk): file for file in scope}
    placed = movable if only else movable | {file.pk for file in scope if file.set_id is None}
    facts = [file.facts for file in scope]
    # Other folders are looked at only for maps that are to be placed and cannot tell their direction alone.
    silent = any(_is_silent(file.facts) for file in scope if file.pk in placed)
    company = _company(project, {file.home for file in scope}, reader) if silent else Company()
    sorting = sort_files(facts, reader, company=company)
    begins("write")
    fresh_sets: list[tuple[Ledger, list[SourceFile]]] = []
    edits: dict[int, list[Callable[[Ledger], Ledger]]] = defaultdict(list)
    changed: list[SourceFile] = []
    for ledger in sorting.ledgers:
        mine = [rows[file] for file in ledger.files()]
        fresh = [file for file in mine if file.pk in placed and file.set_id is None]
        if not fresh:
            continue
        owner = next((file.set_id for file in mine if file.set_id is not None), None)
        if owner is None:
            fresh_sets.append((ledger, fresh))
            continue
        edits[owner].append(merged_with(ledger, [str(file.pk) for file in fresh]))
        changed += [_belongs(file, owner) for file in fresh]
    grown = change_many(project, {key: _one_after_another(parts) for key, parts in edits.items()}, "Files arrived", user)
    paths = folders_of_sets([(fresh[0].home, ledger.name) for ledger, fresh in fresh_sets])
    folders = ensure(project, list(dict.fromkeys(paths)))
    places = [folders[path] for path in paths]
    made = create_sets(project, [ledger for ledger, _ in fresh_sets], user, "Sorted by name and pixels", origin, places)
    for texture_set, (_, fresh) in zip(made, fresh_sets, strict=True):
        changed += [_belongs(file, texture_set.pk) for file in fresh]
    changed += [_opened(rows[open_file.file], open_file) for open_file in sorting.open if rows[open_file.file].pk in placed]
    update_many(changed, ["set", "why_open", "open_json"])
    return Sorted(made, grown)


def _is_silent(facts: FileFacts) -> bool:
    """Whether a map holds directions that do not say which way green points."""
    direction = facts.evidence.direction if facts.evidence else None
    return direction is not None and not direction.answer


def _one_after_another(edits: list[Callable[[Ledger], Ledger]]) -> Callable[[Ledger], Ledger]:
    return lambda ledger: reduce(lambda made, edit: edit(made), edits, ledger)


def _belongs(file: SourceFile, set_id: int) -> SourceFile:
    file.set_id, file.why_open, file.open_json = set_id, "", None
    return file


def _opened(file: SourceFile, open_file: OpenFile) -> SourceFile:
    if file.set_id is None:
        file.why_open, file.open_json = open_file.why, asdict(open_file)
    return file


def _company(project: Project, without: Iterable[str], reader: Reader) -> Company:
    """What the normal maps of a project's other folders show."""
    others = SourceFile.objects.filter(project=project, set__isnull=False, facts_json__evidence__direction__isnull=False)
    seen = others.exclude(home__in=list(without)).values_list("path", "home", "facts_json__evidence__direction")
    company = Company()
    for path, home, direction in seen:
        if direction and (said := reader.read(path)):
            company.add(home, said, DirectionSeen.model_validate(direction))
    return company


def _record(item: ArrivalItem, file: SourceFile | None, outcome: str, problem: str, way_out: str = "") -> None:
    item.file, item.outcome, item.problem, item.way_out = file, outcome, problem, way_out
