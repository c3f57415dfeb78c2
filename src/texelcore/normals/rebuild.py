"""Unit vectors from stored normal maps, with or without their blue channel."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]


def rebuild_z(x: Floats, y: Floats) -> Floats:
    """The third component of a unit vector above the surface: √(1 − x² − y²), 0 where x and y alone are too long."""
    return np.sqrt(np.maximum(1.0 - x * x - y * y, 0.0))


def unit_vectors(stored: Floats) -> Floats:
    """Stored normals (H, W, 2 or 3), 0–1 with 0.5 level, as unit vectors (H, W, 3); blue is rebuilt where it is not there."""
    vectors = stored * 2.0 - 1.0
    if stored.shape[-1] == 2:
        vectors = np.concatenate([vectors, rebuild_z(vectors[..., 0], vectors[..., 1])[..., None]], axis=-1)
    length = np.sqrt((vectors * vectors).sum(axis=-1, keepdims=True))
    return np.where(length > 1e-9, vectors / np.maximum(length, 1e-9), np.array([0.0, 0.0, 1.0]))


def angles_between(first: Floats, second: Floats) -> Floats:
    """The angle in degrees between unit vectors (..., 3); exact for small angles too, where an arc cosine is not."""
    chord = np.sqrt(((first - second) ** 2).sum(axis=-1))
    return np.asarray(np.degrees(2 * np.arcsin(np.minimum(chord / 2, 1.0))))
