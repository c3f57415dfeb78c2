"""The maps of an output that come in other sizes, brought to its own before it is put together."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

from texelcore.building.plan import PlannedOutput, takes_of
from texelcore.building.recipe import Resampling
from texelcore.colour.srgb import to_linear
from texelcore.normals.rebuild import rebuild_z
from texelcore.pixels.image import Image
from texelcore.pixels.resample import is_two_valued, resample, resample_two_valued, resample_vectors
from texelcore.pixels.values import as_measured
from texelcore.surface.sources import Source

Floats = NDArray[np.float32]
# Maps at an output's size as linear values, (H, W, C), by their file and how they were resampled; normals as (n + 1) / 2.
Resized = Mapping[tuple[Source, Resampling], Floats]
# Below this in all three channels a normal map has no direction: texels of cut-outs are black.
_BLACK = -0.9


def resize_all(planned: PlannedOutput, images: Mapping[Source, Image], threads: int = 2) -> Resized:
    """Resample each source of an output that has another size, once for each way in which it is read."""
    wanted = dict.fromkeys((take.file, take.resampling) for channel in planned.channels for take in takes_of(channel.recipe))
    size = (planned.width, planned.height)
    return {(file, how): _resized(images[file], how, size, threads) for file, how in wanted if how}


def _read_as_meant(image: Image, how: Resampling) -> Floats:
    """A map's channels as linear values of its own size; a normal's as they are stored."""
    values = np.stack([as_measured(image.channel(channel)) for channel in how.channels], axis=-1)
    return np.asarray(to_linear(values.astype(np.float64)), np.float32) if how.encoding == "srgb" else values


def _resized(image: Image, how: Resampling, size: tuple[int, int], threads: int) -> Floats:
    values = _read_as_meant(image, how)
    if (image.width, image.height) == size:
        return values
    if how.meant == "direction":
        return _turned(values, how, size, threads)
    if how.meant == "mask" and is_two_valued(values):
        return resample_two_valued(values, *size, threads)
    return resample(values, *size, how.filter, threads)


def _turned(values: Floats, how: Resampling, size: tuple[int, int], threads: int) -> Floats:
    vectors = values * 2 - 1
    if vectors.shape[2] == 2:
        x, y = (vectors[..., place].astype(np.float64) for place in (0, 1))
        vectors = np.concatenate([vectors, rebuild_z(x, y)[..., None].astype(np.float32)], axis=-1)
    else:
        vectors[(vectors < _BLACK).all(axis=2)] = 0
    made = resample_vectors(vectors, *size, how.filter, threads)
    return made[:, :, : len(how.channels)] * np.float32(0.5) + np.float32(0.5)
