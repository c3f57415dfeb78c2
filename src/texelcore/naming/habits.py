"""Habits: what a project has been taught about the endings of file names. Kept in the house rules."""

from __future__ import annotations

from collections.abc import Iterable

from pydantic import BaseModel, ConfigDict, field_validator

from texelcore.naming.tokens import Token, stem_of, tokenise
from texelcore.surface.properties import NormalY

MEANINGS = (
    "base_colour",
    "normal",
    "roughness",
    "gloss",
    "metallic",
    "occlusion",
    "height",
    "emissive",
    "specular",
    "opacity",
    "mask",
)


class Habit(BaseModel):
    """Files whose names end in these words hold these meanings, in channel order; with none, they are left out.

    `words` are lower-case tokens with spaces between, as names are cut ("nor gl"). Resolution, format and counters do not
    count as ending. `direction` is for a single normal.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    words: str
    meanings: tuple[str, ...] = ()
    direction: NormalY | None = None

    @field_validator("words")
    @classmethod
    def _cut(cls, words: str) -> str:
        cut = " ".join(token.key for token in tokenise(words))
        if not cut:
            raise ValueError("a habit needs at least one word")
        return cut

    @field_validator("meanings")
    @classmethod
    def _known(cls, meanings: tuple[str, ...]) -> tuple[str, ...]:
        unknown = [meaning for meaning in meanings if meaning not in MEANINGS]
        if unknown or len(meanings) > 4 or len(set(meanings)) < len(meanings):
            raise ValueError(f"meanings are up to four different ones of {', '.join(MEANINGS)}")
        return meanings


def content_of(path: str) -> tuple[Token, ...]:
    """A file name's tokens without resolution, format and counters."""
    return tuple(token for token in tokenise(stem_of(path)) if not token.is_noise)


def habit_for(content: tuple[Token, ...], habits: Iterable[Habit]) -> Habit | None:
    """The habit with the longest ending that fits a name's tokens, or None."""
    keys = [token.key for token in content]
    fitting = [habit for habit in habits if keys[-len(habit.words.split()) :] == habit.words.split()]
    return max(fitting, key=lambda habit: len(habit.words.split()), default=None)
