"""Tidewheel: a tide-mill town."""

from __future__ import annotations

import numpy as np

from texeldemo.fields import Field, cells, cloud, grid, paint, per_cell, plain, shade, soft, step
from texeldemo.surface import Surface


def barnacle_stone(size: int) -> Surface:
    """Wet granite below the tide line with barnacles in colonies: ribbed cones with an open mouth."""
    rock = 0.7 * cloud(71, size, 1.9, 2) + 0.3 * cloud(72, size, 1.2, 12)
    cracks = cells(73, size, 4, 1.0)
    crack = 1 - step(0.01, 0.07, cracks.second - cracks.near + 0.05 * cloud(74, size, 1.2, 10))
    height = 0.5 * rock - 0.18 * crack
    shell = np.zeros((size, size))
    for seed, across, share in ((75, 11, 0.5), (76, 20, 0.55), (77, 34, 0.45)):
        found = cells(seed, size, across, 0.75)
        colony = step(0.42, 0.55, cloud(78, size, 1.6, 3))
        there = per_cell(seed + 10, found, across * across) < share
        shell = np.maximum(shell, _barnacle(found.near, size, seed) * there * colony * (11 / across) ** 0.6)
    height = np.maximum(height, height * 0.8 + 0.42 * shell)
    covered = step(0.04, 0.16, shell)
    colour = shade(plain(size, (104, 108, 110)), cloud(79, size, 0.6, 30), 0.3)
    colour = paint(colour, (142, 134, 122), step(0.55, 0.8, cloud(80, size, 0.4, 60)) * 0.5)
    weed = step(0.48, 0.75, cloud(81, size, 1.5, 3) + 0.2 * crack - 0.1 * rock) * (1 - covered)
    colour = paint(colour, (70, 84, 42), weed * 0.85)
    colour = paint(colour, (44, 44, 42), crack * 0.7)
    chalk = shade(plain(size, (204, 196, 178)), shell / 1.0, 0.18)
    colour = colour + (chalk - colour) * covered[:, :, None]
    mouth = covered * (1 - step(0.12, 0.34, shell))
    colour = paint(colour, (112, 98, 84), mouth * 0.7)
    roughness = 0.62 + 0.12 * rock - 0.3 * weed + 0.2 * covered
    return Surface(colour, height, roughness, np.zeros((size, size)), 0.06)


def _barnacle(distance: Field, size: int, seed: int) -> Field:
    """A ribbed cone with a crater, by distance from its middle in cell widths."""
    ribs = 0.88 + 0.12 * cloud(seed + 20, size, 0.5, 40)
    cone = np.clip(1 - distance / (0.48 * ribs), 0, 1)
    rim = np.clip(distance / 0.17, 0, 1) ** 1.5
    return np.asarray(np.sqrt(cone) * np.where(distance < 0.17, 0.25 + 0.75 * rim, 1.0))


def tarred_rope_coil(size: int) -> Surface:
    """Three-strand rope lying turn against turn, black with tar that has run together in places."""
    u, v = grid(size)
    turns = 6
    row = np.floor(v * turns)
    t = v * turns % 1 * 2 - 1
    body = np.sqrt(np.clip(1 - t * t, 0, 1))
    # The strands wind around the rope: their place depends on the way along it and on the angle around it.
    wind = u * 9 + np.arcsin(np.clip(t, -1, 1)) / np.pi * 1.1 + row * 0.37
    strand = np.abs(wind % 1 - 0.5) * 2
    bulge = np.sqrt(np.clip(1 - strand**2 * 0.92, 0, 1))
    fibre = cloud(91, size, 0.9, 12)
    twist = 0.5 + 0.5 * np.sin(2 * np.pi * (u * 9 * 7 - t * 3.2 + fibre * 0.8))
    height = body * (0.62 + 0.3 * bulge) + 0.035 * twist * body * bulge
    tar = step(0.5, 0.72, cloud(92, size, 1.6, 3) + 0.25 * (1 - bulge) + 0.1 * (1 - body))
    height = height + (soft(height, 0.007) - height) * tar * 0.6 + 0.015 * fibre
    colour = shade(plain(size, (98, 74, 46)), 0.5 * twist + 0.5 * fibre, 0.32)
    colour = paint(colour, (140, 112, 74), step(0.7, 1.0, bulge) * step(0.6, 0.95, body) * 0.5)
    colour = paint(colour, (40, 31, 24), (1 - bulge) * 0.8)
    colour = paint(colour, (33, 31, 31), tar * 0.94)
    roughness = 0.84 - 0.56 * tar + 0.1 * fibre
    return Surface(colour, height, roughness, np.zeros((size, size)), 0.06)


def sailcloth(size: int) -> Surface:
    """Heavy plain-woven canvas with a double-stitched seam and brass eyelets."""
    u, v = grid(size)
    threads = 128
    slub_u, slub_v = cloud(101, size, 1.1, 6, stretch=8), cloud(102, size, 1.1, 6, stretch=0.12)
    across = np.abs(u * threads % 1 - 0.5) * 2
    along = np.abs(v * threads % 1 - 0.5) * 2
    over = (np.floor(u * threads) + np.floor(v * threads)) % 2
    warp = np.sqrt(np.clip(1 - across**2 * 0.9, 0, 1)) * (0.55 + 0.45 * over * (1 - along**2) - 0.25 * (1 - over))
    weft = np.sqrt(np.clip(1 - along**2 * 0.9, 0, 1)) * (0.55 + 0.45 * (1 - over) * (1 - across**2) - 0.25 * over)
    weave = np.maximum(warp * (0.9 + 0.2 * slub_u), weft * (0.9 + 0.2 * slub_v))
    fold = cloud(103, size, 2.6, 2)
    seam = step(0.0, 0.006, 0.05 - np.abs(v - 0.5))
    stitch_row = np.minimum(np.abs(v - 0.465), np.abs(v - 0.535))
    dash = np.abs(u * 40 % 1 - 0.5)
    stitch = np.sqrt(np.clip(1 - (stitch_row / 0.005) ** 2, 0, 1)) * step(0.0, 0.1, 0.36 - dash)
    x, y = (u * 4 % 1 - 0.5) / 4, v - 0.5
    ring = np.hypot(x, y)
    eyelet = np.sqrt(np.clip(1 - ((ring - 0.02) / 0.009) ** 2, 0, 1))
    hole = 1 - step(0.011, 0.014, ring)
    brass = step(0.05, 0.3, eyelet)
    height = 0.07 * weave + 0.35 * fold + 0.12 * seam + 0.12 * stitch
    height = height * (1 - brass) + brass * (0.55 + 0.28 * eyelet) - 0.2 * hole * (1 - brass)
    colour = shade(plain(size, (206, 194, 166)), 0.5 * slub_u + 0.5 * slub_v, 0.1)
    colour = shade(colour, weave, 0.08)
    colour = paint(colour, (150, 128, 92), step(0.55, 0.95, cloud(104, size, 1.7, 2)) * 0.55)
    colour = paint(colour, (116, 84, 54), stitch * 0.8)
    colour = paint(colour, (30, 28, 26), hole)
    green = step(0.2, 0.9, soft(brass, 0.01)) * (1 - brass) * step(0.4, 0.7, cloud(105, size, 1.2, 8))
    colour = paint(colour, (104, 138, 112), green * 0.6)
    metal = shade(plain(size, (232, 198, 122)), cloud(106, size, 0.8, 20), 0.14)
    colour = colour + (metal - colour) * brass[:, :, None]
    roughness = 0.88 - 0.1 * weave - 0.56 * brass + 0.1 * cloud(107, size, 0.8, 20) * brass
    return Surface(colour, height, roughness, brass, 0.035)


def slipway_planks(size: int) -> Surface:
    """Oak planks of a slipway: grain and knots, worn hollow, green with weed at the gaps, iron nails with rust."""
    u, v = grid(size)
    planks = 5
    number = np.floor(u * planks)
    x = u * planks % 1
    shift = np.random.default_rng(111).random(planks)[number.astype(int)]
    gap = 1 - step(0.0, 0.03, 0.5 - np.abs(x - 0.5) + 0.012 * (cloud(112, size, 1.4, 3, stretch=0.3) - 0.5))
    joint = np.abs((v + shift + 0.5) % 1 - 0.5)
    gap = np.maximum(gap, 1 - step(0.0, 0.006, joint - 0.001))
    bend = cloud(113, size, 1.8, 2, stretch=5)
    knots = cells(114, size, 5, 0.9)
    knotty = (per_cell(115, knots, 25) > 0.72) * np.exp(-((knots.near / 0.2) ** 2))
    rings = (x + shift * 3) * 5 + bend * 7 + 6 * knotty
    grain = 0.5 + 0.5 * np.sin(2 * np.pi * rings)
    fibre = cloud(116, size, 0.9, 6, stretch=16)
    worn = 1 - (2 * x - 1) ** 2
    height = 0.55 + 0.1 * shift - 0.1 * worn + 0.03 * grain + 0.09 * fibre - 0.12 * step(0.5, 0.95, knotty)
    height = height * (1 - gap)
    tone = 0.6 + 0.4 * np.random.default_rng(117).random(planks)[number.astype(int)]
    colour = plain(size, (134, 116, 92)) * tone[:, :, None]
    colour = shade(colour, fibre, 0.3)
    colour = paint(colour, (82, 64, 46), step(0.55, 1.0, grain) * 0.5)
    colour = paint(colour, (58, 42, 30), step(0.35, 0.9, knotty) * 0.8)
    weed = step(0.4, 0.8, soft(gap, 0.02) * 1.6 + 0.55 * cloud(118, size, 1.4, 4) - 0.25)
    colour = paint(colour, (66, 82, 44), weed * 0.8)
    nail_x = np.minimum(np.abs(x - 0.2), np.abs(x - 0.8)) / planks
    nail = np.hypot(nail_x, joint - 0.035)
    head = np.sqrt(np.clip(1 - (nail / 0.0095) ** 2, 0, 1))
    iron = step(0.05, 0.3, head)
    stain = np.exp(-nail / 0.018) * (1 - iron)
    colour = paint(colour, (96, 52, 30), stain * 0.9)
    rusty = step(0.35, 0.75, cloud(119, size, 0.9, 20))
    colour = paint(colour, (120, 116, 112), iron * (1 - rusty))
    colour = paint(colour, (116, 62, 34), iron * rusty)
    colour = paint(colour, (22, 19, 16), gap * 0.95)
    roughness = 0.74 + 0.14 * fibre - 0.24 * weed - 0.22 * iron * (1 - rusty)
    return Surface(colour, height + 0.14 * head, roughness, iron * (1 - rusty), 0.05)
