"""Mip chains that respect meaning: colour is averaged as light, weighted by its coverage where the texture has one; data as
numbers; normals as directions, all levels from those of the base. Of cut-outs the coverage is kept.

Odd sizes are halved by the three-tap polyphase box of Guthe and Heckbert, "Non-Power-of-Two Mipmapping" (2005), so that
every texel of a level has its fair share in the next. Coverage: Castaño, "Computing Alpha Mipmaps" (2010).
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from texelcore.colour.srgb import from_linear, to_linear
from texelcore.pixels.image import SAMPLE_DTYPES, Pixels, Sample, sample_of
from texelcore.pixels.resample import Filter, resample
from texelcore.pixels.strips import strip_ranges
from texelcore.pixels.values import as_stored, as_values, top_of
from texelcore.surface.formats import level_sizes

# What a channel holds, as far as averaging is concerned: colour as sRGB or as light, data, coverage, a component of a normal.
MipKind = Literal["srgb", "light", "data", "coverage", "normal x", "normal y", "normal z"]
_COMPONENTS: tuple[MipKind, ...] = ("normal x", "normal y", "normal z")
Floats = NDArray[np.float32]
# Where a cut-out is cut (common practice), and how much of a coverage has to lie near 0 or 1 for it to be one (judgement).
CUT = 0.5
NEAR, MOSTLY = 0.05, 0.98
# How far from the cut a level of a cut-out stays: half a step between the eight values that a block of BC3 has from 0 to 1.
APART = 1 / 14
# Levels of so few texels are all or nothing: one texel among sixteen would be lost in a block.
FEW = 256


@dataclass(frozen=True)
class _Layout:
    """How a level lies in memory while it is averaged: the stored channels, then those that only averaging needs. `vector` are
    the places of a normal's three components, and `weighted` those of each colour and of the same colour times its coverage."""

    kinds: tuple[MipKind, ...]
    vector: tuple[int, int, int] | None
    weighted: tuple[tuple[int, int], ...]
    coverage: int | None
    planes: int


@dataclass(frozen=True)
class MipChoice:
    """How a mip chain is made beside what its channels mean: the filter from each level to the next; where coverage is cut, and
    whether it is a cut-out at all, which None leaves to the coverage itself."""

    filter: Filter = "box"
    cut: float = CUT
    cutout: bool | None = None


def mip_levels(data: Pixels, kinds: Sequence[MipKind], mips: bool = True, choice: MipChoice | None = None) -> Iterator[Pixels]:
    """The levels of (H, W, C) stored pixels, largest first and as it is, each of the same sample type.

    `kinds` says what each channel holds. Components of normals are stored as (n + 1) / 2 in whatever sample type; of a normal
    without its third component that is rebuilt, and one without its first or second is averaged as numbers. Raises ValueError
    when the kinds do not match the channels.
    """
    if len(kinds) != data.shape[2]:
        raise ValueError(f"{len(kinds)} kinds for {data.shape[2]} channels")
    yield data
    sizes = level_sizes(data.shape[1], data.shape[0], mips)
    if len(sizes) == 1:
        return
    sample = sample_of(data.dtype)
    layout = _layout(tuple(kinds))
    choice = choice or MipChoice()
    covered = _covered(data, layout, choice)
    # Directions stay averages all the way down, of the base's own: a level is only stored with unit length. What an average has
    # lost of its length says how much the directions below it differ (Toksvig, "Mipmapping Normal Maps", 2005).
    level = _first_half(data, layout) if choice.filter == "box" else _load(data, layout)
    # Who made the base may let go of it now.
    del data
    for index in range(1, len(sizes)):
        if choice.filter != "box":
            level = resample(level, *sizes[index], choice.filter)
        elif index > 1:
            level = halve(level)
        yield _store(level, layout, sample, covered, choice.cut)


def halve(values: Floats) -> Floats:
    """Half an (H, W, C) array in both directions; an edge of 1 stays 1."""
    return _halve_axis(_halve_axis(values, 0), 1)


def _halve_axis(values: Floats, axis: int) -> Floats:
    count = values.shape[axis]
    if count == 1:
        return values
    half = count // 2

    def every(start: int) -> Floats:
        index = [slice(None)] * values.ndim
        index[axis] = slice(start, start + 2 * half - 1, 2)
        return values[tuple(index)]

    if count % 2 == 0:
        both = every(0) + every(1)
        both *= np.float32(0.5)
        return np.asarray(both)
    shape = [1] * values.ndim
    shape[axis] = half
    at = np.arange(half, dtype=np.float32).reshape(shape)
    before, middle, after = (half - at) / count, np.float32(half / count), (at + 1) / count
    return np.asarray(every(0) * before + every(1) * middle + every(2) * after, np.float32)


def _layout(kinds: tuple[MipKind, ...]) -> _Layout:
    planes = len(kinds)
    vector = None
    if "normal x" in kinds and "normal y" in kinds:
        third = kinds.index("normal z") if "normal z" in kinds else planes
        planes += third == planes
        vector = (kinds.index("normal x"), kinds.index("normal y"), third)
    coverage = kinds.index("coverage") if "coverage" in kinds else None
    colours = [index for index, kind in enumerate(kinds) if kind in ("srgb", "light") and coverage is not None]
    weighted = tuple((index, planes + place) for place, index in enumerate(colours))
    return _Layout(kinds, vector, weighted, coverage, planes + len(weighted))


def _first_half(data: Pixels, layout: _Layout) -> Floats:
    """The first halving, in strips where the height allows, so that no whole level is ever held as floats."""
    if data.shape[0] % 2:
        return halve(_load(data, layout))
    out = np.empty((data.shape[0] // 2, max(1, data.shape[1] // 2), layout.planes), np.float32)
    for start, stop in strip_ranges(data.shape[1], data.shape[0] // 2):
        out[start:stop] = halve(_load(data[2 * start : 2 * stop], layout))
    return out


def _load(data: Pixels, layout: _Layout) -> Floats:
    out = np.empty((*data.shape[:2], layout.planes), np.float32)
    for index, kind in enumerate(layout.kinds):
        plane = data[:, :, index]
        if plane.dtype.kind == "u":
            levels = as_values(np.arange(top_of(plane.dtype) + 1, dtype=plane.dtype))
            out[:, :, index] = np.take(_meant(levels, kind).astype(np.float32), plane)
        else:
            out[:, :, index] = _meant(plane.astype(np.float64), kind)
    if layout.vector and layout.vector[2] >= len(layout.kinds):
        x, y, z = layout.vector
        out[:, :, z] = np.sqrt(np.maximum(0.0, 1.0 - out[:, :, x] ** 2 - out[:, :, y] ** 2))
    for index, place in layout.weighted:
        out[:, :, place] = out[:, :, index] * out[:, :, layout.coverage]
    return out


def _meant(stored: NDArray[np.float64], kind: MipKind) -> NDArray[np.float64]:
    """From stored values (integers as value / maximum) to what is averaged."""
    if kind == "srgb":
        return to_linear(stored)
    return 2 * stored - 1 if kind in _COMPONENTS else stored


def _normalised(level: Floats, layout: _Layout) -> Floats:
    """Averages of directions as directions again; those that cancelled out point straight up."""
    if layout.vector is None:
        return level
    level = level.copy()
    at = list(layout.vector)
    vectors = level[:, :, at]
    length = np.sqrt((vectors * vectors).sum(axis=2, keepdims=True))
    up = np.array([0.0, 0.0, 1.0], np.float32)
    turned = np.where(length > 1e-6, vectors / np.maximum(length, 1e-6), up)
    # A component that stands in two channels is the same in both.
    for component, kind in enumerate(_COMPONENTS):
        for index in {at[component], *(index for index, other in enumerate(layout.kinds) if other == kind)}:
            level[:, :, index] = turned[:, :, component]
    return level


def _store(level: Floats, layout: _Layout, sample: Sample, covered: float | None, cut: float) -> Pixels:
    """A level as it is stored, in strips: a large one is never held twice as floats."""
    out = np.empty((*level.shape[:2], len(layout.kinds)), SAMPLE_DTYPES[sample])
    cut_out = None if layout.coverage is None or covered is None else _cut_as_before(level[:, :, layout.coverage], covered, cut)
    for start, stop in strip_ranges(level.shape[1], level.shape[0]):
        part = None if cut_out is None else cut_out[start:stop]
        _store_strip(_normalised(level[start:stop], layout), layout, sample, part, out[start:stop])
    return out


def _store_strip(level: Floats, layout: _Layout, sample: Sample, cut_out: Floats | None, out: Pixels) -> None:
    whole = sample in ("u8", "u16")
    weighted = dict(layout.weighted)
    for index, kind in enumerate(layout.kinds):
        plane: NDArray[Any] = level[:, :, index]
        if index in weighted and layout.coverage is not None:
            # The colour of what is there; where nothing is, the plain average.
            share = level[:, :, layout.coverage]
            plane = np.where(share > 1e-4, level[:, :, weighted[index]] / np.maximum(share, 1e-4), plane)
        if kind == "coverage" and cut_out is not None:
            plane = cut_out
        shown = np.clip(plane, 0, 1).astype(np.float64) if whole and kind not in _COMPONENTS else plane.astype(np.float64)
        if kind == "srgb":
            shown = from_linear(shown)
        elif kind in _COMPONENTS:
            shown = shown * 0.5 + 0.5
        out[:, :, index] = as_stored(shown, sample)


def _covered(data: Pixels, layout: _Layout, choice: MipChoice) -> float | None:
    """The share of a cut-out that is solid; None where there is no coverage, or one that is no cut-out."""
    if layout.coverage is None or choice.cutout is False:
        return None
    plane = data[:, :, layout.coverage]
    top = top_of(plane.dtype)
    between = np.count_nonzero((plane > NEAR * top) & (plane < (1 - NEAR) * top)) / plane.size
    if choice.cutout is None and between > 1 - MOSTLY:
        return None
    return float(np.count_nonzero(plane >= choice.cut * top) / plane.size)


def _cut_as_before(plane: Floats, covered: float, cut: float) -> Floats:
    """A coverage (H, W), 0–1, of which as large a share passes the cut as before: times a factor, and no nearer to the cut than
    blocks keep apart. Of texels that are all alike, as fine leaves become far away, as many pass as are asked for, spread out."""
    solid = round(covered * plane.size)
    if not 0 < solid < plane.size:
        return plane
    least = np.partition(plane, plane.size - solid, axis=None)[plane.size - solid]
    passes = plane > least
    if least > 0:
        alike = np.flatnonzero(plane == least)
        passes.ravel()[alike[_spread(alike, plane.shape[1])[: solid - np.count_nonzero(passes)]]] = True
    if not passes.any():
        return plane
    middle = (float(plane[passes].min()) + float(plane[~passes].max())) / 2
    if plane.size <= FEW:
        return np.asarray(passes, np.float32)
    scaled = np.clip(plane * np.float32(cut / middle), 0, 1)
    apart = np.where(passes, np.maximum(scaled, min(1.0, cut + APART)), np.minimum(scaled, max(0.0, cut - APART)))
    return np.asarray(apart, np.float32)


def _spread(places: NDArray[np.intp], width: int) -> NDArray[np.intp]:
    """Places in a picture in an order in which each is far from those just before it: Roberts, "The Unreasonable Effectiveness
    of Quasirandom Sequences" (2018), the sequence R2 as a dither mask."""
    return np.argsort((0.7548776662466927 * (places % width) + 0.5698402909980532 * (places // width)) % 1.0, kind="stable")
