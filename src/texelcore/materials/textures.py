"""Built outputs as the textures of a master: canonical values again, whatever the target did to them."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

from texelcore.colour.srgb import to_linear
from texelcore.materials.binding import Bindings, Bound
from texelcore.materials.document import Master
from texelcore.materials.evaluate import Sampler, picture_sampler
from texelcore.normals.rebuild import unit_vectors
from texelcore.pixels.image import Image, Pixels
from texelcore.surface.properties import property_of
from texelcore.targets.document import Target

Floats = NDArray[np.float32]


def samplers_of(master: Master, bindings: Bindings, images: Mapping[str, Image], target: Target) -> dict[str, Sampler]:
    """A sampler for each bound texture input, from the built outputs (before blocks) by key."""
    encodings = {output.key: output.encoding for output in target.outputs}
    found = {}
    for entry in master.textures:
        bound = bindings.get(entry.name)
        if bound and bound.output in images:
            picture = canonical_picture(images[bound.output], bound, entry.property, encodings[bound.output])
            found[entry.name] = picture_sampler(picture)
    return found


def canonical_picture(image: Image, bound: Bound, key: str, encoding: str) -> Floats:
    """One input's canonical values as (H, W) or (H, W, 3)."""
    names = ["Y" if channel == "R" and "Y" in image.channels else channel for channel in bound.channels]
    if key == "normal" and len(names) == 2 and "B" in image.channels:
        names.append("B")
    components = len(property_of(key).components)
    planes = [_plane(image.channel(name), encoding == "srgb" and property_of(key).colour) for name in names]
    if components == 1:
        return 1 - planes[0] if bound.inverted else planes[0]
    stacked = np.stack(planes if len(planes) == components else planes * components, axis=-1)
    if key == "normal":
        vectors = unit_vectors(stacked.astype(np.float64)).astype(np.float32)
        return vectors * np.array([1.0, -1.0 if bound.down else 1.0, 1.0], np.float32)
    return stacked


def _plane(values: Pixels, srgb: bool) -> Floats:
    if values.dtype.kind != "u":
        return values.astype(np.float32)
    top = np.iinfo(values.dtype).max
    table = np.arange(top + 1) / top
    return np.asarray(np.take((to_linear(table) if srgb else table).astype(np.float32), values))
