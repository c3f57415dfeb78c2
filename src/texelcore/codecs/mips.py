"""Mip chains that respect meaning: colour is averaged as light, data as numbers, normals as directions.

Odd sizes are halved by the three-tap polyphase box of Guthe and Heckbert, "Non-Power-of-Two Mipmapping" (2005), so that
every texel of a level has its fair share in the next.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from texelcore.codecs.formats import level_sizes
from texelcore.colour.srgb import from_linear, to_linear
from texelcore.pixels.image import SAMPLE_DTYPES, Pixels, Sample
from texelcore.pixels.strips import strip_ranges

# What a channel holds, as far as averaging is concerned. The three of a normal stand together.
MipKind = Literal["srgb", "linear", "normal"]
Floats = NDArray[np.float32]


def mip_levels(data: Pixels, kinds: tuple[MipKind, ...], mips: bool = True) -> Iterator[Pixels]:
    """The levels of (H, W, C) stored pixels, largest first and as it is, each of the same sample type.

    `kinds` says what each channel holds; integer normals are stored as (n + 1) / 2. Raises ValueError when the kinds
    do not match the channels, or when only some channels of a normal are there.
    """
    if len(kinds) != data.shape[2]:
        raise ValueError(f"{len(kinds)} kinds for {data.shape[2]} channels")
    if "normal" in kinds and kinds.count("normal") != 3:
        raise ValueError("a normal has three channels")
    yield data
    sizes = level_sizes(data.shape[1], data.shape[0], mips)
    if len(sizes) == 1:
        return
    sample: Sample = {"uint8": "u8", "uint16": "u16", "float16": "f16", "float32": "f32"}[data.dtype.name]  # type: ignore[assignment]
    level = _first_half(data, kinds)
    for index in range(1, len(sizes)):
        if index > 1:
            level = halve(level)
        _renormalise(level, kinds)
        yield _store(level, kinds, sample)


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
        return np.asarray((every(0) + every(1)) * np.float32(0.5))
    shape = [1] * values.ndim
    shape[axis] = half
    at = np.arange(half, dtype=np.float32).reshape(shape)
    before, middle, after = (half - at) / count, np.float32(half / count), (at + 1) / count
    return np.asarray(every(0) * before + every(1) * middle + every(2) * after, np.float32)


def _first_half(data: Pixels, kinds: tuple[MipKind, ...]) -> Floats:
    """The first halving, in strips where the height allows, so that no whole level is ever held as floats."""
    if data.shape[0] % 2:
        return halve(_load(data, kinds))
    parts = []
    for start, stop in strip_ranges(data.shape[1], data.shape[0] // 2):
        parts.append(halve(_load(data[2 * start : 2 * stop], kinds)))
    return np.concatenate(parts)


def _load(data: Pixels, kinds: tuple[MipKind, ...]) -> Floats:
    out = np.empty(data.shape, np.float32)
    for index, kind in enumerate(kinds):
        plane = data[:, :, index]
        if plane.dtype.kind == "u":
            levels = np.arange(np.iinfo(plane.dtype).max + 1) / np.iinfo(plane.dtype).max
            table = to_linear(levels) if kind == "srgb" else 2 * levels - 1 if kind == "normal" else levels
            out[:, :, index] = np.take(table.astype(np.float32), plane)
        else:
            out[:, :, index] = to_linear(plane.astype(np.float64)) if kind == "srgb" else plane
    return out


def _renormalise(level: Floats, kinds: tuple[MipKind, ...]) -> None:
    """Directions that were averaged have shortened; vectors that cancelled out point straight up."""
    if "normal" not in kinds:
        return
    at = [index for index, kind in enumerate(kinds) if kind == "normal"]
    vectors = level[:, :, at]
    length = np.sqrt((vectors * vectors).sum(axis=2, keepdims=True))
    up = np.array([0.0, 0.0, 1.0], np.float32)
    level[:, :, at] = np.where(length > 1e-6, vectors / np.maximum(length, 1e-6), up)


def _store(level: Floats, kinds: tuple[MipKind, ...], sample: Sample) -> Pixels:
    if sample in ("f16", "f32"):
        return level.astype(SAMPLE_DTYPES[sample])
    top = np.iinfo(SAMPLE_DTYPES[sample]).max
    out = np.empty(level.shape, SAMPLE_DTYPES[sample])
    for index, kind in enumerate(kinds):
        plane: NDArray[Any] = level[:, :, index]
        shown = from_linear(np.clip(plane, 0, 1).astype(np.float64)) if kind == "srgb" else plane
        if kind == "normal":
            shown = plane * 0.5 + 0.5
        out[:, :, index] = np.floor(np.clip(shown, 0, 1) * top + 0.5)
    return out
