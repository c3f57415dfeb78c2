"""House tolerances: how much a proof may lose before it is a finding. The defaults are common practice, not a standard."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Annotated, Literal

from pydantic import Field

from texelcore.proof.figures import Figures, LevelFigures
from texelcore.surface.documents import Document
from texelcore.surface.figures import beside
from texelcore.surface.findings import Finding

Degrees = Annotated[float, Field(ge=0, le=180)]
Decibels = Annotated[float, Field(ge=0, le=100)]
Delta = Annotated[float, Field(ge=0, le=100)]
Levels = Annotated[float, Field(ge=0, le=255)]
# Levels under this edge are seen where a surface is a few texels large; nobody sees blocks there (judgement).
SMALLEST_JUDGED = 16
_OF_255 = " of 255"


class Tolerances(Document):
    """The limits of a house. Normals in degrees, colours in decibels and ΔE2000, data in 8-bit levels."""

    format: Literal["fair-texel-tolerances"] = "fair-texel-tolerances"
    version: Literal[1] = 1
    normal_mean: Degrees = 2.0
    normal_p95: Degrees = 6.0
    colour_psnr: Decibels = 34.0
    colour_delta_mean: Delta = 2.0
    colour_delta_p95: Delta = 5.0
    data_mean: Levels = 2.5
    data_worst: Levels = 64.0


def judge(figures: Figures, tolerances: Tolerances, file_name: str) -> Iterator[Finding]:
    """The findings of one proof: one for each limit that it breaks, with the level that breaks it furthest."""
    levels = [entry for entry in figures.each() if entry.level == 0 or min(entry.width, entry.height) >= SMALLEST_JUDGED]
    for held in zip(*(_bounded(level, tolerances) for level in levels), strict=True):
        # How far over its limit each level is; what has not changed at all is nowhere over it.
        over = [part.over for part in held]
        if max(over) <= 0:
            continue
        part, entry = held[over.index(max(over))], levels[over.index(max(over))]
        at = f" in mip {entry.level} ({entry.width} × {entry.height})" if entry.level else ""
        word = "minimum" if part.at_least else "limit"
        bound = f"{part.bound:g}{'' if part.unit == _OF_255 else part.unit}"
        yield Finding(
            rule="tolerance",
            severity="warning",
            stage="proved",
            subject=file_name,
            property=part.key,
            level=entry.level,
            message=f"{part.what}{at} is {beside(part.value or 0.0, part.bound)}{part.unit}, {word} {bound}.",
            way_out="Look at the difference; choose a better format, or widen the tolerance.",
        )


@dataclass(frozen=True)
class _Bounded:
    """One figure of a level, and what the house allows. None for colours that nothing happened to."""

    what: str
    key: str
    unit: str
    value: float | None
    bound: float
    at_least: bool = False

    @property
    def over(self) -> float:
        if self.value is None:
            return -math.inf
        return self.bound - self.value if self.at_least else self.value - self.bound


def _bounded(level: LevelFigures, allowed: Tolerances) -> Iterator[_Bounded]:
    """All that a house bounds of one level: as many, in the same order, for every level of a texture."""
    if level.normal:
        yield _Bounded("Mean normal error", "normal", "°", level.normal.mean, allowed.normal_mean)
        yield _Bounded("95th percentile of the normal error", "normal", "°", level.normal.p95, allowed.normal_p95)
    for colour in level.colours:
        key = colour.property
        yield _Bounded("Colour PSNR", key, " dB", colour.psnr, allowed.colour_psnr, at_least=True)
        yield _Bounded("Mean colour error ΔE2000", key, "", colour.delta_mean, allowed.colour_delta_mean)
        what = "95th percentile of the colour error ΔE2000"
        yield _Bounded(what, key, "", colour.delta_p95, allowed.colour_delta_p95)
    for channel in level.data:
        where, key = f"{channel.meaning} (channel {channel.channel})", channel.property
        yield _Bounded(f"{where}: mean error", key, _OF_255, channel.mean, allowed.data_mean)
        yield _Bounded(f"{where}: largest error", key, _OF_255, channel.worst, allowed.data_worst)
