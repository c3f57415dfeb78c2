"""A project document meets a folder of files: what was decided holds for the files that are there, and the rest is sorted
anew."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping
from dataclasses import dataclass

from texelcore.naming.house import Reader
from texelcore.naming.templates import code_of
from texelcore.project.document import ProjectDocument, ProjectSet
from texelcore.sorting.merging import merged_with
from texelcore.sorting.sort import OpenFile, sort_files
from texelcore.surface.files import FileFacts
from texelcore.surface.ledger import LayoutTile, Ledger, LeftOut, Row
from texelcore.surface.sources import Source
from texelcore.targets.document import Target


@dataclass(frozen=True)
class MetSet:
    """A set as it stands for these files: its ledger names them by their ids here. `decided` is the document's set; None for one
    that was sorted anew. `missing` are the paths of files that the document names and that are not here."""

    ledger: Ledger
    code: str
    targets: tuple[Target, ...]
    decided: ProjectSet | None
    missing: tuple[str, ...] = ()


@dataclass(frozen=True)
class Meeting:
    """All sets, the files that belong to none, and those that were set aside."""

    sets: tuple[MetSet, ...]
    open: tuple[OpenFile, ...]
    aside: tuple[Source, ...] = ()


def meet(document: ProjectDocument, files: Mapping[Source, FileFacts]) -> Meeting:
    """Hold a document against files (facts by their ids here).

    A file of the document is the one of the same path, letter case aside (a re-export has other bytes there, and keeps what was
    decided); else the one whose path ends alike and has the same bytes, else any with the same bytes. Files that the document
    does not know are sorted by its rules and habits, and join its sets where they belong to them.
    """
    here = _found(document, files)
    known = {file for file in here.values() if file is not None}
    aside = tuple(found for file in document.files if file.aside and (found := here[file.id]))
    sets = [_met(document, texture_set, here) for texture_set in document.sets]
    fresh = [key for key in files if key not in known]
    if not fresh:
        return Meeting(tuple(sets), (), aside)
    # What was set aside takes no part.
    sorting = sort_files([facts for key, facts in files.items() if key not in aside], Reader(document.rules, document.code))
    owners = {file: index for index, entry in enumerate(sets) for file in entry.ledger.files()}
    taken = {texture_set.code for texture_set in sets}
    for ledger in sorting.ledgers:
        new = [file for file in ledger.files() if file not in known]
        if not new:
            continue
        owner = next((owners[file] for file in ledger.files() if file in owners), None)
        if owner is not None:
            was = sets[owner]
            grown = merged_with(ledger, new)(was.ledger)
            sets[owner] = MetSet(grown, was.code, was.targets, was.decided, was.missing)
        else:
            code = _free(ledger.name, taken)
            taken.add(code)
            sets.append(MetSet(_only(ledger, set(new)), code, document.targets_of(), None))
    return Meeting(tuple(sets), tuple(open_file for open_file in sorting.open if open_file.file not in known), aside)


def _found(document: ProjectDocument, files: Mapping[Source, FileFacts]) -> dict[Source, Source | None]:
    """The file here of each file of the document, by its id there; None where it is missing."""
    by_path = {facts.path.casefold(): key for key, facts in files.items()}
    by_hash: dict[str, list[Source]] = defaultdict(list)
    for key, facts in files.items():
        by_hash[facts.sha256].append(key)
    found: dict[Source, Source | None] = {}
    taken: set[Source] = set()
    for file in document.files:
        at = by_path.get(file.path.casefold())
        if at is not None:
            found[file.id] = at
            taken.add(at)
    for file in document.files:
        if file.id not in found:
            alike = [key for key in by_hash.get(file.sha256, ()) if key not in taken]
            alike.sort(key=lambda key: (-_common_end(files[key].path, file.path), files[key].path))
            found[file.id] = alike[0] if alike else None
            taken.update(alike[:1])
    return found


def _common_end(one: str, other: str) -> int:
    """How many parts of two paths are alike, from the end."""
    pairs = zip(reversed(one.casefold().split("/")), reversed(other.casefold().split("/")), strict=False)
    count = 0
    for a, b in pairs:
        if a != b:
            break
        count += 1
    return count


def _met(document: ProjectDocument, project_set: ProjectSet, here: Mapping[Source, Source | None]) -> MetSet:
    paths = {file.id: file.path for file in document.files}
    missing = tuple(paths[file] for file in project_set.ledger.files() if here[file] is None)
    rows = tuple(_row(row, here) for row in project_set.ledger.rows if all(here[file] for file in row.files()))
    left = tuple(LeftOut(file=found, why=part.why) for part in project_set.ledger.left_out if (found := here[part.file]))
    ledger = project_set.ledger.model_copy(update={"rows": rows, "left_out": left})
    return MetSet(ledger, project_set.code, document.targets_of(project_set.target), project_set, missing)


def _row(row: Row, here: Mapping[Source, Source | None]) -> Row:
    tiles = tuple(LayoutTile(number=tile.number, file=here[tile.file] or Source("")) for tile in row.tiles)
    return row.model_copy(update={"file": here[row.file] or Source(""), "tiles": tiles})


def _only(ledger: Ledger, new: set[Source]) -> Ledger:
    """A ledger without what belongs to other sets already."""
    rows = tuple(row for row in ledger.rows if set(row.files()) <= new)
    return ledger.model_copy(update={"rows": rows, "left_out": tuple(part for part in ledger.left_out if part.file in new)})


def _free(name: str, taken: set[str]) -> str:
    code, number = code_of(name), 2
    while code in taken:
        code, number = f"{code_of(name)}_{number}", number + 1
    return code
