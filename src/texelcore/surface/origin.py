"""Where a set's maps came from, and under what terms. Kept with the set, and held against its use."""

from __future__ import annotations

from datetime import date
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field


class Licence(BaseModel):
    """Terms of use in a few facts, with their words. None means "any" for `projects` and `targets`, "never" for `until`."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    name: str = Field(min_length=1, max_length=120)
    text: str = Field(default="", max_length=4000)
    projects: tuple[str, ...] | None = None
    targets: tuple[str, ...] | None = None
    until: date | None = None
    credit: str = Field(default="", max_length=400)


class Origin(BaseModel):
    """A set's origin: how it came, from where, when, and its licence where one is known."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    way: Literal["dropped", "watched", "depot", "by hand", "flattened"]
    source: str = Field(max_length=400)
    came: date
    licence: Licence | None = None
