"""A normal map's direction, from the curl of its slope field under both readings of green.

A map that comes from heights has slopes without curl: the slope to the right changes upwards as the slope upwards changes
to the right. Turning green over changes the sign of one of the two, so only one reading is free of curl. The difference of
both readings' curl energy is four times the product of the two cross derivatives; its sign is the answer.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from texelcore.evidence.channels import holes
from texelcore.pixels.image import Image, Pixels
from texelcore.pixels.values import as_measured
from texelcore.surface.evidence import DirectionSeen, Undecided

Slopes = NDArray[np.float32]

# Pictures above this many texels are judged by their liveliest windows: enough for the statistics, and quick at 8192².
MOST_TEXELS = 1_600_000
WINDOW = 256
# Block compression and JPEG bend the finest differences inside their blocks; coarser scales average that away.
SCALES = 4
TILE = 16
# Below 0.2 a blue of unit length says little about slopes; such texels count as that steep.
STEEPEST = 0.04
# Judged on height pictures through noise, JPEG and block compression (tests/core/test_direction.py).
ENOUGH_SIGMA = 4.0
ENOUGH_SCORE = 0.015
# A field that agrees this well needs less of it: few tiles, but all of one mind.
CLEAR_SIGMA, CLEAR_SCORE = 3.0, 0.3
CONTRADICTION = 3.0
# Mean slope difference (8-bit levels are 1/127) under which a map counts as flat, and tiles that must carry slopes.
FLAT = 1e-3
FEWEST_TILES = 12


def normal_direction(image: Image) -> DirectionSeen:
    """Say which way green points in a stored normal map, from its first two channels (0–1 with 0.5 level).

    Blue is not looked at, so that two-channel maps work alike. Answers None for a flat map, for one with too few slopes,
    and where neither reading fits clearly better.
    """
    x, y, known = _windows(image)
    # The third component of a unit vector, as `normals.rebuild` has it, in the precision that is enough here.
    z: Slopes = np.asarray(np.sqrt(np.maximum(1 - x * x - y * y, STEEPEST)), np.float32)
    right: Slopes = x / z
    up: Slopes = y / z
    found = []
    for scale in range(SCALES):
        if scale:
            if min(right.shape[1:]) < 2 * TILE:
                break
            right, up = _halved(right), _halved(up)
            known = None if known is None else np.asarray(_halved(known) >= 1, np.float32)
        measured = _agreement(right, up, known)
        if measured is None:
            break
        found.append(measured)
    return _verdict(found)


def cross_derivatives(right: Slopes, up: Slopes) -> tuple[Slopes, Slopes]:
    """For slope fields (..., H, W) the change of `right` down the rows and of `up` along them, at the centres of 2 × 2 texels."""
    down = right[..., 1:, 1:] + right[..., 1:, :-1] - right[..., :-1, 1:] - right[..., :-1, :-1]
    along = up[..., 1:, 1:] + up[..., :-1, 1:] - up[..., 1:, :-1] - up[..., :-1, :-1]
    return down, along


def _verdict(found: list[tuple[float, float, float, int]]) -> DirectionSeen:
    lively = [entry for entry in found if entry[3] >= FEWEST_TILES or entry[1] >= ENOUGH_SIGMA]
    if not found or max(entry[2] for entry in found) < FLAT:
        return _cannot_tell("flat", found)
    if not lively:
        return _cannot_tell("too few slopes", found)
    score, sigma, _, _ = max(lively, key=lambda entry: abs(entry[1]))
    against = max((-np.sign(sigma) * entry[1] for entry in lively), default=0.0)
    enough = CLEAR_SIGMA if abs(score) >= CLEAR_SCORE else ENOUGH_SIGMA
    if abs(sigma) < enough or abs(score) < ENOUGH_SCORE or against > CONTRADICTION:
        return _cannot_tell("both readings fit alike", found)
    return DirectionSeen(answer="+Y" if score > 0 else "-Y", score=round(score, 4), sigma=round(abs(sigma), 1))


def _cannot_tell(why: Undecided, found: list[tuple[float, float, float, int]]) -> DirectionSeen:
    score, sigma = max(((entry[0], abs(entry[1])) for entry in found), key=lambda entry: entry[1], default=(0.0, 0.0))
    return DirectionSeen(answer=None, score=round(score, 4), sigma=round(sigma, 1), undecided=why)


def _agreement(right: Slopes, up: Slopes, known: Slopes | None) -> tuple[float, float, float, int] | None:
    """The score, its distance from 0 in standard errors, the mean difference, and how many tiles carry slopes.

    Each tile speaks with the square root of its energy: a hard edge must not outweigh all else.
    """
    down, along = cross_derivatives(right, up)
    if known is not None:
        whole = known[..., 1:, 1:] * known[..., 1:, :-1] * known[..., :-1, 1:] * known[..., :-1, :-1]
        down, along = down * whole, along * whole
    windows, height, width = down.shape
    rows, columns = height // TILE, width // TILE
    if rows == 0 or columns == 0:
        return None

    def tiles(field: Slopes) -> NDArray[np.float64]:
        cut = field[:, : rows * TILE, : columns * TILE]
        return np.asarray(cut.reshape(windows, rows, TILE, columns, TILE).sum(axis=(2, 4)), np.float64).ravel()

    # Rows run down while +Y is up, which turns the sign of the derivative down the rows.
    product = tiles(-2 * down * along)
    energy = tiles(down * down + along * along)
    weight = np.sqrt(energy)
    votes = weight * product / np.maximum(energy, 1e-12)
    score = votes.sum() / max(weight.sum(), 1e-9)
    sigma = votes.sum() / max(np.sqrt((votes * votes).sum()), 1e-9)
    texels = TILE * TILE
    return float(score), float(sigma), float(weight.mean() / TILE), int((energy > texels * FLAT**2).sum())


def _halved(field: Slopes) -> Slopes:
    height, width = field.shape[1] // 2 * 2, field.shape[2] // 2 * 2
    cut = field[:, :height, :width]
    return (cut[:, ::2, ::2] + cut[:, 1::2, ::2] + cut[:, ::2, 1::2] + cut[:, 1::2, 1::2]) * np.float32(0.25)


def _windows(image: Image) -> tuple[Slopes, Slopes, Slopes | None]:
    """Red and green as −1 to 1: the whole picture as one window, or the liveliest windows of a large one. With holes in it, a
    third field says where directions are known (1) and where they are not (0); None where all are."""
    data = image.data
    if image.width * image.height <= MOST_TEXELS:
        parts = data[None]
    else:
        parts = np.stack([data[top : top + WINDOW, left : left + WINDOW] for top, left in _liveliest(data[:, :, :2])])
    empty = holes(parts) if data.shape[2] >= 3 else np.zeros(1, bool)
    known: Slopes | None = None
    if empty.any():
        # Lossy files and filters blend directions with what lies beside them.
        known = np.asarray(~ndimage.binary_dilation(empty, np.ones((1, 3, 3), bool), iterations=2), np.float32)
    return _signed(parts[..., 0]), _signed(parts[..., 1]), known


def _liveliest(data: Pixels) -> list[tuple[int, int]]:
    """The corners of the windows with the most going on, judged on every eighth texel."""
    step = 8
    high, wide = min(WINDOW, data.shape[0]), min(WINDOW, data.shape[1])
    rows, columns = data.shape[0] // high, data.shape[1] // wide
    coarse = data[: rows * high : step, : columns * wide : step].astype(np.float32)
    change = np.abs(np.diff(coarse, axis=1, append=coarse[:, -1:])).sum(axis=2)
    area = change.reshape(rows, high // step, columns, wide // step) if high % step == wide % step == 0 else None
    places = [(row * high, column * wide) for row in range(rows) for column in range(columns)]
    if area is None:
        return places[: MOST_TEXELS // (high * wide)]
    order = np.argsort(-area.sum(axis=(1, 3)).ravel(), kind="stable")
    return [places[index] for index in order[: MOST_TEXELS // (high * wide)]]


def _signed(stored: Pixels) -> Slopes:
    return as_measured(stored) * 2 - 1
