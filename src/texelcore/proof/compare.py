"""An output before and after the blocks, texel by texel."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from texelcore.building.plan import PlannedOutput
from texelcore.codecs.formats import FORMATS, texture_channel
from texelcore.codecs.texture import Texture, decode
from texelcore.colour.delta_e import delta_e, linear_to_lab, srgb_to_lab
from texelcore.normals.rebuild import angles_between, unit_vectors
from texelcore.pixels.image import Image, Pixels, sample_of
from texelcore.pixels.strips import strip_ranges
from texelcore.pixels.values import as_stored, as_values, top_of
from texelcore.proof.figures import AngleError, ColourError, LevelError
from texelcore.surface.properties import property_of

Floats = NDArray[np.float64]
# What a difference picture shows as white: degrees, ΔE2000 and levels.
FULL_SCALE = {"normal": 10.0, "colour": 10.0, "data": 16.0}


@dataclass(frozen=True)
class Pair:
    """An output's image as it went in, and what the receiving side reads instead, channel for channel."""

    planned: PlannedOutput
    before: Image
    after: Image


def read_back(planned: PlannedOutput, texture: Texture, before: Image) -> Pair:
    """Decode a texture into the channels of its output. What the format lacks reads as hardware gives it: 0, alpha 1."""
    stored = decode(texture)
    kept = FORMATS[texture.format].channels
    top = top_of(stored.dtype)
    planes = []
    for channel in before.channels:
        name = texture_channel(channel)
        absent = top if name == "A" else 0
        planes.append(stored[:, :, kept.index(name)] if name in kept else np.full(stored.shape[:2], absent, stored.dtype))
    after = Image(np.stack(planes, axis=-1), before.channels)
    normal = _normal_channels(planned)
    if len(normal) == 3 and normal[2] not in map(texture_channel, kept) and set(map(texture_channel, normal[:2])) <= set(kept):
        first, second, third = (before.channels.index(channel) for channel in normal)
        after.data[:, :, third] = _rebuilt_blue(after.data[:, :, [first, second]])
    return Pair(planned, before, after)


def compare(pair: Pair, threads: int = 2) -> tuple[AngleError | None, tuple[ColourError, ...], tuple[LevelError, ...]]:
    """Measure a pair: normals as directions, colours as colours, everything else channel by channel."""
    normal = _compare_normal(pair, threads)
    colours = tuple(_compare_colour(pair, key, channels, threads) for key, channels in colour_groups(pair.planned))
    return normal, colours, tuple(_compare_data(pair))


def difference(pair: Pair) -> Pixels:
    """A picture (H, W, 1) uint8 of where a proof lost what: white is FULL_SCALE of the output's first meaning."""
    if _normal_channels(pair.planned):
        worst, full = _angles(pair, slice(None)), FULL_SCALE["normal"]
    elif groups := colour_groups(pair.planned):
        worst, full = _deltas(pair, groups[0][1], slice(None)), FULL_SCALE["colour"]
    else:
        worst, full = np.abs(_levels(pair.before.data) - _levels(pair.after.data)).max(axis=2), FULL_SCALE["data"]
    return as_stored(worst / full, "u8")[:, :, None]


def colour_groups(planned: PlannedOutput) -> list[tuple[str, str]]:
    """The colours that an output holds: property and channels."""
    groups: dict[str, str] = {}
    for entry in planned.channels:
        if property_of(entry.property).colour:
            groups[entry.property] = groups.get(entry.property, "") + entry.channel
    return [(key, channels) for key, channels in groups.items() if len(channels) == 3]


def _normal_channels(planned: PlannedOutput) -> str:
    """The channels of a normal's first and second component, and of the third where it is stored; "" where one of the first two
    is not there, and so no direction."""
    held: dict[int, str] = {}
    for entry in planned.channels:
        if entry.property == "normal":
            held.setdefault(entry.component, entry.channel)
    return "".join(held[component] for component in sorted(held)) if {0, 1} <= held.keys() else ""


def _rebuilt_blue(stored: Pixels) -> Pixels:
    sample = sample_of(stored.dtype)
    out = np.empty(stored.shape[:2], stored.dtype)
    for start, stop in strip_ranges(stored.shape[1], stored.shape[0]):
        vectors = unit_vectors(as_values(stored[start:stop]))
        out[start:stop] = as_stored((vectors[..., 2] + 1) / 2, sample)
    return out


def _levels(stored: Pixels) -> Floats:
    """Stored values as 8-bit levels, 0–255, with fractions."""
    return as_values(stored) * 255


def _picked(image: Image, channels: str, rows: slice) -> Floats:
    index = [image.channels.index(channel) for channel in channels]
    return as_values(image.data[rows][:, :, index])


def _strips(pair: Pair, threads: int, measure: Callable[[slice], Floats]) -> Iterator[Floats]:
    ranges = [slice(*bounds) for bounds in strip_ranges(pair.before.width, pair.before.height)]
    with ThreadPoolExecutor(max(1, threads)) as pool:
        yield from pool.map(measure, ranges)


def _angles(pair: Pair, rows: slice) -> Floats:
    channels = _normal_channels(pair.planned)
    # Blue counts where it was stored; where the format drops it, the receiving side rebuilds it from the other two.
    kept = FORMATS[pair.planned.storage.format].channels
    after = channels if set(map(texture_channel, channels)) <= set(kept) else channels[:2]
    return angles_between(unit_vectors(_picked(pair.before, channels, rows)), unit_vectors(_picked(pair.after, after, rows)))


def _deltas(pair: Pair, channels: str, rows: slice) -> Floats:
    to_lab = srgb_to_lab if pair.planned.output.encoding == "srgb" else linear_to_lab
    first, second = (to_lab(np.clip(_picked(image, channels, rows), 0, 1)) for image in (pair.before, pair.after))
    return delta_e(first, second)


def _compare_normal(pair: Pair, threads: int) -> AngleError | None:
    channels = _normal_channels(pair.planned)
    if not channels:
        return None
    turned = np.concatenate([part.ravel() for part in _strips(pair, threads, lambda rows: _angles(pair, rows))])
    return AngleError(channels=channels, mean=_mean(turned), p95=_p95(turned), worst=float(turned.max()))


def _compare_colour(pair: Pair, key: str, channels: str, threads: int) -> ColourError:
    def squares(rows: slice) -> Floats:
        return (_picked(pair.before, channels, rows) - _picked(pair.after, channels, rows)) ** 2

    total = sum(float(part.sum()) for part in _strips(pair, threads, squares))
    mean_square = total / (pair.before.width * pair.before.height * 3)
    if mean_square == 0.0:
        return ColourError(channels=channels, property=key, psnr=None, delta_mean=0.0, delta_p95=0.0, delta_worst=0.0)
    moved = np.concatenate([part.ravel() for part in _strips(pair, threads, lambda rows: _deltas(pair, channels, rows))])
    return ColourError(
        channels=channels,
        property=key,
        psnr=float(-10 * np.log10(mean_square)),
        delta_mean=_mean(moved),
        delta_p95=_p95(moved),
        delta_worst=float(moved.max()),
    )


def _compare_data(pair: Pair) -> Iterator[LevelError]:
    whole = {channel for _, channels in colour_groups(pair.planned) for channel in channels} | set(_normal_channels(pair.planned))
    for entry in pair.planned.channels:
        if entry.channel in whole:
            continue
        before, after = (_levels(image.channel(entry.channel)) for image in (pair.before, pair.after))
        moved = np.abs(before - after)
        yield LevelError(
            channel=entry.channel,
            property=entry.property,
            meaning=entry.meaning,
            mean=_mean(moved),
            worst=float(moved.max()),
        )


def _mean(values: Floats) -> float:
    return float(values.mean(dtype=np.float64))


def _p95(values: Floats) -> float:
    return float(np.percentile(values, 95))
