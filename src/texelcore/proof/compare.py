"""An output before and after the blocks, texel by texel."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from texelcore.building.plan import PlannedOutput
from texelcore.codecs.texture import Texture, decode
from texelcore.colour.delta_e import delta_e, linear_to_lab
from texelcore.colour.srgb import light_of
from texelcore.normals.rebuild import angles_between, unit_vectors
from texelcore.pixels.image import Image, Pixels, sample_of
from texelcore.pixels.strips import MEASURED_TEXELS, strip_ranges
from texelcore.pixels.values import as_stored, as_values, top_of
from texelcore.proof.figures import AngleError, ColourError, LevelError, LevelFigures, Loss
from texelcore.proof.places import Cells, Running, Unit, at_points, picked, probe_points, worst_cells
from texelcore.surface.formats import FORMATS, texture_channel
from texelcore.surface.properties import property_of

# Directions are reckoned in double precision, since a small angle's cosine is nearly 1; colours in single, within 0.001 ΔE.
Floats = NDArray[np.floating[Any]]
# What a difference picture shows as white: degrees, ΔE2000 and levels.
FULL_SCALE = {"°": 10.0, "ΔE": 10.0, "levels": 16.0, "stops": 2.0}
# The furthest that a distance is told apart.
_TOPS = {"°": 180.0, "ΔE": 150.0, "levels": 255.0, "stops": 32.0}


@dataclass(frozen=True)
class Pair:
    """An output's image as it went in, and what the receiving side reads instead, channel for channel."""

    planned: PlannedOutput
    before: Image
    after: Image


def read_back(planned: PlannedOutput, texture: Texture, before: Image, level: int = 0) -> Pair:
    """Decode a level of a texture into the channels of its output, beside what went into it. What the format lacks reads as
    hardware gives it: 0, alpha 1."""
    stored = decode(texture, level, None if "A" in before.channels else 3)
    kept = FORMATS[texture.format].channels
    top = top_of(stored.dtype)
    names = [texture_channel(channel) for channel in before.channels]
    if list(kept[: len(names)]) == names:
        return Pair(planned, before, Image(stored[:, :, : len(names)], before.channels))
    planes = []
    for name in names:
        absent = top if name == "A" else 0
        planes.append(stored[:, :, kept.index(name)] if name in kept else np.full(stored.shape[:2], absent, stored.dtype))
    after = Image(np.stack(planes, axis=-1), before.channels)
    normal = _normal_channels(planned)
    if len(normal) == 3 and normal[2] not in map(texture_channel, kept) and set(map(texture_channel, normal[:2])) <= set(kept):
        first, second, third = (before.channels.index(channel) for channel in normal)
        after.data[:, :, third] = _rebuilt_blue(after.data[:, :, [first, second]])
    return Pair(planned, before, after)


def difference(pair: Pair) -> Pixels:
    """A picture (H, W, 1) uint8 of where a proof lost what: white is FULL_SCALE of the output's first meaning."""
    first, *rest = groups_of(pair.planned)
    shown = [first] if first.unit != "levels" else [first, *rest]
    blue = keeps_blue(pair.planned, first)
    out = np.empty((pair.before.height, pair.before.width, 1), np.uint8)
    for start, stop in strip_ranges(pair.before.width, pair.before.height, MEASURED_TEXELS):
        rows = slice(start, stop)
        worst = np.zeros((stop - start, pair.before.width))
        for group in shown:
            before, after = (
                values_of(pair.planned, group, pair.before, rows),
                values_of(pair.planned, group, pair.after, rows, blue),
            )
            worst = np.maximum(worst, distance(group.unit, before, after))
        out[start:stop, :, 0] = as_stored(worst / FULL_SCALE[first.unit], "u8")
    return out


def colour_groups(planned: PlannedOutput) -> list[tuple[str, str]]:
    """The colours that an output holds: property, and the channels of its components in their order, however they are stored."""
    groups: dict[str, list[tuple[int, str]]] = {}
    for entry in planned.channels:
        if property_of(entry.property).colour:
            groups.setdefault(entry.property, []).append((entry.component, entry.channel))
    whole = {key: sorted(held) for key, held in groups.items() if sorted(component for component, _ in held) == [0, 1, 2]}
    return [(key, "".join(channel for _, channel in held)) for key, held in whole.items()]


def _normal_channels(planned: PlannedOutput) -> str:
    """The channels of a normal's first and second component, and of the third where it is stored; "" where one of the first two
    is not there, and so no direction."""
    held: dict[int, str] = {}
    for channel in planned.channels:
        if channel.property == "normal":
            held.setdefault(channel.component, channel.channel)
    return "".join(held[component] for component in sorted(held)) if {0, 1} <= held.keys() else ""


def _rebuilt_blue(stored: Pixels) -> Pixels:
    sample = sample_of(stored.dtype)
    out = np.empty(stored.shape[:2], stored.dtype)
    for start, stop in strip_ranges(stored.shape[1], stored.shape[0], MEASURED_TEXELS):
        vectors = unit_vectors(as_values(stored[start:stop]))
        out[start:stop] = as_stored((vectors[..., 2] + 1) / 2, sample)
    return out


def _picked(image: Image, channels: str, rows: slice) -> Pixels:
    return picked(image.data[rows], [image.channels.index(channel) for channel in channels])


@dataclass(frozen=True)
class Group:
    """Channels of an output that are measured together: a direction, a colour, or one number. `property` is what the target asks
    for, `meaning` what the set has there."""

    property: str
    meaning: str
    unit: Unit
    channels: str


def groups_of(planned: PlannedOutput) -> list[Group]:
    """All that an output holds, each channel in one group."""
    asked: dict[str, str] = {channel.channel: channel.property for channel in planned.output.channels}
    found = []
    if normal := _normal_channels(planned):
        found.append(Group("normal", "normal", "°", normal))
    for key, channels in colour_groups(planned):
        found.append(Group(asked[channels[0]], key, "ΔE", channels))
    whole = {channel for group in found for channel in group.channels}
    for entry in planned.channels:
        if entry.channel not in whole and not (normal and entry.property == "normal"):
            found.append(Group(asked[entry.channel], entry.property, "levels", entry.channel))
    return found


def values_of(planned: PlannedOutput, group: Group, image: Image, rows: slice, blue: bool = True) -> Floats:
    """A group's values in some rows of an image, (H, W, components): unit vectors, light, or numbers as they are stored. Without
    `blue` a direction's third component is rebuilt."""
    if group.unit == "°":
        return unit_vectors(as_values(_picked(image, group.channels if blue else group.channels[:2], rows)))
    stored = _picked(image, group.channels, rows)
    if group.unit == "ΔE":
        return light_of(stored) if planned.output.encoding == "srgb" else as_values(stored, np.float32)
    return as_values(stored)


def distance(unit: Unit, first: Floats, second: Floats) -> Floats:
    """How far values (..., components) are from others, in the unit."""
    if unit == "°":
        return angles_between(np.asarray(first, np.float64), np.asarray(second, np.float64))
    if unit == "ΔE":
        return delta_e(linear_to_lab(np.clip(first, 0, 1)), linear_to_lab(np.clip(second, 0, 1)))
    return np.asarray(np.abs(first - second).max(axis=-1) * 255)


def keeps_blue(planned: PlannedOutput, group: Group) -> bool:
    """Whether a direction's third component is stored; where the format drops it, the receiving side rebuilds it."""
    return set(map(texture_channel, group.channels)) <= set(FORMATS[planned.storage.format].channels)


@dataclass
class _Measured:
    """A group's figures over a whole level."""

    distance: Running
    squares: float
    before: Cells
    after: Cells


def _measure(pair: Pair, group: Group, threads: int) -> _Measured:
    width, height = pair.before.width, pair.before.height
    blue = keeps_blue(pair.planned, group)
    components = 3 if group.unit == "°" else len(group.channels)
    found = _Measured(Running(_TOPS[group.unit]), 0.0, Cells(width, height, components), Cells(width, height, components))

    def strip(bounds: tuple[int, int]) -> tuple[int, Floats, Floats, Floats, float]:
        rows = slice(*bounds)
        before = values_of(pair.planned, group, pair.before, rows)
        after = values_of(pair.planned, group, pair.after, rows, blue)
        squares = 0.0
        if group.unit == "ΔE":
            squares = _squares(_picked(pair.before, group.channels, rows), _picked(pair.after, group.channels, rows))
        return bounds[0], before, after, distance(group.unit, before, after), squares

    with ThreadPoolExecutor(max(1, threads)) as pool:
        # A strip or two at a time: all of them together would be a picture of floats.
        ranges = list(strip_ranges(width, height, MEASURED_TEXELS))
        for first in range(0, len(ranges), max(1, threads)):
            for start, before, after, moved, squares in pool.map(strip, ranges[first : first + max(1, threads)]):
                found.distance.add(moved)
                found.squares += squares
                found.before.add(start, before)
                found.after.add(start, after)
    return found


def _squares(first: Pixels, second: Pixels) -> float:
    """The sum of the squared differences of stored values, as values."""
    moved = as_values(first) - as_values(second)
    return float((moved * moved).sum())


def compare(pair: Pair, level: int = 0, threads: int = 2) -> tuple[LevelFigures, tuple[Loss, ...]]:
    """Measure a pair: normals as directions, colours as colours, everything else channel by channel; and for the base what a
    receiver may expect to find lost."""
    normal, colours, data, losses = None, [], [], []
    titles: dict[str, str] = {channel.channel: channel.meaning for channel in pair.planned.channels}
    texels = pair.before.width * pair.before.height
    for group in groups_of(pair.planned):
        found = _measure(pair, group, threads)
        mean, p95, worst = found.distance.mean, found.distance.p95(), found.distance.worst
        if group.unit == "°":
            normal = AngleError(channels=group.channels, mean=mean, p95=p95, worst=worst)
        elif group.unit == "ΔE":
            error = found.squares / (texels * 3)
            colours.append(
                ColourError(
                    channels=group.channels,
                    property=group.meaning,
                    psnr=float(-10 * np.log10(error)) if error else None,
                    delta_mean=mean if error else 0.0,
                    delta_p95=p95 if error else 0.0,
                    delta_worst=worst if error else 0.0,
                )
            )
        else:
            meant = titles[group.channels]
            data.append(LevelError(channel=group.channels, property=group.meaning, meaning=meant, mean=mean, worst=worst))
        if level == 0:
            losses.append(_at_probes(pair, group, found))
    figures = LevelFigures(
        level=level,
        width=pair.before.width,
        height=pair.before.height,
        normal=normal,
        colours=tuple(colours),
        data=tuple(data),
    )
    return figures, tuple(losses)


def _at_probes(pair: Pair, group: Group, found: _Measured) -> Loss:
    rows = slice(None)
    before, after = (Image(at_points(image.data, probe_points())[None], image.channels) for image in (pair.before, pair.after))
    blue = keeps_blue(pair.planned, group)
    first, second = values_of(pair.planned, group, before, rows), values_of(pair.planned, group, after, rows, blue)
    moved = distance(group.unit, first, second)
    return Loss(
        property=group.property,
        channels=group.channels,
        unit=group.unit,
        mean=round(float(moved.mean()), 5),
        p95=round(float(np.percentile(moved, 95)), 5),
        local=tuple(round(value, 4) for value in worst_cells(group.unit, found.before, found.after)),
    )
