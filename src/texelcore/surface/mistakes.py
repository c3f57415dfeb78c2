"""Mistakes in documents, in words: no message of the library that finds them reaches a person."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any

from pydantic import ValidationError

# What is said of each type of mistake that pydantic names, behind “it”; the context's values stand in braces.
_CLAUSES = {
    "missing": "is missing",
    "extra_forbidden": "is not known here; it may come from a newer version",
    "json_invalid": "is no JSON",
    "greater_than": "has to be more than {gt}",
    "greater_than_equal": "has to be at least {ge}",
    "less_than": "has to be less than {lt}",
    "less_than_equal": "may be {le} at most",
    "multiple_of": "has to be a multiple of {multiple_of}",
    "finite_number": "has to be a number that is not infinite",
    "too_short": "needs at least {min_length}, and has {actual_length}",
    "too_long": "may have {max_length} at most",
    "string_too_short": "needs at least {min_length} characters",
    "string_too_long": "may have {max_length} characters at most",
    "string_pattern_mismatch": "is not written as it has to be",
    "string_type": "has to be a text",
    "string_unicode": "is no text in UTF-8",
    "enum": "has to be {expected}",
    "literal_error": "has to be {expected}",
    "int_from_float": "has to be a whole number",
    "union_tag_invalid": "has to be one of {expected_tags}",
    "union_tag_not_found": "does not say what it is",
    "none_required": "has to be left out",
    "recursion_loop": "holds itself",
    "invalid_key": "has a key that is no text",
    "date_from_datetime_inexact": "has to be a day without a time",
    "date_past": "has to lie in the past",
    "date_future": "has to lie in the future",
    "datetime_past": "has to lie in the past",
    "datetime_future": "has to lie in the future",
    "timezone_aware": "has to say its time zone",
    "timezone_naive": "may not say a time zone",
}
# By how the type of a mistake begins, where all that begin so come to the same.
_KINDS = {
    "int": "has to be a whole number",
    "float": "has to be a number",
    "decimal": "has to be a number",
    "fraction": "has to be a number",
    "bool": "has to be true or false",
    "date_": "has to be a day, as 2026-11-02",
    "datetime": "has to be a moment, as 2026-11-02T14:05:00Z",
    "time": "has to be a time, as 14:05",
    "uuid": "is no id of this application",
    "url": "is no address",
    "list": "has to be a list",
    "tuple": "has to be a list",
    "set": "has to be a list",
    "frozen_set": "has to be a list",
    "dict": "has to be an object with names and values",
    "mapping": "has to be an object with names and values",
    "model": "has to be an object with names and values",
}


def in_words(mistake: Mapping[str, Any]) -> str:
    """What is wrong with a value: “it has to be at least 1”, or the sentence that a rule of our own says, without its full stop.

    `mistake` is one of what pydantic's ValidationError.errors() gives, with its context.
    """
    kind, context = str(mistake.get("type", "")), mistake.get("ctx") or {}
    if kind in ("value_error", "assertion_error"):
        return str(context.get("error") or mistake["msg"].partition(", ")[2]).strip().rstrip(".")
    if kind in ("too_short", "string_too_short") and context.get("min_length") == 1:
        return "it is empty"
    clause = _CLAUSES.get(kind) or next((said for start, said in _KINDS.items() if kind.startswith(start)), "does not fit")
    try:
        return "it " + clause.format(**{key: _plain(value) for key, value in context.items()})
    except (KeyError, IndexError):
        return "it does not fit"


def _plain(value: object) -> object:
    """A value of a mistake's context as people write it."""
    if isinstance(value, float):
        return f"{value:g}"
    return re.sub("'([^']*)'", r"“\1”", value) if isinstance(value, str) else value


def first_mistake(error: ValidationError, whole: str = "the document") -> tuple[str, str]:
    """Where a document does not hold first, as a path of names and numbers, and what is wrong there (`in_words`)."""
    first = error.errors(include_url=False, include_input=False)[0]
    return ".".join(str(part) for part in first["loc"]) or whole, in_words(first)
