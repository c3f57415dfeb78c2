"""House rules: how a project names, places and sizes its files, and the habits it has been taught. One document, versioned."""

from __future__ import annotations

import re
from pathlib import Path
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError, field_validator, model_validator

from texelcore.naming.habits import Habit
from texelcore.naming.templates import RESERVED
from texelcore.naming.tokens import is_sign_of_a_word
from texelcore.pixels.errors import TexelError
from texelcore.surface.checks import CheckChoice, problem_of
from texelcore.surface.mistakes import first_mistake

Case = Literal["lower", "upper", "pascal", "camel", "kept"]
Separator = Literal["_", "-", ".", " ", ""]
FileKind = Literal["colour", "normal", "data", "packed"]
NAME_TOKENS = ("project", "prefix", "set", "property", "size", "revision")
FOLDER_TOKENS = ("project", "set")
_FIELD = re.compile(r"{(\w*)}")
_UNSAFE = frozenset('/\\:*?"<>|')
# The words and letters are common practice; a project writes its own.
WORDS = {
    "base_colour": "basecolor",
    # Of the specular workflow, where metals are black.
    "diffuse": "diffuse",
    "opacity": "opacity",
    "normal": "normal",
    "roughness": "roughness",
    # One minus roughness keeps a word of its own: renaming is not converting.
    "gloss": "gloss",
    "metallic": "metallic",
    "occlusion": "ao",
    "height": "height",
    "emissive": "emissive",
    "specular": "specular",
    "mask": "mask",
}
LETTERS = {"occlusion": "o", "roughness": "r", "metallic": "m", "height": "h"}


class SizeRules(BaseModel):
    """Edges in texels, and memory in megabytes as the target stores the outputs; None sets no limit."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    smallest: int = Field(default=32, ge=1, le=16384)
    largest: int = Field(default=4096, ge=1, le=16384)
    square: bool = False
    power_of_two: bool = True
    set_budget: float | None = Field(default=None, gt=0)
    project_budget: float | None = Field(default=None, gt=0)

    @model_validator(mode="after")
    def _ordered(self) -> SizeRules:
        if self.smallest > self.largest:
            raise ValueError("the smallest size is larger than the largest")
        return self


class MasterRules(BaseModel):
    """What a master may cost at each place of a surface: samplers, texture reads, steps of arithmetic; the megabytes of what is
    bound, at 2048 × 2048 texels each; and the versions that its structural switches make of it. None sets no limit."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    samplers: int | None = Field(default=16, ge=1, le=128)
    reads: int | None = Field(default=None, ge=1, le=1024)
    arithmetic: int | None = Field(default=None, ge=1, le=100_000)
    megabytes: float | None = Field(default=None, ge=1, le=100_000)
    versions: int | None = Field(default=None, ge=1, le=65_536)


class HouseRules(BaseModel):
    """A project's rules for source files.

    `name` and `folder` are templates: words in braces are tokens, all else stands as written. Tokens' values are put into
    `case` with `separator` between their words. `folder` "" leaves folders free. `prefixes` are by kind of file; `words` say
    what a property is called; `letters` spell a packed map by its channels. `extra` characters are allowed beside ASCII
    letters and digits; `any_script` allows letters of every script. `longest` counts the name without its ending.
    `checks` says how loud each kind of check is, and its limits. While `hold` is false nothing is held to the rules for names
    and sizes, and only the habits and checks count.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    format: Literal["fair-texel-house-rules"] = "fair-texel-house-rules"
    version: Literal[1] = 1
    title: str = Field(default="House rules", min_length=1, max_length=80)
    hold: bool = True
    name: str = "{set}_{property}"
    folder: str = ""
    case: Case = "lower"
    separator: Separator = "_"
    prefixes: dict[FileKind, str] = {}
    words: dict[str, str] = WORDS
    letters: dict[str, str] = LETTERS
    say_direction: bool = True
    extra: str = Field(default="_-", max_length=16)
    any_script: bool = False
    longest: int = Field(default=64, ge=8, le=200)
    reserved: tuple[str, ...] = ()
    sizes: SizeRules = SizeRules()
    masters: MasterRules = MasterRules()
    checks: dict[str, CheckChoice] = {}
    habits: tuple[Habit, ...] = ()

    @field_validator("name")
    @classmethod
    def _name_tokens(cls, template: str) -> str:
        _known_tokens(template, NAME_TOKENS)
        _safe_signs(template)
        if template.count("{set}") != 1 or template.count("{property}") != 1:
            raise ValueError("the name needs {set} and {property}, each once, or files of one set could not be told apart")
        if any(template.count(f"{{{token}}}") > 1 for token in NAME_TOKENS):
            raise ValueError("a token stands in a name once")
        return template

    @field_validator("folder")
    @classmethod
    def _folder_tokens(cls, template: str) -> str:
        _known_tokens(template, FOLDER_TOKENS)
        _safe_signs(template.replace("/", ""))
        parts = template.split("/")
        if template and any(part in ("", ".", "..") for part in parts):
            raise ValueError("the folder is a relative path without empty parts, “.” or “..”")
        return template

    @field_validator("extra")
    @classmethod
    def _safe(cls, extra: str) -> str:
        _safe_signs(extra)
        return "".join(dict.fromkeys(extra))

    @field_validator("words", "letters", "prefixes")
    @classmethod
    def _words(cls, words: dict[str, str]) -> dict[str, str]:
        if any(len(word) > 24 or set(word) & _UNSAFE for word in words.values()):
            raise ValueError("words and prefixes have at most 24 characters that can stand in file names")
        if any(not word for key, word in words.items() if key in WORDS):
            raise ValueError("a property needs a word")
        return words

    @field_validator("checks")
    @classmethod
    def _known_checks(cls, checks: dict[str, CheckChoice]) -> dict[str, CheckChoice]:
        problem = next((found for rule, choice in checks.items() if (found := problem_of(rule, choice))), None)
        if problem:
            raise ValueError(problem)
        return checks

    @model_validator(mode="after")
    def _told_apart(self) -> HouseRules:
        words = [self.word_of(key).casefold() for key in WORDS]
        doubled = sorted({word for word in words if words.count(word) > 1})
        if doubled:
            raise ValueError(f"two properties are both called {doubled[0]}")
        return self

    def word_of(self, key: str) -> str:
        """What a property is called in names; masks carry their label behind."""
        if key.startswith("mask."):
            return f"{self.words.get('mask', WORDS['mask'])} {key.removeprefix('mask.')}"
        return self.words.get(key, WORDS.get(key, key))

    def is_reserved(self, stem: str) -> bool:
        """Whether a name is kept by a system or by the house."""
        return stem.lower() in RESERVED or stem.casefold() in {name.casefold() for name in self.reserved}

    def allows(self, sign: str) -> bool:
        """Whether a character may stand in a name."""
        plain = sign.isascii() and sign.isalnum()
        return plain or sign in self.extra or (self.any_script and is_sign_of_a_word(sign))

    def to_json(self) -> str:
        """The document as it is exported."""
        return self.model_dump_json(indent=2) + "\n"


def read_rules(path: Path) -> HouseRules:
    """A house rules document from a JSON file. Raises TexelError with the first thing that does not fit."""
    try:
        return parse_rules(path.read_text("utf-8"), path.name)
    except (OSError, UnicodeDecodeError) as error:
        raise TexelError(path.name, f"cannot be read ({error}).", "Name a house rules document (.json).") from error


def parse_rules(text: str, name: str = "The document") -> HouseRules:
    """House rules from JSON text. Raises TexelError with the first thing that does not fit."""
    try:
        return HouseRules.model_validate_json(text)
    except ValidationError as error:
        place, said = first_mistake(error)
        problem = f"is no house rules document: {place}: {said}."
        raise TexelError(name, problem, "Correct it, or export one to start from.") from error


def _safe_signs(text: str) -> None:
    unsafe = sorted(set(text) & _UNSAFE | {sign for sign in text if not sign.isprintable()})
    if unsafe:
        raise ValueError(f"{' '.join(unsafe)} cannot stand in file names on every system")


def _known_tokens(template: str, known: tuple[str, ...]) -> None:
    unknown = [field for field in _FIELD.findall(template) if field not in known]
    if unknown or "{" in _FIELD.sub("", template) or "}" in _FIELD.sub("", template):
        listed = ", ".join(f"{{{token}}}" for token in known)
        raise ValueError(
            f"unknown token {{{unknown[0]}}}; known are {listed}" if unknown else f"a brace stands alone; known are {listed}"
        )
