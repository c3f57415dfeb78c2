"""Built outputs as the textures of a master: canonical values again, whatever the target did to them."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

from texelcore.colour.srgb import to_linear
from texelcore.materials.dressing.binding import Bindings, Bound
from texelcore.materials.dressing.evaluate import Sampler, picture_sampler
from texelcore.materials.sheets.document import Master
from texelcore.normals.rebuild import unit_vectors
from texelcore.pixels.image import Image, Pixels
from texelcore.pixels.values import as_values, top_of
from texelcore.surface.properties import property_of
from texelcore.targets.document import Target

Floats = NDArray[np.float32]


def samplers_of(
    master: Master, bindings: Bindings, images: Mapping[str, Mapping[str, Image]], target: Target
) -> dict[str, Sampler]:
    """A sampler for each bound texture input, from the built outputs (before blocks) by key, of the set that each layer or free
    texture takes, by its name.

    Inputs whose output or channel is not among the images are left out.
    """
    # What masks of sets become beyond a target's own outputs is never sRGB.
    srgb = {output.key for output in target.outputs if output.encoding == "srgb"}
    found = {}
    for texture in master.textures:
        bound = bindings.get(texture.name)
        image = images.get(bound.holder, {}).get(bound.output) if bound else None
        if bound and image and all(name in image.channels for name in _names(image, bound)):
            found[texture.name] = _sampler(image, bound, texture.property, bound.output in srgb)
    return found


def _names(image: Image, bound: Bound) -> list[str]:
    """The image's channels that a binding reads: a grey image has its red under another name."""
    return ["Y" if channel == "R" and "Y" in image.channels else channel for channel in bound.channels]


def _sampler(image: Image, bound: Bound, key: str, srgb: bool) -> Sampler:
    planes = [_plane(image.channel(name), srgb and property_of(key).colour) for name in _names(image, bound)]
    if key == "normal":
        return _normal_sampler(np.stack(planes, axis=-1), bound.down)
    components = len(property_of(key).components)
    if components == 1:
        return picture_sampler(1 - planes[0] if bound.inverted else planes[0])
    return picture_sampler(np.stack(planes if len(planes) == components else planes * components, axis=-1))


def _normal_sampler(stored: Floats, down: bool) -> Sampler:
    """Stored values are blended first and become a direction afterwards, in the order in which a GPU does it."""
    blended = picture_sampler(stored)
    turned = np.array([1.0, -1.0 if down else 1.0, 1.0], np.float32)
    return lambda place: np.asarray(unit_vectors(blended(place).astype(np.float64)) * turned, np.float32)


def _plane(values: Pixels, srgb: bool) -> Floats:
    if values.dtype.kind != "u":
        return values.astype(np.float32)
    table = as_values(np.arange(top_of(values.dtype) + 1, dtype=values.dtype))
    return np.asarray(np.take((to_linear(table) if srgb else table).astype(np.float32), values))
