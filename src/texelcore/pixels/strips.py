"""Work in strips: a picture is produced, filtered and written a few rows at a time."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any

import numpy as np

from texelcore.pixels.image import SAMPLE_DTYPES, Image, Pixels, Sample

STRIP_TEXELS = 1 << 19
# Of a strip that is measured: what is made of it in floats then stays in the processor's caches.
MEASURED_TEXELS = 1 << 15
# How many rows of a picture have been written, from the top.
Written = Callable[[int], None]


@dataclass(frozen=True)
class StripSource:
    """A picture that can be asked for any run of rows: `rows(y0, y1)` gives a (y1 − y0, width, channels) array.

    `rows` must be safe to call from several threads at once and give the same answer each time.
    """

    width: int
    height: int
    channels: int
    sample: Sample
    rows: Callable[[int, int], Pixels]

    @property
    def dtype(self) -> np.dtype[Any]:
        """The NumPy type of the samples."""
        return np.dtype(SAMPLE_DTYPES[self.sample])


def of_image(image: Image) -> StripSource:
    """An image in memory as a source of strips."""
    return StripSource(image.width, image.height, len(image.channels), image.sample, lambda y0, y1: image.data[y0:y1])


def strip_ranges(width: int, height: int, texels: int = STRIP_TEXELS) -> Iterator[tuple[int, int]]:
    """Row ranges of about so many texels each. They depend on the size alone, so that bytes never depend on the machine."""
    step = max(1, texels // max(1, width))
    for start in range(0, height, step):
        yield start, min(height, start + step)
