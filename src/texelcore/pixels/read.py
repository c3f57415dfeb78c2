"""Readers: a file becomes an Image with the pixels as they are stored."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np

from texelcore.pixels.errors import UnreadableImage
from texelcore.pixels.image import SAMPLE_DTYPES, Image, Pixels
from texelcore.pixels.inspect import Header, damaged, inspect, open_input


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
    elif header.format == "tiff" or header.format == "exr" or header.format == "tga":
        data = _read_openimageio(path, name, header)
    else:
        data = _read_lossy(path, name, header)
    image = Image.of(np.ascontiguousarray(data))
    if (image.width, image.height) != (header.width, header.height):
        raise damaged(name, f"{image.width} × {image.height} decoded, {header.width} × {header.height} promised")
    return image


def _read_png(path: Path, name: str) -> Pixels:
    from imagecodecs import png_decode

    try:
        data: Pixels = png_decode(path.read_bytes())
    except (ValueError, RuntimeError) as error:
        raise damaged(name, str(error)) from error
    return data


def _read_lossy(path: Path, name: str, header: Header) -> Pixels:
    from imagecodecs import jpeg8_decode, webp_decode

    decode: Any = jpeg8_decode if header.format == "jpeg" else webp_decode
    if header.format == "jpeg" and len(header.channels) == 4:
        raise UnreadableImage(name, "is a four-ink (CMYK) JPEG.", "Export it as RGB or grey.")
    try:
        data: Pixels = decode(path.read_bytes())
    except (ValueError, RuntimeError) as error:
        raise damaged(name, str(error)) from error
    return data


def _read_openimageio(path: Path, name: str, header: Header) -> Pixels:
    import OpenImageIO as oiio

    # The number of reading threads is the caller's business, not the library's.
    reader = open_input(path, name, header.format)
    types: dict[str, Any] = {"u8": oiio.UINT8, "u16": oiio.UINT16, "f16": oiio.HALF, "f32": oiio.FLOAT}
    order = _channel_order(reader.spec().channelnames, len(header.channels))
    data = reader.read_image(types[header.sample])
    reason = reader.geterror()
    reader.close()
    if data is None or reason:
        raise damaged(name, reason.replace(str(path), name))
    pixels: Pixels = np.asarray(data, dtype=SAMPLE_DTYPES[header.sample])
    pixels = pixels[:, :, : len(header.channels)]
    return pixels[:, :, order] if order != list(range(len(order))) else pixels


def _channel_order(names: Any, count: int) -> list[int]:
    """OpenEXR stores channels by alphabet and layers by prefix: bring R, G, B, A to the front in that order."""
    last = [str(name).rsplit(".", 1)[-1].upper()[:1] for name in names]
    if count < 3 or len(set(last)) != count or not set(last) <= set("RGBA"):
        return list(range(count))
    return [last.index(letter) for letter in "RGBA"[:count]]
