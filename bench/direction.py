"""The direction of normal maps of 4096² and 8192²: its seconds beside decoding the same file and one gradient over it."""

from __future__ import annotations

import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
from PIL import Image as Pillow

from texelcore.evidence.direction import normal_direction
from texelcore.evidence.look import look
from texelcore.pixels.read import read
from texeldemo.export import normal_levels
from texeldemo.tidewheel import barnacle_stone

Pillow.MAX_IMAGE_PIXELS = None
ROUNDS = 3


def best(work: Callable[[], object]) -> float:
    """The best of a few rounds, in seconds."""
    taken = []
    for _ in range(ROUNDS):
        begun = time.perf_counter()
        work()
        taken.append(time.perf_counter() - begun)
    return min(taken)


def main() -> None:
    """Measure and print one table."""
    stored = normal_levels(barnacle_stone(1024), -1.0)
    print("| size | direction | × decoding by Pillow | × one NumPy gradient of both channels | all evidence |")
    print("| --- | --- | --- | --- | --- |")
    with tempfile.TemporaryDirectory() as folder:
        for times in (4, 8):
            place = Path(folder) / f"{times}.png"
            Pillow.fromarray(np.tile(stored, (times, times, 1))).save(place, compress_level=1)
            image = read(place)
            assert normal_direction(image).answer == "-Y"
            direction = best(lambda image=image: normal_direction(image))  # type: ignore[misc]
            decoding = best(lambda place=place: Pillow.open(place).load())  # type: ignore[misc]
            values = image.data[:, :, :2].astype(np.float32)
            gradient = best(lambda values=values: np.gradient(values, axis=(0, 1)))  # type: ignore[misc]
            everything = best(lambda image=image: look(image))  # type: ignore[misc]
            print(
                f"| {image.width}² | {direction:.2f} s | {direction / decoding:.2f} | {direction / gradient:.2f}"
                f" | {everything:.2f} s |"
            )


if __name__ == "__main__":
    main()
