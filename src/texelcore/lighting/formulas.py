"""What a surface sends back of light that falls on it: glTF 2.0, appendix B, and its integrals over all directions.

Directions are unit vectors (..., 3); roughness is perceptual, 0–1, and squared (Burley 2012); colours are linear light (..., 3).
"""

from __future__ import annotations

from functools import cache

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.floating]
# What a dielectric sends straight back, where nothing else is said: glTF 2.0, appendix B.3.3.
DIELECTRIC = 0.04
# The sharpest highlight that the stage draws.
LEAST_ROUGHNESS = 0.045


def dot(first: Floats, second: Floats) -> Floats:
    """The dot product of vectors (..., 3), at least 0, (...)."""
    return np.asarray(np.maximum((first * second).sum(axis=-1), 0.0))


def distribution(nh: Floats, roughness: Floats) -> Floats:
    """How many microfacets lie along the half vector, GGX: Walter et al. 2007; glTF 2.0, appendix B.3.2."""
    square = roughness**4
    return np.asarray(square / (np.pi * (nh * nh * (square - 1) + 1) ** 2))


def visibility(nl: Floats, nv: Floats, roughness: Floats) -> Floats:
    """How many of them are seen and lit, over 4 (N·L)(N·V), Smith with correlated heights: glTF 2.0, appendix B.3.2."""
    square = roughness**4
    lit = nl * np.sqrt(nv * nv * (1 - square) + square)
    seen = nv * np.sqrt(nl * nl * (1 - square) + square)
    return np.asarray(0.5 / np.maximum(lit + seen, 1e-6))


def fresnel(straight: Floats, vh: Floats) -> Floats:
    """What is sent back at an angle, of what is sent straight back (..., 3), after Schlick: glTF 2.0, appendix B.3.4."""
    return np.asarray(straight + (1 - straight) * ((1 - vh) ** 5)[..., None])


def reflected(
    base: Floats, metallic: Floats, roughness: Floats, normal: Floats, view: Floats, light: Floats, scattered: bool = False
) -> Floats:
    """What a surface sends to the viewer of light from one direction, per light that falls on it straight: glTF 2.0, appendix
    B.2, times the cosine, (..., 3).

    With `scattered`, light that bounces between microfacets counts too, as the stage has it: the specular part over its own
    share, 1 + F0 (1 / E − 1) (Turquin 2019, from memory).
    """
    half = light + view
    half = half / np.maximum(np.linalg.norm(half, axis=-1, keepdims=True), 1e-6)
    nl, nv, nh, vh = dot(normal, light), dot(normal, view), dot(normal, half), dot(view, half)
    glossy = (distribution(nh, roughness) * visibility(nl, nv, roughness))[..., None]
    metal = np.asarray(metallic)[..., None]
    shiny = fresnel(np.broadcast_to(DIELECTRIC, base.shape), vh)
    dielectric = base / np.pi * (1 - shiny)
    first, second = shiny * glossy, fresnel(base, vh) * glossy
    if scattered:
        total = albedo_parts(roughness, nv).sum(axis=-1)[..., None]
        straight = DIELECTRIC + (base - DIELECTRIC) * metal
        gain = 1 + straight * (1 / total - 1)
        first, second = first * gain, second * gain
    return np.asarray((dielectric + first + (second - dielectric - first) * metal) * nl[..., None])


def albedo_parts(roughness: Floats, nv: Floats) -> Floats:
    """Two numbers (..., 2) of which F0 × first + second is what a surface's gloss sends back of light from all around: the
    split sum of Karis 2013, between the nodes of a table."""
    table = _albedo_table()
    last = table.shape[0] - 1
    across, down = np.clip(np.asarray(nv) * last, 0, last), np.clip(np.asarray(roughness) * last, 0, last)
    column, row = np.minimum(across.astype(int), last - 1), np.minimum(down.astype(int), last - 1)
    u, v = (across - column)[..., None], (down - row)[..., None]
    first = table[row, column] * (1 - u) + table[row, column + 1] * u
    second = table[row + 1, column] * (1 - u) + table[row + 1, column + 1] * u
    return np.asarray(first * (1 - v) + second * v)


@cache
def _albedo_table(nodes: int = 33, samples: int = 1024) -> NDArray[np.float64]:
    spots = np.linspace(0, 1, nodes)
    return np.stack([_albedos(max(rough, LEAST_ROUGHNESS), np.maximum(spots, 1e-3), samples) for rough in spots])


def _albedos(roughness: float, nv: Floats, samples: int) -> NDArray[np.float64]:
    """The split sum by importance sampling of the half vector, for each (N·V)."""
    view = np.stack([np.sqrt(1 - nv * nv), np.zeros_like(nv), nv], axis=-1)[:, None, :]
    half = half_vectors(roughness, samples)[None]
    vh = (view * half).sum(axis=-1)
    nl, nh = 2 * vh * half[..., 2] - view[..., 2], half[..., 2]
    lit = (nl > 0) & (vh > 0)
    weight = np.where(lit, visibility(np.maximum(nl, 0), view[..., 2], np.asarray(roughness)) * 4 * nl * vh / nh, 0.0)
    bend = (1 - np.clip(vh, 0, 1)) ** 5
    return np.stack([((1 - bend) * weight).mean(axis=1), (bend * weight).mean(axis=1)], axis=-1)


def half_vectors(roughness: float, samples: int) -> NDArray[np.float64]:
    """Half vectors about +Z, (N, 3), as often as GGX has them: Karis 2013, with Hammersley's points."""
    at = np.arange(samples)
    bits = np.zeros(samples)
    for place in range(32):
        bits += ((at >> place) & 1) * 0.5 ** (place + 1)
    square = roughness**4
    up = np.sqrt((1 - bits) / (1 + (square - 1) * bits))
    around, flat = 2 * np.pi * (at + 0.5) / samples, np.sqrt(1 - up * up)
    return np.stack([flat * np.cos(around), flat * np.sin(around), up], axis=-1)
