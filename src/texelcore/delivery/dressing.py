"""A variant's surface at the probes: what master and values make of a set, whatever its placement."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from texelcore.materials.dressing.evaluate import Sampler, evaluate
from texelcore.materials.sheets.document import Master, Variant
from texelcore.materials.sheets.typing import check_master
from texelcore.surface.properties import property_of

Floats = NDArray[np.float32]
DIGITS = 4


# A set's values at points, by property.
Values = Mapping[str, Sequence[Sequence[float]]]
# What is painted on a mesh for probes: nothing, each channel alone, all of them.
_PAINTED = np.array([[0, 0, 0, 0], [1, 0, 0, 0], [0, 1, 0, 0], [0, 0, 1, 0], [0, 0, 0, 1], [0.5, 0.5, 0.5, 0.5]], np.float32)


def surface_at(master: Master, variant: Variant, sets: Mapping[str, Values]) -> dict[str, Floats]:
    """A variant's surface at points, by property, (N,) or (N, 3). `sets` are the values of the set that each layer or free
    texture takes, by its name, at that set's points; as many as the fewest of them has are looked at. Wherever the master reads
    a texture, it reads those of the same point; vertex colours go through each channel in turn.

    Raises TexelError for a master that does not hold together, or values that it does not take.
    """
    count = min((len(held) for values in sets.values() for held in values.values()), default=1)
    bound = variant.sets(master)
    samplers = {}
    for texture in master.textures:
        free = bound[texture.name].property if not texture.layer and texture.name in bound else ""
        held = sets.get(texture.holder, {}).get(free or texture.property)
        wanted = len(property_of(texture.property).components)
        if held is not None and all(len(value) == wanted for value in held):
            samplers[texture.name] = _fixed(np.asarray(held[:count], np.float32).reshape(count, -1), wanted)
    painted = _PAINTED[np.arange(count) % len(_PAINTED)]
    mesh = {"vertex colour": painted[:, :3], "vertex alpha": painted[:, 3]}
    return evaluate(check_master(master), variant.values, samplers, np.full((count, 2), 0.5, np.float32), mesh)


def brightest_colour(master: Master, variant: Variant) -> float:
    """The largest component of base colour that a variant makes of white maps; 0 where its master makes none."""
    white: Values = {"base_colour": [[1.0, 1.0, 1.0]] * len(_PAINTED)}
    surface = surface_at(master, variant, dict.fromkeys(variant.sets(master), white))
    return float(surface["base_colour"].max(initial=0.0)) if "base_colour" in surface else 0.0


def means_of(surface: Mapping[str, Floats]) -> dict[str, tuple[float, ...]]:
    """The mean of each property of a surface: what a manifest says of a variant."""
    found = {}
    for key, values in sorted(surface.items()):
        mean = np.atleast_1d(values.reshape(len(values), -1).astype(np.float64).mean(axis=0))
        found[key] = tuple(round(float(part), DIGITS) for part in np.nan_to_num(mean))
    return found


def _fixed(values: Floats, components: int) -> Sampler:
    shown = values[:, 0] if components == 1 else values
    return lambda place: shown
