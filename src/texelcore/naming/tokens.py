"""A file name cut into tokens: words, capitals, numbers."""

from __future__ import annotations

import re
import unicodedata
from dataclasses import dataclass

# A revision, capitals, a capitalised word, a lower-case word, a number with an optional k (2k), or letters of any script.
# "v003" is one token only where it stands alone: the v of "lev3" belongs to its word.
_TOKEN = re.compile(
    r"(?<![a-zA-Z])[vV]\d+(?![a-zA-Z])|\d+[kK]?(?![a-z])|[A-Z]+(?=[A-Z][a-z])|[A-Z]?[a-z]+|[A-Z]+|\d+|[^\W\d_a-zA-Z]+"
)
_NOISE = re.compile(r"^(?:[1248]k|16k|256|512|1024|2048|4096|8192|png|jpe?g|exr|tga|tiff?|webp|\d{1,3}|v\d+|var(?:iant)?)$")
_COUNTER, _SIZES, _REVISION = re.compile(r"^\d{1,3}$"), re.compile(r"^(?:256|512)$"), re.compile(r"^[vV]\d{1,6}$")
_KIND_PREFIXES = frozenset({"t", "tx", "tex", "m", "mat"})


@dataclass(frozen=True)
class Token:
    """A piece of a name as written, with its place in the stem."""

    text: str
    start: int
    end: int

    @property
    def key(self) -> str:
        """The token in lower case."""
        return self.text.lower()

    @property
    def is_noise(self) -> bool:
        """Resolution, format, variant or counter: says nothing about set or property (common practice)."""
        return bool(_NOISE.match(self.key))


def stem_of(path: str) -> str:
    """A path's file name without folders and extension, in one Unicode form (NFC)."""
    name = unicodedata.normalize("NFC", path).rsplit("/", 1)[-1]
    return name.rsplit(".", 1)[0] if "." in name[1:] else name


def tokenise(stem: str) -> tuple[Token, ...]:
    """Cut a stem at separators, at changes of letter case and between letters and numbers."""
    return tuple(Token(match.group(), match.start(), match.end()) for match in _TOKEN.finditer(stem))


def counters_of(path: str) -> tuple[str, ...]:
    """The counters in a file's name, in order: short numbers that are no resolution ("rock_02_diff_1k" has 02)."""
    return tuple(token.text for token in tokenise(stem_of(path)) if _COUNTER.match(token.text) and not _SIZES.match(token.text))


def revision_of(path: str) -> int:
    """The revision in a file's name ("v03" is 3), or 0."""
    found = [int(token.text[1:]) for token in tokenise(stem_of(path)) if _REVISION.match(token.text)]
    return max(found, default=0)


def title_of(tokens: tuple[Token, ...]) -> str:
    """The words of a stem as a set's name: without a one-letter kind prefix, in the case of a sentence."""
    words = [token.text for token in tokens]
    if len(words) > 1 and words[0].lower() in _KIND_PREFIXES:
        words = words[1:]
    joined = " ".join(words)
    return joined[:1].upper() + joined[1:].lower()
