"""BC7 with mips: ours on two cores against etcpak called by itself on one, on the same levels, in turns, best of rounds."""

from __future__ import annotations

import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import etcpak
import numpy as np

from texelcore.codecs.mips import mip_levels
from texelcore.codecs.texture import encode
from texelcore.codecs.workers import Workers
from texelcore.pixels.image import Image
from texelcore.pixels.read import read
from texelcore.surface.storage import Storage
from texeldemo.export import export_world

ROUNDS = int(sys.argv[1]) if len(sys.argv) > 1 else 3
KINDS = ("srgb", "srgb", "srgb")


def seconds_of(work: Callable[[], object]) -> float:
    """Seconds that one call takes."""
    begun = time.perf_counter()
    work()
    return time.perf_counter() - begun


def demo_map() -> Image:
    """The moss bed's base colour at 2048², which the demo world has."""
    with tempfile.TemporaryDirectory() as folder:
        export_world(Path(folder), 1024)
        paths = [path for path in Path(folder).rglob("moss_bed*") if path.is_file() and "diff" in path.name.lower()]
        paths += [path for path in Path(folder).rglob("moss_bed*") if path.is_file() and "col" in path.name.lower()]
        return read(paths[0])


def main() -> None:
    """Measure and print one table."""
    image = demo_map()
    levels = [
        np.ascontiguousarray(np.dstack([level, np.full(level.shape[:2], 255, np.uint8)]))
        for level in mip_levels(image.data, KINDS)
        if min(level.shape[:2]) >= 4
    ]
    options = etcpak.BC7CompressBlockParams()
    options.init_perceptual_weights()
    alone, ours, first = [], [], []

    def library() -> None:
        for level in levels:
            etcpak.compress_bc7(level.tobytes(), level.shape[1], level.shape[0], options)

    with Workers(2) as warm:
        encode(Image.of(image.data[:64, :64]), Storage(format="bc7"), KINDS, warm)
        encode(image, Storage(format="bc7"), KINDS, warm)
        for _ in range(ROUNDS):
            alone.append(seconds_of(library))
            ours.append(seconds_of(lambda: encode(image, Storage(format="bc7", srgb=True), KINDS, warm)))
            with Workers(2) as cold:
                first.append(seconds_of(lambda cold=cold: encode(image, Storage(format="bc7", srgb=True), KINDS, cold)))
    texels = sum(level.shape[0] * level.shape[1] for level in levels) / 1e6
    print(f"BC7, {image.width} × {image.height} with mips, {texels:.2f} megatexels, best of {ROUNDS}")
    for name, seconds in (("etcpak alone, one core, levels given", alone), ("ours, two processes, levels made", ours)):
        print(f"| {name} | {min(seconds):.2f} s | {texels / min(seconds):.2f} Mtexel/s | {min(alone) / min(seconds):.2f} × |")
    print(f"| ours, starting the processes too | {min(first):.2f} s | | {min(alone) / min(first):.2f} × |")


if __name__ == "__main__":
    main()
