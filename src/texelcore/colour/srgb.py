"""The sRGB transfer functions of IEC 61966-2-1."""

from __future__ import annotations

from functools import cache

import numpy as np
from numpy.typing import NDArray

from texelcore.pixels.image import Pixels
from texelcore.pixels.values import as_values, top_of

Floats = NDArray[np.float64]


def to_linear(stored: Floats) -> Floats:
    """sRGB-encoded values (0–1) to linear light (0–1); values outside the range are continued, not clipped."""
    base = np.maximum((stored + 0.055) / 1.055, 0.0)
    return np.where(stored <= 0.04045, stored / 12.92, base**2.4)


def light_of(stored: Pixels) -> NDArray[np.float32]:
    """Stored samples of any shape, sRGB-encoded, as linear light in single precision: by a table where they are integers."""
    if stored.dtype.kind == "u":
        return np.take(_table(top_of(stored.dtype)), stored)
    return to_linear(as_values(stored)).astype(np.float32)


@cache
def _table(top: int) -> NDArray[np.float32]:
    return to_linear(np.arange(top + 1) / top).astype(np.float32)


def from_linear(linear: Floats) -> Floats:
    """Linear light to sRGB-encoded values, the inverse of `to_linear`."""
    curve = 1.055 * np.maximum(linear, 0.0) ** (1 / 2.4) - 0.055
    return np.where(linear <= 0.0031308, linear * 12.92, curve)
