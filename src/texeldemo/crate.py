"""A crate of old files: some forty maps of an older game about the mill, in a style that no lexicon knows.

What makes such folders hard is in it: base colour without an ending, endings that mean nothing to anybody ("_dn", "_xs", "_gw"),
numbers and letters that belong to stems, tiles, revisions, a folder for each set, small and flat normal maps, and cut-outs whose
normal maps have holes.
"""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import NamedTuple

import numpy as np

from texelcore.pixels.image import Image, Pixels
from texelcore.pixels.strips import of_image
from texelcore.pixels.write import FileFormat, write
from texeldemo.fields import Field, cells, cloud, grid, paint, per_cell, plain, shade, soft, step
from texeldemo.surface import Surface

Colour = tuple[float, float, float]
Painter = Callable[[int, int, Colour], Surface]
# Flat and small: a normal map that cannot tell its own direction.
_SMALL = 32


class Old(NamedTuple):
    """One surface of the crate: its stem, who paints it, from which seed, in which colour, and which maps it has besides base
    colour: d(irections), s(pecular colour), g(low)."""

    stem: str
    paint: Painter
    seed: int
    colour: Colour
    maps: str = ""


def masonry(seed: int, size: int, colour: Colour) -> Surface:
    """Courses of stone or brick in mortar, each a little different, with worn edges."""
    u, v = grid(size)
    rows, columns = 8, 4
    course = np.floor(v * rows)
    along = u * columns + 0.5 * (course % 2)
    number = (course * columns + np.floor(along % columns)).astype(np.int64)
    worn = 0.06 * (cloud(seed, size, 1.4, 6) - 0.5)
    edge = np.minimum(0.5 - np.abs(along % 1 - 0.5), (0.5 - np.abs(v * rows % 1 - 0.5)) * columns / rows)
    stone = step(0.015, 0.07, edge + worn)
    tone = np.random.default_rng(seed).random(rows * columns)[number]
    height = stone * (0.7 + 0.2 * tone) + 0.12 * cloud(seed + 1, size, 1.1, 12)
    bricks = shade(plain(size, colour), 0.6 * tone + 0.4 * cloud(seed + 2, size, 0.9, 10), 0.35)
    mortar = shade(plain(size, (148, 142, 130)), cloud(seed + 3, size, 0.7, 24), 0.2)
    whole = mortar + (bricks - mortar) * stone[:, :, None]
    return Surface(whole, height, 0.9 - 0.15 * stone * tone, np.zeros((size, size)), 0.05)


def boards(seed: int, size: int, colour: Colour) -> Surface:
    """Sawn boards with grain, gaps between them and two nails at each end."""
    u, v = grid(size)
    count = 4
    number = np.floor(u * count).astype(np.int64)
    shift = np.random.default_rng(seed).random(count)[number]
    gap = 1 - step(0.0, 0.05, 0.5 - np.abs(u * count % 1 - 0.5))
    bend = cloud(seed + 1, size, 1.8, 2, stretch=5)
    grain = 0.5 + 0.5 * np.sin(2 * np.pi * ((u * count % 1 + shift * 3) * 6 + bend * 3))
    nail = np.hypot((u * count % 1 - 0.5) / count, (v * 2 + shift) % 1 / 2 - 0.25)
    head = 1 - step(0.008, 0.014, nail)
    height = 0.6 + 0.1 * grain - 0.5 * gap + 0.15 * head
    wood = shade(plain(size, colour), 0.6 * grain + 0.4 * shift, 0.3)
    wood = paint(paint(wood, (30, 24, 18), gap * 0.85), (92, 84, 78), head)
    return Surface(wood, height, 0.8 - 0.3 * head, head, 0.03)


def plates(seed: int, size: int, colour: Colour) -> Surface:
    """Riveted iron plates, with rust running from the seams."""
    u, v = grid(size)
    across = 2
    x, y = u * across % 1, v * across % 1
    seam = 1 - step(0.0, 0.025, np.minimum(0.5 - np.abs(x - 0.5), 0.5 - np.abs(y - 0.5)))
    rivet = np.sqrt(np.clip(1 - (np.hypot((x * 8) % 1 - 0.5, (y * 8) % 1 - 0.5) / 0.3) ** 2, 0, 1))
    rim = (np.minimum(x, 1 - x) < 0.125) | (np.minimum(y, 1 - y) < 0.125)
    rivet = rivet * rim
    rust = step(0.5, 0.8, cloud(seed, size, 1.7, 3, stretch=0.4) + 0.3 * soft(seam, 0.02))
    height = 0.5 - 0.3 * seam + 0.3 * rivet + 0.05 * rust * cloud(seed + 1, size, 0.8, 20)
    iron = shade(plain(size, colour), cloud(seed + 2, size, 0.9, 8), 0.15)
    iron = paint(paint(iron, (118, 62, 34), rust * 0.8), (24, 22, 22), seam * 0.7)
    return Surface(iron, height, 0.4 + 0.45 * rust, 1 - rust, 0.03)


def cobbles(seed: int, size: int, colour: Colour) -> Surface:
    """Rounded stones in wet earth."""
    found = cells(seed, size, 7, 0.85)
    stone = step(0.03, 0.2, found.second - found.near)
    tone = per_cell(seed + 1, found, 49)
    height = np.sqrt(stone) * (0.6 + 0.3 * tone) - 0.3 * found.near + 0.1 * cloud(seed + 2, size, 1.3, 10)
    rock = shade(plain(size, colour), 0.5 * tone + 0.5 * cloud(seed + 3, size, 1.0, 14), 0.4)
    earth = shade(plain(size, (66, 54, 40)), cloud(seed + 4, size, 0.8, 20), 0.3)
    whole = earth + (rock - earth) * stone[:, :, None]
    return Surface(whole, height, 0.5 + 0.4 * stone, np.zeros((size, size)), 0.06)


def lattice(seed: int, size: int, colour: Colour) -> Surface:
    """A grating of flat bars with holes between."""
    surface = plates(seed, size, colour)
    u, v = grid(size)
    bar = np.minimum(np.abs(u * 8 % 1 - 0.5), np.abs(v * 8 % 1 - 0.5))
    surface.opacity = (bar < 0.17).astype(np.float64)
    return surface


def window(seed: int, size: int, colour: Colour) -> Surface:
    """A wall with panes behind which a fire burns."""
    surface = masonry(seed, size, (112, 104, 96))
    u, v = grid(size)
    pane = step(0.0, 0.02, 0.16 - np.abs(u - 0.5)) * step(0.0, 0.02, 0.24 - np.abs(v - 0.5))
    bars = step(0.0, 0.012, np.minimum(np.abs(u - 0.5), np.abs((v - 0.5) * 3 % 1 - 0.5) / 3))
    light = pane * bars * (0.6 + 0.4 * cloud(seed + 1, size, 1.8, 2))
    surface.emissive = light[:, :, None] * (np.array(colour) / 255)
    surface.colour = paint(surface.colour, (26, 22, 20), pane)
    return surface


CRATE = (
    Old("mill/wheel01", boards, 301, (124, 92, 58), "ds"),
    Old("mill/wheel02", boards, 302, (96, 84, 66), "ds"),
    Old("mill/brick01a", masonry, 303, (142, 78, 58), "ds"),
    Old("mill/brick01b", masonry, 304, (118, 92, 82), "d"),
    Old("mill/lev3_wall", masonry, 305, (132, 126, 112), "ds"),
    Old("mill/grate", lattice, 306, (104, 106, 110), "ds"),
    Old("mill/lantern", window, 307, (255, 182, 84), "dg"),
    Old("mill/furnace", window, 308, (255, 112, 42), "g"),
    Old("mill/sluice_lamp2", window, 309, (182, 226, 255), "dg"),
    Old("mill/plank_a", boards, 310, (140, 110, 74)),
    Old("mill/plank_b", boards, 311, (112, 96, 78)),
    Old("mill/plank_c", boards, 312, (150, 130, 98), "d"),
    Old("mill/plank_d", boards, 313, (86, 70, 54)),
    Old("mill/sign_v01", boards, 314, (92, 52, 44)),
    Old("mill/sign_v02", plates, 315, (58, 88, 104)),
    Old("posters/tide_n", window, 316, (200, 220, 255)),
    Old("posters/tide_s", cobbles, 317, (206, 188, 140)),
)


def export_crate(folder: Path, size: int = 256, times: int = 1) -> None:
    """Write the crate into `folder`, at `size`² texels. With `times` above 1 it comes again from other seeds, a number in front
    of its stems."""
    for again in range(times):
        lead = f"{again}" if again else ""
        for old in CRATE:
            place = folder / old.stem
            _write_old(old._replace(seed=old.seed + 50 * again), place.with_name(lead + place.name), size)
    _write_tiles(folder / "hull", size)
    for number, seed in (("02", 331), ("05", 332), ("11", 333)):
        surface = cobbles(seed, size, (120, 116, 108))
        _save(surface.colour, folder / f"rock_{number}" / "color.png")
        _save(_directions(surface), folder / f"rock_{number}" / "bend.png")
    # Too small and too flat to say which way its green points: its neighbours can.
    _save(plates(334, size // 2, (90, 92, 98)).colour, folder / "mill" / "pipe.tga")
    _save(np.tile([0.5, 0.5, 1.0], (_SMALL, _SMALL, 1)), folder / "mill" / "pipe_dn.tga")


def _write_old(old: Old, place: Path, size: int) -> None:
    surface = old.paint(old.seed, size, old.colour)
    name = place.name
    seen = surface.colour if surface.opacity is None else np.dstack([surface.colour, surface.opacity])
    _save(seen, place.with_name(f"{name}.tga"))
    if "d" in old.maps:
        # Holes of a cut-out are black in its normal map too.
        solid = surface.opacity_or_solid()[:, :, None]
        _save(_directions(surface) * solid, place.with_name(f"{name}_dn.tga"))
    if "s" in old.maps:
        strength = 0.12 + 0.5 * surface.metallic + 0.3 * (1 - surface.roughness)
        tint = surface.colour * strength[:, :, None] * [1.1, 0.95, 0.7]
        _save(tint, place.with_name(f"{name}_xs.tga"))
    if "g" in old.maps:
        _save(surface.emissive_or_black(), place.with_name(f"{name}_gw.tga"))


def _write_tiles(folder: Path, size: int) -> None:
    for tile, seed in ((1001, 321), (1002, 322)):
        surface = plates(seed, size, (86, 62, 50))
        _save(surface.colour, folder / f"hull_{tile}.png")
        _save(_directions(surface), folder / f"hull_dn_{tile}.png")


def _directions(surface: Surface) -> Field:
    """Normals as the crate's game had them: green turned over, in 0–1."""
    return np.asarray(surface.normal * [0.5, -0.5, 0.5] + 0.5)


def _save(values: Field, path: Path) -> None:
    path.parent.mkdir(parents=True, exist_ok=True)
    levels: Pixels = np.floor(np.clip(values, 0, 1) * 255 + 0.5).astype(np.uint8)
    kinds: dict[str, FileFormat] = {".png": "png", ".tga": "tga"}
    write(of_image(Image.of(levels)), kinds[path.suffix], "linear", path)
