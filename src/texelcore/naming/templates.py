"""Name templates: what an output is called. The result is safe on every file system in use."""

from __future__ import annotations

import hashlib
import re
import unicodedata

from texelcore.naming.tokens import words_of
from texelcore.pixels.errors import TexelError
from texelcore.surface.templates import FIELD, FOLDER_TOKENS, LONGEST_STEM, PLAIN, TOKENS, folder_problem

# Names that a common desktop file system keeps for devices, with any extension.
_NOTHING = "\0"
_AROUND_NOTHING = re.compile("_*(?:\0_*)+")
RESERVED = frozenset({"con", "prn", "aux", "nul"} | {f"{port}{n}" for port in ("com", "lpt") for n in range(1, 10)})


def code_of(title: str) -> str:
    """A name's words as lower-case ASCII letters, digits and underscores, at most 48 long; never empty, never reserved.

    Accents are taken off; a name with nothing left (Japanese, say) gets a code from its hash, always the same.
    """
    plain = unicodedata.normalize("NFKD", " ".join(words_of(title))).encode("ascii", "ignore").decode()
    code = re.sub(r"[^a-z0-9]+", "_", plain.lower()).strip("_")
    if not code:
        return f"set_{hashlib.sha256(title.encode()).hexdigest()[:6]}"
    if len(code) > 48:
        # Names that differ late must stay different after the cut.
        code = f"{code[:41].rstrip('_')}_{hashlib.sha256(code.encode()).hexdigest()[:6]}"
    return f"{code}_" if code in RESERVED else code


def fill(template: str, values: dict[str, str]) -> str:
    """Put values into a template such as "{project}_{set}_{suffix}".

    Raises TexelError for an unknown token, a reserved name, or a result over 96 characters.
    """
    unknown = [field for field in FIELD.findall(template) if field not in TOKENS]
    if unknown:
        raise TexelError(template, f"uses the unknown token {{{unknown[0]}}}.", f"Known tokens: {', '.join(TOKENS)}.")
    name = _filled(template, values).strip("_-" if not values.get("suffix") else "_")
    if not PLAIN.fullmatch(name):
        raise TexelError(name, "holds signs that mean something in a path.", "Use letters from a to z, digits, “_” and “-”.")
    if name.lower() in RESERVED:
        raise TexelError(name, "is a name that some systems keep for devices.", "Add the project or a word to the template.")
    if not name or len(name) > LONGEST_STEM:
        raise TexelError(name or template, f"must have 1 to {LONGEST_STEM} characters.", "Give the set a shorter name.")
    return name


def _filled(template: str, values: dict[str, str]) -> str:
    """A template with its values. A token without one takes the underscores on one of its sides along; those that somebody wrote
    side by side stay."""
    name = FIELD.sub(lambda match: values.get(match.group(1), "") or _NOTHING, template)
    return _AROUND_NOTHING.sub(lambda match: max(re.findall("_+", match.group()), key=len, default=""), name)


def fill_folder(template: str, values: dict[str, str]) -> str:
    """Put values into a template of folders such as "{project}/{set}". Raises TexelError as `fill` does."""
    if problem := folder_problem(template):
        raise TexelError(template, f"makes no folder: {problem}.", f"Known tokens: {', '.join(FOLDER_TOKENS)}.")
    parts = []
    for part in template.split("/"):
        name = _filled(part, values).strip("_")
        # A token without a value leaves no folder behind.
        if not name:
            continue
        if not PLAIN.fullmatch(name) or name.lower() in RESERVED:
            raise TexelError(name, "cannot be a folder's name on every system.", "Add a word to the template.")
        parts.append(name)
    return "/".join(parts) or values.get("set", "set")
