"""A file name cut into tokens: words, capitals, numbers; and a stem's own words, in which no digit is cut off."""

from __future__ import annotations

import re
import unicodedata
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

# Names and words that are cut over and over, for each file of a set.
MOST_REMEMBERED = 32_768
# How a token meets what stands before it: first of all, behind a separator, by a capital, or with nothing between.
Joint = Literal["first", "separated", "capital", "glued"]
# Combining marks belong to the letter that they follow: many scripts write their vowels so. Python's \w leaves them out.
_PLACES = (*range(0x300, 0x20000), *range(0xE0100, 0xE01F0))
_MARKS = "".join(sign for sign in map(chr, _PLACES) if unicodedata.category(sign).startswith("M"))
# A revision, capitals, a capitalised word, a lower-case word, a number with an optional k (2k), or letters of any script.
# "v003" is one token only where it stands alone: the v of "lev3" belongs to its word.
_TOKEN = re.compile(
    r"(?<![a-zA-Z])[vV]\d+(?![a-zA-Z])|\d+[kK]?(?![a-z])|[A-Z]+(?=[A-Z][a-z])|[A-Z]?[a-z]+|[A-Z]+|\d+"
    rf"|(?:[^\W\d_a-zA-Z]|[{_MARKS}])+"
)
_SIZE = re.compile(r"^(?:[1248]|16)k$")
_FORMAT = re.compile(r"^(?:png|jpe?g|exr|tga|tiff?|webp)$")
_PLAIN_SIZES = frozenset({"256", "512", "1024", "2048", "4096", "8192"})
# Sizes that are so only where the picture's own edge says the same.
SMALL_SIZES = frozenset({"32", "64", "128"})
_COUNTER, _REVISION = re.compile(r"^\d{1,4}$"), re.compile(r"^v\d{1,6}$")
# Tiles of a large UV layout are numbered 1001 + u + 10 v (common practice).
_TILE = re.compile(r"^1[0-9]\d\d$")
_CHUNK = re.compile(rf"(?:[^\W_]|[{_MARKS}])+")


@dataclass(frozen=True)
class Token:
    """A piece of a name as written, with its place in the name and how it meets the piece before."""

    text: str
    start: int
    end: int
    joint: Joint = "first"

    @property
    def key(self) -> str:
        """The token in lower case."""
        return self.text.lower()

    @property
    def is_size(self) -> bool:
        """A resolution that says so by itself: 2k, 2048."""
        return bool(_SIZE.match(self.key)) or self.key in _PLAIN_SIZES

    @property
    def is_format(self) -> bool:
        """The name of a file format."""
        return bool(_FORMAT.match(self.key))

    @property
    def is_revision(self) -> bool:
        """A revision by its word: v03."""
        return bool(_REVISION.match(self.key))

    @property
    def is_tile(self) -> bool:
        """A number that may be a tile's: 1001 to 1999 without the sizes among them."""
        return bool(_TILE.match(self.key)) and 1001 <= int(self.key) <= 1999 and not self.is_size

    @property
    def is_counter(self) -> bool:
        """A short number that is nothing else."""
        return bool(_COUNTER.match(self.key)) and not self.is_size and not self.is_tile

    @property
    def is_noise(self) -> bool:
        """Resolution, format, revision, tile or counter: says nothing about the property (common practice)."""
        return self.is_size or self.is_format or self.is_revision or self.is_tile or self.is_counter


def stem_of(path: str) -> str:
    """A path's file name without folders and extension, in one Unicode form (NFC)."""
    name = unicodedata.normalize("NFC", path).rsplit("/", 1)[-1]
    return name.rsplit(".", 1)[0] if "." in name[1:] else name


def tokenise(name: str) -> tuple[Token, ...]:
    """Cut a name at separators, at changes of letter case and between letters and numbers."""
    tokens: list[Token] = []
    for match in _TOKEN.finditer(name):
        tokens.append(Token(match.group(), match.start(), match.end(), _joint(name, tokens, match)))
    return tuple(tokens)


def _joint(name: str, before: list[Token], match: re.Match[str]) -> Joint:
    if not before:
        return "first"
    if match.start() > before[-1].end:
        return "separated"
    return "capital" if name[match.start()].isupper() else "glued"


@lru_cache(maxsize=MOST_REMEMBERED)
def words_of(stem: str) -> tuple[str, ...]:
    """A stem's words: cut at separators and at capitals, with every letter and digit kept where it stands ("brick01a" is one)."""
    return tuple(word for chunk in chunks_of(stem) for word in _by_capitals(chunk))


@lru_cache(maxsize=MOST_REMEMBERED)
def chunks_of(stem: str) -> tuple[str, ...]:
    """A stem cut at its separators alone."""
    return tuple(_CHUNK.findall(stem))


def _by_capitals(chunk: str) -> list[str]:
    words, start = [], 0
    for place in range(1, len(chunk)):
        here, before, after = chunk[place], chunk[place - 1], chunk[place + 1 : place + 2]
        if is_capital(here) and (is_small(before) or (is_capital(before) and is_small(after))):
            words.append(chunk[start:place])
            start = place
    return [*words, chunk[start:]]


def is_sign_of_a_word(sign: str) -> bool:
    """A letter or digit of any script, or a mark that belongs to a letter."""
    return sign.isalnum() or sign in _MARKS


def is_small(letter: str) -> bool:
    """A small letter that has a capital: an ordinal sign counts as small in Unicode, but no capital can follow from it."""
    return letter.islower() and letter.upper() != letter


def is_capital(letter: str) -> bool:
    """A capital that has a small letter: mathematical capitals have none."""
    return letter.isupper() and letter.lower() != letter


@lru_cache(maxsize=MOST_REMEMBERED)
def key_of_stem(stem: str) -> str:
    """What stems of one set have in common: letter case and the kind of separator do not count, digits and letters do."""
    return "_".join(_CHUNK.findall(unicodedata.normalize("NFC", stem).casefold())) or stem.casefold()
