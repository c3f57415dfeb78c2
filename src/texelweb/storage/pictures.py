"""Pictures of stored files for eyes: whole, in tiles at 100 %, each channel alone. Kept by content."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Mapping
from threading import Lock

from django.core.files.storage import default_storage

from texelcore.pixels.display import display, is_light, shrink
from texelcore.pixels.image import Image
from texelcore.pixels.png import png_bytes
from texelcore.pixels.read import read
from texelweb.storage.blobs import local_file, put
from texelweb.storage.models import place_of

TILE = 512
# The longest edge of a picture by the name that the API gives the size.
EDGES = {"small": 96, "whole": 1024}
# Decoded pictures that one server process keeps at hand, for tiles: one 8192² picture, or a dozen of 2048².
MOST_BYTES_KEPT = 256 * 1024**2
_recent: OrderedDict[str, Image] = OrderedDict()
_lock = Lock()


def whole_picture(sha256: str, suffix: str, view: str, size: str) -> bytes:
    """A PNG of the whole picture, at most EDGES[size] on an edge. Raises KeyError for a channel that is not there."""
    place = _place(sha256, view, size)
    if default_storage.exists(place):
        with default_storage.open(place) as file:
            return bytes(file.read())
    body = _small(_decoded(sha256, suffix), view, size)
    put(place, body)
    return body


def tile_picture(sha256: str, suffix: str, view: str, column: int, row: int) -> bytes:
    """A PNG of one tile of TILE² texels at 100 %. Raises KeyError for a channel or tile that is not there."""
    image = _decoded(sha256, suffix)
    top, left = row * TILE, column * TILE
    if not (0 <= top < image.height and 0 <= left < image.width):
        raise KeyError("tile")
    part = Image(image.data[top : top + TILE, left : left + TILE], image.channels)
    return png_bytes(display(part, view, is_light(image)))


def keep_small(sha256: str, small: Mapping[str, bytes]) -> None:
    """Keep the small pictures that the guarded look made, so that no ledger has to wait for them."""
    for view, body in small.items():
        put(_place(sha256, view, "small"), body)


def _small(image: Image, view: str, size: str) -> bytes:
    return png_bytes(shrink(display(image, view, is_light(image)), EDGES[size]))


def _place(sha256: str, view: str, size: str) -> str:
    return f"pictures/{sha256[:2]}/{sha256}-{view}-{size}.png"


def _decoded(sha256: str, suffix: str) -> Image:
    """A stored picture, from the last few looked at where it is among them.

    Every stored file has been decoded under guard before, by the same reader.
    """
    with _lock:
        if sha256 in _recent:
            _recent.move_to_end(sha256)
            return _recent[sha256]
    with local_file(place_of(sha256)) as path:
        image = read(path, f"picture{suffix}")
    with _lock:
        _recent[sha256] = image
        while len(_recent) > 1 and sum(kept.data.nbytes for kept in _recent.values()) > MOST_BYTES_KEPT:
            _recent.popitem(last=False)
    return image
