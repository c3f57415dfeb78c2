"""Files to sets and ledgers, from names and pixels; what they do not settle stays open."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field

from texelcore.naming.habits import Habit
from texelcore.naming.lexicon import Reading, read_name
from texelcore.naming.tokens import Token, counters_of, revision_of, title_of, tokenise
from texelcore.sorting.decide import likely_property, rows_from_name, seen_direction
from texelcore.surface.ledger import FileFacts, Ledger, LeftOut, Row
from texelcore.surface.properties import property_of

_SAMPLE_RANK = {"u8": 0, "f16": 1, "u16": 2, "f32": 3}
# Where a second file of one name is put: it stays with its siblings, and a person is asked which of the two to use.
DOUBLE_FOLDER = "double"
# Folders that say nothing about the set in them (common practice).
_PLAIN_FOLDERS = frozenset(
    {"textures", "texture", "maps", "map", "tex", "export", "exports", "images", "source", "sources", DOUBLE_FOLDER}
)


@dataclass(frozen=True)
class OpenFile:
    """A file that nothing sure could be said of, and why: a person decides. `guess` is the likely property by its pixels."""

    file: str
    why: str
    guess: str | None = None


@dataclass(frozen=True)
class Sorting:
    """What sorting found: a ledger for each set, and the files that stay open."""

    ledgers: tuple[Ledger, ...] = ()
    open: tuple[OpenFile, ...] = ()


@dataclass
class Group:
    """Files of one stem, with what their names say."""

    title: str
    members: list[tuple[FileFacts, Reading]] = field(default_factory=list)


def sort_files(files: Iterable[FileFacts], habits: Sequence[Habit] = ()) -> Sorting:
    """Sort files into sets by folder and stem, and read each name, with its pixels, into ledger rows.

    Files whose names say nothing, or say it so weakly that neither a sibling nor the picture confirms it, come back as open.
    The result does not depend on the order of `files`.
    """
    groups: dict[tuple[str, str], Group] = {}
    open_files: list[OpenFile] = []
    for facts in sorted(files, key=lambda entry: (entry.path.casefold(), entry.path)):
        reading = read_name(facts.path, habits)
        if reading is None:
            open_files.append(_open(facts, "No word of its name is in the lexicon."))
            continue
        folder = home_folder(facts.path)
        stem = reading.stem or tokenise(folder.rpartition("/")[2])
        if not stem:
            open_files.append(_open(facts, f"Its name is only “{reading.word}”: which set it belongs to is not said."))
            continue
        group = groups.setdefault((folder, stem_key(stem)), Group(title_of(stem)))
        group.members.append((facts, reading))
    ledgers = []
    for group in (part for whole in groups.values() for part in _apart(whole)):
        ledger, unsettled = ledger_of(group)
        open_files += unsettled
        if ledger.rows:
            ledgers.append(ledger)
    return Sorting(tuple(ledgers), tuple(open_files))


def _apart(group: Group) -> list[Group]:
    """A group as it is, or one group for each counter where only counters tell surfaces apart ("rock_01", "rock_02").

    They do where one property comes more than once with other counters; a mask's number names the mask and does not count.
    """
    numbered: dict[tuple[str, ...], list[tuple[FileFacts, Reading]]] = defaultdict(list)
    said: dict[object, set[tuple[str, ...]]] = defaultdict(set)
    for facts, reading in group.members:
        counters = counters_of(facts.path)
        if reading.label:
            counters = tuple(counter for counter in counters if counter.zfill(2) != reading.label)
        numbered[counters].append((facts, reading))
        said[reading.meanings, reading.direction, reading.label].add(counters)
    if all(len(counters) == 1 for counters in said.values()):
        return [group]
    return [Group(" ".join([group.title, *counters]), members) for counters, members in numbered.items()]


def home_folder(path: str) -> str:
    """The folder that a file's set goes by: folders that name only a property, a size or "textures" are passed over."""
    folders = path.split("/")[:-1]
    while folders and _says_nothing(folders[-1]):
        folders.pop()
    return "/".join(folders)


def stem_key(tokens: tuple[Token, ...]) -> str:
    """What stems of one set have in common: their words in lower case."""
    return " ".join(token.key for token in tokens)


def _says_nothing(folder: str) -> bool:
    if folder.lower() in _PLAIN_FOLDERS or all(token.is_noise for token in tokenise(folder)):
        return True
    reading = read_name(folder)
    return reading is not None and not reading.stem and len(folder) > 1


def _open(facts: FileFacts, why: str) -> OpenFile:
    return OpenFile(facts.id, why, likely_property(facts))


def ledger_of(group: Group, together: bool = False) -> tuple[Ledger, list[OpenFile]]:
    """A group's ledger, and what stays open. With `together` a person has put the files together, and weak names count."""
    unsettled: list[OpenFile] = []
    left: dict[str, LeftOut] = {}
    offers: dict[str, list[tuple[FileFacts, Reading, Row]]] = defaultdict(list)
    for facts, reading in group.members:
        if not reading.meanings:
            left[facts.id] = LeftOut(file=facts.id, why=f"The house rules leave files named “{reading.word}” out.")
            continue
        if reading.strength == "weak" and not together and not _confirmed(facts, reading, group):
            unsettled.append(_open(facts, f"“{reading.word}” alone is weak evidence, and no sibling confirms it."))
            continue
        offered = rows_from_name(facts, reading)
        if isinstance(offered, str):
            unsettled.append(_open(facts, offered))
            continue
        for row in offered:
            offers[row.property].append((facts, reading, row))
    chosen = {key: sorted(candidates, key=_preference)[0] for key, candidates in offers.items()}
    rows = tuple(choice[2] for choice in chosen.values())
    used = {row.file for row in rows}
    for key, candidates in offers.items():
        for facts, _, row in candidates:
            if facts.id not in used:
                left[facts.id] = LeftOut(file=facts.id, why=_why_left(facts, row, chosen[key]))
    return Ledger(name=group.title, rows=rows, left_out=tuple(left.values())), unsettled


def _confirmed(facts: FileFacts, reading: Reading, group: Group) -> bool:
    """A weak name stands when a sibling with the same stem holds something else, or when the picture shows the same."""
    if any(other.meanings != reading.meanings for _, other in group.members):
        return True
    return reading.meanings == ("normal",) and likely_property(facts) == "normal"


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
        -revision_of(facts.path),
        -_SAMPLE_RANK[facts.sample],
        -facts.width * facts.height,
        facts.path,
    )


def _why_left(facts: FileFacts, row: Row, chosen: tuple[FileFacts, Reading, Row]) -> str:
    better, _, kept = chosen
    if row.property == "normal" and row.normal_y != kept.normal_y:
        return f"Both normal directions were delivered; {better.name} ({kept.normal_y}) is used."
    title = property_of(row.property).title
    if revision_of(better.path) > revision_of(facts.path):
        return f"{title} comes from {better.name}, which is a later revision."
    return f"{title} comes from {better.name}, which is deeper, larger or named more clearly."
