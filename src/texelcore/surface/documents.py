"""What all documents have in common."""

from __future__ import annotations

from collections.abc import Mapping

from pydantic import BaseModel, ConfigDict


class Document(BaseModel):
    """A frozen document: the same in the core, on disk and in the API."""

    # JSON has no word for what is no number.
    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)


# The names of fields that were given, each kind of document's once: pydantic gives every document a set of its own, of up to two
# kilobytes.
_given: dict[frozenset[str], set[str]] = {}


def packed_tight(value: object) -> None:
    """Let documents, in tuples and mappings too, share what they remember of which fields were given: two fifths of their
    memory, for what is kept by the thousand. Frozen documents never write there; their copies have sets of their own."""
    if isinstance(value, BaseModel):
        given = value.__pydantic_fields_set__
        object.__setattr__(value, "__pydantic_fields_set__", _given.setdefault(frozenset(given), given))
        packed_tight(value.__dict__)
    elif isinstance(value, Mapping):
        for part in value.values():
            packed_tight(part)
    elif isinstance(value, tuple):
        for part in value:
            packed_tight(part)
