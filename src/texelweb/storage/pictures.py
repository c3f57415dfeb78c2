"""Pictures of stored files for eyes: whole, in tiles at 100 %, each channel alone. Kept by content."""

from __future__ import annotations

import json
from collections.abc import Mapping

from django.core.files.storage import default_storage

from texelcore.evidence.pictures import PictureKind, paint
from texelcore.pixels.display import channel_histograms, display, is_light, mean_blocks, shrink
from texelcore.pixels.image import Image
from texelcore.pixels.png import png_bytes
from texelweb.storage.blobs import put
from texelweb.storage.decoded import decoded

TILE = 512
# The longest edge of a picture by the name that the API gives the size.
EDGES = {"small": 96, "whole": 1024}
EVIDENCE_EDGE = 512


def whole_picture(sha256: str, suffix: str, view: str, size: str) -> bytes:
    """A PNG of the whole picture, at most EDGES[size] on an edge. Raises KeyError for a channel that is not there."""
    place = _place(sha256, view, size)
    if default_storage.exists(place):
        with default_storage.open(place) as file:
            return bytes(file.read())
    with decoded(sha256, suffix) as image:
        body = _small(image, view, size)
    put(place, body)
    return body


def tile_picture(sha256: str, suffix: str, view: str, column: int, row: int, level: int = 0, stops: float = 0.0) -> bytes:
    """A PNG of one tile of TILE² texels; at `level` n each is the mean of 2ⁿ × 2ⁿ stored ones.

    `stops` exposes the stored values, which may hold more than 8 bits can show. Raises KeyError for a channel, tile or level
    that is not there.
    """
    place = f"pictures/{sha256[:2]}/{sha256}-{view}-{level}-{column}-{row}.png"
    # Exposed ones are not kept: somebody only passes by them.
    kept = level > 0 and not stops
    if kept and default_storage.exists(place):
        with default_storage.open(place) as file:
            return bytes(file.read())
    with decoded(sha256, suffix) as image:
        if not 0 <= level <= top_level(image.width, image.height):
            raise KeyError("level")
        size = TILE << level
        top, left = row * size, column * size
        if not (0 <= top < image.height and 0 <= left < image.width):
            raise KeyError("tile")
        part = Image(image.data[top : top + size, left : left + size], image.channels)
        shown = display(part, view, is_light(image), stops)
        body = png_bytes(mean_blocks(shown, 1 << level) if level else shown)
    if kept:
        # Coarse tiles are dear to make and few; those at 100 % are quick, and there are many.
        put(place, body)
    return body


def top_level(width: int, height: int) -> int:
    """The level at which a picture fits one tile."""
    level = 0
    while max(width, height) > TILE << level:
        level += 1
    return level


def stored_texel(sha256: str, suffix: str, x: int, y: int) -> dict[str, float]:
    """The stored values of one texel by channel, integers as they are. Raises KeyError outside of the picture."""
    with decoded(sha256, suffix) as image:
        if not (0 <= x < image.width and 0 <= y < image.height):
            raise KeyError("texel")
        return {name: float(image.data[y, x, index]) for index, name in enumerate(image.channels)}


def histogram(sha256: str, suffix: str) -> dict[str, list[int]]:
    """How many texels lie in each of 256 even steps from 0 to the top (1 for floats), by channel; every texel counts."""
    place = f"pictures/{sha256[:2]}/{sha256}-histogram.json"
    if not default_storage.exists(place):
        with decoded(sha256, suffix) as image:
            put(place, json.dumps(channel_histograms(image)).encode())
    with default_storage.open(place) as file:
        counts: dict[str, list[int]] = json.loads(file.read())
        return counts


def evidence_picture(sha256: str, suffix: str, kind: PictureKind, channel: str | None = None) -> bytes:
    """An evidence picture as PNG. Raises KeyError for a picture that cannot give one, or that has no such channel."""
    place = f"pictures/{sha256[:2]}/{sha256}-evidence-{kind}{f'-{channel}' if channel else ''}.png"
    if not default_storage.exists(place):
        try:
            with decoded(sha256, suffix) as image:
                body = png_bytes(paint(image, kind, EVIDENCE_EDGE, channel))
            put(place, body)
        except ValueError as error:
            raise KeyError(kind) from error
    with default_storage.open(place) as file:
        return bytes(file.read())


def keep_small(sha256: str, small: Mapping[str, bytes]) -> None:
    """Keep the small pictures that the guarded look made, so that no ledger has to wait for them."""
    for view, body in small.items():
        put(_place(sha256, view, "small"), body)


def _small(image: Image, view: str, size: str) -> bytes:
    return png_bytes(shrink(display(image, view, is_light(image)), EDGES[size]))


def _place(sha256: str, view: str, size: str) -> str:
    return f"pictures/{sha256[:2]}/{sha256}-{view}-{size}.png"
