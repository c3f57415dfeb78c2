"""Glasshouse Nine: a botanical conservatory in orbit."""

from __future__ import annotations

import numpy as np

from texeldemo.fields import Field, cells, cloud, grid, paint, per_cell, plain, shade, soft, step
from texeldemo.surface import Surface


def fern_planter(size: int) -> Surface:
    """Stoneware with fern fronds in low relief under a celadon glaze, which pools in the hollows, breaks brown on the edges, and
    has run thin or was wiped off where the clay shows, matt and speckled with iron."""
    frond = np.tile(_frond(size // 2), (2, 2))
    body = soft(np.maximum(frond, np.roll(np.roll(frond, size // 4, 1), size // 4, 0) * 0.9), 0.0022)
    wobble = cloud(11, size, 2.4, 2)
    height = 0.75 * body + 0.12 * wobble
    edge = np.clip(body - soft(body, 0.006), 0, 1)
    pool = np.clip(soft(body, 0.01) - body, 0, 1)
    crackle = cells(12, size, 26, 1.0)
    lines = 1 - step(0.008, 0.035, crackle.second - crackle.near)
    speckle = step(0.84, 0.93, cloud(13, size, 0.35, 30))
    run = cloud(14, size, 1.9, 2, stretch=3)
    bare = step(0.6, 0.7, run + 0.16 * edge + 0.1 * cloud(15, size, 0.9, 18) - 0.3 * pool)
    thin = step(0.42, 0.62, run) * (1 - bare)
    colour = shade(plain(size, (120, 158, 134)), wobble, 0.2)
    colour = paint(colour, (168, 166, 126), thin * 0.75)
    colour = paint(colour, (30, 84, 84), pool * 2.8)
    colour = paint(colour, (146, 98, 56), step(0.05, 0.2, edge) * 0.9)
    colour = paint(colour, (56, 78, 68), lines * 0.4)
    clay = shade(plain(size, (158, 116, 84)), cloud(16, size, 1.0, 10), 0.24)
    colour = colour + (clay - colour) * bare[:, :, None]
    colour = paint(colour, (58, 44, 34), speckle * (0.45 + 0.35 * bare))
    glaze = 0.1 + 0.08 * wobble + 0.22 * step(0.05, 0.2, edge) + 0.16 * lines + 0.12 * thin
    roughness = glaze + (0.8 - glaze) * bare
    height = height - 0.02 * lines - bare * (0.05 - 0.03 * cloud(17, size, 0.7, 40))
    return Surface(colour, height, roughness, np.zeros((size, size)), 0.022)


def _frond(size: int) -> Field:
    """One frond standing in a square tile: a stem and paired leaflets that grow shorter upwards, 0–1 high."""
    u, v = grid(size)
    x, y = u - 0.5, v
    high = step(0.0, 1.0, 1 - np.abs(x + 0.012 * np.sin(6.28 * y)) / 0.016) * 0.8
    count = 8
    for number in range(count):
        at = (number + 0.5) / count
        length = 0.44 * (0.25 + 0.75 * np.sin(np.pi * (0.1 + 0.85 * at)))
        for side in (-1.0, 1.0):
            dx = x * side
            dy = (at - y + 0.5) % 1.0 - 0.5
            along = dx * 0.9 + dy * 0.44
            across = -dx * 0.44 + dy * 0.9
            t = np.clip(along / length, 0, 1)
            width = 0.056 * np.sqrt(np.clip(4 * t * (1 - t), 0, 1)) * (1 - 0.35 * t) + 1e-6
            leaf = np.clip(1 - (across / width) ** 2, 0, 1) * ((along > 0) & (along < length))
            vein = 1 - 0.5 * np.exp(-((across / 0.006) ** 2))
            high = np.maximum(high, np.sqrt(leaf) * vein * 0.9)
    return high


def copper_mister(size: int) -> Surface:
    """Copper sheet dimpled by a round hammer, bright on the ridges, with verdigris where water stood."""
    dents = cells(21, size, 15, 0.75)
    hollow = np.clip(dents.near, 0, 1.0) ** 2
    depth = 0.6 + 0.4 * per_cell(22, dents, 225)
    height = soft(hollow * depth, 0.0016) + 0.03 * cloud(23, size, 1.4, 20)
    damp = step(0.52, 0.8, cloud(24, size, 1.9, 2) + 0.22 * (0.5 - hollow) + 0.14 * cloud(25, size, 0.9, 25))
    tone = cloud(26, size, 1.5, 3)
    colour = shade(plain(size, (226, 152, 118)), tone, 0.12)
    colour = paint(colour, (150, 82, 62), step(0.5, 0.95, cloud(27, size, 1.2, 6)) * 0.6)
    rim = step(0.25, 0.5, damp) * (1 - step(0.55, 0.9, damp))
    colour = paint(colour, (98, 62, 44), rim * 0.8)
    green = shade(plain(size, (98, 166, 142)), cloud(28, size, 0.8, 20), 0.25)
    cover = step(0.5, 0.85, damp)
    colour = colour + (green - colour) * cover[:, :, None]
    roughness = 0.22 + 0.16 * tone + 0.2 * rim + 0.5 * cover
    return Surface(colour, height + 0.05 * cover * cloud(29, size, 0.7, 30), roughness, 1 - cover, 0.03)


def lattice_pane(size: int) -> Surface:
    """Diamond panes of old glass in lead strips with solder at the crossings; the glass lets light through."""
    u, v = grid(size)
    a, b = (u + v) * 4, (u - v) * 4
    to_a, to_b = np.abs((a + 0.5) % 1 - 0.5), np.abs((b + 0.5) % 1 - 0.5)
    lead_a, lead_b = 1 - to_a / 0.085, 1 - to_b / 0.085
    strip = np.sqrt(np.clip(1 - (1 - np.clip(np.maximum(lead_a, lead_b), 0, 1)) ** 2, 0, 1))
    blob = np.clip(1 - np.hypot(to_a, to_b) / 0.15, 0, 1)
    lead = step(0.02, 0.2, np.maximum(strip, blob * 1.4))
    waves = cloud(31, size, 2.2, 3)
    bubbles = cells(32, size, 30, 1.0)
    bubble = np.clip(1 - bubbles.near / 0.16, 0, 1) * (per_cell(33, bubbles, 900) > 0.86) * (1 - lead)
    hammered = cloud(34, size, 1.0, 20)
    height = lead * (0.35 + 0.4 * strip + 0.35 * np.sqrt(blob) + 0.04 * hammered) + (1 - lead) * (0.12 * waves + 0.05 * bubble)
    pane = (np.floor(a) % 4 * 3 + np.floor(b) % 4 * 5) % 7
    colour = plain(size, (148, 184, 164))
    for value, tint in ((1, (190, 158, 62)), (3, (84, 148, 168)), (5, (178, 104, 52))):
        colour = paint(colour, tint, (pane == value) * 0.85)
    # Old glass is uneven: thick at one side of a pane, thin at the other.
    thick = np.clip(0.6 * waves + 0.4 * (a % 1), 0, 1)
    colour = shade(colour, 1 - thick, 0.3)
    metal = shade(plain(size, (186, 188, 192)), cloud(35, size, 1.0, 10), 0.16)
    metal = metal * (0.72 + 0.28 * step(0.2, 0.9, strip))[:, :, None]
    colour = colour + (metal - colour) * lead[:, :, None]
    grime = (1 - lead) * np.clip(soft(lead, 0.008), 0, 1)
    colour = paint(colour, (96, 92, 70), grime * 0.7)
    opacity = np.clip(lead + (1 - lead) * (0.12 + 0.5 * grime + 0.22 * thick), 0, 1)
    roughness = 0.04 + 0.4 * grime + lead * (0.36 + 0.2 * hammered)
    return Surface(colour, height, roughness, lead, 0.02, opacity=opacity)


def moss_bed(size: int) -> Surface:
    """Cushions of moss over dark soil: big and small clumps, each of fine upright shoots."""
    big, small, shoots = cells(41, size, 7, 0.95), cells(42, size, 18, 0.95), cells(43, size, 96, 1.0)
    mound = np.clip(1 - big.near**2, 0, 1) * (0.55 + 0.45 * per_cell(44, big, 49))
    tuft = np.clip(1 - small.near**2, 0, 1)
    tip = np.clip(1 - shoots.near * 1.05, 0, 1)
    rise = soft(0.6 * mound + 0.34 * tuft, 0.003)
    height = 0.78 * rise + 0.2 * tip * (0.5 + 0.5 * per_cell(45, shoots, 9216)) + 0.04 * cloud(46, size, 0.6, 40)
    soil = 1 - step(0.2, 0.38, height + 0.12 * cloud(47, size, 1.4, 6))
    tone = 0.5 * per_cell(48, small, 324) + 0.5 * cloud(49, size, 1.3, 4)
    colour = shade(plain(size, (74, 102, 38)), tone, 0.28)
    colour = paint(colour, (138, 158, 62), step(0.45, 0.95, tip) * step(0.3, 0.8, rise) * 0.75)
    colour = paint(colour, (34, 54, 24), (1 - step(0.15, 0.55, rise)) * 0.75)
    colour = paint(colour, (128, 92, 48), (per_cell(50, shoots, 9216) > 0.985) * step(0.3, 0.7, tip) * 0.9)
    colour = paint(colour, (52, 40, 30), soil)
    return Surface(colour, height, 0.86 + 0.1 * tone - 0.14 * soil, np.zeros((size, size)), 0.075)


def vault_door(size: int) -> Surface:
    """Cream enamel on pressed steel panels with rivets and a red warning band; chipped to bare metal at the edges."""
    u, v = grid(size)
    px, py = np.abs(u * 2 % 1 - 0.5), np.abs(v * 2 % 1 - 0.5)
    corner = np.hypot(np.maximum(px - 0.36, 0), np.maximum(py - 0.36, 0)) - 0.07
    panel = 1 - step(-0.012, 0.022, corner)
    inner = np.hypot(np.maximum(px - 0.24, 0), np.maximum(py - 0.24, 0)) - 0.05
    press = step(-0.014, 0.014, inner)
    upright = np.hypot(px - 0.365, (py * 8 % 1 - 0.5) / 8) + (py > 0.375)
    level = np.hypot(py - 0.365, (px * 8 % 1 - 0.5) / 8) + (px > 0.375)
    rivet = np.sqrt(np.clip(1 - (np.minimum(upright, level) / 0.02) ** 2, 0, 1))
    height = 0.45 * panel + 0.2 * press * panel + 0.26 * rivet + 0.012 * cloud(51, size, 1.2, 20)
    edges = np.abs(height - soft(height, 0.006))
    wear = step(0.1, 0.2, edges * 1.1 + 0.13 * cloud(52, size, 1.1, 8) + 0.06 * cloud(53, size, 0.5, 40) - 0.07)
    chips = step(0.8, 0.84, cloud(54, size, 1.5, 7) * 0.8 + 0.25 * cloud(55, size, 0.7, 30))
    bare = np.clip(wear + chips, 0, 1)
    colour = shade(plain(size, (222, 212, 184)), cloud(56, size, 1.6, 3), 0.06)
    band = step(0.0, 0.01, 0.1 - np.abs(v * 2 % 1 - 0.5)) * (1 - press)
    stripe = step(-0.03, 0.03, np.sin((u + v) * 2 * np.pi * 16))
    colour = paint(colour, (158, 44, 40), band * stripe)
    colour = paint(colour, (92, 84, 72), (1 - panel) * 0.85)
    rust = step(0.02, 0.5, soft(bare, 0.004)) * (1 - bare)
    colour = paint(colour, (124, 74, 42), rust * 0.75)
    streak = step(0.55, 0.9, cloud(57, size, 1.4, 4, stretch=0.12)) * 0.3
    colour = paint(colour, (132, 112, 82), streak)
    steel = shade(plain(size, (188, 186, 182)), cloud(58, size, 0.8, 20, stretch=0.3), 0.12)
    colour = colour + (steel - colour) * bare[:, :, None]
    roughness = 0.16 + 0.1 * streak + 0.5 * rust + 0.26 * bare + 0.25 * (1 - panel)
    return Surface(colour, height - 0.03 * bare, roughness, bare, 0.02)


def grow_lamp(size: int) -> Surface:
    """A lamp panel: rows of diodes behind clear domes on a finned, anodised plate, violet and warm white. Each glows from a small
    bright chip out to its rim and onto the plate around it; some are old and dim, and a few are out."""
    u, v = grid(size)
    across = 8
    row = np.floor(v * across)
    x = (u * across + 0.5 * (row % 2)) % 1 - 0.5
    y = v * across % 1 - 0.5
    column = np.floor(u * across + 0.5 * (row % 2)) % across
    distance = np.hypot(x, y)
    dome = np.sqrt(np.clip(1 - (distance / 0.27) ** 2, 0, 1))
    collar = step(0.0, 0.03, 0.355 - distance) * step(0.0, 0.03, distance - 0.27)
    plate = 1 - step(0.0, 0.03, 0.37 - distance)
    fins = 0.5 + 0.5 * np.cos(v * 2 * np.pi * 64)
    screw = step(0.0, 0.012, 0.055 - np.hypot(np.abs(x) - 0.5, np.abs(y) - 0.42))
    height = 0.55 * dome + 0.42 * collar + plate * (0.14 * step(0.25, 0.75, fins) + 0.2 * screw)
    warm = (column + 2 * row) % 3 == 0
    colour = shade(plain(size, (58, 62, 70)), cloud(61, size, 0.7, 20, stretch=0.1), 0.16)
    colour = paint(colour, (196, 198, 204), collar)
    colour = paint(colour, (168, 170, 174), screw * plate)
    colour = paint(colour, (224, 222, 214), step(0.0, 0.02, 0.27 - distance))
    chip = step(0.0, 0.03, 0.12 - np.maximum(np.abs(x), np.abs(y)))
    colour = paint(colour, (238, 206, 96), chip * step(0.0, 0.02, 0.27 - distance) * 0.8)
    dust = step(0.5, 0.95, cloud(62, size, 1.2, 5)) * plate
    colour = paint(colour, (122, 116, 100), dust * 0.5)
    chips = 0.8 * np.exp(-((distance / 0.07) ** 2)) + 0.16 * np.exp(-((distance / 0.16) ** 2))
    spill = 0.035 * np.exp(-np.clip(distance - 0.24, 0, None) / 0.09)
    worn = np.random.default_rng(64).random((across, across))[row.astype(int), column.astype(int)]
    bright = np.where(worn < 0.07, 0.0, np.where(worn < 0.3, 0.35, 0.7 + 0.3 * worn))
    light = np.where(warm[:, :, None], np.array([1.0, 0.66, 0.32]), np.array([0.6, 0.1, 1.0]))
    emissive = light * (bright * (chips * step(0.0, 0.02, 0.27 - distance) + spill))[:, :, None]
    metal = np.clip(plate + collar, 0, 1) * (1 - 0.7 * dust)
    roughness = 0.06 + 0.3 * plate + 0.18 * collar + 0.35 * dust + 0.06 * cloud(63, size, 1.0, 10)
    return Surface(colour, height, roughness, metal, 0.03, emissive=emissive)
