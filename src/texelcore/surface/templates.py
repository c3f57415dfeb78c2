"""Templates of output names: what may stand in them, so that every name is safe and tells its file apart."""

from __future__ import annotations

import re

TOKENS = ("project", "set", "suffix")
LONGEST_STEM = 96
FOLDER_TOKENS = ("project", "set", "target")
LONGEST_FOLDER = 160
MOST_FOLDERS = 8
FIELD = re.compile(r"{(\w+)}")
# What may stand in a template beside its tokens, and in a name that was made: no sign that means something in a path.
PLAIN = re.compile(r"[A-Za-z0-9_-]*")


def template_problem(template: str) -> str | None:
    """Why a template makes no names that are safe and told apart; None when it does."""
    unknown = [field for field in FIELD.findall(template) if field not in TOKENS]
    if unknown:
        return f"the name uses the unknown token {{{unknown[0]}}}; known ones are {', '.join(TOKENS)}"
    if not PLAIN.fullmatch(FIELD.sub("", template)):
        return "beside its tokens a name has letters from a to z, digits, “_” and “-” alone"
    missing = [token for token in ("set", "suffix") if FIELD.findall(template).count(token) != 1]
    if missing:
        return f"the name needs {{{missing[0]}}} just once, or files could not be told apart"
    return None


def folder_problem(template: str) -> str | None:
    """Why a template makes no folders that are safe; None when it does."""
    unknown = [field for field in FIELD.findall(template) if field not in FOLDER_TOKENS]
    if unknown:
        return f"the folder uses the unknown token {{{unknown[0]}}}; known ones are {', '.join(FOLDER_TOKENS)}"
    parts = template.split("/")
    if any(not PLAIN.fullmatch(FIELD.sub("", part)) for part in parts):
        return "beside its tokens a folder has letters from a to z, digits, “_”, “-” and “/” alone"
    if not all(parts):
        return "a folder neither begins nor ends with “/”, and none of its parts is empty"
    return f"at most {MOST_FOLDERS} folders lie in each other" if len(parts) > MOST_FOLDERS else None
