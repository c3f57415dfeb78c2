"""Colours in linear light, and blend modes: of W3C, Compositing and Blending Level 1, section 9.1. `a` is the backdrop, `b` the
source.

W3C blends encoded colours; here, as everything on a surface, they are linear, 0 to 1.
"""

from __future__ import annotations

import numpy as np

from texelcore.materials.operations.declared import Floats, Operation, numbers, same
from texelcore.materials.operations.declared import colours as taken

# Luminance of linear sRGB (IEC 61966-2-1).
WEIGHTS = np.array([0.2126, 0.7152, 0.0722], np.float32)
_LUMINANCE = "dot(colour, vec3(0.2126, 0.7152, 0.0722))"
_HALF = np.float32(0.5)


def _saturation(colour: Floats, amount: Floats) -> Floats:
    grey = (colour @ WEIGHTS)[..., None]
    return np.asarray(np.maximum(grey + (colour - grey) * amount[..., None], 0), np.float32)


def _hue(colour: Floats, degrees: Floats) -> Floats:
    """Turned about the grey axis (Rodrigues)."""
    angle = np.radians(degrees)[..., None]
    axis = np.full(3, 1 / np.sqrt(3), np.float32)
    turned = colour * np.cos(angle) + np.cross(np.broadcast_to(axis, colour.shape), colour) * np.sin(angle)
    return np.asarray(np.maximum(turned + axis * (colour @ axis)[..., None] * (1 - np.cos(angle)), 0), np.float32)


def _soft_light(a: Floats, b: Floats) -> Floats:
    deep = np.where(a <= np.float32(0.25), ((16 * a - 12) * a + 4) * a, np.sqrt(np.maximum(a, 0)))
    return np.where(b <= _HALF, a - (1 - 2 * b) * a * (1 - a), a + (2 * b - 1) * (deep - a))


def _hard_light(a: Floats, b: Floats) -> Floats:
    return np.where(b <= _HALF, a * 2 * b, 1 - (1 - a) * (2 - 2 * b))


def _mode(key: str, meaning: str, numpy: object, glsl: str) -> Operation:
    return Operation(key, key.replace("_", " "), meaning, same("a", "b"), "same", numpy, glsl)  # type: ignore[arg-type]


OPERATIONS = (
    Operation(
        "luminance",
        "luminance",
        "how bright a colour is to the eye",
        taken("colour"),
        "number",
        lambda colour: colour @ WEIGHTS,
        f"return {_LUMINANCE};",
    ),
    Operation(
        "saturation",
        "saturation",
        "0 is grey, 1 leaves the colour as it is, more is stronger",
        (*taken("colour"), *numbers(amount=1.0)),
        "colour",
        _saturation,
        f"float grey = {_LUMINANCE};\n  return max(mix(vec3(grey), colour, amount), 0.0);",
    ),
    Operation(
        "hue",
        "hue",
        "the colour turned about grey by so many degrees",
        (*taken("colour"), *numbers(turned=0.0)),
        "colour",
        _hue,
        """float c = cos(radians(turned)), s = sin(radians(turned));
  vec3 axis = vec3(0.57735027);
  return max(colour * c + cross(axis, colour) * s + axis * dot(axis, colour) * (1.0 - c), 0.0);""",
    ),
    _mode("screen", "both lighten each other", lambda a, b: a + b - a * b, "return a + b - a * b;"),
    _mode(
        "overlay",
        "dark places get darker, bright ones brighter, by a",
        lambda a, b: _hard_light(b, a),
        "return mix(b * 2.0 * a, 1.0 - (1.0 - b) * (2.0 - 2.0 * a), 1.0 - step(a, a * 0.0 + 0.5));",
    ),
    _mode(
        "hard_light",
        "dark places get darker, bright ones brighter, by b",
        _hard_light,
        "return mix(a * 2.0 * b, 1.0 - (1.0 - a) * (2.0 - 2.0 * b), 1.0 - step(b, b * 0.0 + 0.5));",
    ),
    _mode(
        "soft_light",
        "as hard light, but softer",
        _soft_light,
        """return mix(a - (1.0 - 2.0 * b) * a * (1.0 - a),
    a + (2.0 * b - 1.0) * (mix(((16.0 * a - 12.0) * a + 4.0) * a, sqrt(max(a, 0.0)), 1.0 - step(a, a * 0.0 + 0.25)) - a),
    1.0 - step(b, b * 0.0 + 0.5));""",
    ),
    _mode(
        "difference",
        "how far a and b lie apart",
        lambda a, b: np.abs(a - b),
        "return abs(a - b);",
    ),
    _mode("exclusion", "as difference, but with less contrast", lambda a, b: a + b - 2 * a * b, "return a + b - 2.0 * a * b;"),
)
