"""Seeded, tiling fields: the raw material of every demo picture. All are (size, size) floats and wrap at the edges."""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter
from scipy.spatial import cKDTree

Field = NDArray[np.float64]


def grid(size: int) -> tuple[Field, Field]:
    """Texel centres as u (to the right) and v (downwards), both 0–1."""
    line = (np.arange(size) + 0.5) / size
    u, v = np.meshgrid(line, line)
    return u, v


def cloud(seed: int, size: int, slope: float = 1.6, scale: float = 2.0, stretch: float = 1.0) -> Field:
    """Tiling noise with a power spectrum falling by `slope`, nothing coarser than `scale` cycles, spread over 0–1.

    `stretch` above 1 draws it out along v. The pattern is the same at every size, but for what a size cannot show.
    """
    half = 256
    rng = np.random.default_rng(seed)
    coefficients = rng.normal(size=(2 * half, 2 * half)) + 1j * rng.normal(size=(2 * half, 2 * half))
    frequency = np.fft.fftfreq(2 * half, 1 / (2 * half))
    radius = np.hypot(frequency[None, :], frequency[:, None] * stretch)
    radius[0, 0] = np.inf
    coefficients *= np.where(radius < scale, 0.0, radius**-slope)
    field = _sample_spectrum(coefficients, size)
    low, high = np.percentile(field, [0.5, 99.5])
    if high - low < 1e-12:
        # A picture too small to show anything this fine shows its mean.
        return np.full((size, size), 0.5)
    return np.asarray(np.clip((field - low) / (high - low), 0, 1))


def _sample_spectrum(coefficients: NDArray[np.complex128], size: int) -> Field:
    count = coefficients.shape[0]
    shifted = np.fft.fftshift(coefficients)
    if size >= count:
        room = (size - count) // 2
        shifted = np.pad(shifted, room)
    else:
        cut = (count - size) // 2
        shifted = shifted[cut : cut + size, cut : cut + size]
    return np.asarray(np.fft.ifft2(np.fft.ifftshift(shifted)).real)


class Cells(NamedTuple):
    """Distance to the nearest and second nearest point (in cell widths), and the nearest point's number."""

    near: Field
    second: Field
    number: NDArray[np.int64]


def cells(seed: int, size: int, across: int, jitter: float = 0.8) -> Cells:
    """Tiling cells around `across`² points that are shaken out of a square grid by `jitter` (0–1)."""
    rng = np.random.default_rng(seed)
    x, y = np.meshgrid(np.arange(across), np.arange(across))
    points = np.stack([x.ravel(), y.ravel()], axis=1) + 0.5 + (rng.random((across * across, 2)) - 0.5) * jitter
    tree = cKDTree(points / across % 1.0, boxsize=1.0)
    u, v = grid(size)
    distance, index = tree.query(np.stack([u.ravel(), v.ravel()], axis=1), k=2, workers=2)
    shape = (size, size)
    return Cells((distance[:, 0] * across).reshape(shape), (distance[:, 1] * across).reshape(shape), index[:, 0].reshape(shape))


def per_cell(seed: int, found: Cells, count: int) -> Field:
    """A random number 0–1 for each cell, spread over its texels."""
    return np.random.default_rng(seed).random(count)[found.number]


def step(low: float, high: float, values: NDArray[Any]) -> Field:
    """0 below `low`, 1 above `high`, a smooth rise between."""
    t = np.clip((values - low) / (high - low), 0, 1)
    return np.asarray(t * t * (3 - 2 * t))


def soft(field: Field, share: float) -> Field:
    """Blur by a share of the picture's width, around the edges."""
    return np.asarray(gaussian_filter(field, share * field.shape[0], mode="wrap"))


def paint(ground: Field, colour: tuple[float, float, float], cover: Field) -> Field:
    """Lay an sRGB colour (0–255) over an (H, W, 3) picture (0–1) where `cover` says so."""
    return np.asarray(ground + (np.array(colour) / 255 - ground) * np.clip(cover, 0, 1)[:, :, None])


def plain(size: int, colour: tuple[float, float, float]) -> Field:
    """A picture of one sRGB colour (0–255), as (H, W, 3) in 0–1."""
    return np.broadcast_to(np.array(colour) / 255, (size, size, 3)).copy()


def shade(picture: Field, amount: Field, strength: float) -> Field:
    """Make a picture lighter and darker around its own colour by a field (0.5 changes nothing)."""
    return np.asarray(np.clip(picture * (1 + (amount - 0.5) * 2 * strength)[:, :, None], 0, 1))


def normal_of(height: Field, relief: float) -> Field:
    """Tangent-space normals (H, W, 3), +X right and +Y up, from a tiling height in units of the picture's width."""
    size = height.shape[0]
    slope_x = (np.roll(height, -1, 1) - np.roll(height, 1, 1)) * size / 2 * relief
    slope_y = (np.roll(height, 1, 0) - np.roll(height, -1, 0)) * size / 2 * relief
    normal = np.stack([-slope_x, -slope_y, np.ones_like(height)], axis=-1)
    return np.asarray(normal / np.linalg.norm(normal, axis=-1, keepdims=True))


def occlusion_of(height: Field, relief: float) -> Field:
    """Occlusion (1 = open) from how far a texel lies below its surroundings, at three radii."""
    closed = sum(np.maximum(soft(height, radius) - height, 0) * relief / radius for radius in (0.004, 0.012, 0.03))
    return np.asarray(np.clip(1 - 0.55 * closed, 0.08, 1.0))
