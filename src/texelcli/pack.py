"""`fairtexel pack`: greyscale maps into the channels of one texture, as they are."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Literal

import numpy as np

from texelcore.pixels.errors import TexelError
from texelcore.pixels.image import Image, Pixels
from texelcore.pixels.read import read
from texelcore.pixels.strips import StripSource
from texelcore.pixels.write import SAMPLES, SUFFIXES, write

LAYOUTS = ("RGB", "RGBA")


def pack(assignments: list[str], out: Path, encoding: Literal["srgb", "linear"] = "linear") -> None:
    """Write `out` (PNG, TGA, TIFF or OpenEXR by suffix) from assignments such as "R=ao.png" or "G=scan.tga:B".

    A file without a channel gives its first. All files must have one size and one sample type.
    Raises TexelError for a wrong assignment, differing sizes or a format that cannot store the samples.
    """
    wanted = dict(_parse(text) for text in assignments)
    layout = next((name for name in LAYOUTS if set(name) == set(wanted)), None)
    if layout is None or len(wanted) != len(assignments):
        raise TexelError(" ".join(assignments), "do not fill R, G and B (and A) once each.", "Say R=FILE G=FILE B=FILE [A=FILE].")
    file_format = next((kind for kind, suffix in SUFFIXES.items() if suffix == out.suffix.lower()), None)
    if file_format is None:
        raise TexelError(out.name, "has an ending that cannot be written.", f"Known endings: {' '.join(SUFFIXES.values())}.")
    paths = list(dict.fromkeys(path for path, _ in wanted.values()))
    with ThreadPoolExecutor(len(paths)) as pool:
        images = dict(zip(paths, pool.map(read, paths), strict=True))
    first = images[paths[0]]
    for path, image in images.items():
        if (image.width, image.height, image.sample) != (first.width, first.height, first.sample):
            problem = f"is {_describe(image)}, but {paths[0].name} is {_describe(first)}."
            raise TexelError(path.name, problem, "Export them at one size and depth.")
    if first.sample not in SAMPLES[file_format]:
        raise TexelError(out.name, f"cannot store {first.sample} samples.", "Choose another ending.")
    planes = [_channel(images[wanted[name][0]], wanted[name][1], wanted[name][0]) for name in layout]

    def rows(start: int, stop: int) -> Pixels:
        strip = np.empty((stop - start, first.width, len(planes)), first.data.dtype)
        for index, plane in enumerate(planes):
            strip[:, :, index] = plane[start:stop]
        return strip

    write(StripSource(first.width, first.height, len(planes), first.sample, rows), file_format, encoding, out)


def _parse(text: str) -> tuple[str, tuple[Path, str | None]]:
    channel, _, source = text.partition("=")
    path, colon, part = source.rpartition(":")
    named = colon == ":" and part in ("R", "G", "B", "A", "Y")
    file = Path(path if named else source)
    if channel not in ("R", "G", "B", "A") or not file.is_file():
        raise TexelError(text, "is not CHANNEL=FILE with an existing file.", "Say for example R=ao.png or G=scan.tga:B.")
    return channel, (file, part if named else None)


def _channel(image: Image, name: str | None, path: Path) -> Pixels:
    try:
        return image.channel(name or image.channels[0])
    except KeyError:
        raise TexelError(path.name, f"has no channel {name}.", f"It has {', '.join(image.channels)}.") from None


def _describe(image: Image) -> str:
    return f"{image.width} × {image.height} {image.sample}"
