"""Dithering: values stored with fewer levels than they have, so that their mean is kept and no bands appear."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from texelcore.pixels.image import SAMPLE_DTYPES, Pixels, Sample
from texelcore.pixels.values import as_stored, top_of

# One over the plastic number and its square, as fractions of 2³² (Roberts' R2 sequence; from memory): over any patch of texels
# the thresholds cover 0–1 evenly, so that the mean is kept there. Whole numbers, so that bytes are the same on every machine.
_ALONG, _DOWN = 3242174889, 2447445414
# Channels get thresholds of their own, or they would all be rounded up at the same texels.
_APART = 2654435769
_WHOLE = 1 << 32


def thresholds(start: int, stop: int, width: int, channel: int) -> NDArray[np.float64]:
    """The thresholds (0–1, both excluded) of rows `start` to `stop` of one channel of a picture, by the places of its texels."""
    rows = np.arange(start, stop, dtype=np.uint64)[:, None] * np.uint64(_DOWN)
    columns = np.arange(width, dtype=np.uint64)[None, :] * np.uint64(_ALONG)
    turned = (rows + columns + np.uint64(channel * _APART)) % np.uint64(_WHOLE)
    return (turned.astype(np.float64) + 0.5) / _WHOLE


def as_dithered(values: NDArray[Any], sample: Sample, start: int, channel: int) -> Pixels:
    """(rows, width) values as samples of an unsigned integer type: at one of the two nearest levels, the higher one as often as
    the value lies near it. `start` is the first row's place in the picture. Floats are stored as they are."""
    if sample in ("f16", "f32"):
        return as_stored(values, sample)
    dtype = SAMPLE_DTYPES[sample]
    clean = np.clip(np.nan_to_num(values, nan=0.0, posinf=1.0, neginf=0.0), 0.0, 1.0) * top_of(dtype)
    spread = thresholds(start, start + values.shape[0], values.shape[1], channel)
    # A value that is a level, but for the last bits of its float, stays what it is.
    near = np.round(clean)
    exact = np.abs(clean - near) < 1e-6
    return np.asarray(np.where(exact, near, np.floor(clean + spread)), dtype)
