"""Files to sets and ledgers, from names and pixels of all of them together; what they do not settle stays open."""

from __future__ import annotations

import base64
import re
from collections import Counter, defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field, replace
from itertools import pairwise
from typing import Any, Literal

import numpy as np

from texelcore.naming.house import Reader
from texelcore.naming.lexicon import Reading
from texelcore.naming.tokens import key_of_stem
from texelcore.sorting.copies import Copy, copies_among
from texelcore.sorting.cuts import DOUBLE_FOLDER, Piece, home_folder, look_of
from texelcore.sorting.decide import (
    directed_by_company,
    likely_property,
    rows_from_name,
    seen_direction,
)
from texelcore.sorting.doubles import is_lesser_twin
from texelcore.sorting.endings import Survey, survey
from texelcore.sorting.endings_table import Ending, guesses_of, table_of
from texelcore.sorting.neighbours import Company
from texelcore.sorting.orders import sure_order
from texelcore.surface.files import FileFacts
from texelcore.surface.ledger import LayoutTile, Ledger, LeftOut, Row
from texelcore.surface.properties import property_of
from texelcore.surface.sources import Source

__all__ = ["DOUBLE_FOLDER", "Group", "OpenFile", "Sorting", "home_folder", "ledger_of", "sort_files"]

_SAMPLE_RANK = {"u8": 0, "f16": 1, "u16": 2, "f32": 3}
# Revisions of one map look alike: the correlation of their small prints (judgement).
ALIKE = 0.6
# The stem of generic names, as a key that no name has.
_GENERIC = "//"
_LEADING = re.compile(r"^\d{1,4}_(?=.)")
OpenKind = Literal["ending", "alone", "unclear", "copy"]
# What is asked about file by file, and not by its class.
SINGLE: tuple[OpenKind, ...] = ("unclear", "copy")


@dataclass(frozen=True)
class OpenFile:
    """A file that nothing sure could be said of, and why: a person decides. `guess` is the likely meaning by its class and
    pixels.

    "ending": its ending is not known or not sure, and `stem` is the set that it would belong to. "alone": it has no sibling, and
    its whole name is its stem. "unclear": its name says something that its channels cannot hold. "copy": by its name it is a copy
    of the file `original`.
    """

    file: Source
    why: str
    guess: str | None = None
    kind: OpenKind = "unclear"
    ending: str = ""
    stem: str = ""
    home: str = ""
    path: str = ""
    look: str = "unknown"
    written: str = ""
    original: Source | None = None
    # What the first three channels clearly look like, of a picture whose channels are unlike.
    order: tuple[str, ...] = ()


@dataclass(frozen=True)
class Sorting:
    """What sorting found: a ledger for each set, the files that stay open, and the table of endings that both came from."""

    ledgers: tuple[Ledger, ...] = ()
    open: tuple[OpenFile, ...] = ()
    endings: tuple[Ending, ...] = ()


@dataclass
class Group:
    """Files of one stem, with what their names say."""

    title: str
    members: list[tuple[FileFacts, Reading]] = field(default_factory=list)
    home: str = ""


def sort_files(
    files: Iterable[FileFacts],
    reader: Reader | None = None,
    *,
    company: Company | None = None,
    tree: Sequence[FileFacts] = (),
) -> Sorting:
    """Sort files into sets by folder and stem, and read each name, with its pixels, into ledger rows.

    `reader` reads names by a project's house rules and habits. `company` holds what normal maps beyond these files show, and
    `tree` are files beyond these whose conventions count. Files that neither names nor their class nor their pixels settle come
    back as open. The result does not depend on the order of `files`.
    """
    files, reader = list(files), reader or Reader()
    copies = list(copies_among(files, reader))
    copied = {copy.facts.id for copy in copies}
    seen = survey([facts for facts in files if facts.id not in copied], reader, tree)
    company = _company_of(seen, company)
    open_files = [_copied(copy) for copy in copies]
    groups: dict[tuple[str, str], Group] = {}
    guesses = guesses_of(seen.classes)
    for piece in seen.pieces:
        if piece.asked and piece.cut:
            open_files.append(_asked(piece, guesses.get(piece.asked)))
        elif piece.final:
            _place(piece, piece.final, groups, open_files)
    open_files += _alone([piece for piece in seen.pieces if not piece.asked and not piece.final], groups)
    _join_numbered_masks(groups)
    ledgers = []
    for group in (part for whole in _counted(groups) for part in _revised(whole)):
        ledger, unsettled = ledger_of(group, company=company)
        open_files += unsettled
        if ledger.rows or ledger.left_out:
            ledgers.append(ledger)
    return Sorting(tuple(ledgers), tuple(open_files), table_of(seen, guesses))


def _alone(pieces: list[Piece], groups: dict[tuple[str, str], Group]) -> list[OpenFile]:
    """Pictures without siblings. In the folder of one set they may be of it; elsewhere each stands for itself."""
    sets: dict[str, list[Group]] = defaultdict(list)
    for (home, _), group in groups.items():
        sets[home].append(group)
    crowds = Counter(piece.home for piece in pieces)
    found = []
    for piece in pieces:
        beside = sets[piece.home]
        guess = likely_property(piece.facts)
        if piece.home and len(beside) == 1 and crowds[piece.home] <= len(beside[0].members):
            why = f"It lies beside {beside[0].title}, and its name does not say whether it belongs to it."
            found.append(_open(piece.facts, why, guess, stem=beside[0].title, home=piece.home))
        else:
            why = "It stands alone: no other file has its stem."
            found.append(_open(piece.facts, why, guess, kind="alone", stem=piece.name, home=piece.home))
    return found


def _place(piece: Piece, reading: Reading, groups: dict[tuple[str, str], Group], open_files: list[OpenFile]) -> None:
    stem = reading.stem or piece.home.rpartition("/")[2]
    if not stem:
        why = f"Its name is only “{reading.word}”: which set it belongs to is not said."
        open_files.append(_open(piece.facts, why, likely_property(piece.facts)))
        return
    # A generic name's set is its folder; a named file's set is its stem in that folder.
    counted = key_of_stem(reading.behind) if reading.behind else ""
    key = (piece.home, key_of_stem(stem + reading.behind) if reading.stem else _GENERIC + counted)
    group = groups.setdefault(key, Group(stem + reading.behind, home=piece.home))
    group.members.append((piece.facts, reading))


def _join_numbered_masks(groups: dict[tuple[str, str], Group]) -> None:
    """Where a stem's other maps are numbered ("skin1", "skin2"), the numbers of its masks are those and not the masks' own."""
    for (home, key), group in list(groups.items()):
        numbered = {
            int(reading.label): (facts, reading)
            for facts, reading in group.members
            if reading.meanings == ("mask",) and reading.label.isdecimal()
        }
        for number, member in numbered.items():
            for digits in (f"{number}", f"{number:02d}"):
                place = next((at for at in ((home, f"{key}{digits}"), (home, f"{key}_{digits}")) if at in groups), None)
                if place and len(numbered) > 1:
                    group.members.remove(member)
                    groups[place].members.append((member[0], replace(member[1], label="01")))
                    break
        if not group.members:
            del groups[home, key]


def _counted(groups: dict[tuple[str, str], Group]) -> list[Group]:
    """Groups as they are, but for those that only a counter parts and whose files are all of other properties: there the counter
    numbers files and not surfaces ("01_rock_diff", "02_rock_normal")."""
    parted: dict[tuple[str, str], list[tuple[str, str]]] = defaultdict(list)
    for (home, key), group in groups.items():
        behind = {reading.behind for _, reading in group.members}
        bare = key
        if behind != {""}:
            bare = key_of_stem(group.members[0][1].stem)
        elif _LEADING.match(key):
            bare = _LEADING.sub("", key)
        parted[home, bare].append((home, key))
    made: list[Group] = []
    for (_, bare), keys in parted.items():
        parts = [groups[key] for key in keys]
        said = [reading.ending + reading.label for part in parts for _, reading in part.members]
        numbers_files = len(parts) > 1 and len(set(said)) == len(said) and sum(len(part.members) > 1 for part in parts) <= 1
        if not numbers_files:
            made += parts
            continue
        stem = parts[0].members[0][1].stem
        title = stem if key_of_stem(stem) == bare else re.sub(r"^\d{1,4}[\W_]+", "", stem)
        made.append(Group(title, [member for part in parts for member in part.members], parts[0].home))
    return made


def _revised(group: Group) -> list[Group]:
    """A group as it is, or one for each revision where "v01" and "v02" are not alike: then they are surfaces of their own."""
    revisions = {reading.revision for _, reading in group.members}
    if len(revisions) < 2:
        return [group]
    by_ending: dict[str, dict[int, FileFacts]] = defaultdict(dict)
    for facts, reading in group.members:
        by_ending[reading.ending][reading.revision] = facts
    pairs = [(first, second) for held in by_ending.values() for first, second in _neighbours(held)]
    if not pairs or all(alike(first, second) for first, second in pairs):
        return [group]
    parts: dict[int, Group] = {}
    for facts, reading in group.members:
        title = f"{group.title}_v{reading.revision:02d}" if reading.revision else group.title
        parts.setdefault(reading.revision, Group(title, home=group.home)).members.append((facts, reading))
    return list(parts.values())


def _neighbours(held: dict[int, FileFacts]) -> list[tuple[FileFacts, FileFacts]]:
    ordered = [held[number] for number in sorted(held)]
    return list(pairwise(ordered))


def alike(first: FileFacts, second: FileFacts) -> bool:
    """Whether two pictures look like states of one; also where that cannot be told."""
    if not (first.evidence and second.evidence and first.evidence.print and second.evidence.print):
        return True
    one, two = (
        np.frombuffer(base64.b64decode(facts.evidence.print), np.uint8).astype(np.float64)
        for facts in (first, second)
        if facts.evidence
    )
    if one.std() < 1 or two.std() < 1:
        return bool(abs(one.mean() - two.mean()) < 8)
    return bool(np.corrcoef(one, two)[0, 1] > ALIKE)


def ledger_of(group: Group, together: bool = False, company: Company | None = None) -> tuple[Ledger, list[OpenFile]]:
    """A group's ledger, and what stays open. With `together` a person has put the files together, and weak names count."""
    unsettled: list[OpenFile] = []
    left: dict[str, LeftOut] = {}
    tiled = len({reading.tile for _, reading in group.members if reading.tile}) > 1
    offers: dict[tuple[str, int], list[tuple[FileFacts, Reading, Row]]] = defaultdict(list)
    spared = _lesser_twins(group)
    for facts, reading in group.members:
        if better := spared.get(facts.id):
            left[facts.id] = LeftOut(file=facts.id, why=f"{better.name} shows the same, and loses nothing.")
            continue
        if not reading.meanings:
            left[facts.id] = LeftOut(file=facts.id, why=f"The house rules leave files named “{reading.word}” out.")
            continue
        offered = rows_from_name(facts, reading)
        if isinstance(offered, str):
            unsettled.append(_open(facts, offered, likely_property(facts), stem=group.title, home=group.home))
            continue
        for row in offered:
            told = directed_by_company(row, facts, reading, company, group.home) if company else row
            offers[row.property, (reading.tile or 0) if tiled else 0].append((facts, reading, told))
    chosen = {key: sorted(candidates, key=_preference)[0] for key, candidates in offers.items()}
    rows = _rows_of(chosen)
    used = {file for row in rows for file in row.files()}
    for key, candidates in offers.items():
        for facts, _, row in candidates:
            if facts.id not in used:
                left[facts.id] = LeftOut(file=facts.id, why=_why_left(facts, row, chosen[key]))
    return Ledger(name=group.title, rows=rows, left_out=tuple(left.values())), unsettled


def _lesser_twins(group: Group) -> dict[Source, FileFacts]:
    """Files of a group that another has under the same name, in a format that loses nothing: each with that one."""
    named: dict[str, list[FileFacts]] = defaultdict(list)
    for facts, _ in group.members:
        named[facts.path.rpartition(".")[0].casefold()].append(facts)
    spared = {}
    for twins in named.values():
        twins.sort(key=lambda facts: (-facts.width, -len(facts.channels), facts.path))
        for facts in twins:
            if better := next((other for other in twins if is_lesser_twin(facts, other)), None):
                spared[facts.id] = better
    return spared


def _rows_of(chosen: dict[tuple[str, int], tuple[FileFacts, Reading, Row]]) -> tuple[Row, ...]:
    """One row for each property; the tiles of a property are one row."""
    by_property: dict[str, list[tuple[int, Row]]] = defaultdict(list)
    for (key, tile), choice in chosen.items():
        by_property[key].append((tile, choice[2]))
    rows = []
    for parts in by_property.values():
        numbered = sorted((tile, row) for tile, row in parts if tile) if any(tile for tile, _ in parts) else []
        if len(numbered) > 1 or (numbered and len(by_property) > 1):
            tiles = tuple(LayoutTile(number=tile, file=row.file) for tile, row in numbered)
            rows.append(numbered[0][1].model_copy(update={"tiles": tiles}))
        else:
            rows.append(parts[0][1])
    return tuple(rows)


def _preference(offer: tuple[FileFacts, Reading, Row]) -> tuple[object, ...]:
    """The better of two maps for one property: not doubted, +Y, strongly named, alone in its file, of a later revision,
    deeper, larger."""
    facts, reading, row = offer
    direction = 0 if row.property != "normal" else {"+Y": 0, "-Y": 1}.get(reading.direction or seen_direction(facts) or "", 2)
    return (
        row.sure == "doubted",
        direction,
        reading.strength == "weak",
        len(reading.meanings),
        row.inverted,
        -reading.revision,
        -_SAMPLE_RANK[facts.sample],
        -facts.width * facts.height,
        not reading.ending,
        facts.path,
    )


def _why_left(facts: FileFacts, row: Row, chosen: tuple[FileFacts, Reading, Row]) -> str:
    better, reading, kept = chosen
    if row.property == "normal" and row.normal_y != kept.normal_y:
        return f"Both normal directions were delivered; {better.name} ({kept.normal_y}) is used."
    title = property_of(row.property).title
    if reading.revision and better.path != facts.path:
        return f"{title} comes from {better.name}, which is a later revision."
    return f"{title} comes from {better.name}, which is deeper, larger or named more clearly."


def _company_of(seen: Survey, beyond: Company | None) -> Company:
    company = beyond or Company()
    for piece in seen.pieces:
        evidence = piece.facts.evidence
        if evidence and evidence.direction and piece.final and piece.final.meanings == ("normal",):
            company.add(piece.home, piece.final, evidence.direction)
    return company


def _asked(piece: Piece, guess: str | None) -> OpenFile:
    cut = piece.cut
    written = cut.written if cut else ""
    stem = (cut.stem if cut else "") or piece.home.rpartition("/")[2]
    why = f"What files that end in “{written}” hold is not sure."
    more = {"ending": piece.asked, "stem": stem, "home": piece.home, "written": written}
    return _open(piece.facts, why, guess, kind="ending", order=sure_order(piece.facts), **more)


def _copied(copy: Copy) -> OpenFile:
    why = f"By its name it is a copy of {copy.original.name}; the two {copy.alike}."
    return _open(copy.facts, why, kind="copy", home=home_folder(copy.facts.path), original=copy.original.id)


def _open(facts: FileFacts, why: str, guess: str | None = None, **more: Any) -> OpenFile:
    return OpenFile(facts.id, why, guess, path=facts.path, look=look_of(facts), **more)
