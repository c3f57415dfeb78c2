"""Kinds of what flows along strands: what each property of a surface takes, and what reading a texture gives."""

from __future__ import annotations

from collections.abc import Mapping

from texelcore.materials.sheets.document import ValueKind
from texelcore.surface.properties import Property, property_of

# What each property of the surface takes.
SURFACE_KINDS: dict[str, ValueKind] = {
    "base_colour": "colour",
    "opacity": "number",
    "normal": "direction",
    "roughness": "number",
    "metallic": "number",
    "occlusion": "number",
    "emissive": "colour",
}
# What the ratified extensions of glTF 2.0 add to them: KHR_materials_clearcoat, _sheen, _specular, _ior, _anisotropy. A master
# that gives none of a group costs nothing for it.
EXTENDED_KINDS: dict[str, ValueKind] = {
    **{"clear_coat": "number", "clear_coat_roughness": "number"},
    **{"sheen_colour": "colour", "sheen_roughness": "number"},
    **{"specular_level": "number", "index_of_refraction": "number"},
    **{"anisotropy": "number", "anisotropy_rotation": "number"},
}
# What light does not ask for: it is for whoever flattens a variant into the maps of a set, or connects it in MaterialX.
RELIEF_KINDS: dict[str, ValueKind] = {"height": "number"}
GIVEN_KINDS: dict[str, ValueKind] = SURFACE_KINDS | EXTENDED_KINDS | RELIEF_KINDS
KIND_WORDS: Mapping[str, str] = {
    "number": "number",
    "two": "pair of numbers",
    "three": "triple of numbers",
    "four": "group of four numbers",
    "colour": "colour",
    "direction": "direction",
    "place": "place",
    "switch": "switch",
    "choice": "choice",
}


def texture_kind(key: str) -> ValueKind:
    """What reading a texture of a property gives."""
    if key == "normal":
        return "direction"
    return "colour" if len(property_of(key).components) == 3 else "number"


def texture_property(key: str) -> Property | None:
    """The property that a texture input may ask for; None for what no set has."""
    try:
        found = property_of(key)
    except KeyError:
        return None
    return None if key in ("constant", "diffuse", "specular") else found
