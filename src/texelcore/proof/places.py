"""Where a surface is looked at: points that cover it evenly, and the cells of a grid.

A few hundred points say how far a texture is from what was meant, and cells find damage that misses all points: of 1024 × 1024
texels a cell has 16 × 16, so that damage of 32 × 32 fills one whole wherever it lies.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from texelcore.colour.srgb import from_linear
from texelcore.pixels.image import Pixels
from texelcore.pixels.strips import MEASURED_TEXELS, strip_ranges
from texelcore.pixels.values import as_measured

POINTS = 512
# One over the plastic number and its square: points that cover a square evenly (Roberts' R2 sequence; from memory).
_STEP = (0.7548776662466927, 0.5698402909980532)
# The most rows and columns of cells.
GRID = 64
# How finely a running percentile is counted: under a hundred-thousandth of its range.
_BINS = 1 << 17
Floats = NDArray[np.float64]
Reals = NDArray[np.floating[Any]]
# Directions turn by degrees, colours move by ΔE2000, light beyond 1 by stops, all else by 8-bit levels.
Unit = Literal["°", "ΔE", "stops", "levels"]
Points = tuple[tuple[float, float], ...]


def probe_points() -> Points:
    """The points at which every set is probed, in texture coordinates from the upper left."""
    return tuple(
        (round((0.5 + index * _STEP[0]) % 1, 6), round((0.5 + index * _STEP[1]) % 1, 6)) for index in range(1, POINTS + 1)
    )


def texels_at(points: Points, width: int, height: int) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """The rows and columns of the texels around points."""
    at = np.asarray(points, np.float64).reshape(-1, 2)
    return (at[:, 1] * height).astype(np.int64), (at[:, 0] * width).astype(np.int64)


def at_points(values: Pixels, points: Points) -> Pixels:
    """The (N, C) samples of an (H, W, C) array around points."""
    rows, columns = texels_at(points, values.shape[1], values.shape[0])
    return values[rows, columns]


class Cells:
    """The mean and the spread (standard deviation) of each component in each cell, from rows as they come."""

    def __init__(self, width: int, height: int, components: int) -> None:
        # No more cells than texels.
        rows, columns = min(GRID, height), min(GRID, width)
        self._edges_x = np.arange(columns) * width // columns
        self._owner = np.searchsorted(np.arange(rows) * height // rows, np.arange(height), side="right") - 1
        self._sum = np.zeros((2, rows, columns, components))
        across = np.diff(np.append(self._edges_x, width))
        self._count = (np.bincount(self._owner)[:, None] * across[None])[:, :, None]

    def add(self, start: int, values: Reals) -> None:
        """Count rows from `start` on, (H, W, components)."""
        owner = self._owner[start : start + values.shape[0]]
        first = np.flatnonzero(np.diff(owner, prepend=-1))
        for power in (0, 1):
            across = np.add.reduceat(values if power == 0 else values * values, self._edges_x, axis=1)
            self._sum[power][owner[first]] += np.add.reduceat(across, first, axis=0)

    def halved(self) -> Cells:
        """The same with half as many rows and columns: two cells together have what both had."""
        other = object.__new__(Cells)
        other._edges_x, other._owner = self._edges_x[::2], self._owner // 2
        other._sum = _pairs(_pairs(self._sum, 1), 2)
        other._count = _pairs(_pairs(self._count, 0), 1)
        return other

    @property
    def shape(self) -> tuple[int, int, int]:
        """Rows, columns and components."""
        rows, columns, components = self._sum.shape[1:]
        return rows, columns, components

    def mean(self) -> Floats:
        """(rows, columns, components)."""
        return np.asarray(self._sum[0] / self._count, np.float64)

    def spread(self) -> Floats:
        """(rows, columns, components)."""
        return np.asarray(np.sqrt(np.maximum(self._sum[1] / self._count - self.mean() ** 2, 0.0)), np.float64)


def worst_cells(unit: Unit, first: Cells, second: Cells) -> list[float]:
    """The cell that is furthest off, as `apart` has it: of the grid as it is, and of each with half as many rows and columns."""
    found = []
    while True:
        found.append(float(apart(unit, (first.mean(), first.spread()), (second.mean(), second.spread())).max()))
        if first.shape[:2] == (1, 1):
            return found
        first, second = first.halved(), second.halved()


def _pairs(values: NDArray[Any], axis: int) -> NDArray[Any]:
    return np.add.reduceat(values, np.arange(0, values.shape[axis], 2), axis=axis)


def apart(unit: Unit, first: tuple[Floats, Floats], second: tuple[Floats, Floats]) -> Floats:
    """How far the cells of two pictures are from each other, each given as its means and spreads: (rows, columns), in 8-bit
    levels of the component that is furthest off. Colours are light, and their means are seen as sRGB; directions reach from −1 to
    1."""
    scale = 127.5 if unit == "°" else 255.0
    # Light beyond 1 is seen by its share, not by its amount.
    bright = np.maximum(1.0, np.abs(first[0]))
    moved = np.abs(_seen(unit, first[0]) - _seen(unit, second[0])) / bright
    rougher = np.abs(first[1] - second[1]) / bright
    return np.asarray(np.maximum(moved, rougher).max(axis=2) * scale)


def _seen(unit: Unit, mean: Floats) -> Floats:
    return np.where(mean > 1, mean, from_linear(np.clip(mean, 0, 1))) if unit == "ΔE" else mean


@dataclass
class Running:
    """Mean, 95th percentile and largest of values as they come, up to `top`; the percentile to under a hundred-thousandth of
    that."""

    top: float
    count: int = 0
    total: float = 0.0
    worst: float = 0.0
    bins: NDArray[np.int64] = field(default_factory=lambda: np.zeros(_BINS, np.int64))

    def add(self, values: Reals) -> None:
        """Count values of any shape, 0 or more."""
        self.count += values.size
        self.total += float(values.sum(dtype=np.float64))
        self.worst = max(self.worst, float(values.max(initial=0.0)))
        places = np.minimum(values * (_BINS / self.top), _BINS - 1).astype(np.int64)
        # Most distances are short: the long tail of empty bins is left alone.
        counts = np.bincount(places.ravel())
        self.bins[: counts.size] += counts

    @property
    def mean(self) -> float:
        """0 where nothing was counted."""
        return self.total / self.count if self.count else 0.0

    def p95(self) -> float:
        """The value that 95 of 100 do not pass, between the two nearest ranks as NumPy has it."""
        rank = 0.95 * (self.count - 1)
        below, share = int(np.floor(rank)), rank % 1
        # The bin of the largest is rounded as its sample is: one more cannot be wrong.
        last = int(self.worst * (_BINS / self.top)) + 2
        ranks = np.cumsum(self.bins[:last])
        first, second = (int(np.searchsorted(ranks, min(at, self.count - 1), side="right")) for at in (below, below + 1))
        # A bin stands for its lower end: what nothing happened to is exactly 0.
        return min(self.worst, (first + share * (second - first)) * self.top / _BINS)


def picked(pixels: Pixels, places: Sequence[int]) -> Pixels:
    """Some channels of (H, W, C) pixels; no copy of those that lead."""
    return pixels[:, :, : len(places)] if [*places] == [*range(len(places))] else pixels[:, :, [*places]]


def levels_apart(made: Pixels, stored: Pixels) -> list[tuple[float, float, float]]:
    """For each channel of two pictures of one size and sample type: the mean distance, its 95th percentile, and the mean of the
    cell that is furthest off, in 8-bit levels. Values beyond 1 count by their share."""
    height, width, count = made.shape
    spread = [Running(255.0) for _ in range(count)]
    cells = Cells(width, height, count)
    for start, stop in strip_ranges(width, height, MEASURED_TEXELS):
        first, second = as_measured(made[start:stop]), as_measured(stored[start:stop])
        moved: NDArray[np.float32] = np.abs(first - second) / np.maximum(1, np.abs(first)) * np.float32(255)
        for channel in range(count):
            spread[channel].add(moved[:, :, channel])
        cells.add(start, moved)
    local = cells.mean().max(axis=(0, 1))
    return [(entry.mean, entry.p95(), float(local[channel])) for channel, entry in enumerate(spread)]
