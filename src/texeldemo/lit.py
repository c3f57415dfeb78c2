"""A small lit picture of a demo surface, for looking at it and for documentation; not a renderer of the product."""

from __future__ import annotations

import numpy as np

from texeldemo.fields import Field
from texeldemo.surface import Surface


def lit_plane(surface: Surface) -> Field:
    """The surface lying flat under one key light and a sky, (H, W, 3) sRGB-encoded 0–1.

    Specular after Walter et al. 2007 (GGX) with the visibility and Fresnel terms of Karis 2013.
    """
    size = surface.height.shape[0]
    line = (np.arange(size) + 0.5) / size * 2 - 1
    x, y = np.meshgrid(line, -line)
    light = np.stack([-0.7 - x, 0.75 - y, np.full_like(x, 1.1)], -1)
    light /= np.linalg.norm(light, axis=-1, keepdims=True)
    view = np.stack([-x * 0.35, -y * 0.35, np.ones_like(x)], -1)
    view /= np.linalg.norm(view, axis=-1, keepdims=True)
    colour = surface.colour**2.2
    metal = surface.metallic[..., None]
    base = 0.04 * (1 - metal) + colour * metal
    n = surface.normal
    half = light + view
    half /= np.linalg.norm(half, axis=-1, keepdims=True)
    nl = np.clip((n * light).sum(-1), 0, 1)[..., None]
    nv = np.clip((n * view).sum(-1), 0.05, 1)[..., None]
    nh = np.clip((n * half).sum(-1), 0, 1)[..., None]
    a2 = np.maximum(surface.roughness, 0.05)[..., None] ** 4
    spread = a2 / (np.pi * (nh * nh * (a2 - 1) + 1) ** 2)
    k = (surface.roughness[..., None] + 1) ** 2 / 8
    visible = 0.25 / ((nl * (1 - k) + k) * (nv * (1 - k) + k))
    fresnel = base + (1 - base) * (1 - np.clip((view * half).sum(-1), 0, 1)[..., None]) ** 5
    key = (colour * (1 - metal) / np.pi + spread * visible * fresnel) * nl * 3.6
    mirror = 2 * nv * n - view
    sky = 0.35 + 0.65 * np.clip(mirror[..., 1:2] * 0.5 + 0.5, 0, 1) ** (1 + 6 * (1 - surface.roughness[..., None]))
    ambient = (colour * (1 - metal) * 0.42 + sky * fresnel * (1 - 0.6 * surface.roughness[..., None]) * 0.75) * (
        surface.occlusion[..., None]
    )
    total = key + ambient + (surface.emissive * 1.4 if surface.emissive is not None else 0)
    if surface.opacity is not None:
        cover = surface.opacity[..., None]
        total = total * cover + 0.32 * colour * (1 - cover)
    return np.asarray(np.clip(total / (1 + total * 0.35), 0, 1) ** (1 / 2.2))
