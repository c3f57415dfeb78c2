"""What a file should be called by the house rules, and why a name does not hold."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from texelcore.naming.rules import HouseRules
from texelcore.naming.tokens import chunks_of
from texelcore.naming.written import Subject, folder_for, name_for, property_words, set_name_for
from texelcore.surface.files import FileFacts
from texelcore.surface.ledger import Ledger, Row

BreakRule = Literal["case", "separators", "prefix", "property word", "template", "characters", "length", "reserved", "folder"]


@dataclass(frozen=True)
class Break:
    """One rule that a name breaks, and how."""

    rule: BreakRule
    message: str


def subject_of(ledger: Ledger, facts: FileFacts, project: str = "", revision: int = 1) -> Subject | None:
    """What a file's name should say by its rows in a ledger.

    None for a file that no row reads, and for one whose name and pixels still disagree: a person settles that first.
    """
    rows = [row for row in ledger.rows if row.reads(facts.id)]
    if not rows or awaits_answer(ledger, facts):
        return None
    order = {channel: index for index, channel in enumerate(facts.channels)}
    rows.sort(key=lambda row: min(order.get(channel, 9) for channel in row.channels))
    keys = tuple(_said_as(row, ledger) for row in rows)
    # Opacity rides in base colour's alpha: the file is still called after its colour.
    if keys[0] in ("base_colour", "diffuse") and set(keys[1:]) <= {"opacity"}:
        keys = keys[:1]
    # The channels of one picture of masks have one name.
    if len(keys) > 1 and all(key.startswith("mask.") for key in keys):
        keys = (keys[0].partition("-")[0],)
    direction = rows[0].normal_y if keys == ("normal",) else None
    tile = next((tile.number for row in rows for tile in row.tiles if tile.file == facts.id), None)
    return Subject(ledger.name, keys, direction, max(facts.width, facts.height), revision, project, tile)


def _said_as(row: Row, ledger: Ledger) -> str:
    """The word's key for a row: what the file holds, which is not always the property that is made of it."""
    if row.property == "roughness" and row.inverted:
        return "gloss"
    if row.property == "base_colour" and ledger.workflow == "specular":
        return "diffuse"
    return row.property


def awaits_answer(ledger: Ledger, facts: FileFacts) -> bool:
    """Whether a file's name and pixels disagree and nobody has said yet which is right: it is not renamed before."""
    return any(row.sure == "doubted" and row.reads(facts.id) for row in ledger.rows)


def judge_name(rules: HouseRules, path: str, subject: Subject | None) -> tuple[Break, ...]:
    """All rules that a path breaks; none for a path that holds. Without a subject only the general rules are asked."""
    if not rules.hold:
        return ()
    folder, _, name = path.rpartition("/")
    stem = name.rpartition(".")[0] or name
    breaks = list(_general(rules, stem))
    if subject:
        expected = name_for(rules, subject)
        # A number behind is how two files of one name are told apart.
        number = stem.removeprefix(expected + rules.separator)
        numbered = number != stem and number.isdecimal() and len(number) <= 3
        if stem != expected and not numbered:
            breaks.insert(0, _why_other(rules, stem, expected, subject))
        place = folder_for(rules, subject)
        if place is not None and folder != place:
            breaks.append(
                Break("folder", f"It lies in {f'“{folder}”' if folder else 'no folder'}; the rules place it in “{place}”.")
            )
    return tuple(breaks)


def _general(rules: HouseRules, stem: str) -> list[Break]:
    breaks = []
    wrong = [sign for sign in dict.fromkeys(stem) if not rules.allows(sign)]
    if wrong:
        listed = " ".join("a space" if sign == " " else f"“{sign}”" for sign in wrong)
        breaks.append(Break("characters", f"These may not stand in names: {listed}."))
    if len(stem) > rules.longest:
        breaks.append(Break("length", f"It has {len(stem)} characters; at most {rules.longest} are allowed."))
    if rules.is_reserved(stem):
        breaks.append(Break("reserved", f"“{stem}” is kept for something else."))
    return breaks


def _letters(text: str) -> str:
    return "".join(chunks_of(text.casefold()))


def _why_other(rules: HouseRules, stem: str, expected: str, subject: Subject) -> Break:
    """The plainest reason why a name is not the expected one."""
    if stem.casefold() == expected.casefold():
        return Break("case", f"Letter case: the rules write “{expected}”.")
    plain, wanted = (_letters(text) for text in (stem, expected))
    if plain == wanted:
        return Break("separators", f"Separators: the rules write “{expected}”.")
    prefix = rules.prefixes.get(subject.kind, "") if "{prefix}" in rules.name else ""
    if prefix and wanted == _letters(prefix) + plain:
        return Break("prefix", f"The prefix “{prefix}” is missing: the rules write “{expected}”.")
    own = _letters(set_name_for(rules, subject))
    if own and own in plain:
        words = property_words(rules, subject)
        return Break("property word", f"The rules call this “{words}” and write “{expected}”.")
    return Break("template", f"The rules write “{expected}”.")
