"""Habits: what a project has been taught about the endings of file names. Kept in the house rules."""

from __future__ import annotations

from collections.abc import Iterable

from pydantic import BaseModel, ConfigDict, field_validator, model_validator

from texelcore.naming.tokens import tokenise
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
# How many channels each takes, where that is not one: two of a normal map say the third.
_CHANNELS = {"base_colour": (3,), "emissive": (3,), "specular": (3,), "normal": (2, 3)}


class Habit(BaseModel):
    """Files whose names end in these words hold these meanings, in channel order; with none, they are left out. `channels` says
    in which channels each lies ("RGB", "A"), where that is not the first for the first and so on.

    `words` are lower-case tokens with spaces between, as names are cut ("nor gl"). Resolution, format and counters do not
    count as ending. `direction` is for a single normal. With `surface` the words are no ending at all: such a file is a surface
    of its own, and its whole name is its stem.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    words: str
    meanings: tuple[str, ...] = ()
    channels: tuple[str, ...] = ()
    direction: NormalY | None = None
    surface: bool = False

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
        single = [meaning for meaning in meanings if meaning != "mask"]
        if unknown or len(meanings) > 4 or len(set(single)) < len(single):
            raise ValueError(f"meanings are up to four of {', '.join(MEANINGS)}, and no other than masks twice")
        return meanings

    @model_validator(mode="after")
    def _one_or_the_other(self) -> Habit:
        if self.surface and self.meanings:
            raise ValueError("an ending that belongs to the stem means no property")
        letters = "".join(self.channels)
        if self.channels and (len(self.channels) != len(self.meanings) or not all(self.channels)):
            raise ValueError("each meaning lies in channels of its own")
        if len(set(letters)) < len(letters) or not set(letters) <= set("RGBA"):
            raise ValueError("channels are R, G, B and A, each once")
        for meaning, held in zip(self.meanings, self.channels, strict=bool(self.channels)):
            if len(held) not in _CHANNELS.get(meaning, (1,)):
                takes = " or ".join(str(count) for count in _CHANNELS.get(meaning, (1,)))
                raise ValueError(f"{meaning.replace('_', ' ')} takes {takes} of the channels, and here it has {', '.join(held)}")
        return self


def habit_for(keys: list[str], habits: Iterable[Habit]) -> Habit | None:
    """The habit with the longest ending that fits a name's tokens in lower case, or None."""
    fitting = [habit for habit in habits if keys[-len(habit.words.split()) :] == habit.words.split()]
    return max(fitting, key=lambda habit: len(habit.words.split()), default=None)
