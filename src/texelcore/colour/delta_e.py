"""Colour difference CIEDE2000 between sRGB colours, through CIE XYZ and L*a*b*.

Matrix and white (D65, 2° observer): IEC 61966-2-1. L*a*b*: CIE 15. Difference: CIE 142-2001, in the form of Sharma, Wu and
Dalal, "The CIEDE2000 Color-Difference Formula: Implementation Notes" (2005), with kL = kC = kH = 1.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from texelcore.colour.srgb import to_linear

Floats = NDArray[np.float64]

_TO_XYZ = np.array([[0.4124, 0.3576, 0.1805], [0.2126, 0.7152, 0.0722], [0.0193, 0.1192, 0.9505]])
# The white of the rounded matrix itself, so that R = G = B has no hue.
_WHITE = _TO_XYZ.sum(axis=1)


def srgb_to_lab(stored: Floats) -> Floats:
    """sRGB-encoded colours (..., 3), 0–1, to L* (0–100), a*, b*."""
    return linear_to_lab(to_linear(stored))


def linear_to_lab(linear: Floats) -> Floats:
    """Linear colours with sRGB primaries (..., 3), 0–1, to L* (0–100), a*, b*."""
    scaled = linear @ _TO_XYZ.T / _WHITE
    curve = np.where(scaled > (6 / 29) ** 3, np.cbrt(scaled), scaled * (29 / 6) ** 2 / 3 + 4 / 29)
    x, y, z = curve[..., 0], curve[..., 1], curve[..., 2]
    return np.stack([116 * y - 16, 500 * (x - y), 200 * (y - z)], axis=-1)


def delta_e(first: Floats, second: Floats) -> Floats:
    """The ΔE2000 of two arrays of L*a*b* colours (..., 3), as (...)."""
    light1, a1, b1 = (first[..., index] for index in range(3))
    light2, a2, b2 = (second[..., index] for index in range(3))
    mean_chroma7 = ((np.hypot(a1, b1) + np.hypot(a2, b2)) / 2) ** 7
    stretch = 1.5 - 0.5 * np.sqrt(mean_chroma7 / (mean_chroma7 + 25.0**7))
    chroma1, chroma2 = np.hypot(a1 * stretch, b1), np.hypot(a2 * stretch, b2)
    hue1, hue2 = (np.degrees(np.arctan2(b, a * stretch)) % 360 for a, b in ((a1, b1), (a2, b2)))
    grey = chroma1 * chroma2 == 0
    turn = np.where(grey, 0.0, (hue2 - hue1 + 180) % 360 - 180)
    # Opposite hues: the formula keeps +180 where the modulus gives −180.
    turn = np.where(~grey & (hue2 - hue1 == 180), 180.0, turn)
    d_light, d_chroma = light2 - light1, chroma2 - chroma1
    d_hue = 2 * np.sqrt(chroma1 * chroma2) * np.sin(np.radians(turn) / 2)
    light, chroma = (light1 + light2) / 2, (chroma1 + chroma2) / 2
    hue = _mean_hue(hue1, hue2, grey)
    weight = (
        1
        - 0.17 * np.cos(np.radians(hue - 30))
        + 0.24 * np.cos(np.radians(2 * hue))
        + 0.32 * np.cos(np.radians(3 * hue + 6))
        - 0.20 * np.cos(np.radians(4 * hue - 63))
    )
    s_light = 1 + 0.015 * (light - 50) ** 2 / np.sqrt(20 + (light - 50) ** 2)
    s_chroma, s_hue = 1 + 0.045 * chroma, 1 + 0.015 * chroma * weight
    chroma7 = chroma**7
    rotation = -np.sin(np.radians(60 * np.exp(-(((hue - 275) / 25) ** 2)))) * 2 * np.sqrt(chroma7 / (chroma7 + 25.0**7))
    l_part, c_part, h_part = d_light / s_light, d_chroma / s_chroma, d_hue / s_hue
    return np.asarray(np.sqrt(np.maximum(l_part**2 + c_part**2 + h_part**2 + rotation * c_part * h_part, 0.0)))


def _mean_hue(hue1: Floats, hue2: Floats, grey: NDArray[np.bool_]) -> Floats:
    total, apart = hue1 + hue2, np.abs(hue1 - hue2)
    around = np.where(total < 360, (total + 360) / 2, (total - 360) / 2)
    return np.where(grey, total, np.where(apart <= 180, total / 2, around))
