"""The masters that ship, each a function that writes its sheet; a new one is a line here.

A version that was shipped is never changed: what a master becomes gets the next number.
"""

from __future__ import annotations

from collections.abc import Callable

from texelcore.materials.sheets.document import Master
from texelcore.materials.shipped import grounds, layered, surfaces

WRITTEN: tuple[Callable[[], Master], ...] = (
    surfaces.solid_surface,
    surfaces.cut_out,
    surfaces.see_through,
    surfaces.emissive_fixture,
    surfaces.cloth,
    surfaces.wet_surface,
    surfaces.decal,
    layered.two_layer_ground,
    layered.four_layers,
    layered.height_blended_ground,
    layered.painted_metal,
    grounds.large_ground,
    grounds.terrain,
)
