"""What the house rules write: a subject's name and folder, in the house's style. The same rules read it back (`house`)."""

from __future__ import annotations

import itertools
import re
import unicodedata
from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache

from anyascii import anyascii

from texelcore.naming.rules import FileKind, HouseRules
from texelcore.naming.tokens import MOST_REMEMBERED, chunks_of, is_capital, is_sign_of_a_word, is_small, words_of
from texelcore.surface.properties import NormalY


@dataclass(frozen=True)
class Subject:
    """What a name should say: the set's name, the properties in channel order, a normal's direction, edge and revision, and the
    tile of a UV layout over several."""

    set_name: str
    properties: tuple[str, ...]
    direction: NormalY | None = None
    size: int = 0
    revision: int = 1
    project: str = ""
    tile: int | None = None

    @property
    def kind(self) -> FileKind:
        """The kind that prefixes go by."""
        if len(self.properties) > 1:
            return "packed"
        only = self.properties[0]
        if only == "normal":
            return "normal"
        return "colour" if only in ("base_colour", "diffuse", "emissive", "specular") else "data"


def name_for(rules: HouseRules, subject: Subject) -> str:
    """The name without ending that the rules give a subject."""
    values = {
        "project": styled(rules, subject.project),
        "prefix": rules.prefixes.get(subject.kind, ""),
        "set": set_name_for(rules, subject),
        "property": styled(rules, property_words(rules, subject)),
        "size": _size_name(subject.size),
        "revision": f"v{subject.revision:02d}",
    }
    filled = _filled(rules.name, values)
    tile = f"{rules.separator or '_'}{subject.tile}" if subject.tile else ""
    return tidy(rules, filled) + tile


def set_name_for(rules: HouseRules, subject: Subject) -> str:
    """What the rules call a subject's set in names: without the prefix that they write before it themselves, in letters that they
    allow, in their style."""
    name = subject.set_name
    lead = lead_of(rules, styled(rules, subject.project))
    found = lead.match(name) if lead else None
    return styled(rules, spelt(rules, name[found.end() :] if found else name))


def lead_of(rules: HouseRules, project: str) -> re.Pattern[str] | None:
    """What the rules write before {set}, where that is something that cannot begin a set's own name by chance; `project` is
    styled."""
    before = rules.name.partition("{set}")[0]
    if not before or "{property}" in before:
        return None
    prefixes = prefixes_of(rules)
    around = {"project": re.escape(project), "prefix": prefixes, "size": r"\d+k?", "revision": r"v\d+"}
    parts = _cut(before)
    pattern = "".join(f"(?:{around[part]})" if index % 2 else re.escape(part) for index, part in enumerate(parts))
    # A prefix without a separator must be followed by a capital: the "t" of "tile" is no prefix.
    ends = [before] if parts[-1] else list(rules.prefixes.values()) if parts[-2:-1] == ("prefix",) else []
    parted = bool(ends) and all(end.endswith(("_", "-")) for end in ends)
    return re.compile(rf"(?:{pattern})(?:(?<=[\W_])|(?=[^\W\d_a-z]))(?=.)", re.IGNORECASE if parted else 0)


def prefixes_of(rules: HouseRules) -> str:
    """A pattern of the prefixes that the rules give, and of none."""
    return "|".join(re.escape(prefix) for prefix in sorted({*rules.prefixes.values(), ""}, key=len, reverse=True))


def spelt(rules: HouseRules, text: str) -> str:
    """A text whose letters may all stand in names: others are spelt in plain ones, as anyascii transliterates them.

    >>> spelt(HouseRules(), "Türblatt"), spelt(HouseRules(any_script=True), "Türblatt")
    ('Turblatt', 'Türblatt')
    """
    plain = unicodedata.normalize("NFC", text)
    return "".join(sign if rules.allows(sign) or not is_sign_of_a_word(sign) else _in_ascii(sign) for sign in plain)


def _in_ascii(sign: str) -> str:
    # Some signs are transliterated by marks that may not stand in names either: a soft sign by an apostrophe.
    return "".join(letter for letter in anyascii(sign) if letter.isalnum())


def folder_for(rules: HouseRules, subject: Subject) -> str | None:
    """The folder that the rules give a subject, or None where folders are free."""
    if not rules.folder:
        return None
    values = {"project": styled(rules, subject.project), "set": set_name_for(rules, subject)}
    parts = [_filled(part, values) for part in rules.folder.split("/")]
    return "/".join(part for part in parts if part)


def _filled(template: str, values: Mapping[str, str]) -> str:
    # Every second part is the name of a token.
    return "".join(values[part] if place % 2 else part for place, part in enumerate(_cut(template)))


@lru_cache(maxsize=MOST_REMEMBERED)
def _cut(template: str) -> tuple[str, ...]:
    return tuple(re.split(r"{(\w+)}", template))


def clean_name(rules: HouseRules, stem: str) -> str:
    """A name for a file that nothing is known about: its own words in the house's style."""
    kept = "".join(sign if rules.allows(sign) or is_sign_of_a_word(sign) else " " for sign in stem)
    words = styled(rules, spelt(rules, " ".join(chunks_of(kept))))
    allowed = "".join(sign for sign in words if rules.allows(sign))[: rules.longest]
    return tidy(rules, allowed) or "unnamed"


def property_words(rules: HouseRules, subject: Subject) -> str:
    """What the rules call a subject's properties, before it is styled: "normal gl", "orm", "occlusion height"."""
    if len(subject.properties) > 1:
        letters = [rules.letters.get(key, "") for key in subject.properties]
        # A map without a letter of its own makes the word be spelled out.
        return "".join(letters) if all(letters) else " ".join(rules.word_of(key) for key in subject.properties)
    word = rules.word_of(subject.properties[0].partition("-")[0])
    if subject.direction and rules.say_direction:
        return f"{word} {'gl' if subject.direction == '+Y' else 'dx'}"
    return word


def styled(rules: HouseRules, text: str) -> str:
    """A text's words in the rules' letter case and with their separator. No letter or digit is lost or moved, and what is styled
    once does not change when it is styled again."""
    return _styled(rules.case, rules.separator, text)


@lru_cache(maxsize=MOST_REMEMBERED)
def _styled(case: str, separator: str, text: str) -> str:
    # The files of a project share their sets' names and their properties' words: each is styled many times over.
    if case in ("pascal", "camel"):
        return _capitals(chunks_of(text), case == "camel")
    words = list(words_of(text) if case in ("lower", "upper") else chunks_of(text))
    if case == "lower":
        words = [word.lower() for word in words]
    elif case == "upper":
        words = [word.upper() for word in words]
    return _joined(words, separator)


def _capitals(chunks: tuple[str, ...], camel: bool) -> str:
    """Words joined by their capitals. Capitals inside a word stay; a word of capitals among others gets small letters."""
    # The separator that keeps two numbers apart stays in the result, and so does not make words of what it joins.
    several = any(not _numbers_meet(before, after) for before, after in itertools.pairwise(chunks))
    words = [chunk[:1].upper() + chunk[1:] for chunk in chunks]
    words = [word[:1] + word[1:].lower() if several and word.isupper() else word for word in words]
    if camel and words and is_small(chunks[0][:1]):
        # It begins as it should already.
        words[0] = chunks[0]
    elif camel and words:
        run = len(list(itertools.takewhile(is_capital, words[0])))
        # Of capitals in a row the last begins the next word: "HDWall" is "hdWall".
        run = run - 1 if 1 < run < len(words[0]) and is_small(words[0][run]) else run
        words[0] = words[0][:run].lower() + words[0][run:]
    return _joined(words, "")


def _joined(words: list[str], separator: str) -> str:
    """Words with a separator between; two numbers never run into one."""
    text = ""
    for word in words:
        meets = separator or ("_" if _numbers_meet(text, word) else "")
        text += (meets if text else "") + word
    return text


def _numbers_meet(before: str, after: str) -> bool:
    return before[-1:].isdigit() and after[:1].isdigit()


def tidy(rules: HouseRules, text: str) -> str:
    """Without doubled separators, which an empty token leaves, and without one at either end."""
    for sign in {rules.separator, "_", "-", "."} - {""}:
        if sign in text:
            text = re.sub(re.escape(sign) + "{2,}", sign, text).strip(sign)
    return text.strip()


def _size_name(size: int) -> str:
    if size <= 0:
        return ""
    return f"{size // 1024}k" if size % 1024 == 0 else str(size)


def size_word(key: str) -> int | None:
    """The texels that a word of a name stands for ("2k" is 2048), or None."""
    if re.fullmatch(r"[1248]k|16k", key):
        return int(key[:-1]) * 1024
    return int(key) if key in ("256", "512", "1024", "2048", "4096", "8192") else None
