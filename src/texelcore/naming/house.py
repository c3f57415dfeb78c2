"""Reading names with a house's own rules: what they write is read back, its prefix is never taken for part of a stem."""

from __future__ import annotations

import re
from collections.abc import Iterator
from itertools import permutations

from texelcore.naming.copies import unmarked
from texelcore.naming.habits import MEANINGS
from texelcore.naming.lexicon import Meaning, Reading, peel, read_name
from texelcore.naming.rules import HouseRules
from texelcore.naming.tokens import stem_of
from texelcore.naming.written import Subject, lead_of, prefixes_of, property_words, size_word, styled
from texelcore.surface.properties import NormalY

FREE = HouseRules.model_validate({"hold": False})
# A name's place holders that are not the set or the property.
_AROUND = {"size": r"\d+k?", "revision": r"v(?P<revision>\d+)"}
_LARGEST_PACK = 4


class Reader:
    """Reads names by a project's house rules, their habits, and the lexicon. Rules that are not held count for nothing but their
    habits."""

    def __init__(self, rules: HouseRules = FREE, project: str = "") -> None:
        self.rules = rules
        self.habits = rules.habits
        self._project = styled(rules, project)
        self._written = dict(_written(rules)) if rules.hold else {}
        self._whole = self._pattern() if rules.hold else None
        self._lead = lead_of(rules, self._project) if rules.hold else None

    def read(self, path: str, edge: int = 0) -> Reading | None:
        """What a name says: as the rules write it, or else by its words, with the house's prefix taken off. None when it says
        nothing that is known. `edge` is the picture's longer edge, where it is known."""
        return self._as_written(path) or read_name(self.core(path), self.habits, edge)

    def core(self, path: str) -> str:
        """A path without what the rules put before a set's name, where it stands there, and without the mark of a copy behind a
        name that says which map it is."""
        folder, slash, name = path.rpartition("/")
        found = self._lead.match(name) if self._lead else None
        name = name[found.end() :] if found else name
        stem = stem_of(name)
        if bare := unmarked(stem):
            plain = bare + name[len(stem) :]
            said = read_name(plain, self.habits)
            name = plain if said and said.strength == "strong" else name
        return f"{folder}{slash}{name}"

    def _as_written(self, path: str) -> Reading | None:
        found = self._whole.fullmatch(stem_of(path)) if self._whole else None
        if found is None:
            return None
        groups = found.groupdict()
        meanings, direction, label = self._written[groups["property"].casefold()]
        subject = Subject("", tuple(f"mask.{label}" if meaning == "mask" else meaning for meaning in meanings), direction)
        prefix = groups.get("prefix")
        if prefix is not None and prefix.casefold() != self.rules.prefixes.get(subject.kind, "").casefold():
            return None
        return Reading(
            stem=groups["set"],
            ending=" ".join(token.key for token in peel(groups["property"]).tokens),
            meanings=meanings,
            strength="strong",
            word=groups["property"],
            direction=direction,
            label=label,
            behind=groups["number"] or "",
            revision=int(groups.get("revision") or 0),
            tile=int(groups["tile"]) if groups["tile"] else None,
            house=True,
        )

    def _pattern(self) -> re.Pattern[str] | None:
        """What a whole name looks like that the rules have written, with a number behind where two had one name."""
        words = "|".join(re.escape(word) for word in sorted(self._written, key=len, reverse=True) if word)
        around = _AROUND | {
            "project": re.escape(self._project),
            "prefix": f"(?P<prefix>{prefixes_of(self.rules)})",
            "set": "(?P<set>.+?)",
            "property": f"(?P<property>{words})",
        }
        parts = re.split(r"{(\w+)}", self.rules.name)
        if not words or any(parts[1::2].count(part) > 1 for part in parts[1::2]):
            return None
        pattern = "".join(f"(?:{around[part]})" if index % 2 else re.escape(part) for index, part in enumerate(parts))
        number = f"(?P<number>{re.escape(self.rules.separator)}\\d{{2,3}})?"
        tile = r"(?:[ ._-](?P<tile>1[0-9]\d\d))?"
        return re.compile(pattern + tile + number, re.IGNORECASE)


def subject_by_name(path: str, rules: HouseRules, project: str = "") -> Subject | None:
    """What a name seems to mean on its own, for the tester; None when it says nothing."""
    reading = Reader(rules, project).read(path)
    if reading is None or not reading.meanings or not reading.stem:
        return None
    keys = tuple(f"mask.{reading.label}" if key == "mask" else key for key in reading.meanings)
    size = next((size_word(token.key) for token in peel(path).tokens if size_word(token.key)), 0)
    for word in re.findall(r"\d+k?", stem_of(path)):
        size = size or size_word(word) or 0
    return Subject(reading.stem, keys, reading.direction, size or 0, reading.revision or 1, project)


def _written(rules: HouseRules) -> Iterator[tuple[str, tuple[tuple[Meaning, ...], NormalY | None, str]]]:
    """Each property word that the rules can write, in folded case, with its meanings, direction and mask label."""
    singles: list[str] = ["diffuse", *(meaning for meaning in MEANINGS if meaning != "mask")]
    directions: tuple[NormalY, ...] = ("+Y", "-Y")

    def word(*properties: str, direction: NormalY | None = None) -> str:
        return styled(rules, property_words(rules, Subject("", properties, direction))).casefold()

    for count in range(_LARGEST_PACK, 1, -1):
        for pack in permutations(sorted(key for key in rules.letters if key in MEANINGS), count):
            if all(rules.letters[key] for key in pack):
                yield word(*pack), (pack, None, "")  # type: ignore[misc]
    for pair in permutations(("metallic", "gloss", "roughness", "occlusion", "height", "opacity"), 2):
        if not all(rules.letters.get(key) for key in pair):
            yield word(*pair), (pair, None, "")  # type: ignore[misc]
    for number in range(1, 33):
        label = f"{number:02d}"
        yield word(f"mask.{label}"), (("mask",), None, label)
    for single in singles:
        meaning: Meaning = "base_colour" if single == "diffuse" else single  # type: ignore[assignment]
        yield word(single), ((meaning,), None, "")
    for direction in directions:
        yield word("normal", direction=direction), (("normal",), direction, "")
