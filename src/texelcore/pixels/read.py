"""Readers: a file becomes an Image with the pixels as they are stored."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np

from texelcore.pixels.image import SAMPLE_DTYPES, Image, Pixels
from texelcore.pixels.inspect import Header, inspect, open_input
from texelcore.pixels.whole import damaged, decoding

# How the library says that coded data ended before the picture did.
_EARLY = "remature end"


def read(path: Path, name: str | None = None) -> Image:
    """Decode a PNG, TGA, JPEG, TIFF, OpenEXR or WebP file.

    Gives (height, width, 1 to 4) pixels of the stored sample type; palettes and 1-, 2- and 4-bit greys become 8 bits;
    alpha is as stored, never multiplied into colour. `name` is what to call the file in errors.
    Raises UnreadableImage as `inspect` does, and for pixel data that end early or do not decode.
    """
    name = name or path.name
    header = inspect(path, name)
    if header.format == "png":
        data = _read_png(path, name)
    elif header.format == "webp":
        data = _read_webp(path, name)
    else:
        data = _read_openimageio(path, name, header)
    image = Image.of(np.ascontiguousarray(data))
    if (image.width, image.height) != (header.width, header.height):
        raise damaged(name, f"{image.width} × {image.height} decoded, {header.width} × {header.height} promised")
    return image


def _read_png(path: Path, name: str) -> Pixels:
    from imagecodecs import png_decode

    with decoding(name):
        data: Pixels = png_decode(path.read_bytes())
    return data


def _read_webp(path: Path, name: str) -> Pixels:
    from imagecodecs import webp_decode

    with decoding(name):
        data: Pixels = webp_decode(path.read_bytes())
    return data


def _read_openimageio(path: Path, name: str, header: Header) -> Pixels:
    import OpenImageIO as oiio

    # The number of reading threads is the caller's business, not the library's.
    types: dict[str, Any] = {"u8": oiio.UINT8, "u16": oiio.UINT16, "f16": oiio.HALF, "f32": oiio.FLOAT}
    with decoding(name):
        reader = open_input(path, name, header.format)
        spec = reader.spec()
        order = _channel_order(spec.channelnames, len(header.channels))
        data = reader.read_image(types[header.sample])
        reason = reader.geterror()
        reader.close()
    # A JPEG may hold stray bytes between its parts, which harms nothing; data that end early do.
    if data is None or (reason and not (header.format == "jpeg" and _EARLY not in reason)):
        raise damaged(name, reason.replace(str(path), name))
    pixels: Pixels = np.asarray(data, dtype=SAMPLE_DTYPES[header.sample])
    pixels = pixels[:, :, : len(header.channels)]
    pixels = pixels[:, :, order] if order != list(range(len(order))) else pixels
    return _in_display_window(pixels, spec) if header.format == "exr" else pixels


def _in_display_window(data: Pixels, spec: Any) -> Pixels:
    """An OpenEXR file's data window placed in its display window: 0 where there are no data, and what lies outside is left out
    (OpenEXR, technical introduction)."""
    left, top = spec.x - spec.full_x, spec.y - spec.full_y
    width, height = spec.full_width, spec.full_height
    if (left, top, spec.width, spec.height) == (0, 0, width, height):
        return data
    whole = np.zeros((height, width, data.shape[2]), data.dtype)
    x, y = slice(max(left, 0), min(left + spec.width, width)), slice(max(top, 0), min(top + spec.height, height))
    if x.start < x.stop and y.start < y.stop:
        whole[y, x] = data[y.start - top : y.stop - top, x.start - left : x.stop - left]
    return whole


def _channel_order(names: Any, count: int) -> list[int]:
    """OpenEXR stores channels by alphabet and layers by prefix: bring R, G, B, A to the front in that order."""
    last = [str(name).rsplit(".", 1)[-1].upper()[:1] for name in names]
    if count < 3 or len(set(last)) != count or not set(last) <= set("RGBA"):
        return list(range(count))
    return [last.index(letter) for letter in "RGBA"[:count]]
