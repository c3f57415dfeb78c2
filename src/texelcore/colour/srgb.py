"""The sRGB transfer functions of IEC 61966-2-1."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]


def to_linear(stored: Floats) -> Floats:
    """sRGB-encoded values (0–1) to linear light (0–1); values outside the range are continued, not clipped."""
    base = np.maximum((stored + 0.055) / 1.055, 0.0)
    return np.where(stored <= 0.04045, stored / 12.92, base**2.4)


def from_linear(linear: Floats) -> Floats:
    """Linear light to sRGB-encoded values, the inverse of `to_linear`."""
    curve = 1.055 * np.maximum(linear, 0.0) ** (1 / 2.4) - 0.055
    return np.where(linear <= 0.0031308, linear * 12.92, curve)
