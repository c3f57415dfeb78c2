"""The one image type: pixels as they are stored, with the names of their channels."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

Pixels = NDArray[Any]
Sample = Literal["u8", "u16", "f16", "f32"]

CHANNEL_NAMES: dict[int, tuple[str, ...]] = {1: ("Y",), 2: ("Y", "A"), 3: ("R", "G", "B"), 4: ("R", "G", "B", "A")}
SAMPLE_DTYPES: dict[Sample, type[Any]] = {"u8": np.uint8, "u16": np.uint16, "f16": np.float16, "f32": np.float32}


def sample_of(dtype: np.dtype[Any]) -> Sample:
    """The sample name of a NumPy type. Raises KeyError for a type that no image has."""
    return {"uint8": "u8", "uint16": "u16", "float16": "f16", "float32": "f32"}[dtype.name]  # type: ignore[return-value]


# The largest value that a half can hold (IEEE 754 binary16).
LARGEST_HALF = 65504.0


def defined(values: Pixels, sample: Sample) -> Pixels:
    """Floats as a float sample type may store them: what is no number becomes 0, and what is too large the type's largest."""
    largest = LARGEST_HALF if sample == "f16" else float(np.finfo(np.float32).max)
    clean = np.nan_to_num(values, nan=0.0, posinf=largest, neginf=-largest)
    return np.asarray(np.clip(clean, -largest, largest), SAMPLE_DTYPES[sample])


@dataclass(frozen=True)
class Image:
    """Pixels as stored: `data` is (height, width, channels) of uint8, uint16, float16 or float32.

    Integers mean value / maximum in 0–1; floats mean themselves. Alpha is never multiplied in.
    """

    data: Pixels
    channels: tuple[str, ...]

    @classmethod
    def of(cls, data: Pixels) -> Image:
        """Wrap an (H, W) or (H, W, C) array; channels are named by their count. Raises KeyError beyond four."""
        shaped = data[:, :, None] if data.ndim == 2 else data
        return cls(shaped, CHANNEL_NAMES[shaped.shape[2]])

    @property
    def height(self) -> int:
        """Rows of texels."""
        return int(self.data.shape[0])

    @property
    def width(self) -> int:
        """Texels in a row."""
        return int(self.data.shape[1])

    def measurable(self) -> Image:
        """The image itself, or for floats one whose values are all numbers that a half can hold, so that measures are numbers."""
        if self.data.dtype.kind == "u" or bool(np.all(np.abs(self.data) <= LARGEST_HALF)):
            return self
        return Image(np.clip(np.nan_to_num(self.data, nan=0.0), -LARGEST_HALF, LARGEST_HALF), self.channels)

    @property
    def sample(self) -> Sample:
        """The stored sample type."""
        return sample_of(self.data.dtype)

    def channel(self, name: str) -> Pixels:
        """One channel as an (H, W) view. Raises KeyError when the image has no channel of this name."""
        if name not in self.channels:
            raise KeyError(name)
        return self.data[:, :, self.channels.index(name)]
