"""What the pixels of a file say, as a document: measured once when the file arrives and kept with its facts."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict, field_validator

from texelcore.surface.properties import NormalY

ChannelKind = Literal["constant", "copy", "two-valued", "creases", "smooth", "detail"]
PictureKind = Literal["vector field", "two-channel field", "colour", "grey", "packed", "constant"]
Undecided = Literal["flat", "too few slopes", "both readings fit alike"]
_ORDER = "YRGBA"


class _Seen(BaseModel):
    # Evidence is kept as JSON, which has no word for what is no number.
    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)


class DirectionSeen(_Seen):
    """A normal map's direction by the curl of its slope field.

    `answer` is None when it cannot be told, and `undecided` then says why. `score` is the mean agreement of the cross
    derivatives at the most telling scale, −1 (all −Y) to 1 (all +Y); `sigma` is how many standard errors it lies from 0.
    """

    answer: NormalY | None
    score: float
    sigma: float
    undecided: Undecided | None = None


class ChannelSeen(_Seen):
    """What one channel looks like: its kind, mean and deviation (0–1), the middle half of its values, shares of texels
    at its two ends, and the number of different stored levels (at most 65,536).

    `copy_of` names the channel that a "copy" repeats. `between` is the share of texels away from both ends by more than 4 %.
    """

    kind: ChannelKind
    mean: float
    deviation: float
    quarter: float
    three_quarters: float
    at_low: float
    at_high: float
    between: float
    levels: int
    copy_of: str | None = None


class FieldSeen(_Seen):
    """A vector field's health: mean error of its length, and how far its mean leans from straight up, in degrees."""

    length_error: float
    lean: float


class ColourSeen(_Seen):
    """A colour picture's values as sRGB levels (0–255): its 2nd and 98th percentile of luma, and the share of its broad
    variation that one even gradient explains (0–1)."""

    dark: float
    bright: float
    gradient: float


class Evidence(_Seen):
    """All that was measured on one picture.

    `declared` is a colour declaration found in the file ("sRGB chunk", a profile's name), "" for none. `finest` is how dense
    energy is at the finest frequencies over the second octave, and `second` that octave over the third. `seam` is how much
    larger the step across the left and right, and the upper and lower edge is than steps inside. `period` is a repetition
    inside the picture as a share of its width and height, with its strength. `blotches` is the share of the variance in
    features larger than an eighth of the picture. `print` is 24 × 24 lumas in base 64, and `tint` 8 × 8 colours of three bytes,
    for comparing files. `no_numbers` counts samples that are NaN or infinite, and `too_large` those that no half can hold.
    """

    picture: PictureKind
    channels: dict[str, ChannelSeen]
    direction: DirectionSeen | None = None
    field: FieldSeen | None = None
    colour: ColourSeen | None = None
    declared: str = ""
    finest: float = 1.0
    second: float = 1.0
    seam: tuple[float, float] = (1.0, 1.0)
    period: tuple[float, float, float] | None = None
    blotches: float = 0.0
    print: str = ""
    tint: str = ""
    no_numbers: int = 0
    too_large: int = 0

    @field_validator("channels")
    @classmethod
    def _in_order(cls, channels: dict[str, ChannelSeen]) -> dict[str, ChannelSeen]:
        """As they lie in the file: databases keep the keys of a document in an order of their own."""
        return {name: channels[name] for name in sorted(channels, key=lambda name: _ORDER.index(name))}
