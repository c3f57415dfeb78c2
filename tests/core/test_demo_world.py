"""The demo world: the same on every run, tiling, and with the faults that it promises."""

from __future__ import annotations

import hashlib
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.conftest import examples
from texelcore.evidence.facts import facts_of
from texelcore.pixels.read import read
from texelcore.sorting.sort import sort_files
from texeldemo import glasshouse, tidewheel
from texeldemo.export import WORLD, export_set
from texeldemo.fields import cells, cloud, normal_of
from texeldepot.export import lit_sphere

MATERIALS = [texture_set.make for project in WORLD for texture_set in project.sets]


def picture(world: Path, project: str, name: str) -> np.ndarray:
    (path,) = (world / project).rglob(name)
    return read(path).data


def curl(normal: np.ndarray) -> float:
    """How far the slopes of an 8-bit normal map, read as +Y, are from those of any height: a height's slopes have no curl.

    Slopes are −x/z to the right and −y/z upwards; rows run downwards.
    """
    x, y, z = (normal.astype(np.float64) / 255 * 2 - 1).transpose(2, 0, 1)
    right, up = -x / z, -y / z
    across = np.roll(right, -1, 0) - np.roll(right, 1, 0)
    along = np.roll(up, -1, 1) - np.roll(up, 1, 1)
    return float(np.abs(along + across).mean())


@pytest.mark.parametrize("make", MATERIALS, ids=lambda make: make.__name__)
def test_materials_are_the_same_every_time_and_stay_in_range(make: object) -> None:
    first, again = make(64), make(64)  # type: ignore[operator]
    for name in ("colour", "height", "roughness", "metallic", "occlusion", "normal"):
        np.testing.assert_array_equal(getattr(first, name), getattr(again, name))
    for name in ("colour", "roughness", "metallic", "occlusion"):
        values = getattr(first, name)
        assert values.min() >= 0 and values.max() <= 1
    # Metals are metals: two-valued but for edges and dirt (common practice).
    between = (first.metallic > 0.1) & (first.metallic < 0.9)
    assert between.mean() < 0.25
    np.testing.assert_allclose(np.linalg.norm(first.normal, axis=-1), 1, atol=1e-9)
    lit = lit_sphere(first, 64)
    assert lit[..., :3][lit[..., 3] == 255].std() > 8


@examples(12)
@given(st.integers(0, 10_000), st.floats(0.8, 2.4))
def test_clouds_tile_and_do_not_change_with_size(seed: int, slope: float) -> None:
    large = cloud(seed, 128, slope, 2)
    inner = np.abs(np.diff(large, axis=0)).mean()
    assert np.abs(large[0] - large[-1]).mean() < 3 * inner + 1e-3
    # Half as large shows the same pattern, but for the finest grain.
    small = cloud(seed, 64, slope, 2)
    assert np.corrcoef(small.ravel(), large[::2, ::2].ravel())[0, 1] > 0.7


def test_cells_tile() -> None:
    found = cells(5, 96, 6)
    assert np.abs(found.near[:, 0] - found.near[:, -1]).max() < 0.15
    assert found.number.max() == 35


def test_normals_follow_the_canonical_direction() -> None:
    """A dome: its upper half faces up (+Y), its right half to the right (+X), with rows running downwards."""
    y, x = np.mgrid[-1:1:64j, -1:1:64j]
    normal = normal_of(np.clip(1 - x * x - y * y, 0, 1), 0.1)
    assert normal[16, 32, 1] > 0.02 and normal[48, 32, 1] < -0.02
    assert normal[32, 48, 0] > 0.02 and normal[32, 16, 0] < -0.02


def test_the_planted_faults_are_there(world: Path) -> None:
    # A −Y map whose name says nothing: it has curl as it is, and next to none with green turned over.
    copper = picture(world, "glasshouse-nine", "copper_mister_Normal.png")
    turned = copper.copy()
    turned[:, :, 1] = 255 - turned[:, :, 1]
    assert curl(copper) > 1.5 * curl(turned)
    planter = picture(world, "glasshouse-nine", "fern_planter_Normal_GL.png")
    other = planter.copy()
    other[:, :, 1] = 255 - other[:, :, 1]
    assert curl(planter) * 1.5 < curl(other)
    # A −Y map whose name says +Y.
    rope = picture(world, "tidewheel", "Tarred Rope Coil - Normal OpenGL.png")
    straight = rope.copy()
    straight[:, :, 1] = 255 - straight[:, :, 1]
    assert curl(rope) > 1.5 * curl(straight)
    # Both directions delivered, each the other turned over.
    up, down = (picture(world, "glasshouse-nine", f"moss_bed_nor_{way}_2k.png") for way in ("gl", "dx"))
    np.testing.assert_array_equal(up[:, :, [0, 2]], down[:, :, [0, 2]])
    assert np.abs(255 - up[:, :, 1].astype(int) - down[:, :, 1]).max() <= 1
    assert (picture(world, "glasshouse-nine", "T_VaultDoor_ORM.tga")[:, :, 0] == 255).all()
    assert picture(world, "tidewheel", "barnacle_stone_disp_1k.png").dtype == np.uint16
    alpha = picture(world, "glasshouse-nine", "T_LatticePane_BC.png")[:, :, 3]
    assert alpha.min() < 128 < alpha.max()
    assert picture(world, "glasshouse-nine", "Grow Lamp - Emission.exr").max() > 1
    # Metal is black in the diffuse map of the specular workflow, and bright in its specular map.
    metal = tidewheel.sailcloth(picture(world, "tidewheel", "SailclothDiffuse.tif").shape[0]).metallic > 0.99
    assert picture(world, "tidewheel", "SailclothDiffuse.tif")[metal].max() < 8
    assert picture(world, "tidewheel", "SailclothSpecular.tif")[metal].mean() > 100


def test_ten_sets_in_four_naming_styles_are_sorted(world: Path) -> None:
    files = [facts_of(path, path.relative_to(world).as_posix()) for path in sorted(world.rglob("*")) if path.is_file()]
    sorting = sort_files(files)
    assert len(sorting.ledgers) == 10
    assert [open_file.file for open_file in sorting.open] == ["tidewheel/barnacle_stone/scan 0042.png"]
    names = {path.name for path in world.rglob("*")}
    styles = {"fern_planter_BaseColor.png", "T_VaultDoor_BC.tga", "moss_bed_diff_2k.jpg", "Grow Lamp - Albedo.png"}
    assert styles | {"SailclothDiffuse.tif"} <= names
    sides = {facts.id: (facts.width, facts.height) for facts in files}
    assert max(sides.values()) == (256, 256) and min(sides.values()) == (128, 128)


def test_files_are_the_same_bytes_every_time(tmp_path: Path) -> None:
    entry = next(texture_set for project in WORLD for texture_set in project.sets if texture_set.make is glasshouse.copper_mister)
    digests = []
    for run in ("one", "two"):
        export_set(entry, tmp_path / run, 32)
        digests.append({path.name: hashlib.sha256(path.read_bytes()).digest() for path in (tmp_path / run).iterdir()})
    assert digests[0] == digests[1] and len(digests[0]) == 4
