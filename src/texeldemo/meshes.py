"""Meshes of the demo world, made like its pictures by our own code: shapes turned on a lathe, as OBJ text."""

from __future__ import annotations

import numpy as np

AROUND = 64
# From the middle of the foot up the wall, over the rolled rim and down inside to the soil: radius and height.
PLANTER = (
    *((0.0, 0.0), (0.52, 0.0), (0.56, 0.04), (0.6, 0.22), (0.68, 0.55), (0.78, 0.88), (0.84, 1.06)),
    *((0.92, 1.1), (0.95, 1.16), (0.92, 1.22), (0.84, 1.23), (0.77, 1.19), (0.74, 1.08), (0.4, 1.04), (0.0, 1.06)),
)


def planter() -> str:
    """The fern planter: a flared pot with a rolled rim."""
    return lathe(PLANTER, repeats=3)


def lathe(profile: tuple[tuple[float, float], ...], repeats: int) -> str:
    """A profile of (radius, height) turned around the y axis, as OBJ. Texture coordinates run `repeats` times around, and
    along the profile by its length, so that texels stay square at the widest place."""
    outline = np.array(profile)
    length = np.concatenate([[0.0], np.hypot(*np.diff(outline, axis=0).T).cumsum()])
    along = length / (2 * np.pi * outline[:, 0].max() / repeats)
    slope = np.gradient(outline, axis=0)
    outward = np.stack([slope[:, 1], -slope[:, 0]], axis=1) / np.hypot(*slope.T)[:, None]
    lines = ["# Fern planter, turned on a lathe. Part of the demo world of Thistledown Works."]
    for (radius, height), v, (out, up) in zip(profile, along, outward, strict=True):
        for step in range(AROUND + 1):
            turn = 2 * np.pi * step / AROUND
            lines.append(f"v {radius * np.sin(turn):.5f} {height:.5f} {radius * np.cos(turn):.5f}")
            lines.append(f"vn {out * np.sin(turn):.5f} {up:.5f} {out * np.cos(turn):.5f}")
            lines.append(f"vt {repeats * step / AROUND:.5f} {v:.5f}")
    for ring in range(len(profile) - 1):
        for step in range(AROUND):
            first = ring * (AROUND + 1) + step + 1
            above = first + AROUND + 1
            corners = (first, first + 1, above + 1, above)
            lines.append("f " + " ".join(f"{corner}/{corner}/{corner}" for corner in corners))
    return "\n".join(lines) + "\n"
