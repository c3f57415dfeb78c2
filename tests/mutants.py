"""Files that were spoiled by a seeded generator: cut, overwritten, lengthened, with wrong claims, in ten formats."""

from __future__ import annotations

import io
import random
import struct
from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np
from imagecodecs import webp_encode
from PIL import Image as Pillow

from texelcore.pixels.image import Image
from texelcore.pixels.strips import of_image
from texelcore.pixels.write import FileFormat, write

EDGE = 24


def whole_files(folder: Path) -> dict[str, bytes]:
    """A good file of each format, by its name."""
    rng = np.random.default_rng(11)
    noise = rng.random((EDGE, EDGE, 4))
    eight = (noise * 255).astype(np.uint8)
    kinds: dict[str, tuple[FileFormat, np.ndarray]] = {
        "eight.png": ("png", eight),
        "sixteen.png": ("png", (noise[..., :1] * 65535).astype(np.uint16)),
        "run.tga": ("tga", eight[..., :3]),
        "deep.tif": ("tiff", (noise[..., :3] * 65535).astype(np.uint16)),
        "half.exr": ("exr", noise[..., :3].astype(np.float16)),
        "float.exr": ("exr", noise[..., :1].astype(np.float32)),
    }
    files = {}
    for name, (kind, pixels) in kinds.items():
        write(of_image(Image.of(pixels)), kind, "linear", folder / name)
        files[name] = (folder / name).read_bytes()
        (folder / name).unlink()
    picture = Pillow.fromarray(eight[..., :3])
    files["palette.png"] = _saved(picture.quantize(16), "PNG")
    files["plain.jpg"] = _saved(picture, "JPEG")
    files["in_scans.jpg"] = _saved(picture, "JPEG", progressive=True)
    files["small.webp"] = webp_encode(eight, lossless=True)
    return files


def mutants(folder: Path, each: int, seed: int = 2026) -> Iterator[tuple[str, bytes]]:
    """`each` spoiled files of every format; `folder` is used for a moment. The same seed gives the same files."""
    rng = random.Random(seed)
    for name, whole in sorted(whole_files(folder).items()):
        for number in range(each):
            spoil = _WAYS[number % len(_WAYS)]
            yield f"{number:02d}_{name}", spoil(rng, whole)


def _saved(picture: Pillow.Image, kind: str, **options: bool) -> bytes:
    file = io.BytesIO()
    picture.save(file, kind, **options)
    return file.getvalue()


def _cut(rng: random.Random, whole: bytes) -> bytes:
    return whole[: rng.randrange(1, len(whole))]


def _head(rng: random.Random, whole: bytes) -> bytes:
    """Some bytes of what comes first, where formats keep their claims."""
    return _overwritten(rng, whole, min(len(whole), 400), rng.randint(1, 4))


def _anywhere(rng: random.Random, whole: bytes) -> bytes:
    return _overwritten(rng, whole, len(whole), rng.randint(1, 12))


def _overwritten(rng: random.Random, whole: bytes, before: int, count: int) -> bytes:
    body = bytearray(whole)
    for _ in range(count):
        body[rng.randrange(before)] = rng.choice((0, 0x7F, 0xFE, 0xFF, rng.randrange(256)))
    return bytes(body)


def _zeros(rng: random.Random, whole: bytes) -> bytes:
    at = rng.randrange(len(whole))
    return whole[:at] + bytes(rng.randrange(1, 200)) + whole[at:]


def _claims(rng: random.Random, whole: bytes) -> bytes:
    """The picture's edge, wherever it stands as two or four bytes, becomes another."""
    other = rng.choice((0, 1, EDGE * 2, 4000, 40000))
    order, width = rng.choice((">H", "<H", ">I", "<I")), EDGE
    return whole.replace(struct.pack(order, width), struct.pack(order, other), rng.randint(1, 2))


def _twice(rng: random.Random, whole: bytes) -> bytes:
    return whole + whole[rng.randrange(len(whole)) :]


_WAYS: tuple[Callable[[random.Random, bytes], bytes], ...] = (_cut, _head, _anywhere, _zeros, _claims, _twice)
