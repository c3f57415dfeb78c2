"""A material as a zip: more maps than anybody needs, in the offer's own naming style."""

from __future__ import annotations

import io
import tempfile
import zipfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from texelcore.colour.srgb import to_linear
from texelcore.lighting.lit import lit_picture
from texelcore.materials.dressing.stage import list_light
from texelcore.pixels.image import Image, Pixels
from texelcore.pixels.png import png_bytes, write_png
from texelcore.pixels.strips import of_image
from texelcore.pixels.write import write
from texeldemo.surface import Surface
from texeldepot.catalogue import EDGES, Licence, Offer

Floats = NDArray[np.float64]
# What each style calls a map: title words, then how a whole name is put together.
WORDS = {
    "snake": ("diff", "nor_gl", "nor_dx", "rough", "ao", "disp", "spec", "metal"),
    "pascal": ("Color", "NormalGL", "NormalDX", "Roughness", "AmbientOcclusion", "Displacement", "Specular", "Metalness"),
    "kebab": ("albedo", "normal-ogl", "normal-dx", "roughness", "ao", "height", "specular", "metallic"),
    "spaced": ("Base Color", "Normal OpenGL", "Normal DirectX", "Roughness", "Occlusion", "Displacement", "Specular", "Metallic"),
    "terse": ("COL", "NRM_GL", "NRM_DX", "GLOSS", "AO", "DISP", "REFL", "METAL"),
}
_MAPS = ("colour", "up", "down", "roughness", "occlusion", "height", "specular", "metallic")
_DAY = (2026, 1, 1, 0, 0, 0)
DULL = 0.22


def zip_of(offer: Offer, licence: Licence, size: str, file_format: str) -> bytes:
    """The material at a size ("512", "1K", "2K") in a format ("png", "jpeg", "exr") as a zip with its terms beside it."""
    surface = offer.make(EDGES[size])
    fields = _fields(surface, gloss=offer.style == "terse")
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as archive:
        for key, word in zip(_MAPS, WORDS[offer.style], strict=True):
            if key == "metallic" and not surface.metallic.any():
                continue
            # The rest of the set comes as asked; heights need more than a JPEG holds.
            kind = "png" if key == "height" and file_format == "jpeg" else file_format
            colour = key in ("colour", "specular")
            name = f"{name_in_style(offer, size, word)}.{'jpg' if kind == 'jpeg' else kind}"
            archive.writestr(zipfile.ZipInfo(name, _DAY), _encoded(fields[key], kind, colour, deep=key == "height"))
        archive.writestr(zipfile.ZipInfo("licence.txt", _DAY), f"{licence.name}\n\n{licence.text}\n")
    return out.getvalue()


def name_in_style(offer: Offer, size: str, word: str) -> str:
    """A map's name without ending, as this offer's makers write it."""
    joiners: dict[str, Callable[[], str]] = {
        "snake": lambda: f"{offer.id.replace('-', '_')}_{word}_{size.lower()}",
        "pascal": lambda: f"{offer.title.replace(' ', '')}01_{size}_{word}",
        "kebab": lambda: f"{offer.id}-{word}-{size.lower()}",
        "spaced": lambda: f"{offer.title} - {word}",
        "terse": lambda: f"{offer.title.replace(' ', '')}_{word}_VAR1_{size}",
    }
    return joiners[offer.style]()


def damaged(body: bytes) -> bytes:
    """The same zip with one picture cut short inside it; the zip itself is sound."""
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(body)) as source, zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as archive:
        for number, entry in enumerate(source.infolist()):
            data = source.read(entry)
            archive.writestr(zipfile.ZipInfo(entry.filename, _DAY), data[: len(data) // 2] if number == 3 else data)
    return out.getvalue()


def preview(offer: Offer, edge: int = 256) -> bytes:
    """The material on a sphere, lit, as PNG with alpha."""
    return png_bytes(lit_sphere(offer.make(edge), edge))


def lit_sphere(surface: Surface, edge: int) -> Pixels:
    """A surface on a sphere as lists show sets lit, (edge, edge, 4)."""
    maps = {key: np.asarray(getattr(surface, key))[..., None] for key in ("roughness", "metallic", "occlusion")}
    maps |= {"base_colour": to_linear(surface.colour), "normal": surface.normal, "emissive": surface.emissive_or_black()}
    return lit_picture(maps, list_light(), "sphere", edge)


def _fields(surface: Surface, gloss: bool) -> dict[str, Floats]:
    metal = surface.metallic[..., None]
    return {
        "colour": surface.colour,
        "up": surface.normal * 0.5 + 0.5,
        "down": surface.normal * np.array([1, -1, 1]) * 0.5 + 0.5,
        "roughness": 1 - surface.roughness if gloss else surface.roughness,
        "occlusion": surface.occlusion,
        "height": surface.height,
        "specular": surface.colour * metal + DULL * (1 - metal),
        "metallic": surface.metallic,
    }


def _levels(values: Floats, top: int = 255) -> Pixels:
    return np.asarray(np.floor(np.clip(values, 0, 1) * top + 0.5), np.uint8 if top == 255 else np.uint16)


def _encoded(field: Floats, file_format: str, colour: bool, deep: bool) -> bytes:
    if file_format == "jpeg":
        from imagecodecs import jpeg8_encode

        return bytes(jpeg8_encode(_levels(field), level=90))
    if file_format == "png":
        out = io.BytesIO()
        write_png(of_image(Image.of(_levels(field, 65535 if deep else 255))), out, "srgb" if colour else "linear")
        return out.getvalue()
    values: Any = field
    if colour:
        # OpenEXR holds linear light.
        values = np.where(field <= 0.04045, field / 12.92, ((field + 0.055) / 1.055) ** 2.4)
    with tempfile.TemporaryDirectory() as folder:
        place = Path(folder) / "map.exr"
        write(of_image(Image.of(np.asarray(values, np.float16))), "exr", "linear", place)
        return place.read_bytes()
