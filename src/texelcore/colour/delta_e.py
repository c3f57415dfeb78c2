"""Colour difference CIEDE2000 between sRGB colours, through CIE XYZ and L*a*b*.

Matrix and white (D65, 2° observer): IEC 61966-2-1. L*a*b*: CIE 15. Difference: CIE 142-2001, in the form of Sharma, Wu and
Dalal, "The CIEDE2000 Color-Difference Formula: Implementation Notes" (2005), with kL = kC = kH = 1.
"""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numpy.typing import NDArray

# Single or double precision: what comes is what is reckoned in. Single is within 0.001 ΔE of double.
Floats = NDArray[np.floating[Any]]

_TO_XYZ = np.array([[0.4124, 0.3576, 0.1805], [0.2126, 0.7152, 0.0722], [0.0193, 0.1192, 0.9505]])
# The white of the rounded matrix itself, so that R = G = B has no hue.
_WHITE = _TO_XYZ.sum(axis=1)


def linear_to_lab(linear: Floats) -> Floats:
    """Linear colours with sRGB primaries (..., 3), 0–1, to L* (0–100), a*, b*."""
    scaled = linear @ (_TO_XYZ.T / _WHITE).astype(linear.dtype)
    curve = np.where(scaled > (6 / 29) ** 3, np.cbrt(scaled), scaled * (29 / 6) ** 2 / 3 + 4 / 29)
    x, y, z = curve[..., 0], curve[..., 1], curve[..., 2]
    return np.stack([116 * y - 16, 500 * (x - y), 200 * (y - z)], axis=-1)


def delta_e(first: Floats, second: Floats) -> Floats:
    """The ΔE2000 of two arrays of L*a*b* colours (..., 3), as (...)."""
    light1, a1, b1 = (first[..., index] for index in range(3))
    light2, a2, b2 = (second[..., index] for index in range(3))
    stretch = 1.5 - 0.5 * _share_of_25((_length(a1, b1) + _length(a2, b2)) / 2)
    a1, a2 = a1 * stretch, a2 * stretch
    chroma1, chroma2 = _length(a1, b1), _length(a2, b2)
    hue1, hue2 = _hue(a1, b1), _hue(a2, b2)
    apart = hue2 - hue1
    both = chroma1 * chroma2
    d_light, d_chroma = light2 - light1, chroma2 - chroma1
    # Of a grey the product is 0, and with it the difference of hue.
    d_hue = 2 * np.sqrt(both) * np.sin(_short_way(apart) / 2)
    light, chroma = (light1 + light2) / 2, (chroma1 + chroma2) / 2
    # Of a grey, whose hue is 0, the other's.
    hue = np.where(both == 0, hue1 + hue2, (hue1 + hue2) / 2 + math.pi * (np.abs(apart) > math.pi).astype(apart.dtype))
    s_light = 1 + 0.015 * (light - 50) ** 2 / np.sqrt(20 + (light - 50) ** 2)
    s_chroma, s_hue = 1 + 0.045 * chroma, 1 + 0.015 * chroma * _hue_weight(hue)
    away = (np.degrees(hue - 2 * math.pi * (hue >= 2 * math.pi).astype(hue.dtype)) - 275) / 25
    rotation = -np.sin(math.radians(60) * np.exp(-away * away)) * 2 * _share_of_25(chroma)
    l_part, c_part, h_part = d_light / s_light, d_chroma / s_chroma, d_hue / s_hue
    return np.asarray(np.sqrt(np.maximum(l_part**2 + c_part**2 + h_part**2 + rotation * c_part * h_part, 0.0)))


def _length(a: Floats, b: Floats) -> Floats:
    return np.asarray(np.sqrt(a * a + b * b))


def _share_of_25(chroma: Floats) -> Floats:
    """√(C⁷ / (C⁷ + 25⁷))."""
    square = chroma * chroma
    seventh = square * square * square * chroma
    return np.asarray(np.sqrt(seventh / (seventh + 25.0**7)))


def _hue(a: Floats, b: Floats) -> Floats:
    """The hue in radians, from 0 to under 2π."""
    angle = np.arctan2(b, a)
    return np.asarray(angle + 2 * math.pi * (angle < 0).astype(angle.dtype))


def _short_way(apart: Floats) -> Floats:
    """A difference of hues by the shorter way round; opposite ones keep their sign."""
    turns = (apart > math.pi).astype(apart.dtype) - (apart < -math.pi).astype(apart.dtype)
    return np.asarray(apart - 2 * math.pi * turns)


def _hue_weight(hue: Floats) -> Floats:
    """1 − 0.17 cos(h − 30°) + 0.24 cos 2h + 0.32 cos(3h + 6°) − 0.20 cos(4h − 63°), by the angle's own sine and cosine."""
    c, s = np.cos(hue), np.sin(hue)
    c2, s2 = c * c - s * s, 2 * s * c
    c3, s3 = c2 * c - s2 * s, s2 * c + c2 * s
    c4, s4 = c2 * c2 - s2 * s2, 2 * s2 * c2

    def part(angle: float, cosine: Floats, sine: Floats) -> Floats:
        """cos(x + angle), of cos x and sin x."""
        return np.asarray(math.cos(math.radians(angle)) * cosine - math.sin(math.radians(angle)) * sine)

    return np.asarray(1 - 0.17 * part(-30, c, s) + 0.24 * c2 + 0.32 * part(6, c3, s3) - 0.20 * part(-63, c4, s4))
