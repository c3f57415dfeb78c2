"""House tolerances: how much a proof may lose before it is a finding. The defaults are common practice, not a standard."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Annotated, Literal

from pydantic import Field

from texelcore.proof.figures import Figures
from texelcore.surface.documents import Document
from texelcore.surface.findings import Finding

Degrees = Annotated[float, Field(ge=0, le=180)]
Decibels = Annotated[float, Field(ge=0, le=100)]
Delta = Annotated[float, Field(ge=0, le=100)]
Levels = Annotated[float, Field(ge=0, le=255)]


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
    """The findings of one proof: one for each limit that it breaks."""

    def beyond(what: str, value: float, limit: float, unit: str, key: str, at_least: bool = False) -> Iterator[Finding]:
        if value < limit if at_least else value > limit:
            bound = "minimum" if at_least else "limit"
            yield Finding(
                rule="tolerance",
                severity="warning",
                stage="proved",
                subject=file_name,
                property=key,
                message=f"{what} {value:.3g}{unit}, {bound} {limit:.3g}{unit}.",
                way_out="Look at the difference; choose a better format, or widen the tolerance.",
            )

    if figures.normal:
        yield from beyond("Mean normal error", figures.normal.mean, tolerances.normal_mean, "°", "normal")
        yield from beyond("95th percentile of the normal error", figures.normal.p95, tolerances.normal_p95, "°", "normal")
    for colour in figures.colours:
        if colour.psnr is not None:
            yield from beyond("Colour PSNR", colour.psnr, tolerances.colour_psnr, " dB", colour.property, at_least=True)
        yield from beyond("Mean colour error ΔE2000", colour.delta_mean, tolerances.colour_delta_mean, "", colour.property)
        yield from beyond(
            "95th percentile of the colour error ΔE2000", colour.delta_p95, tolerances.colour_delta_p95, "", colour.property
        )
    for channel in figures.data:
        where = f"{channel.meaning} (channel {channel.channel})"
        yield from beyond(f"{where}: mean error", channel.mean, tolerances.data_mean, " levels", channel.property)
        yield from beyond(f"{where}: largest error", channel.worst, tolerances.data_worst, " levels", channel.property)
