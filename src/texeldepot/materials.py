"""The depot's own materials, generated; none of them is in the demo world."""

from __future__ import annotations

import numpy as np

from texeldemo.fields import Field, cells, cloud, grid, paint, per_cell, plain, shade, soft, step
from texeldemo.surface import Surface


def ochre_plaster(size: int) -> Surface:
    """Hand-laid lime plaster with trowel sweeps, hairline cracks and rubbed patches."""
    sweep = cloud(301, size, 1.7, 3, stretch=0.35)
    grain = cloud(302, size, 0.8, 20)
    net = cells(303, size, 5, 1.0)
    hairline = 1 - step(0.006, 0.03, net.second - net.near + 0.06 * cloud(304, size, 1.3, 8))
    rubbed = step(0.52, 0.75, cloud(305, size, 1.6, 2))
    height = 0.55 + 0.3 * sweep + 0.06 * grain - 0.25 * hairline - 0.1 * rubbed
    colour = shade(plain(size, (196, 148, 82)), 0.7 * sweep + 0.3 * grain, 0.22)
    colour = paint(colour, (222, 204, 172), rubbed * 0.7)
    colour = paint(colour, (110, 78, 46), hairline * 0.6)
    return Surface(colour, height, 0.78 + 0.12 * grain - 0.08 * rubbed, np.zeros((size, size)), 0.03)


def slate_roof(size: int) -> Surface:
    """Slates in staggered courses, each a little askew, with lichen along their lower edges."""
    u, v = grid(size)
    courses, across = 10, 7
    row = np.floor(v * courses)
    x = u * across + 0.5 * (row % 2)
    down, along = v * courses % 1, x % 1
    number = np.asarray(((np.floor(x) % across) * 17 + row * 31) % 97)
    lift = (number * 37 % 97) / 97
    gap = 1 - step(0.0, 0.03, np.minimum(along, 1 - along))
    cleft = cloud(312, size, 1.4, 6, stretch=3.0)
    height = 0.25 + 0.55 * down + 0.12 * lift + 0.1 * cleft - 0.35 * gap
    colour = shade(plain(size, (86, 92, 104)), 0.6 * cleft + 0.4 * lift, 0.35)
    lichen = step(0.55, 0.8, cloud(313, size, 0.9, 14) * (0.5 + 0.6 * down))
    colour = paint(colour, (158, 160, 112), lichen * 0.75)
    colour = paint(colour, (36, 38, 44), gap * 0.8)
    return Surface(colour, height, 0.55 + 0.25 * lichen + 0.1 * cleft, np.zeros((size, size)), 0.07)


def river_gravel(size: int) -> Surface:
    """Rounded pebbles of three sorts, packed tight, with wet sand between."""
    sand = cloud(321, size, 0.8, 24)
    height = 0.12 * sand
    stone, tint = np.zeros((size, size)), np.zeros((size, size))
    for seed, many in ((322, 9), (323, 16), (324, 26)):
        found = cells(seed, size, many, 0.85)
        dome = np.sqrt(np.clip(1 - (found.near / 0.52) ** 2, 0, 1)) * (9 / many) ** 0.5
        higher = dome > stone
        tint = np.where(higher, per_cell(seed + 7, found, many * many), tint)
        stone = np.maximum(stone, dome)
    covered = step(0.05, 0.2, stone)
    height = np.maximum(height, 0.85 * stone + 0.03 * cloud(325, size, 1.4, 10))
    colour = shade(plain(size, (118, 104, 84)), sand, 0.3)
    pebble = shade(plain(size, (146, 142, 134)), tint, 0.55)
    pebble = paint(pebble, (126, 88, 66), step(0.72, 0.8, tint))
    colour = colour + (pebble - colour) * covered[:, :, None]
    return Surface(colour, height, 0.35 + 0.4 * covered + 0.1 * sand, np.zeros((size, size)), 0.09)


def felted_wool(size: int) -> Surface:
    """Thick felt: fibres every which way, small pills, two dyed yarns pressed in."""
    fibre = np.maximum(cloud(331, size, 0.7, 16, stretch=6.0), cloud(332, size, 0.7, 16, stretch=0.16))
    pills = cells(333, size, 30, 0.9)
    pill = np.clip(1 - pills.near / 0.3, 0, 1) * (per_cell(334, pills, 900) > 0.7)
    u, v = grid(size)
    yarn = sum(step(0.965, 0.99, np.cos(2 * np.pi * (place + 0.03 * np.sin(2 * np.pi * 2 * v)))) for place in (u - 0.2, u - 0.63))
    height = 0.45 + 0.35 * fibre + 0.2 * soft(pill, 0.002) - 0.1 * np.asarray(yarn)
    colour = shade(plain(size, (104, 112, 122)), fibre, 0.4)
    colour = paint(colour, (150, 58, 48), np.asarray(yarn) * 0.8)
    return Surface(colour, height, 0.9 + 0.06 * fibre, np.zeros((size, size)), 0.03)


def rusted_plate(size: int) -> Surface:
    """A riveted steel plate, painted once, rusting from its seams."""
    u, v = grid(size)
    seam = np.minimum(np.abs(u % 0.5 - 0.25), 1.0) < 0.004
    rivet = np.hypot((u * 16 % 1) - 0.5, (v * 16 % 1) - 0.5)
    on_line = np.abs(u % 0.5 - 0.22) < 0.03
    dome = np.sqrt(np.clip(1 - (rivet / 0.32) ** 2, 0, 1)) * on_line
    decay = cloud(341, size, 1.7, 2) + 0.35 * np.exp(-np.abs(u % 0.5 - 0.25) * 18)
    rust, bare = step(0.62, 0.74, decay), step(0.52, 0.56, decay)
    flake = cloud(342, size, 0.9, 18)
    height = 0.5 + 0.35 * dome - 0.3 * seam + 0.12 * rust * flake - 0.06 * bare
    colour = shade(plain(size, (62, 96, 88)), cloud(343, size, 1.2, 8), 0.12)
    colour = paint(colour, (168, 166, 162), bare * (1 - rust))
    colour = paint(colour, (124, 66, 34), rust)
    colour = paint(colour, (74, 42, 30), rust * step(0.5, 0.8, flake) * 0.7)
    roughness = 0.35 + 0.5 * rust + 0.1 * flake
    return Surface(colour, height, roughness, bare * (1 - rust), 0.025)


def crackled_glaze(size: int) -> Surface:
    """A celadon glaze with a fine craquelure stained by use."""
    net, fine = cells(351, size, 6, 1.0), cells(352, size, 17, 1.0)
    crack: Field = np.maximum(
        1 - step(0.004, 0.03, net.second - net.near), 0.7 * (1 - step(0.004, 0.05, fine.second - fine.near))
    )
    pool = cloud(353, size, 2.2, 2)
    height = 0.5 + 0.2 * pool - 0.12 * crack
    colour = shade(plain(size, (142, 172, 150)), pool, 0.2)
    colour = paint(colour, (84, 74, 58), crack * 0.75)
    return Surface(colour, height, 0.08 + 0.3 * crack + 0.04 * pool, np.zeros((size, size)), 0.012)
