"""Characters of a text that nobody sees, or that turn what is seen around: they make two names look alike that are not."""

from __future__ import annotations

import unicodedata
from typing import Any

# Where a text breaks its lines. A joiner shapes letters of some scripts and is part of many pictographs.
_MEANT = frozenset("\t\n\r‌‍")


def hidden_character(text: str) -> str | None:
    """The first control, direction or invisible character of a text, as U+XXXX with its name; None where all is seen.

    Source: Unicode Technical Report 36, section 2.10 (general categories Cc and Cf).

    >>> hidden_character("oak\\u202egnp.exe")
    'U+202E RIGHT-TO-LEFT OVERRIDE'
    >>> hidden_character("Türblatt") is None
    True
    """
    for sign in text:
        if sign not in _MEANT and not sign.isprintable() and unicodedata.category(sign) in ("Cc", "Cf"):
            return f"U+{ord(sign):04X} {unicodedata.name(sign, 'control character')}"
    return None


def hidden_in(document: Any) -> tuple[str, str] | None:
    """The first text with a hidden character in a document of JSON, cut for showing, and that character; None where there
    is none. Walked without recursion: a stranger's document may be deep."""
    waiting = [document]
    while waiting:
        part = waiting.pop()
        if isinstance(part, str) and (sign := hidden_character(part)):
            return "".join(letter for letter in part if letter.isprintable())[:60], sign
        if isinstance(part, dict):
            waiting.extend(part)
            waiting.extend(part.values())
        elif isinstance(part, list):
            waiting.extend(part)
    return None
