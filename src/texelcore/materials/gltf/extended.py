"""What of a baked surface glTF 2.0 says by its ratified extensions: KHR_materials_clearcoat, _sheen, _specular, _ior,
_anisotropy. What is even is a factor; what is not, a texture."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from math import tau
from typing import Any

import numpy as np
from numpy.typing import NDArray

from texelcore.colour.srgb import from_linear
from texelcore.pixels.image import Pixels
from texelcore.pixels.values import as_stored

Floats = NDArray[np.float32]
# What differs by less than half a step of eight bits is even.
_EVEN = 1 / 512


@dataclass
class Extended:
    """The extensions of a material by name, as glTF has them but for their textures: those are named, by the field that takes
    each; and the pictures of these textures by name, with whether they are sRGB."""

    said: dict[str, dict[str, Any]] = field(default_factory=dict)
    textures: dict[str, dict[str, str]] = field(default_factory=dict)
    pictures: dict[str, tuple[Pixels, bool]] = field(default_factory=dict)

    def put(self, name: str, said: dict[str, Any], textures: dict[str, str] | None = None) -> None:
        """Add an extension."""
        self.said[f"KHR_materials_{name}"] = said
        self.textures[f"KHR_materials_{name}"] = textures or {}


def extended_of(surface: Mapping[str, Floats]) -> Extended:
    """The extensions that a baked surface needs: those of which it has a property that is not glTF's default everywhere."""
    found = Extended()
    for write in (_clear_coat, _sheen, _specular, _refraction, _anisotropy):
        write(surface, found)
    return found


def _clear_coat(surface: Mapping[str, Floats], found: Extended) -> None:
    coat = surface.get("clear_coat")
    if coat is None or float(coat.max()) <= 0:
        return
    rough = surface.get("clear_coat_roughness", np.zeros_like(coat))
    if _is_even(coat) and _is_even(rough):
        found.put("clearcoat", {"clearcoatFactor": _one(coat), "clearcoatRoughnessFactor": _one(rough)})
        return
    found.pictures["clear coat"] = (_packed(coat, rough, np.zeros_like(coat)), False)
    factors = {"clearcoatFactor": 1.0, "clearcoatRoughnessFactor": 1.0}
    found.put("clearcoat", factors, dict.fromkeys(("clearcoatTexture", "clearcoatRoughnessTexture"), "clear coat"))


def _sheen(surface: Mapping[str, Floats], found: Extended) -> None:
    colour = surface.get("sheen_colour")
    if colour is None or float(colour.max()) <= 0:
        return
    rough = surface.get("sheen_roughness", np.zeros(colour.shape[:-1], np.float32))
    if all(_is_even(colour[..., at]) for at in range(3)) and _is_even(rough):
        factor = [min(1.0, _one(colour[..., at])) for at in range(3)]
        found.put("sheen", {"sheenColorFactor": factor, "sheenRoughnessFactor": _one(rough)})
        return
    encoded = as_stored(from_linear(np.clip(colour, 0, 1).astype(np.float64)), "u8")
    found.pictures["sheen"] = (np.concatenate([encoded, as_stored(np.clip(rough, 0, 1), "u8")[..., None]], -1), True)
    factors = {"sheenColorFactor": [1.0, 1.0, 1.0], "sheenRoughnessFactor": 1.0}
    found.put("sheen", factors, dict.fromkeys(("sheenColorTexture", "sheenRoughnessTexture"), "sheen"))


def _specular(surface: Mapping[str, Floats], found: Extended) -> None:
    level = surface.get("specular_level")
    if level is None or float(np.abs(level - 1).max()) < _EVEN:
        return
    if _is_even(level):
        found.put("specular", {"specularFactor": min(1.0, _one(level))})
        return
    # It is read from alpha.
    white = np.full((*level.shape, 3), 255, np.uint8)
    found.pictures["specular"] = (np.concatenate([white, as_stored(np.clip(level, 0, 1), "u8")[..., None]], -1), False)
    found.put("specular", {"specularFactor": 1.0}, {"specularTexture": "specular"})


def _refraction(surface: Mapping[str, Floats], found: Extended) -> None:
    index = surface.get("index_of_refraction")
    if index is not None and float(np.abs(index - 1.5).max()) >= _EVEN:
        # There is no texture for it: the mean stands for all of it.
        found.put("ior", {"ior": max(1.0, _one(index))})


def _anisotropy(surface: Mapping[str, Floats], found: Extended) -> None:
    strength = surface.get("anisotropy")
    if strength is None or float(strength.max()) <= 0:
        return
    turns = surface.get("anisotropy_rotation", np.zeros_like(strength))
    if _is_even(strength) and _is_even(turns):
        found.put("anisotropy", {"anisotropyStrength": _one(strength), "anisotropyRotation": _one(turns) * tau})
        return
    ways: tuple[Callable[..., Any], ...] = (np.cos, np.sin)
    direction = [way(turns * tau) * 0.5 + 0.5 for way in ways]
    found.pictures["anisotropy"] = (_packed(*direction, strength), False)
    found.put("anisotropy", {"anisotropyStrength": 1.0, "anisotropyRotation": 0.0}, {"anisotropyTexture": "anisotropy"})


def _is_even(values: Floats) -> bool:
    return float(values.max() - values.min()) < _EVEN


def _one(values: Floats) -> float:
    return round(float(values.mean()), 6)


def _packed(*channels: Floats) -> Pixels:
    return np.stack([as_stored(np.clip(channel, 0, 1).astype(np.float32), "u8") for channel in channels], axis=-1)
