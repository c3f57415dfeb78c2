"""Marks of copies in file names, which browsers and file managers add when a name is taken: "wall (1)", "wall - Copy".

Common practice: browsers number a second download in brackets; file managers add their language's word for a copy.
"""

from __future__ import annotations

import re

_WORDS = r"(?:copy|copie|kopie|kopia|kopi|copia|cópia)"
_NUMBER = re.compile(r"[\s_]*\(\d{1,3}\)$")
_BEHIND = re.compile(rf"(?:\s*[-–—]\s*|[\s_.]+|\s*\()(?:another[\s_]+)?{_WORDS}(?:[\s_]*\(?\d{{1,3}}\)?)?\)?$", re.IGNORECASE)
_BEFORE = re.compile(rf"^{_WORDS}(?:\s*\(\d{{1,3}}\))?\s+(?:of|von|de|di|av|af|z)\s+", re.IGNORECASE)


def without_word(stem: str) -> str | None:
    """A stem without the word that calls it a copy, also one that was copied again; None where there is no such word.

    >>> without_word("wall - Copy (2)"), without_word("Kopie von wall"), without_word("photocopy")
    ('wall', 'wall', None)
    """
    bare = _NUMBER.sub("", stem) if _BEHIND.search(_NUMBER.sub("", stem)) else stem
    bare = _BEFORE.sub("", _BEHIND.sub("", bare))
    return (without_word(bare) or bare) if bare and bare != stem else None


def without_number(stem: str) -> str | None:
    """A stem without the number in brackets behind it; None where there is none.

    >>> without_number("wall (1)"), without_number("wall_1")
    ('wall', None)
    """
    bare = _NUMBER.sub("", stem)
    return bare if bare and bare != stem else None


def unmarked(stem: str) -> str | None:
    """A stem without the mark of a copy; None where it has none."""
    return without_word(stem) or without_number(stem)
