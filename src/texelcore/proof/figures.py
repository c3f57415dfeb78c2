"""What a proof measured: documents of numbers, in units that matter."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from texelcore.proof.places import Unit
from texelcore.surface.documents import Document
from texelcore.surface.storage import Storage

Amount = Annotated[float, Field(ge=0, allow_inf_nan=False)]


class AngleError(Document):
    """How far normals turned, in degrees. `channels` are the output's that hold the normal."""

    channels: str
    mean: float
    p95: float
    worst: float


class ColourError(Document):
    """How far colours moved: PSNR over stored values in decibels (None when nothing changed), and ΔE2000."""

    channels: str
    property: str
    psnr: float | None
    delta_mean: float
    delta_p95: float
    delta_worst: float


class LevelError(Document):
    """How far a data channel moved, in 8-bit levels (of 255)."""

    channel: str
    property: str
    meaning: str
    mean: float
    worst: float


class Loss(Document):
    """What a receiver may expect to find lost of a property in an output's base, by its own measure: the mean and the 95th
    percentile of the distance at the probes, and `local`, the cell that is furthest off by its mean or spread, in 8-bit levels:
    of the finest grid first, then of each with half as many rows and columns."""

    property: str
    channels: str = Field(pattern="^[YRGBA]{1,4}$")
    unit: Unit
    mean: Amount
    p95: Amount
    local: tuple[Amount, ...] = Field(min_length=1, max_length=8)


class ChainLoss(Document):
    """How far one channel of a level is from the average of the base as that is stored, in 8-bit levels over all texels: the
    mean, the 95th percentile, and the mean of the cell that is furthest off."""

    level: int = Field(ge=1, le=20)
    channel: str = Field(pattern="^[RGBA]$")
    mean: Amount
    p95: Amount
    local: Amount


class LevelFigures(Document):
    """What one level of a texture lost against the average of the base that it should be."""

    level: int
    width: int
    height: int
    normal: AngleError | None = None
    colours: tuple[ColourError, ...] = ()
    data: tuple[LevelError, ...] = ()


class Figures(Document):
    """One output's proof: what it costs and what it lost. `memory` is all levels on the GPU, `bytes` the file; `normal`,
    `colours` and `data` are the base's, and `below` those of every level under it. `losses` and `chain` travel with a
    delivery."""

    output: str
    width: int
    height: int
    storage: Storage
    levels: int
    bytes: int
    memory: int
    bits_per_texel: float
    normal: AngleError | None = None
    colours: tuple[ColourError, ...] = ()
    data: tuple[LevelError, ...] = ()
    below: tuple[LevelFigures, ...] = ()
    losses: tuple[Loss, ...] = ()
    chain: tuple[ChainLoss, ...] = ()

    def each(self) -> tuple[LevelFigures, ...]:
        """The figures of every level, the base first."""
        size = {"width": self.width, "height": self.height}
        base = LevelFigures(level=0, normal=self.normal, colours=self.colours, data=self.data, **size)
        return (base, *self.below)
