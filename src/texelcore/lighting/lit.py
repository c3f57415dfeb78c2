"""Small pictures of lit surfaces, by the stage's formulas and in the stage's light, without a GPU."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from texelcore.colour.srgb import from_linear, to_linear
from texelcore.lighting.cubes import Cube
from texelcore.lighting.environments import KeyLight
from texelcore.lighting.formulas import DIELECTRIC, LEAST_ROUGHNESS, albedo_parts, reflected
from texelcore.pixels.image import Pixels

Floats = NDArray[np.floating]
Form = Literal["sphere", "tile"]
# A sphere is twice as far around as from pole to pole: so often a surface repeats.
AROUND = 2.0
# Samples of a pixel along each edge.
FINER = 2
# How reflections turn from the mirror's direction to the surface's own, by roughness to this power. Rough surfaces send light
# on further from the mirror's direction than prefiltering, which looks straight down, can know. Measured against sums over the
# environments that ship (tests/core/test_lighting.py): three's own 4 leaves a third to a half more distance.
TURNING = 2
# The greys of the squares where nothing is, as sRGB.
SQUARES = (0.40, 0.53)
SQUARE = 8
# What stands for what a set does not have: a light grey, half rough.
ABSENT: Mapping[str, tuple[float, ...]] = {
    "base_colour": (0.48, 0.48, 0.48),
    "normal": (0.0, 0.0, 1.0),
    "roughness": (0.5,),
    "metallic": (0.0,),
    "occlusion": (1.0,),
    "emissive": (0.0, 0.0, 0.0),
    "opacity": (1.0,),
}


@dataclass(frozen=True)
class Lit:
    """Light that arrives: an environment, its key light, and stops of exposure."""

    cube: Cube
    key: KeyLight | None = None
    exposure: float = 0.0


def lit_picture(surface: Mapping[str, Floats], light: Lit, form: Form, size: int) -> Pixels:
    """A square picture (N, N, 4) uint8, sRGB with alpha, of a surface on a sphere or on a tile that faces the viewer.

    `surface` holds canonical maps (H, W, components) of any sizes; what it lacks is neutral, with a grey for its colour. Around a
    sphere nothing is: alpha 0.
    """
    finer = size * FINER
    place = (np.arange(finer) + 0.5) / finer * 2 - 1
    x, y = np.meshgrid(place, -place)
    if form == "sphere":
        inside = x * x + y * y < 0.98
        x, y = np.where(inside, x, 0) / 0.99, np.where(inside, y, 0) / 0.99
        z = np.sqrt(np.maximum(1 - x * x - y * y, 0))
        across, down = np.arctan2(x, z) / (2 * np.pi) * AROUND, np.arccos(np.clip(y, -1, 1)) / np.pi
        up = np.stack([x, y, z], axis=-1)
        along = np.stack([z, np.zeros_like(x), -x], axis=-1)
    else:
        inside = np.ones_like(x, bool)
        across, down = x / 2 + 0.5, 0.5 - y / 2
        up = np.broadcast_to(np.array([0.0, 0.0, 1.0]), (*x.shape, 3))
        along = np.broadcast_to(np.array([1.0, 0.0, 0.0]), up.shape)
    along = along / np.maximum(np.linalg.norm(along, axis=-1, keepdims=True), 1e-6)
    maps = {key: _at(surface.get(key), value, across, down) for key, value in ABSENT.items()}
    bent = maps["normal"]
    normal = along * bent[..., :1] + np.cross(up, along) * bent[..., 1:2] + up * bent[..., 2:]
    normal /= np.maximum(np.linalg.norm(normal, axis=-1, keepdims=True), 1e-6)
    shown = toned(shaded(maps, normal, light) * 2.0**light.exposure)
    solid = np.clip(maps["opacity"], 0, 1)
    row, column = np.indices(x.shape) // (SQUARE * FINER)
    behind = to_linear(np.where((row + column) % 2, *SQUARES))[..., None]
    shown = shown * solid + behind * (1 - solid)
    alpha = inside.astype(np.float64)[..., None]
    mixed = np.concatenate([shown * alpha, alpha], axis=-1).reshape(size, FINER, size, FINER, 4).mean(axis=(1, 3))
    colour = from_linear(mixed[..., :3] / np.maximum(mixed[..., 3:], 1e-6))
    return np.asarray(np.concatenate([colour, mixed[..., 3:]], axis=-1) * 255 + 0.5, np.uint8)


def toned(light: Floats) -> Floats:
    """Light (..., 3) as a screen shows it, 0–1: straight up to middle tones, a shoulder above (Khronos PBR Neutral)."""
    start, faded = 0.8 - 0.04, 0.15
    least = light.min(axis=-1, keepdims=True)
    kept = light - np.where(least < 0.08, least - 6.25 * least * least, 0.04)
    peak = kept.max(axis=-1, keepdims=True)
    room = 1 - start
    lower = 1 - room * room / (np.maximum(peak, start) + room - start)
    pressed = kept * lower / np.maximum(peak, 1e-6)
    share = 1 - 1 / (faded * (peak - lower) + 1)
    return np.asarray(np.clip(np.where(peak < start, kept, pressed + (lower - pressed) * share), 0, 1))


def shaded(maps: Mapping[str, Floats], normal: Floats, light: Lit) -> Floats:
    """The light (..., 3) that reaches a viewer who is far off along +Z, of canonical values (..., components) by property (all of
    those that ABSENT names) and unit normals (..., 3)."""
    base, metal = np.maximum(maps["base_colour"], 0), np.clip(maps["metallic"], 0, 1)
    rough = np.clip(maps["roughness"][..., 0], LEAST_ROUGHNESS, 1)
    view = np.broadcast_to(np.array([0.0, 0.0, 1.0]), normal.shape)
    nv = np.clip(normal[..., 2], 1e-3, 1)
    glossy = light.cube.at(reflection(normal, view, rough), rough)
    matt = light.cube.matt(normal)
    first, second = np.moveaxis(albedo_parts(rough, nv), -1, 0)[..., None]
    once, again = scattered(np.broadcast_to(DIELECTRIC, base.shape), first, second)
    once_metal, again_metal = scattered(base, first, second)
    diffuse = base * (1 - metal) * (1 - once - again)
    single, multiple = once + (once_metal - once) * metal, again + (again_metal - again) * metal
    shade = maps["occlusion"]
    open_to = np.clip((nv[..., None] + shade) ** np.exp2(-16 * rough - 1)[..., None] - 1 + shade, 0, 1)
    out = (glossy * single + matt * multiple) * open_to + matt * diffuse * shade + np.maximum(maps["emissive"], 0)
    if light.key:
        towards = np.broadcast_to(np.asarray(light.key.towards), normal.shape)
        straight = reflected(base, metal[..., 0], rough, normal, view, towards, scattered=True)
        out = out + straight * np.pi * np.asarray(light.key.colour)
    return np.asarray(out)


def reflection(normal: Floats, view: Floats, roughness: Floats) -> Floats:
    """The unit direction (..., 3) in which a surface of a roughness (...) is read in a prefiltered environment, of unit normals
    and directions to the viewer: the mirror's, turned to the normal the rougher it is."""
    mirrored = 2 * (normal * view).sum(axis=-1, keepdims=True) * normal - view
    turned = mirrored + (normal - mirrored) * (np.asarray(roughness) ** TURNING)[..., None]
    return np.asarray(turned / np.linalg.norm(turned, axis=-1, keepdims=True))


def scattered(straight: Floats, first: Floats, second: Floats) -> tuple[Floats, Floats]:
    """What gloss sends back at once and after bounces between microfacets (Fdez-Agüera 2019, from memory)."""
    once = straight * first + second
    lost = 1 - (first + second)
    average = straight + (1 - straight) / 21
    return once, once * average / (1 - lost * average) * lost


def _at(found: Floats | None, neutral: tuple[float, ...], across: Floats, down: Floats) -> Floats:
    """A map (H, W, components) at places that repeat, between the four nearest texels."""
    if found is None:
        return np.broadcast_to(np.asarray(neutral), (*across.shape, len(neutral)))
    height, width = found.shape[:2]
    left, top = across * width - 0.5, down * height - 0.5
    column, row = np.floor(left).astype(int), np.floor(top).astype(int)
    u, v = (left - column)[..., None], (top - row)[..., None]
    corner = [[found[(row + y) % height, (column + x) % width] for x in (0, 1)] for y in (0, 1)]
    upper = corner[0][0] * (1 - u) + corner[0][1] * u
    return np.asarray(upper * (1 - v) + (corner[1][0] * (1 - u) + corner[1][1] * u) * v)
