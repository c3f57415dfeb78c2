"""The pictures behind the figures: what was measured, where one can see it. All are 8-bit, at most a given edge."""

from __future__ import annotations

from collections.abc import Callable
from typing import Literal, get_args

import numpy as np
from numpy.typing import NDArray

from texelcore.evidence.direction import cross_derivatives
from texelcore.evidence.structure import luma
from texelcore.pixels.display import display, shrink
from texelcore.pixels.image import Image, Pixels

Floats = NDArray[np.float32]
Kind = Literal["lit-up", "lit-down", "curl-up", "curl-down", "seams", "clipping", "finest"]
KINDS: tuple[Kind, ...] = get_args(Kind)
# Light from the upper left, as pictures are read.
_LIGHT = np.array([-0.5, 0.6, 0.62], np.float32) / np.float32(np.linalg.norm([-0.5, 0.6, 0.62]))
_MADDER, _BLUE = (168, 47, 51), (45, 90, 168)
_GAIN = 6.0


def paint(image: Image, kind: Kind, edge: int) -> Pixels:
    """One evidence picture (H, W, 1 or 3) of an image, neither edge longer than `edge`.

    "lit-up" and "lit-down" light a normal map read as +Y and as −Y; "curl-up" and "curl-down" show the curl of its slopes
    under each reading, both on one scale; "seams" moves the picture by half its size, so that its edges meet in the
    middle; "clipping" marks texels at 0 and at the top; "finest" is the detail of the finest octave, amplified.
    Raises ValueError for a picture that cannot be read as normals where one is needed.
    """
    makers: dict[Kind, Callable[[], Pixels]] = {
        "lit-up": lambda: _lit(image, 1.0, edge),
        "lit-down": lambda: _lit(image, -1.0, edge),
        "curl-up": lambda: _curl(image, 1.0, edge),
        "curl-down": lambda: _curl(image, -1.0, edge),
        "seams": lambda: _seams(image, edge),
        "clipping": lambda: _clipping(image, edge),
        "finest": lambda: _finest(image, edge),
    }
    return makers[kind]()


def _vectors(image: Image, edge: int) -> tuple[Floats, Floats]:
    """Red and green as −1 to 1, means over blocks so that neither edge is longer than `edge`."""
    if len(image.channels) < 3:
        raise ValueError("a grey picture holds no normals")
    data = image.data[:, :, :2]
    factor = max(1, -(-max(image.height, image.width) // edge))
    height, width = image.height // factor * factor, image.width // factor * factor
    blocks = data[:height, :width].reshape(height // factor, factor, width // factor, factor, 2)
    top = np.iinfo(data.dtype).max if data.dtype.kind == "u" else 1
    means = np.asarray(blocks.mean(axis=(1, 3), dtype=np.float32) * np.float32(2 / top) - 1, np.float32)
    return means[..., 0], means[..., 1]


def _lit(image: Image, sign: float, edge: int) -> Pixels:
    x, y = _vectors(image, edge)
    z = np.sqrt(np.maximum(1 - x * x - y * y, 0.0))
    shade = np.clip(x * _LIGHT[0] + sign * y * _LIGHT[1] + z * _LIGHT[2], 0, 1)
    return np.asarray(np.sqrt(0.05 + 0.9 * shade) * 255, np.uint8)[:, :, None]


def _curl(image: Image, sign: float, edge: int) -> Pixels:
    x, y = _vectors(image, edge)
    z = np.sqrt(np.maximum(1 - x * x - y * y, 0.04))
    # Rows run down while +Y is up: curl under +Y is the sum, under −Y the difference of the cross derivatives.
    down, along = cross_derivatives(np.asarray(x / z, np.float32), np.asarray(y / z, np.float32))
    scale = max(float(np.quantile(np.abs(down), 0.97)), float(np.quantile(np.abs(along), 0.97)), 1e-6)
    strength = np.clip(np.abs(down + sign * along) / (2 * scale), 0, 1)[..., None]
    return np.asarray(245 * (1 - strength) + np.array(_MADDER) * strength, np.uint8)


def _seams(image: Image, edge: int) -> Pixels:
    small = shrink(display(image, "RGB", False), edge)
    return np.roll(small, (small.shape[0] // 2, small.shape[1] // 2), axis=(0, 1))


def _clipping(image: Image, edge: int) -> Pixels:
    step = max(1, -(-max(image.height, image.width) // edge))
    data = image.data[::step, ::step, : min(3, len(image.channels))]
    top = np.iinfo(data.dtype).max if data.dtype.kind == "u" else 1
    grey = np.asarray(np.clip(luma(image.data[::step, ::step]), 0, 1) * 130 + 80, np.uint8)
    shown = np.repeat(grey[:, :, None], 3, axis=2)
    shown[(data <= 0).all(axis=-1)] = _BLUE
    shown[(data >= top).any(axis=-1)] = _MADDER
    return shown


def _finest(image: Image, edge: int) -> Pixels:
    """From the middle of the picture, texel by texel: shrinking would take the octave away."""
    height, width = min(edge, image.height), min(edge, image.width)
    top, left = (image.height - height) // 2, (image.width - width) // 2
    field = luma(image.data[top : top + height, left : left + width])
    around = (np.roll(field, 1, 0) + np.roll(field, -1, 0) + np.roll(field, 1, 1) + np.roll(field, -1, 1)) / 4
    return np.asarray(np.clip(0.5 + (field - around) * _GAIN, 0, 1) * 255, np.uint8)[:, :, None]
