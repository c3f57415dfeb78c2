"""Resampling: pictures brought to another size by OpenImageIO's filters, in the meaning of their values."""

from __future__ import annotations

from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

Filter = Literal["box", "mitchell", "lanczos"]
FILTER_WORDS: dict[Filter, str] = {"box": "box", "mitchell": "Mitchell", "lanczos": "Lanczos"}
_NAMES: dict[Filter, str] = {"box": "box", "mitchell": "mitchell", "lanczos": "lanczos3"}
Floats = NDArray[np.float32]


def resample(values: NDArray[Any], width: int, height: int, filter: Filter, threads: int = 2) -> Floats:
    """Bring (H, W, C) values to `width` × `height`. They are taken as numbers that may be added: light, not sRGB.

    Filters that sharpen (Mitchell, Lanczos) may answer with values a little beyond those that came in.
    """
    import OpenImageIO as oiio

    source = oiio.ImageBuf(np.ascontiguousarray(values, dtype=np.float32))
    roi = oiio.ROI(0, width, 0, height, 0, 1, 0, values.shape[2])
    made = oiio.ImageBufAlgo.resize(source, filtername=_NAMES[filter], filterwidth=0.0, roi=roi, nthreads=threads)
    if made.has_error:
        raise ValueError(made.geterror())
    return np.asarray(made.get_pixels(oiio.FLOAT), dtype=np.float32)


def resample_vectors(vectors: NDArray[Any], width: int, height: int, filter: Filter, threads: int = 2) -> Floats:
    """Bring (H, W, 3) directions to another size and to unit length again; those that cancel each other point straight up."""
    turned = resample(vectors, width, height, filter, threads)
    length = np.sqrt((turned * turned).sum(axis=2, keepdims=True))
    up = np.array([0.0, 0.0, 1.0], np.float32)
    return np.where(length > 1e-6, turned / np.maximum(length, 1e-6), up)


def resample_two_valued(values: NDArray[Any], width: int, height: int, threads: int = 2) -> Floats:
    """Bring (H, W, 1) values, of which there are two, to another size by majority: each texel gets the value that covers more of
    it, the larger one where both cover half."""
    low, high = np.float32(values.min()), np.float32(values.max())
    share = resample(np.asarray(values == values.max(), np.float32), width, height, "box", threads)
    # A hair less than half: rounding must not decide a tie.
    return np.where(share >= np.float32(0.5 - 1e-6), high, low)


def is_two_valued(values: NDArray[Any]) -> bool:
    """Whether an array holds at most two different values."""
    return bool(((values == values.min()) | (values == values.max())).all())
