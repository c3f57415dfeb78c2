"""The one way from stored samples to values and back.

Unsigned integers mean value / maximum, 0–1, and are written to the nearest level, halves up (Vulkan 1.3, "Conversion From
Normalized Fixed-Point to Floating-Point" and back); floats mean themselves.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from texelcore.pixels.image import SAMPLE_DTYPES, Pixels, Sample, defined


def top_of(dtype: np.dtype[Any] | type[Any]) -> int:
    """The stored value that means 1: an unsigned integer type's largest, 1 for floats."""
    known = np.dtype(dtype)
    return int(np.iinfo(known).max) if known.kind == "u" else 1


def as_values(stored: Pixels, dtype: type[Any] = np.float64) -> NDArray[Any]:
    """Stored samples of any shape as values of a float type; what is no number stays so."""
    top = top_of(stored.dtype)
    values = np.asarray(stored, dtype)
    return values if top == 1 else values / dtype(top)


def as_measured(stored: Pixels) -> NDArray[np.float32]:
    """Stored samples as float32 values for measuring: what is no number is 0, what is infinite the largest number."""
    values = as_values(stored, np.float32)
    return values if stored.dtype.kind == "u" else np.nan_to_num(values)


def as_stored(values: NDArray[Any], sample: Sample) -> Pixels:
    """Values as samples of a type: integers from 0–1, clipped, at the nearest level, halves up. What is no number becomes 0, and
    what is larger than a float type can hold its largest."""
    if sample in ("f16", "f32"):
        return defined(values, sample)
    dtype = SAMPLE_DTYPES[sample]
    # Values that are not numbers become 0: an engine would otherwise see black or white at random.
    clean = np.clip(np.nan_to_num(values, nan=0.0, posinf=1.0, neginf=0.0), 0.0, 1.0)
    return np.asarray(np.floor(clean * top_of(dtype) + 0.5), dtype)
