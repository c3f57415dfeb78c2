"""Resampling: pictures brought to another size, in the meaning of their values: by OpenImageIO's filters where both edges change
alike, and by the same filters, one axis after the other, where they do not. There OpenImageIO 3.2 cuts the filter of the edge
that grows more, and takes minutes for a strip of a few texels."""

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
    rows, columns = values.shape[:2]
    if width * rows != height * columns:
        return _by_axes(np.asarray(values, np.float32), width, height, filter)
    import OpenImageIO as oiio

    source = oiio.ImageBuf(np.ascontiguousarray(values, dtype=np.float32))
    roi = oiio.ROI(0, width, 0, height, 0, 1, 0, values.shape[2])
    made = oiio.ImageBufAlgo.resize(source, filtername=_NAMES[filter], filterwidth=0.0, roi=roi, nthreads=threads)
    if made.has_error:
        raise ValueError(made.geterror())
    return np.asarray(made.get_pixels(oiio.FLOAT), dtype=np.float32)


def _by_axes(values: Floats, width: int, height: int, filter: Filter) -> Floats:
    """The same for edges that change by different factors. The one that shrinks goes first: there is less left for the other."""
    edges = sorted(((0, height), (1, width)), key=lambda edge: edge[1] / values.shape[edge[0]])
    for axis, count in edges:
        lines = np.ascontiguousarray(np.moveaxis(values, axis, 0))
        made = _weights(lines.shape[0], count, filter) @ lines.reshape(lines.shape[0], -1)
        values = np.moveaxis(made.reshape(count, *lines.shape[1:]), 0, axis)
    return np.ascontiguousarray(values)


def _weights(length: int, count: int, filter: Filter) -> Any:
    """How much each of `length` texels gives to each of `count`, as a sparse (count, length): the filter is as wide as the larger
    of both texels, its weights have the sum 1, and edges are repeated."""
    from scipy.sparse import csr_array

    kernel, radius = _KERNELS[filter]
    stretch = max(1.0, length / count)
    centre = (np.arange(count) + 0.5) * length / count - 0.5
    first = np.floor(centre - radius * stretch).astype(np.int64)
    places = first[:, None] + np.arange(int(np.ceil(2 * radius * stretch)) + 2)
    weights = kernel((places - centre[:, None]) / stretch)
    weights /= weights.sum(axis=1, keepdims=True)
    starts = np.arange(count + 1) * places.shape[1]
    held = (weights.astype(np.float32).ravel(), np.clip(places, 0, length - 1).ravel(), starts)
    return csr_array(held, shape=(count, length))


def _box(x: NDArray[np.float64]) -> NDArray[np.float64]:
    return (np.abs(x) <= 0.5 + 1e-9).astype(np.float64)


def _mitchell(x: NDArray[np.float64]) -> NDArray[np.float64]:
    """Mitchell and Netravali, "Reconstruction Filters in Computer Graphics" (1988), B = C = 1/3."""
    x = np.abs(x)
    near = (7 * x**3 - 12 * x**2 + 16 / 3) / 6
    far = (-7 / 3 * x**3 + 12 * x**2 - 20 * x + 32 / 3) / 6
    return np.where(x < 1, near, np.where(x < 2, far, 0.0))


def _lanczos(x: NDArray[np.float64]) -> NDArray[np.float64]:
    """Duchon, "Lanczos Filtering in One and Two Dimensions" (1979), three lobes."""
    return np.where(np.abs(x) < 3, np.sinc(x) * np.sinc(x / 3), 0.0)


# With how many texels of the larger size each reaches to either side.
_KERNELS: dict[Filter, tuple[Any, float]] = {"box": (_box, 0.5), "mitchell": (_mitchell, 2.0), "lanczos": (_lanczos, 3.0)}


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
