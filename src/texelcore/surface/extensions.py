"""What of a surface lies beyond the basics: the ratified extensions of glTF 2.0 that a master may give, and a target take.

Source: Khronos glTF extension registry, KHR_materials_clearcoat, _sheen, _specular, _ior and _anisotropy.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

MaterialExtension = Literal[
    "KHR_materials_clearcoat",
    "KHR_materials_sheen",
    "KHR_materials_specular",
    "KHR_materials_ior",
    "KHR_materials_anisotropy",
]


@dataclass(frozen=True)
class ExtensionWords:
    """What an extension is called, and the properties that it adds to a surface."""

    title: str
    properties: tuple[str, ...]


EXTENSIONS: Mapping[MaterialExtension, ExtensionWords] = {
    "KHR_materials_clearcoat": ExtensionWords("Clear coat", ("clear_coat", "clear_coat_roughness")),
    "KHR_materials_sheen": ExtensionWords("Sheen", ("sheen_colour", "sheen_roughness")),
    "KHR_materials_specular": ExtensionWords("Specular level", ("specular_level",)),
    "KHR_materials_ior": ExtensionWords("Index of refraction", ("index_of_refraction",)),
    "KHR_materials_anisotropy": ExtensionWords("Anisotropy", ("anisotropy", "anisotropy_rotation")),
}
