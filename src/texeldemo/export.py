"""The demo world as files: ten sets in two projects, in four naming styles and several packings, with planted faults."""

from __future__ import annotations

import os
import threading
import time
from collections.abc import Callable, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from multiprocessing import get_context
from pathlib import Path

import numpy as np

from texelcore.pixels.image import Image, Pixels
from texelcore.pixels.strips import of_image
from texelcore.pixels.write import Encoding, FileFormat, write
from texeldemo import glasshouse, tidewheel
from texeldemo.fields import Field
from texeldemo.surface import Surface


@dataclass(frozen=True)
class DemoSet:
    """A set as one export: its folder, how to make it, and how its files are written."""

    folder: str
    make: Callable[[int], Surface]
    export: Callable[[Surface, Path], None]
    enlarge: int = 1


@dataclass(frozen=True)
class DemoProject:
    """A game of Thistledown Works."""

    code: str
    slug: str
    title: str
    target: str
    sets: tuple[DemoSet, ...]


def levels(values: Field, top: int = 255) -> Pixels:
    """0–1 floats to 8-bit (or, with `top` 65535, 16-bit) levels, nearest."""
    return np.asarray(np.floor(np.clip(values, 0, 1) * top + 0.5), np.uint8 if top == 255 else np.uint16)


def normal_levels(surface: Surface, direction: float = 1.0) -> Pixels:
    """The normal map as 8-bit levels; `direction` −1 gives a −Y map."""
    return levels(surface.normal * np.array([1.0, direction, 1.0]) * 0.5 + 0.5)


def pack(*channels: Field) -> Pixels:
    """Greyscale fields as the channels of one 8-bit picture."""
    return np.stack([levels(channel) for channel in channels], -1)


def _save(pixels: Pixels, path: Path, encoding: Encoding = "linear") -> None:
    kinds: dict[str, FileFormat] = {".png": "png", ".tga": "tga", ".tif": "tiff", ".exr": "exr"}
    write(of_image(Image.of(pixels)), kinds[path.suffix], encoding, path)


def _save_jpeg(pixels: Pixels, path: Path) -> None:
    from imagecodecs import jpeg8_encode

    path.write_bytes(jpeg8_encode(pixels, level=92))


def _half(pixels: Pixels) -> Pixels:
    """Half the size by the mean of each 2 × 2 block."""
    height, width = pixels.shape[:2]
    blocks = pixels.reshape(height // 2, 2, width // 2, 2, -1).astype(np.float64).mean(axis=(1, 3))
    return np.asarray(np.floor(blocks + 0.5), pixels.dtype).reshape(height // 2, width // 2, *pixels.shape[2:])


def _fern_planter(surface: Surface, folder: Path) -> None:
    _save(levels(surface.colour), folder / "fern_planter_BaseColor.png", "srgb")
    _save(normal_levels(surface), folder / "fern_planter_Normal_GL.png")
    _save(levels(surface.roughness), folder / "fern_planter_Roughness.png")
    _save(levels(surface.metallic), folder / "fern_planter_Metallic.png")
    _save(levels(surface.occlusion), folder / "fern_planter_AO.png")


def _copper_mister(surface: Surface, folder: Path) -> None:
    _save(levels(surface.colour), folder / "copper_mister_BaseColor.png", "srgb")
    # Planted: a −Y map whose name says nothing.
    _save(normal_levels(surface, -1.0), folder / "copper_mister_Normal.png")
    _save(pack(surface.occlusion, surface.roughness, surface.metallic), folder / "copper_mister_ARM.png")
    _save(levels(surface.height, 65535), folder / "copper_mister_Height.png")


def _lattice_pane(surface: Surface, folder: Path) -> None:
    with_alpha = np.concatenate([levels(surface.colour), levels(surface.opacity_or_solid())[:, :, None]], -1)
    _save(with_alpha, folder / "T_LatticePane_BC.png", "srgb")
    _save(normal_levels(surface), folder / "T_LatticePane_N_GL.png")
    _save(pack(surface.roughness, surface.metallic, surface.occlusion), folder / "T_LatticePane_RMA.png")


def _moss_bed(surface: Surface, folder: Path) -> None:
    _save_jpeg(levels(surface.colour), folder / "moss_bed_diff_2k.jpg")
    # Planted: both normal directions delivered.
    _save(normal_levels(surface), folder / "moss_bed_nor_gl_2k.png")
    _save(normal_levels(surface, -1.0), folder / "moss_bed_nor_dx_2k.png")
    _save(_half(pack(surface.occlusion, surface.roughness, surface.metallic)), folder / "moss_bed_arm_1k.png")
    _save(_half(levels(surface.height, 65535)), folder / "moss_bed_disp_1k.png")


def _vault_door(surface: Surface, folder: Path) -> None:
    _save(levels(surface.colour), folder / "T_VaultDoor_BC.tga", "srgb")
    _save(normal_levels(surface, -1.0), folder / "T_VaultDoor_N_DX.tga")
    # Planted: an occlusion channel that is white everywhere.
    white = np.ones_like(surface.occlusion)
    _save(pack(white, surface.roughness, surface.metallic), folder / "T_VaultDoor_ORM.tga")


def _grow_lamp(surface: Surface, folder: Path) -> None:
    _save(levels(surface.colour), folder / "Grow Lamp - Albedo.png", "srgb")
    _save(normal_levels(surface), folder / "Grow Lamp - Normal OpenGL.png")
    _save(levels(surface.roughness), folder / "Grow Lamp - Roughness.png")
    _save(levels(surface.metallic), folder / "Grow Lamp - Metalness.png")
    _save(levels(surface.occlusion), folder / "Grow Lamp - Ambient Occlusion.png")
    _save((surface.emissive_or_black() * 2.5).astype(np.float16), folder / "Grow Lamp - Emission.exr")


def _barnacle_stone(surface: Surface, folder: Path) -> None:
    _save(levels(surface.colour), folder / "barnacle_stone_diff_1k.png", "srgb")
    _save(normal_levels(surface), folder / "barnacle_stone_nor_gl_1k.png")
    _save(levels(surface.roughness, 65535), folder / "barnacle_stone_rough_1k.png")
    _save(levels(surface.occlusion), folder / "barnacle_stone_ao_1k.png")
    _save(levels(surface.height, 65535), folder / "barnacle_stone_disp_1k.png")
    # Planted: a picture whose name says nothing. It is a mask of the shells.
    _save(levels(surface.height**2), folder / "scan 0042.png")


def _tarred_rope_coil(surface: Surface, folder: Path) -> None:
    _save(levels(surface.colour), folder / "Tarred Rope Coil - Albedo.png", "srgb")
    # Planted: a name that lies. It says OpenGL, and the map is −Y.
    _save(normal_levels(surface, -1.0), folder / "Tarred Rope Coil - Normal OpenGL.png")
    # Planted: gloss instead of roughness.
    _save(levels(1 - surface.roughness), folder / "Tarred Rope Coil - Gloss.png")
    _save(levels(surface.occlusion), folder / "Tarred Rope Coil - AO.png")


def _sailcloth(surface: Surface, folder: Path) -> None:
    # Planted: the specular workflow. Metals are black in diffuse and coloured in specular.
    metal = surface.metallic[..., None]
    dull = 0.22  # sRGB level of a reflectance of 0.04
    _save(levels(surface.colour * (1 - metal)), folder / "SailclothDiffuse.tif", "srgb")
    _save(levels(surface.colour * metal + dull * (1 - metal)), folder / "SailclothSpecular.tif", "srgb")
    _save(levels(1 - surface.roughness), folder / "SailclothGlossiness.tif")
    _save(normal_levels(surface), folder / "SailclothNormalGL.tif")


def _slipway_planks(surface: Surface, folder: Path) -> None:
    _save(levels(surface.colour), folder / "T_SlipwayPlanks_COL.png", "srgb")
    _save(normal_levels(surface, -1.0), folder / "T_SlipwayPlanks_NRM_DX.png")
    _save(pack(surface.metallic, surface.roughness, surface.occlusion), folder / "T_SlipwayPlanks_MRAO.png")
    _save(surface.height.astype(np.float32), folder / "T_SlipwayPlanks_DISP.exr")


WORLD = (
    DemoProject(
        "gn",
        "glasshouse-nine",
        "Glasshouse Nine",
        "orbit-desktop",
        (
            DemoSet("fern_planter", glasshouse.fern_planter, _fern_planter),
            DemoSet("copper_mister", glasshouse.copper_mister, _copper_mister),
            DemoSet("lattice_pane", glasshouse.lattice_pane, _lattice_pane),
            DemoSet("moss_bed", glasshouse.moss_bed, _moss_bed, enlarge=2),
            DemoSet("vault_door", glasshouse.vault_door, _vault_door),
            DemoSet("grow_lamp", glasshouse.grow_lamp, _grow_lamp),
        ),
    ),
    DemoProject(
        "tw",
        "tidewheel",
        "Tidewheel",
        "millrace-handheld",
        (
            DemoSet("barnacle_stone", tidewheel.barnacle_stone, _barnacle_stone),
            DemoSet("tarred_rope_coil", tidewheel.tarred_rope_coil, _tarred_rope_coil),
            DemoSet("sailcloth", tidewheel.sailcloth, _sailcloth),
            DemoSet("slipway_planks", tidewheel.slipway_planks, _slipway_planks),
        ),
    ),
)


def export_set(demo_set: DemoSet, folder: Path, size: int) -> None:
    """Generate one set at `size`² texels (some sets are twice that) and write its files into `folder`."""
    folder.mkdir(parents=True, exist_ok=True)
    demo_set.export(demo_set.make(size * demo_set.enlarge), folder)


def _end_with_parent() -> None:
    """Let a painter end soon after the process that started it, however that one ended."""
    parent = os.getppid()

    def watch() -> None:
        while os.getppid() == parent:
            time.sleep(1)
        os._exit(1)

    threading.Thread(target=watch, daemon=True).start()


def export_world(folder: Path, size: int = 1024, said: Callable[[str], None] = lambda line: None) -> None:
    """Write the demo world as `folder`/PROJECT/SET/FILE, sets side by side on two processes."""
    jobs: Sequence[tuple[DemoSet, Path]] = [
        (texture_set, folder / project.slug / texture_set.folder) for project in WORLD for texture_set in project.sets
    ]
    # Fresh processes: a fork would copy the locks of whatever threads the caller runs.
    with ProcessPoolExecutor(2, get_context("spawn"), _end_with_parent) as pool:
        running = [pool.submit(export_set, entry, place, size) for entry, place in jobs]
        for (entry, _), future in zip(jobs, running, strict=True):
            future.result()
            said(entry.folder)
