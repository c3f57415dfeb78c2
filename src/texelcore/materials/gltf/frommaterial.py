"""A master from a material of a glTF 2.0 file: its factors become parameters, its textures those of a layer.

Formulas: glTF 2.0 specification, sections Materials and Additional textures; placement: KHR_texture_transform; strength:
KHR_materials_emissive_strength; beyond the basics: KHR_materials_clearcoat, _sheen, _specular, _ior, _anisotropy, of which the
factors are taken.
"""

from __future__ import annotations

import io
import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from texelcore.materials.gltf.file import read_gltf
from texelcore.materials.sheets.document import ONE_LAYER, Master
from texelcore.materials.shipped.writing import Sheet, opacity_of
from texelcore.pixels.errors import TexelError

MOST_MATERIALS = 400
# The most bytes of a description that are read: pictures and meshes lie beside it in a .glb.
LARGEST_DESCRIPTION = 8 * 2**20


@dataclass(frozen=True)
class Found:
    """A material of a file: its name there, and the master that means the same. `left` says in words what was left out."""

    name: str
    master: Master
    left: tuple[str, ...] = ()


def materials_of(data: bytes, name: str) -> list[Found]:
    """The materials of a glTF file (.glb or .gltf) as masters. Raises TexelError for what is no glTF, and for one without
    materials or with more than 400."""
    listed = read_gltf(io.BytesIO(data), name, LARGEST_DESCRIPTION).described.get("materials")
    if not isinstance(listed, list) or not listed:
        raise TexelError(name, "has no material.", "Choose a file whose parts have materials.")
    if len(listed) > MOST_MATERIALS:
        raise TexelError(name, f"has {len(listed):,} materials; {MOST_MATERIALS} are the most.", "Export fewer parts.")
    return [_master(_table(entry), at) for at, entry in enumerate(listed)]


def _table(value: object) -> Mapping[str, Any]:
    """A part of the file that should be a table; an empty one where it is none."""
    return value if isinstance(value, Mapping) else {}


def _number(value: object, usual: float, low: float = -math.inf, high: float = math.inf) -> float:
    fits = isinstance(value, int | float) and not isinstance(value, bool) and math.isfinite(value)
    return min(high, max(low, float(value))) if fits else usual  # type: ignore[arg-type]


def _numbers(value: object, usual: tuple[float, ...]) -> tuple[float, ...]:
    held = value if isinstance(value, list) else []
    return tuple(_number(held[at] if at < len(held) else None, one, 0.0) for at, one in enumerate(usual))


def _master(material: Mapping[str, Any], at: int) -> Found:
    said = " ".join(str(material.get("name") or f"Material {at + 1}").split())[:80]
    mode = {"MASK": "cut-out", "BLEND": "blended"}.get(str(material.get("alphaMode")), "solid")
    cut = _number(material.get("alphaCutoff"), 0.5, 0.01, 0.99)
    sheet = Sheet("from-gltf", said, f"From the material “{said}” of a glTF file.")
    sheet.opacity = opacity_of(mode, cut, material.get("doubleSided") is True)  # type: ignore[arg-type]
    sheet.layer(ONE_LAYER, "Surface")
    rough = _table(material.get("pbrMetallicRoughness"))
    writing = _Writing(sheet, _place(sheet, _table(rough.get("baseColorTexture"))))
    surface = writing.basics(material, rough, mode != "solid")
    surface |= writing.extended(_table(material.get("extensions")))
    return Found(said, sheet.gives(**surface), tuple(writing.left))


def _place(sheet: Sheet, texture: Mapping[str, Any]) -> str:
    """Where textures are read: as KHR_texture_transform says it, scale first, then rotation about the corner, then offset."""
    moved = _table(_table(texture.get("extensions")).get("KHR_texture_transform"))
    sheet.begin("placement")
    scale = _numbers(moved.get("scale"), (1.0, 1.0))
    said = moved.get("offset")
    offset = [_number(part, 0.0) for part in said] if isinstance(said, list) else []
    turn = math.degrees(_number(moved.get("rotation"), 0.0))
    across = sheet.number("tiling across", "Tiling across", scale[0], (0.25, 10.0), (0.0, 1000.0))
    down = sheet.number("tiling down", "Tiling down", scale[1], (0.25, 10.0), (0.0, 1000.0))
    turned = sheet.number("turn", "Rotation", turn, (-180.0, 180.0), unit="°")
    right = sheet.number("offset across", "Offset across", offset[0] if offset else 0.0, (-1.0, 1.0))
    below = sheet.number("offset down", "Offset down", offset[1] if len(offset) > 1 else 0.0, (-1.0, 1.0))
    tiled = sheet.add("tiled", "tile", uv="uv", across=across, down=down)
    about = sheet.add("turned about", "turn_about", uv=tiled, turned=turned, across=0.0, down=0.0)
    return sheet.add("place", "move", uv=about, across=right, down=below)


class _Writing:
    """The sheet of one material."""

    def __init__(self, sheet: Sheet, place: str) -> None:
        self.sheet, self.place = sheet, place
        self.left: list[str] = []

    def basics(self, material: Mapping[str, Any], rough: Mapping[str, Any], covers: bool) -> dict[str, str]:
        """The properties of glTF's core."""
        sheet = self.sheet
        *tint, alpha = _numbers(rough.get("baseColorFactor"), (1.0, 1.0, 1.0, 1.0))
        packed = "metallicRoughnessTexture" in rough
        sheet.begin("base colour")
        tinted = sheet.colour("tint", "Tint", (tint[0], tint[1], tint[2]))
        found = {"base_colour": self._times(tinted, "base_colour", "baseColorTexture" in rough)}
        if covers:
            sheet.begin("opacity")
            cover = sheet.share("cover", "Opacity", min(1.0, alpha))
            found["opacity"] = self._times(cover, "opacity", "baseColorTexture" in rough)
        for key, field in (("roughness", "roughnessFactor"), ("metallic", "metallicFactor")):
            sheet.begin(key)
            factor = sheet.share(f"{key} factor", key.capitalize(), _number(rough.get(field), 1.0, 0.0, 1.0))
            found[key] = self._times(factor, key, packed)
        if "normalTexture" in material:
            sheet.begin("normal")
            scale = _number(_table(material["normalTexture"]).get("scale"), 1.0)
            strength = sheet.number("normal scale", "Normal scale", scale, (0.0, 2.0), (-16.0, 16.0))
            lit = sheet.add("normal turned", "turn", normal=self._read("normal"), degrees="turn")
            found["normal"] = sheet.add("bump", "strengthen", normal=lit, strength=strength)
        if "occlusionTexture" in material:
            sheet.begin("occlusion")
            share = _number(_table(material["occlusionTexture"]).get("strength"), 1.0, 0.0, 1.0)
            strong = sheet.share("occlusion strength", "Occlusion strength", share)
            found["occlusion"] = sheet.add("shade", "mix", a=1.0, b=self._read("occlusion"), share=strong)
        return found | self._emissive(material)

    def _emissive(self, material: Mapping[str, Any]) -> dict[str, str]:
        sheet = self.sheet
        colour = _numbers(material.get("emissiveFactor"), (0.0, 0.0, 0.0))
        if max(colour) <= 0:
            return {}
        sheet.begin("emissive")
        strong = _table(_table(material.get("extensions")).get("KHR_materials_emissive_strength"))
        held = _number(strong.get("emissiveStrength"), 1.0, 0.0)
        tint = sheet.colour("emissive tint", "Emissive", (colour[0], colour[1], colour[2]))
        strength = sheet.number("emissive strength", "Emissive strength", held, (0.0, 100.0), (0.0, None))
        glow = self._times(tint, "emissive", "emissiveTexture" in material)
        return {"emissive": sheet.add("glow", "multiply", a=glow, b=strength)}

    def extended(self, extensions: Mapping[str, Any]) -> dict[str, str]:
        """The factors of the ratified extensions; their textures belong to no property of a set."""
        found: dict[str, str] = {}
        for name, fields in _EXTENDED.items():
            held = _table(extensions.get(f"KHR_materials_{name}"))
            if f"KHR_materials_{name}" not in extensions:
                continue
            self.sheet.begin(name)
            for field, (key, usual, scale) in fields.items():
                label = key.replace("_", " ").capitalize()
                word = key.replace("_", " ")
                if key == "sheen_colour":
                    red, green, blue = _numbers(held.get(field), (0.0, 0.0, 0.0))
                    found[key] = self.sheet.colour(word, label, (red, green, blue))
                    continue
                value = _number(held.get(field), usual) * scale
                top = 3.0 if key == "index_of_refraction" else 1.0
                found[key] = self.sheet.number(word, label, value, (0.0, top), (0.0, None))
            if textures := [field for field in held if str(field).endswith("Texture")]:
                self.left.append(f"{', '.join(map(str, textures))} of KHR_materials_{name}: its factors alone are taken.")
        return found

    def _times(self, factor: str, key: str, mapped: bool) -> str:
        """A factor times its texture, or alone where there is none."""
        return self.sheet.add(f"{key.replace('_', ' ')} all", "multiply", a=self._read(key), b=factor) if mapped else factor

    def _read(self, key: str) -> str:
        word = key.replace("_", " ")
        texture = self.sheet.texture(f"{word} map", key, ONE_LAYER)
        return self.sheet.add(f"{word} read", "read", texture=texture, place=self.place)


# Of each extension: its factors, the property that each is, glTF's default, and what turns its unit into ours.
_EXTENDED: Mapping[str, Mapping[str, tuple[str, float, float]]] = {
    "clearcoat": {
        "clearcoatFactor": ("clear_coat", 0.0, 1.0),
        "clearcoatRoughnessFactor": ("clear_coat_roughness", 0.0, 1.0),
    },
    "sheen": {"sheenColorFactor": ("sheen_colour", 0.0, 1.0), "sheenRoughnessFactor": ("sheen_roughness", 0.0, 1.0)},
    "specular": {"specularFactor": ("specular_level", 1.0, 1.0)},
    "ior": {"ior": ("index_of_refraction", 1.5, 1.0)},
    "anisotropy": {
        "anisotropyStrength": ("anisotropy", 0.0, 1.0),
        # Radians there, turns here.
        "anisotropyRotation": ("anisotropy_rotation", 0.0, 1 / math.tau),
    },
}
