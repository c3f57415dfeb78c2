"""How a picture is built up: its finest octave, its edges, and what repeats when it is tiled."""

from __future__ import annotations

from functools import cache

import numpy as np
from numpy.typing import NDArray

from texelcore.pixels.image import Image, Pixels
from texelcore.pixels.values import as_measured, top_of

Floats = NDArray[np.float32]

CROP = 256
# The edge of the small picture on which broad measures are taken: divides into 8, 12 and 24 parts.
SMALL = 96
# A repetition counts from this correlation on; below it, chance and slow gradients reach (judgement).
CLEAR_PERIOD = 0.6


def luma(data: Pixels) -> Floats:
    """Stored pixels (H, W, C) as one 0–1 channel: the mean of the colours, alpha left out."""
    count = 3 if data.shape[-1] >= 3 else 1
    top = np.float32(top_of(data.dtype))
    total = data[..., 0].astype(np.float32)
    for index in range(1, count):
        total += data[..., index]
    return np.asarray((np.nan_to_num(total) if data.dtype.kind == "f" else total) / (top * np.float32(count)), np.float32)


def octaves(image: Image) -> tuple[float, float]:
    """How dense energy is at the finest frequencies (the last eighth below half a cycle a texel) over the second octave, and
    in the second over the third, in the middle of the picture.

    Natural pictures fall off evenly; one that was enlarged has next to nothing at the end, where every usual enlarging
    filter is near zero. Gives (1, 1) for pictures below 64 texels on an edge.
    """
    edge = min(image.width, image.height, CROP)
    edge -= edge % 2
    if edge < 64:
        return 1.0, 1.0
    top, left = (image.height - edge) // 2, (image.width - edge) // 2
    crop = luma(image.data[top : top + edge, left : left + edge])
    window = np.hanning(edge).astype(np.float32)
    spectrum = np.fft.rfft2((crop - crop.mean()) * window[:, None] * window[None, :])
    power = spectrum.real**2 + spectrum.imag**2
    finest, second, third = (float(power[band].mean()) for band in _bands(edge))
    floor = 1e-9 * float(power.max()) + 1e-12
    # Stripes along one axis have nothing fine along the other, and were not enlarged for that: both must be alive.
    lesser = min(float(power[_bands(edge)[1] & side].mean()) for side in _sides(edge))
    return (finest + floor) / (second + floor), (lesser + floor) / (third + floor)


@cache
def _bands(edge: int) -> tuple[NDArray[np.bool_], ...]:
    """Where in a spectrum the finest eighth, the second and the third octave lie."""
    # The larger of the two axes' frequencies, so that an octave is a square ring, as resampling cuts it.
    frequency = np.maximum(np.abs(np.fft.fftfreq(edge))[:, None], np.fft.rfftfreq(edge)[None, :])
    return tuple((frequency > low) & (frequency <= high) for low, high in ((0.4375, 0.5), (0.125, 0.25), (0.0625, 0.125)))


@cache
def _sides(edge: int) -> tuple[NDArray[np.bool_], NDArray[np.bool_]]:
    """Where in a spectrum the change across the picture is finer than that down it, and the other way round."""
    down, across = np.abs(np.fft.fftfreq(edge))[:, None], np.fft.rfftfreq(edge)[None, :]
    return across > 2 * down, down > 2 * across


def seams(image: Image) -> tuple[float, float]:
    """How much larger the step over the left and right edge, and over the upper and lower edge, is than steps inside.

    About 1 where a picture tiles. A step inside is the mean one beside the edge or, where that is more, one of the largest
    fiftieth of all: a plank's gap that lies on the edge is no seam when there are more gaps like it.
    """
    return _seam(image.data), _seam(image.data.swapaxes(0, 1))


def _seam(data: Pixels) -> float:
    width = data.shape[1]
    if width < 8:
        return 1.0
    rows = data[:: max(1, data.shape[0] // 256)]
    near = luma(np.concatenate([rows[:, -4:], rows[:, :4]], axis=1))
    steps = np.abs(np.diff(near, axis=1)).mean(axis=0)
    step = max(1, width // 256)
    if step == 1:
        inside = np.abs(np.diff(luma(rows)[:, 1:], axis=1)).mean(axis=0)
    else:
        columns = np.arange(1, width - 1, step)
        inside = np.abs(luma(rows[:, columns]) - luma(rows[:, columns + 1])).mean(axis=0)
    inner = max(float(np.median(np.delete(steps, 3))), float(np.quantile(inside, 0.98)))
    # Half a level in 8 bits keeps a flat picture's rounding from counting as a seam.
    return float((steps[3] + 0.5 / 255) / (inner + 0.5 / 255))


def shrunk(image: Image) -> Floats:
    """The picture's luma as (SMALL, SMALL), each value a mean over its part of the picture."""
    step = max(1, max(image.width, image.height) // (4 * SMALL))
    field = luma(image.data[::step, ::step])
    rows = np.linspace(0, field.shape[0], SMALL + 1).astype(int)
    columns = np.linspace(0, field.shape[1], SMALL + 1).astype(int)
    if min(field.shape) < SMALL:
        nearest = field[np.minimum(rows[:-1], field.shape[0] - 1)][:, np.minimum(columns[:-1], field.shape[1] - 1)]
        return np.asarray(nearest, np.float32)
    summed = np.add.reduceat(np.add.reduceat(field, rows[:-1], axis=0), columns[:-1], axis=1)
    return np.asarray(summed / np.outer(np.diff(rows), np.diff(columns)), np.float32)


def coarse_colour(image: Image, count: int) -> Floats:
    """The picture as (count, count, 3) means of its parts, 0–1; grey pictures give three alike."""
    step = max(1, max(image.width, image.height) // (16 * count))
    data = image.data[::step, ::step]
    colours = data[..., :3] if data.shape[-1] >= 3 else data[..., :1].repeat(3, axis=-1)
    field = as_measured(colours)
    rows = np.minimum(np.linspace(0, field.shape[0], count + 1).astype(int)[:-1], field.shape[0] - 1)
    columns = np.minimum(np.linspace(0, field.shape[1], count + 1).astype(int)[:-1], field.shape[1] - 1)
    if min(field.shape[:2]) < count:
        return np.asarray(field[rows][:, columns], np.float32)
    summed = np.add.reduceat(np.add.reduceat(field, rows, axis=0), columns, axis=1)
    sizes = np.outer(np.diff(np.append(rows, field.shape[0])), np.diff(np.append(columns, field.shape[1])))
    return np.asarray(summed / sizes[..., None], np.float32)


def parts(small: Floats, count: int) -> Floats:
    """The means of `count` × `count` equal parts of a square field; `count` divides its edge."""
    size = small.shape[0] // count
    return np.asarray(small.reshape(count, size, count, size).mean(axis=(1, 3)), np.float32)


def blotches(small: Floats) -> float:
    """The share of a picture's variance that lies in features larger than an eighth of it: they show when it is tiled."""
    return float(parts(small, 8).var() / max(float(small.var()), 1e-9))


def period(small: Floats) -> tuple[float, float, float] | None:
    """A repetition inside the picture as shares of its width and height with its strength (0–1), or None.

    From the circular autocorrelation: the strongest shift beyond a tenth of the picture that is a peak of its own.
    """
    centred = small - small.mean()
    power = np.abs(np.fft.rfft2(centred)) ** 2
    if power.sum() < 1e-6:
        return None
    correlation = np.fft.irfft2(power, s=small.shape)
    correlation /= correlation[0, 0]
    edge = small.shape[0]
    shift = np.minimum(np.arange(edge), edge - np.arange(edge))
    far = np.maximum(shift[:, None], shift[None, :]) >= edge // 10
    peak = correlation == _largest_around(correlation)
    held = np.where(far & peak, correlation, -1.0)
    row, column = np.unravel_index(int(held.argmax()), held.shape)
    if held[row, column] < CLEAR_PERIOD:
        return None
    return float(shift[column] / edge), float(shift[row] / edge), float(held[row, column])


def _largest_around(field: NDArray[np.float64]) -> NDArray[np.float64]:
    largest = field
    for axis in (0, 1):
        largest = np.maximum(largest, np.maximum(np.roll(largest, 1, axis), np.roll(largest, -1, axis)))
    return largest


def even_gradient(small: Floats) -> float:
    """The share of a picture's broad variation that one even gradient explains: light that fell on it from one side.

    A step between two paints has a slope over the whole and none within its halves, which counts as no gradient: the share is
    lowered by how much of the slope the quarters of the picture lack.
    """
    broad = parts(small, 12)
    share, slope = _plane(broad)
    quarters = [_plane(broad[row : row + 6, column : column + 6])[1] for row in (0, 6) for column in (0, 6)]
    length = float(np.hypot(*slope))
    if length < 1e-9:
        return 0.0
    # A quarter is half as wide, so an even gradient climbs half as much in it.
    along = [2 * (part[0] * slope[0] + part[1] * slope[1]) / length**2 for part in quarters]
    return share * float(np.clip(np.median(along), 0, 1))


def _plane(broad: Floats) -> tuple[float, tuple[float, float]]:
    """How much of a field's variance its best plane explains, and what that climbs across and down, from middle to edge."""
    count = broad.shape[0]
    axis = np.linspace(-1, 1, count, dtype=np.float32)
    across = float((broad * axis[None, :]).sum() / (count * (axis**2).sum()))
    down = float((broad * axis[:, None]).sum() / (count * (axis**2).sum()))
    plane = across * axis[None, :] + down * axis[:, None]
    return float(plane.var() / max(float(broad.var()), 1e-9)), (across, down)
