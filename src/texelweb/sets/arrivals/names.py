"""Uploaded names: made harmless, refused, or remarked upon. No path on disk is ever built from one."""

from __future__ import annotations

import unicodedata

from texelcore.naming.templates import RESERVED, code_of
from texelcore.naming.tokens import stem_of
from texelcore.pixels.errors import TexelError

LONGEST_NAME = 200
LONGEST_PATH = 1000


def clean_path(given: str) -> str:
    """A path as it is shown and kept: forward slashes, one Unicode form, no "." parts.

    Raises TexelError for a path that climbs with "..", holds control characters, or is too long.
    """
    path = unicodedata.normalize("NFC", given).replace("\\", "/")
    parts = [part for part in path.split("/") if part not in ("", ".")]
    name = parts[-1] if parts else given
    if not parts or ".." in parts or any(unicodedata.category(letter).startswith("C") for letter in path):
        raise TexelError(name[:80] or "(no name)", "has a name that is no plain file name.", "Rename it and drop it again.")
    if len(name) > LONGEST_NAME or len(path) > LONGEST_PATH:
        problem = f"has a name of {len(name)} characters; at most {LONGEST_NAME} are taken."
        raise TexelError(f"{name[:40]}…{name[-20:]}", problem, "Give it a shorter name and drop it again.")
    return "/".join(parts)


def remark_on(path: str) -> str:
    """What a person should know about a name that was taken but cannot leave as it is; empty for ordinary names."""
    stem = stem_of(path)
    if stem.lower() in RESERVED:
        return f"“{stem}” is a name that some systems keep for devices; outputs get a name of their own."
    if not stem.isascii():
        return f"Outputs use plain letters, so this name appears there as “{code_of(stem)}”."
    return ""
