"""Every demo set, for both targets: outputs read by other libraries against a computation that shares no code with ours.

Sources are read with Pillow, tifffile and OpenEXR; the table below says by hand what each file holds.
"""

from __future__ import annotations

import json
from functools import cache
from pathlib import Path

import numpy as np
import OpenEXR
import pytest
import tifffile
from PIL import Image as Pillow

from texelcli.main import run
from texeldemo.export import WORLD

# For each set: file and channel of every property. "!" means that the file holds one minus the property.
HELD = {
    "fern_planter": {
        "base": "fern_planter_BaseColor.png",
        "normal": "fern_planter_Normal_GL.png +Y",
        "rough": "fern_planter_Roughness.png 0",
        "metal": "fern_planter_Metallic.png 0",
        "occ": "fern_planter_AO.png 0",
    },
    # The name says no direction; the pixels do.
    "copper_mister": {
        "base": "copper_mister_BaseColor.png",
        "normal": "copper_mister_Normal.png -Y",
        "occ": "copper_mister_ARM.png 0",
        "rough": "copper_mister_ARM.png 1",
        "metal": "copper_mister_ARM.png 2",
        "height": "copper_mister_Height.png 0",
    },
    "lattice_pane": {
        "base": "T_LatticePane_BC.png",
        "opacity": "T_LatticePane_BC.png 3",
        "normal": "T_LatticePane_N_GL.png +Y",
        "rough": "T_LatticePane_RMA.png 0",
        "metal": "T_LatticePane_RMA.png 1",
        "occ": "T_LatticePane_RMA.png 2",
    },
    "moss_bed": {
        "base": "moss_bed_diff_2k.jpg",
        "normal": "moss_bed_nor_gl_2k.png +Y",
        "occ": "moss_bed_arm_1k.png 0",
        "rough": "moss_bed_arm_1k.png 1",
        "metal": "moss_bed_arm_1k.png 2",
        "height": "moss_bed_disp_1k.png 0",
    },
    "vault_door": {
        "base": "T_VaultDoor_BC.tga",
        "normal": "T_VaultDoor_N_DX.tga -Y",
        "occ": "T_VaultDoor_ORM.tga 0",
        "rough": "T_VaultDoor_ORM.tga 1",
        "metal": "T_VaultDoor_ORM.tga 2",
    },
    "grow_lamp": {
        "base": "Grow Lamp - Albedo.png",
        "normal": "Grow Lamp - Normal OpenGL.png +Y",
        "rough": "Grow Lamp - Roughness.png 0",
        "metal": "Grow Lamp - Metalness.png 0",
        "occ": "Grow Lamp - Ambient Occlusion.png 0",
        "emissive": "Grow Lamp - Emission.exr",
    },
    "barnacle_stone": {
        "base": "barnacle_stone_diff_1k.png",
        "normal": "barnacle_stone_nor_gl_1k.png +Y",
        "rough": "barnacle_stone_rough_1k.png 0",
        "occ": "barnacle_stone_ao_1k.png 0",
        "height": "barnacle_stone_disp_1k.png 0",
    },
    "tarred_rope_coil": {
        "base": "Tarred Rope Coil - Albedo.png",
        # The name says OpenGL, and lies.
        "normal": "Tarred Rope Coil - Normal OpenGL.png -Y",
        "rough": "Tarred Rope Coil - Gloss.png 0!",
        "occ": "Tarred Rope Coil - AO.png 0",
    },
    "sailcloth": {
        "diffuse": "SailclothDiffuse.tif",
        "specular": "SailclothSpecular.tif",
        "rough": "SailclothGlossiness.tif 0!",
        "normal": "SailclothNormalGL.tif +Y",
    },
    "slipway_planks": {
        "base": "T_SlipwayPlanks_COL.png",
        "normal": "T_SlipwayPlanks_NRM_DX.png -Y",
        "metal": "T_SlipwayPlanks_MRAO.png 0",
        "rough": "T_SlipwayPlanks_MRAO.png 1",
        "occ": "T_SlipwayPlanks_MRAO.png 2",
        "height": "T_SlipwayPlanks_DISP.exr 0",
    },
}
WITH_KIND = ("lattice_pane", "vault_door", "slipway_planks")
FOLDERS = {texture_set.folder: project.slug for project in WORLD for texture_set in project.sets}


@cache
def decoded(path: Path) -> np.ndarray:
    """A file as (H, W, C), by a library other than the product's for its format."""
    if path.suffix == ".exr":
        with OpenEXR.File(str(path)) as file:
            parts = file.channels()
            data = next(iter(parts.values())).pixels
    elif path.suffix == ".tif":
        data = tifffile.imread(path)
    else:
        picture = Pillow.open(path)
        data = np.asarray(picture).astype(np.uint16) if picture.mode.startswith("I") else np.asarray(picture)
    return data[:, :, None] if data.ndim == 2 else data


class Source:
    """What a set's files hold, in levels of 8 bits, as the targets want it."""

    def __init__(self, folder: Path, held: dict[str, str]) -> None:
        self.folder, self.held = folder, held

    def picture(self, key: str) -> np.ndarray:
        name = self.held[key]
        return decoded(self.folder / name.removesuffix(" +Y").removesuffix(" -Y"))

    def channel(self, key: str) -> np.ndarray:
        name, _, place = self.held[key].rpartition(" ")
        return decoded(self.folder / name)[:, :, int(place.rstrip("!"))]

    def grey(self, key: str, absent: int) -> np.ndarray | int:
        """A data property in 8-bit levels, uninverted."""
        if key not in self.held:
            return absent
        values = self.channel(key)
        if values.dtype == np.uint16:
            values = ((values.astype(np.int64) * 255 * 2 + 65535) // 131070).astype(np.uint8)
        return 255 - values if self.held[key].endswith("!") else values

    def normal(self, wanted: str) -> np.ndarray:
        data = self.picture("normal").copy()
        if not self.held["normal"].endswith(wanted):
            data[:, :, 1] = 255 - data[:, :, 1]
        return data


def srgb_levels(linear: np.ndarray) -> np.ndarray:
    """IEC 61966-2-1, as real numbers of levels."""
    x = np.clip(linear.astype(np.float64), 0, 1)
    return 255 * np.where(x <= 0.0031308, 12.92 * x, 1.055 * np.power(x, 1 / 2.4) - 0.055)


def srgb_decoded(levels: np.ndarray) -> np.ndarray:
    s = levels / 255.0
    return np.where(s <= 0.04045, s / 12.92, ((s + 0.055) / 1.055) ** 2.4)


def metallic_of(diffuse: np.ndarray, specular: np.ndarray) -> tuple[np.ndarray, float]:
    """One texel by the conversion notes of glTF KHR_materials_pbrSpecularGlossiness, written out plainly."""

    def brightness(c: np.ndarray) -> float:
        return float(np.sqrt(0.299 * c[0] ** 2 + 0.587 * c[1] ** 2 + 0.114 * c[2] ** 2))

    one_minus = 1 - max(specular)
    d, s, a = brightness(diffuse), brightness(specular), 0.04
    metallic = 0.0
    if s >= 0.04:
        b = d * one_minus / (1 - 0.04) + s - 2 * 0.04
        metallic = min(max((-b + np.sqrt(max(b * b - 4 * a * (0.04 - s), 0))) / (2 * a), 0), 1)
    from_diffuse = diffuse * one_minus / (1 - 0.04) / max(1 - metallic, 1e-6)
    from_specular = (specular - 0.04 * (1 - metallic)) / max(metallic, 1e-6)
    share = metallic * metallic
    return np.clip(from_diffuse * (1 - share) + from_specular * share, 0, 1), metallic


def check_colour(source: Source, got: np.ndarray) -> None:
    if "base" in source.held:
        want = source.picture("base")[:, :, :3]
        np.testing.assert_array_equal(got[:, :, :3], want)
    else:
        diffuse, specular = srgb_decoded(source.picture("diffuse")), srgb_decoded(source.picture("specular"))
        for y, x in np.random.default_rng(3).integers(0, got.shape[0], (300, 2)):
            base, _ = metallic_of(diffuse[y, x], specular[y, x])
            assert np.abs(got[y, x, :3] - srgb_levels(base)).max() <= 0.5 + 1e-6
    if "opacity" in source.held:
        np.testing.assert_array_equal(got[:, :, 3], source.channel("opacity"))
    else:
        assert got.shape[2] == 3


def check_metal(source: Source, got: np.ndarray) -> None:
    if "specular" not in source.held:
        np.testing.assert_array_equal(got, np.broadcast_to(source.grey("metal", 0), got.shape))
        return
    diffuse, specular = srgb_decoded(source.picture("diffuse")), srgb_decoded(source.picture("specular"))
    for y, x in np.random.default_rng(4).integers(0, got.shape[0], (300, 2)):
        assert abs(got[y, x] - 255 * metallic_of(diffuse[y, x], specular[y, x])[1]) <= 0.5 + 1e-6


def check_height(source: Source, got: np.ndarray) -> None:
    want = source.channel("height")
    assert got.dtype == np.uint16
    if want.dtype == np.uint16:
        np.testing.assert_array_equal(got[:, :, 0], want)
    else:
        assert np.abs(got[:, :, 0] - np.clip(want.astype(np.float64), 0, 1) * 65535).max() <= 0.5 + 1e-6


def check_orbit(source: Source, out: Path, code: str) -> set[str]:
    """+Y normals; occlusion, roughness, metallic in one linear texture. Gives the names of the files that were looked at."""
    check_colour(source, decoded(out / f"gn_{code}_c.png"))
    np.testing.assert_array_equal(decoded(out / f"gn_{code}_n.png"), source.normal("+Y"))
    packed = decoded(out / f"gn_{code}_orm.png")
    np.testing.assert_array_equal(packed[:, :, 0], np.broadcast_to(source.grey("occ", 255), packed.shape[:2]))
    np.testing.assert_array_equal(packed[:, :, 1], source.grey("rough", 128))
    check_metal(source, packed[:, :, 2])
    looked = {"c.png", "n.png", "orm.png"}
    if "height" in source.held:
        check_height(source, decoded(out / f"gn_{code}_h.png"))
        looked.add("h.png")
    if "emissive" in source.held:
        got = decoded(out / f"gn_{code}_e.png")
        assert np.abs(got - srgb_levels(source.picture("emissive"))).max() <= 0.5 + 1e-6
        looked.add("e.png")
    return {f"gn_{code}_{name}" for name in looked}


def check_millrace(source: Source, out: Path, code: str) -> set[str]:
    """−Y normals; metallic with smoothness in alpha."""
    check_colour(source, decoded(out / f"{code}_albedo.tga"))
    np.testing.assert_array_equal(decoded(out / f"{code}_normal.tga"), source.normal("-Y"))
    packed = decoded(out / f"{code}_ms.tga")
    for channel in range(3):
        check_metal(source, packed[:, :, channel])
    smooth = packed[:, :, 3].astype(int)
    rough = source.channel("rough")
    if rough.dtype == np.uint16:
        assert np.abs(smooth - (255 - rough / 257.0)).max() <= 0.5 + 1e-6
    else:
        np.testing.assert_array_equal(smooth, 255 - source.grey("rough", 128))
    looked = {"albedo.tga", "normal.tga", "ms.tga"}
    if "occ" in source.held:
        np.testing.assert_array_equal(decoded(out / f"{code}_occ.tga")[:, :, 0], source.grey("occ", 255))
        looked.add("occ.tga")
    if "height" in source.held:
        check_height(source, decoded(out / f"{code}_height.tif"))
        looked.add("height.tif")
    if "emissive" in source.held:
        np.testing.assert_array_equal(decoded(out / f"{code}_glow.exr"), source.picture("emissive"))
        looked.add("glow.exr")
    return {f"{code}_{name}" for name in looked}


@pytest.fixture(scope="module", params=["orbit-desktop", "millrace-handheld"])
def built(request: pytest.FixtureRequest, world: Path, tmp_path_factory: pytest.TempPathFactory) -> tuple[str, Path]:
    out = tmp_path_factory.mktemp("out")
    assert run(["build", str(world), "--target", request.param, "--out", str(out), "--project", "gn"]) == 0
    return request.param, out


@pytest.mark.parametrize("name", HELD)
def test_outputs_agree_with_an_independent_computation(built: tuple[str, Path], world: Path, name: str) -> None:
    # A set is called by its stem as written, and the stems of some sets begin with the sign of a kind.
    code = f"t_{name}" if name in WITH_KIND else name
    target, out = built
    source = Source(world / FOLDERS[name] / name, HELD[name])
    check = check_orbit if target == "orbit-desktop" else check_millrace
    looked = check(source, out / code, code)
    written = {path.name for path in (out / code).iterdir()}
    # No output goes unlooked-at, and none is missing.
    assert written == looked | {f"{code}.manifest.json"}
    manifest = json.loads((out / code / f"{code}.manifest.json").read_text())
    assert {entry["file"] for entry in manifest["outputs"]} == looked


def test_every_demo_set_was_judged() -> None:
    assert set(HELD) == set(FOLDERS)
    assert len(HELD) >= 10
