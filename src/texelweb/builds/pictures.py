"""Pictures of stored files for the well: whole, in tiles at 100 %, each channel alone. Cached by content."""

from __future__ import annotations

import io
from functools import lru_cache

from django.core.files.base import ContentFile
from django.core.files.storage import default_storage

from texelcore.pixels.display import display, shrink
from texelcore.pixels.image import Image, Pixels
from texelcore.pixels.png import write_png
from texelcore.pixels.read import read
from texelcore.pixels.strips import of_image
from texelweb.storage.blobs import local_file
from texelweb.storage.models import place_of

TILE = 512
WHOLE_SIZES = (96, 1024)


def whole_picture(sha256: str, suffix: str, view: str, longest: int, linear_colour: bool) -> bytes:
    """A PNG of the whole picture, at most `longest` on an edge. Raises KeyError for a channel that is not there."""
    place = f"pictures/{sha256[:2]}/{sha256}-{view}-{longest}-{int(linear_colour)}.png"
    if default_storage.exists(place):
        with default_storage.open(place) as file:
            return bytes(file.read())
    body = _png(shrink(display(_decoded(sha256, suffix), view, linear_colour), longest))
    if not default_storage.exists(place):
        default_storage.save(place, ContentFile(body))
    return body


def tile_picture(sha256: str, suffix: str, view: str, column: int, row: int, linear_colour: bool) -> bytes:
    """A PNG of one tile of TILE² texels at 100 %. Raises KeyError for a channel or tile that is not there."""
    image = _decoded(sha256, suffix)
    top, left = row * TILE, column * TILE
    if not (0 <= top < image.height and 0 <= left < image.width):
        raise KeyError("tile")
    part = Image(image.data[top : top + TILE, left : left + TILE], image.channels)
    return _png(display(part, view, linear_colour))


@lru_cache(maxsize=3)
def _decoded(sha256: str, suffix: str) -> Image:
    """The last few pictures looked at. Every stored file has been decoded under guard before, by the same reader."""
    with local_file(place_of(sha256)) as path:
        return read(path, f"picture{suffix}")


def _png(pixels: Pixels) -> bytes:
    file = io.BytesIO()
    write_png(of_image(Image.of(pixels)), file, "srgb")
    return file.getvalue()
