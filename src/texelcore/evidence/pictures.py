"""The pictures behind the figures: what was measured, where one can see it. All are 8-bit, at most a given edge.

Adding one adds a function and a line in MAKERS.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Literal, get_args

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from texelcore.evidence.channels import NEAR_END
from texelcore.evidence.direction import STEEPEST, cross_derivatives
from texelcore.evidence.limits import BRIGHTEST, DARKEST
from texelcore.evidence.structure import luma, parts, shrunk
from texelcore.pixels.display import display, is_light, shrink
from texelcore.pixels.image import Image, Pixels
from texelcore.pixels.values import as_measured, as_stored, top_of
from texelcore.surface.files import ChannelName
from texelcore.surface.findings import Shown
from texelcore.surface.sources import Source

Floats = NDArray[np.float32]
PictureKind = Literal[
    "plain",
    "channel",
    "between",
    "dark",
    "relief",
    "lit-up",
    "lit-down",
    "curl-up",
    "curl-down",
    "length",
    "directions",
    "range",
    "light",
    "clipping",
    "seams",
    "finest",
    "tiled",
]
KINDS: tuple[PictureKind, ...] = get_args(PictureKind)
# What a picture shows, as it stands beneath it.
CAPTIONS: dict[PictureKind, str] = {
    "plain": "as it is",
    "channel": "the channel alone",
    "between": "red where it is neither 0 nor 1",
    "dark": "difference from white, × 8",
    "relief": "its middle under raking light, texel by texel",
    "lit-up": "lit, read as +Y",
    "lit-down": "lit, read as −Y",
    "curl-up": "curl of its slopes, read as +Y",
    "curl-down": "curl of its slopes, read as −Y",
    "length": "distance from unit length, red from 20 %",
    "directions": "where its vectors point; the dot is their mean, the cross is upright",
    "range": "outside the albedo range (blue low, red high)",
    "light": "large-scale variation, at full contrast",
    "clipping": "clipped: blue at 0, red at the maximum",
    "seams": "offset by half, so that its edges meet in the middle",
    "finest": "finest detail in the middle, × 6",
    "tiled": "three times each way",
}
# Light from the upper left, as pictures are read.
_LIGHT = np.array([-0.5, 0.6, 0.62], np.float32) / np.float32(np.linalg.norm([-0.5, 0.6, 0.62]))
_MADDER, _BLUE = (168, 47, 51), (45, 90, 168)
_FINEST_GAIN, _DARK_GAIN = 6.0, 8.0
# A length error that is shown as strong as can be.
_FAR_OFF = 0.2
_BINS = 96


def shown(file: Source, kind: PictureKind, channel: ChannelName | None = None) -> Shown:
    """A reference to an evidence picture, for a finding."""
    return Shown(file=file, kind=kind, channel=channel, caption=CAPTIONS[kind])


def paint(image: Image, kind: PictureKind, edge: int, channel: str | None = None) -> Pixels:
    """One evidence picture (H, W, 1 or 3) of an image, neither edge longer than `edge`.

    Some look at one channel alone; it is the first when none is named. Raises ValueError for a picture that cannot be read
    as normals where one is needed, and KeyError for a channel that the image does not have.
    """
    return MAKERS[kind](image, edge, channel or image.channels[0])


def _plain(image: Image, edge: int, channel: str) -> Pixels:
    """The picture as it is."""
    return shrink(display(image, "RGB", is_light(image)), edge)


def _channel(image: Image, edge: int, channel: str) -> Pixels:
    """One channel as grey."""
    return shrink(display(image, channel), edge)


def _between(image: Image, edge: int, channel: str) -> Pixels:
    """A channel as grey, with the texels marked that are neither at its lower nor at its upper end."""
    values = as_measured(_every(image, edge, channel))
    return _marked(values, {_MADDER: (values > NEAR_END) & (values < 1 - NEAR_END)})


def _dark(image: Image, edge: int, channel: str) -> Pixels:
    """How far a channel lies below white, amplified: white where it carries nothing."""
    small = shrink(as_stored(as_measured(image.channel(channel)), "u8")[:, :, None], edge)[:, :, 0]
    return as_stored(1 - (1 - as_measured(small)) * _DARK_GAIN, "u8")[:, :, None]


def _relief(image: Image, edge: int, channel: str) -> Pixels:
    """A height channel under raking light, texel by texel from its middle: steps show as terraces."""
    field = as_measured(_middle(image, edge, channel))
    down, right = np.gradient(field)
    steep = max(float(np.quantile(np.hypot(down, right), 0.95)), 1e-6)
    x, y = -right / steep, down / steep
    shade = (x * _LIGHT[0] + y * _LIGHT[1] + _LIGHT[2]) / np.sqrt(x * x + y * y + 1)
    return as_stored(np.clip(shade, 0, 1), "u8")[:, :, None]


def _lit(image: Image, edge: int, sign: float) -> Pixels:
    x, y = _slopes(image, edge)
    z = np.sqrt(np.maximum(1 - x * x - y * y, 0.0))
    shade = np.clip(x * _LIGHT[0] + sign * y * _LIGHT[1] + z * _LIGHT[2], 0, 1)
    return as_stored(np.sqrt(0.05 + 0.9 * shade), "u8")[:, :, None]


def _curl(image: Image, edge: int, sign: float) -> Pixels:
    """The curl of the slopes under one reading; both readings' pictures share one scale."""
    x, y = _slopes(image, edge)
    z = np.sqrt(np.maximum(1 - x * x - y * y, STEEPEST))
    # Rows run down while +Y is up: curl under +Y is the sum, under −Y the difference of the cross derivatives.
    down, along = cross_derivatives(np.asarray(x / z, np.float32), np.asarray(y / z, np.float32))
    scale = max(float(np.quantile(np.abs(down), 0.97)), float(np.quantile(np.abs(along), 0.97)), 1e-6)
    return _heat(np.abs(down + sign * along) / (2 * scale))


def _length(image: Image, edge: int, channel: str) -> Pixels:
    """How far each vector is from unit length."""
    vectors = _vectors(image, edge)
    return _heat(np.asarray(np.abs(np.sqrt((vectors * vectors).sum(axis=-1)) - 1) / _FAR_OFF, np.float32))


def _directions(image: Image, edge: int, channel: str) -> Pixels:
    """Where the vectors point, seen from above: upright is the middle, and the mean is marked."""
    x, y = _slopes(image, 4 * edge)
    counts, _, _ = np.histogram2d(-y.ravel(), x.ravel(), bins=_BINS, range=((-1, 1), (-1, 1)))
    shown = np.log1p(counts) / max(float(np.log1p(counts.max())), 1e-6)
    grey = as_stored(0.96 - 0.8 * shown, "u8")
    factor = max(1, edge // _BINS)
    picture = np.repeat(np.repeat(grey, factor, axis=0), factor, axis=1)[:, :, None].repeat(3, axis=2)
    size = picture.shape[0]
    picture[size // 2, :], picture[:, size // 2] = _BLUE, _BLUE
    row, column = (round((1 + mean) / 2 * (size - 1)) for mean in (-float(y.mean()), float(x.mean())))
    rows, columns = np.ogrid[:size, :size]
    picture[(rows - row) ** 2 + (columns - column) ** 2 <= (size / 48) ** 2] = _MADDER
    return picture


def _range(image: Image, edge: int, channel: str) -> Pixels:
    """A colour picture as grey, with the texels marked that no ordinary surface has: too dark in blue, too bright in madder."""
    values = luma(_every(image, edge))
    return _marked(values, {_BLUE: values < DARKEST / 255, _MADDER: values > BRIGHTEST / 255})


def _broad(image: Image, edge: int, channel: str) -> Pixels:
    """What is left of a picture when its detail is taken away, at full contrast: an even gradient is light."""
    broad = parts(shrunk(image), 12)
    spread = max(float(np.ptp(broad)), 1e-6)
    smooth = ndimage.zoom((broad - broad.min()) / spread, max(1, edge // 12), order=1, mode="nearest", grid_mode=True)
    return as_stored(smooth, "u8")[:, :, None]


def _clipping(image: Image, edge: int, channel: str) -> Pixels:
    """A picture as grey, with the texels marked that lie at 0 (blue) or at the top (madder)."""
    picked = _every(image, edge)
    data = picked[:, :, : min(3, len(image.channels))]
    top = top_of(data.dtype)
    return _marked(luma(picked), {_BLUE: np.all(data <= 0, axis=-1), _MADDER: np.any(data >= top, axis=-1)})


def _seams(image: Image, edge: int, channel: str) -> Pixels:
    """The picture moved by half its size, so that its edges meet in the middle."""
    small = _plain(image, edge, channel)
    return np.roll(small, (small.shape[0] // 2, small.shape[1] // 2), axis=(0, 1))


def _finest(image: Image, edge: int, channel: str) -> Pixels:
    """The finest octave's detail, amplified; from the middle, texel by texel, since shrinking would take the octave away."""
    field = luma(_middle(image, edge))
    around = (np.roll(field, 1, 0) + np.roll(field, -1, 0) + np.roll(field, 1, 1) + np.roll(field, -1, 1)) / 4
    return as_stored(0.5 + (field - around) * _FINEST_GAIN, "u8")[:, :, None]


def _tiled(image: Image, edge: int, channel: str) -> Pixels:
    """The picture three times each way, as a large area shows it."""
    return np.tile(_plain(image, max(1, edge // 3), channel), (3, 3, 1))


MAKERS: dict[PictureKind, Callable[[Image, int, str], Pixels]] = {
    "plain": _plain,
    "channel": _channel,
    "between": _between,
    "dark": _dark,
    "relief": _relief,
    "lit-up": lambda image, edge, _: _lit(image, edge, 1.0),
    "lit-down": lambda image, edge, _: _lit(image, edge, -1.0),
    "curl-up": lambda image, edge, _: _curl(image, edge, 1.0),
    "curl-down": lambda image, edge, _: _curl(image, edge, -1.0),
    "length": _length,
    "directions": _directions,
    "range": _range,
    "light": _broad,
    "clipping": _clipping,
    "seams": _seams,
    "finest": _finest,
    "tiled": _tiled,
}


def _every(image: Image, edge: int, channel: str | None = None) -> Pixels:
    """Every n-th texel, so that neither edge is longer than `edge`: stored values, which means would blur."""
    step = max(1, -(-max(image.height, image.width) // edge))
    return (image.data if channel is None else image.channel(channel))[::step, ::step]


def _middle(image: Image, edge: int, channel: str | None = None) -> Pixels:
    """The middle of a picture at full resolution."""
    height, width = min(edge, image.height), min(edge, image.width)
    top, left = (image.height - height) // 2, (image.width - width) // 2
    data = image.data if channel is None else image.channel(channel)
    return data[top : top + height, left : left + width]


def _vectors(image: Image, edge: int) -> Floats:
    """The first two or three channels as −1 to 1, means over blocks so that neither edge is longer than `edge`."""
    if len(image.channels) < 2:
        raise ValueError("a grey picture holds no normals")
    count = min(3, len(image.channels))
    factor = max(1, -(-max(image.height, image.width) // edge))
    height, width = image.height // factor * factor, image.width // factor * factor
    blocks = image.data[:height, :width, :count].reshape(height // factor, factor, width // factor, factor, count)
    top = top_of(image.data.dtype)
    return np.asarray(blocks.mean(axis=(1, 3), dtype=np.float32) * np.float32(2 / top) - 1, np.float32)


def _slopes(image: Image, edge: int) -> tuple[Floats, Floats]:
    vectors = _vectors(image, edge)
    return vectors[..., 0], vectors[..., 1]


def _heat(strength: NDArray[np.floating[Any]]) -> Pixels:
    """0 as paper, 1 and beyond as madder."""
    share = np.clip(strength, 0, 1)[..., None]
    return np.asarray(245 * (1 - share) + np.array(_MADDER) * share, np.uint8)


def _marked(values: Floats, marks: dict[tuple[int, int, int], NDArray[np.bool_]]) -> Pixels:
    """Values as a grey that stays away from both ends, with texels marked in colours on it."""
    shown = np.asarray(np.clip(values, 0, 1) * 130 + 80, np.uint8)[:, :, None].repeat(3, axis=2)
    for colour, where in marks.items():
        shown[where] = colour
    return shown
