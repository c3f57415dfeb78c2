"""What a file should be called by the house rules, and why a name does not hold."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Literal

from texelcore.naming.lexicon import read_name
from texelcore.naming.rules import FileKind, HouseRules
from texelcore.naming.tokens import title_of, tokenise
from texelcore.surface.ledger import FileFacts, Ledger, Row
from texelcore.surface.properties import NormalY

BreakRule = Literal["case", "separators", "prefix", "property word", "template", "characters", "length", "reserved", "folder"]
_SIGNS = re.compile(r"[^0-9a-z\w]|_", re.UNICODE)


@dataclass(frozen=True)
class Subject:
    """What a name should say: the set's name, the properties in channel order, a normal's direction, edge and revision."""

    set_name: str
    properties: tuple[str, ...]
    direction: NormalY | None = None
    size: int = 0
    revision: int = 1
    project: str = ""

    @property
    def kind(self) -> FileKind:
        """The kind that prefixes go by."""
        if len(self.properties) > 1:
            return "packed"
        only = self.properties[0]
        if only == "normal":
            return "normal"
        return "colour" if only in ("base_colour", "diffuse", "emissive", "specular") else "data"


@dataclass(frozen=True)
class Break:
    """One rule that a name breaks, and how."""

    rule: BreakRule
    message: str


def subject_of(ledger: Ledger, facts: FileFacts, project: str = "", revision: int = 1) -> Subject | None:
    """What a file's name should say by its rows in a ledger.

    None for a file that no row reads, and for one whose name and pixels still disagree: a person settles that first.
    """
    rows = [row for row in ledger.rows if row.file == facts.id]
    if not rows or awaits_answer(ledger, facts):
        return None
    order = {channel: index for index, channel in enumerate(facts.channels)}
    rows.sort(key=lambda row: min(order.get(channel, 9) for channel in row.channels))
    keys = tuple(_said_as(row, ledger) for row in rows)
    # Opacity rides in base colour's alpha: the file is still called after its colour.
    if keys[0] in ("base_colour", "diffuse") and set(keys[1:]) <= {"opacity"}:
        keys = keys[:1]
    direction = rows[0].normal_y if keys == ("normal",) else None
    return Subject(ledger.name, keys, direction, max(facts.width, facts.height), revision, project)


def _said_as(row: Row, ledger: Ledger) -> str:
    """The word's key for a row: what the file holds, which is not always the property that is made of it."""
    if row.property == "roughness" and row.inverted:
        return "gloss"
    if row.property == "base_colour" and ledger.workflow == "specular":
        return "diffuse"
    return row.property


def awaits_answer(ledger: Ledger, facts: FileFacts) -> bool:
    """Whether a file's name and pixels disagree and nobody has said yet which is right: it is not renamed before."""
    return any(row.file == facts.id and row.sure == "doubted" for row in ledger.rows)


def subject_by_name(path: str, rules: HouseRules, project: str = "") -> Subject | None:
    """What a name seems to mean on its own, for the tester; None when it says nothing."""
    reading = read_name(_core_of(path, rules, project), rules.habits)
    if reading is None or not reading.meanings or not reading.stem:
        return None
    keys = tuple(f"mask.{reading.label}" if key == "mask" else key for key in reading.meanings)
    size = next((_size_word(token.key) for token in tokenise(path) if _size_word(token.key)), 0)
    return Subject(title_of(reading.stem), keys, reading.direction, size or 0, 1, project)


def _core_of(path: str, rules: HouseRules, project: str) -> str:
    """A name without what the template adds around set and property, where it follows the template; else as it is."""
    name = path.rpartition("/")[2]
    stem, _, ending = name.rpartition(".")
    around = {
        "project": re.escape(_styled(rules, project)),
        "prefix": "|".join(re.escape(prefix) for prefix in rules.prefixes.values()),
        "set": "(?P<set>.+?)",
        "property": "(?P<property>.+?)",
        "size": r"\d+k?",
        "revision": r"v\d+",
    }
    parts = re.split(r"{(\w+)}", rules.name)
    pattern = "".join(f"(?:{around[part]})" if index % 2 else re.escape(part) for index, part in enumerate(parts))
    follows = re.fullmatch(pattern, stem or name, re.IGNORECASE)
    return f"{follows['set']}_{follows['property']}.{ending}" if follows else path


def name_for(rules: HouseRules, subject: Subject) -> str:
    """The name without ending that the rules give a subject."""
    values = {
        "project": _styled(rules, subject.project),
        "prefix": rules.prefixes.get(subject.kind, ""),
        "set": _styled(rules, subject.set_name),
        "property": _styled(rules, _property_words(rules, subject)),
        "size": _size_name(subject.size),
        "revision": f"v{subject.revision:02d}",
    }
    filled = re.sub(r"{(\w+)}", lambda match: values[match.group(1)], rules.name)
    return _tidy(rules, filled)


def folder_for(rules: HouseRules, subject: Subject) -> str | None:
    """The folder that the rules give a subject, or None where folders are free."""
    if not rules.folder:
        return None
    values = {"project": _styled(rules, subject.project), "set": _styled(rules, subject.set_name)}
    parts = [re.sub(r"{(\w+)}", lambda match: values[match.group(1)], part) for part in rules.folder.split("/")]
    return "/".join(part for part in parts if part)


def clean_name(rules: HouseRules, stem: str) -> str:
    """A name for a file that nothing is known about: its own words in the house's style."""
    kept = "".join(sign if rules.allows(sign) or sign.isalnum() else " " for sign in stem)
    words = _styled(rules, " ".join(token.text for token in tokenise(kept)))
    allowed = "".join(sign for sign in words if rules.allows(sign))[: rules.longest]
    return _tidy(rules, allowed) or "unnamed"


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
    wrong = list(dict.fromkeys(sign for sign in stem if not rules.allows(sign)))
    if wrong:
        listed = " ".join("a space" if sign == " " else f"“{sign}”" for sign in wrong)
        breaks.append(Break("characters", f"These may not stand in names: {listed}."))
    if len(stem) > rules.longest:
        breaks.append(Break("length", f"It has {len(stem)} characters; at most {rules.longest} are allowed."))
    if rules.is_reserved(stem):
        breaks.append(Break("reserved", f"“{stem}” is kept for something else."))
    return breaks


def _why_other(rules: HouseRules, stem: str, expected: str, subject: Subject) -> Break:
    """The plainest reason why a name is not the expected one."""
    if stem.casefold() == expected.casefold():
        return Break("case", f"Letter case: the rules write “{expected}”.")
    plain, wanted = (_SIGNS.sub("", text.casefold()) for text in (stem, expected))
    if plain == wanted:
        return Break("separators", f"Separators: the rules write “{expected}”.")
    prefix = rules.prefixes.get(subject.kind, "") if "{prefix}" in rules.name else ""
    if prefix and wanted == _SIGNS.sub("", prefix.casefold()) + plain:
        return Break("prefix", f"The prefix “{prefix}” is missing: the rules write “{expected}”.")
    own = _SIGNS.sub("", _styled(rules, subject.set_name).casefold())
    if own and own in plain:
        words = _property_words(rules, subject)
        return Break("property word", f"The rules call this “{words}” and write “{expected}”.")
    return Break("template", f"The rules write “{expected}”.")


def _property_words(rules: HouseRules, subject: Subject) -> str:
    if len(subject.properties) > 1:
        letters = [rules.letters.get(key, "") for key in subject.properties]
        # A map without a letter of its own makes the word be spelled out.
        return "".join(letters) if all(letters) else " ".join(rules.word_of(key) for key in subject.properties)
    word = rules.word_of(subject.properties[0])
    if subject.direction and rules.say_direction:
        return f"{word} {'gl' if subject.direction == '+Y' else 'dx'}"
    return word


def _styled(rules: HouseRules, text: str) -> str:
    words = [token.text for token in tokenise(text)]
    if rules.case == "lower":
        words = [word.lower() for word in words]
    elif rules.case == "upper":
        words = [word.upper() for word in words]
    elif rules.case in ("pascal", "camel"):
        words = [word[:1].upper() + word[1:].lower() for word in words]
        if rules.case == "camel" and words:
            words[0] = words[0].lower()
        return "".join(words)
    return rules.separator.join(words)


def _tidy(rules: HouseRules, text: str) -> str:
    """Without doubled separators, which an empty token leaves, and without one at either end."""
    for sign in {rules.separator, "_", "-", "."} - {""}:
        text = re.sub(re.escape(sign) + "{2,}", sign, text).strip(sign)
    return text.strip()


def _size_name(size: int) -> str:
    if size <= 0:
        return ""
    return f"{size // 1024}k" if size % 1024 == 0 else str(size)


def _size_word(key: str) -> int | None:
    if re.fullmatch(r"[1248]k|16k", key):
        return int(key[:-1]) * 1024
    return int(key) if key in ("256", "512", "1024", "2048", "4096", "8192") else None
