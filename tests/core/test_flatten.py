"""Flattened maps: what is written is what was meant, whoever reads it."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import OpenImageIO as oiio
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image as Pillow

from tests.conftest import examples
from texelcore.evidence.facts import facts_of
from texelcore.materials.dressing.evaluate import neutral, picture_sampler
from texelcore.materials.dressing.flatten import FlatMap, flat_ledger, flat_maps, write_flat
from texelcore.materials.gltf.variant import bake
from texelcore.materials.sheets.kinds import SURFACE_KINDS
from texelcore.materials.sheets.masters import shipped_masters
from texelcore.materials.sheets.typing import check_master
from texelcore.surface.ledger import row_problem

Floats = np.ndarray[Any, np.dtype[np.float32]]
SHAPE = (6, 8)
share, lean = st.floats(0, 1, width=32), st.floats(-0.7, 0.7)


def surface(**given: Any) -> dict[str, Floats]:
    """A surface that is neutral but for some properties."""
    found = {}
    for key in SURFACE_KINDS:
        value = np.asarray(given.get(key, neutral(key)), np.float32)
        wide = value if value.ndim >= 2 else np.broadcast_to(value, (*SHAPE, *value.shape))
        found[key] = np.ascontiguousarray(wide)
    return found


def by_property(maps: list[FlatMap]) -> dict[str, FlatMap]:
    return {entry.property: entry for entry in maps}


def stored(flat: FlatMap, folder: Path) -> Floats:
    """A map's file as another library reads it, from 0 to 1; floats as they are."""
    place = folder / flat.file_name("oak")
    write_flat(flat, place)
    held = oiio.ImageBuf(str(place))
    return np.asarray(held.get_pixels(oiio.FLOAT), np.float32)


def decoded(values: Floats) -> Floats:
    """IEC 61966-2-1, as written there: from what is encoded to linear light."""
    return np.where(values <= 0.04045, values / 12.92, ((values + 0.055) / 1.055) ** 2.4).astype(np.float32)


@examples(25)
@given(colour=st.tuples(share, share, share), rough=share, metal=share, tilt=st.tuples(lean, lean))
def test_maps_mean_what_the_surface_was(
    tmp_path_factory: pytest.TempPathFactory, colour: Any, rough: float, metal: float, tilt: Any
) -> None:
    """Within half of a step of their eight or sixteen bits, by another library's reading and the standard's own formula."""
    folder = tmp_path_factory.mktemp("flat")
    normal = np.array([*tilt, np.sqrt(max(0.0, 1 - tilt[0] ** 2 - tilt[1] ** 2))])
    maps = by_property(flat_maps(surface(base_colour=colour, roughness=rough, metallic=metal, normal=normal)))
    assert maps.keys() == {"base_colour", "normal", "roughness", "metallic", "occlusion"}
    found = {key: stored(entry, folder) for key, entry in maps.items()}
    low, high = (decoded(np.clip(found["base_colour"] + step, 0, 1)) for step in (-0.502 / 255, 0.502 / 255))
    assert (low <= np.float32(colour) + 1e-6).all() and (np.float32(colour) <= high + 1e-6).all()
    assert np.abs(found["normal"] * 2 - 1 - normal).max() < 2 * 0.51 / 65535
    for key, value in (("roughness", rough), ("metallic", metal), ("occlusion", 1.0)):
        assert np.abs(found[key] - value).max() < 0.51 / 255


def test_what_is_whole_or_dark_everywhere_makes_no_map_and_strength_is_kept(tmp_path: Path) -> None:
    opacity = np.linspace(0, 1, SHAPE[0] * SHAPE[1], dtype=np.float32).reshape(SHAPE)
    assert "opacity" not in by_property(flat_maps(surface()))
    cut = by_property(flat_maps(surface(opacity=opacity)))["opacity"]
    assert cut.image.channels == ("Y",) and np.abs(stored(cut, tmp_path)[..., 0] - opacity).max() < 0.51 / 255
    glow = np.zeros((*SHAPE, 3), np.float32)
    assert "emissive" not in by_property(flat_maps(surface(emissive=glow)))
    glow[2, 3] = (0.5, 0.25, 0.0)
    dim = by_property(flat_maps(surface(emissive=glow)))["emissive"]
    assert (dim.file_format, dim.encoding) == ("png", "srgb")
    assert np.abs(decoded(stored(dim, tmp_path)) - glow).max() < 0.01
    # Above 1 it is light in numbers of its own, and nothing is cut off.
    bright = by_property(flat_maps(surface(emissive=glow * 40)))["emissive"]
    assert (bright.file_format, bright.encoding) == ("exr", "linear") and bright.file_name("oak") == "oak_emissive.exr"
    assert np.abs(stored(bright, tmp_path) - glow * 40).max() < 0.02


def test_a_ground_that_is_blended_by_height_keeps_one(tmp_path: Path) -> None:
    """What the fill covers has the fill's height, in steps of sixteen bits: of eight they would be seen in the light."""
    master = check_master(shipped_masters()["height-blended-ground"])
    ramp = np.linspace(0.1, 0.9, 64, dtype=np.float32)[None, :].repeat(4, 0)
    fill = ramp[:, ::-1] * np.float32(0.05) + np.float32(0.4)
    samplers = {"base height map": picture_sampler(ramp), "fill height map": picture_sampler(fill)}
    bare, covered = (bake(master, {"fill level": level}, samplers, 64, 4) for level in (0.0, 1.0))
    for baked, meant in ((bare, ramp), (covered, fill)):
        height = by_property(flat_maps(baked))["height"]
        assert np.abs(stored(height, tmp_path)[..., 0] - meant).max() < 0.51 / 65535 + 1e-6
    # Where neither set has one there is nothing to keep.
    assert "height" not in by_property(flat_maps(bake(master, {}, {}, 8, 8)))
    assert "height" not in by_property(flat_maps(surface()))


@given(st.integers(0, 2**32 - 1), st.sampled_from([1, 2, 4]))
def test_each_texel_is_the_mean_of_what_lies_in_it(seed: int, finer: int) -> None:
    """Light as light, by NumPy's own means of the finer surface; directions as directions, and of unit length again."""
    rng = np.random.default_rng(seed)
    colour = rng.random((16, 16, 3)).astype(np.float32)
    lean = rng.normal(0, 0.4, (16, 16, 2))
    normal = np.dstack([lean, np.ones((16, 16))])
    normal = (normal / np.linalg.norm(normal, axis=-1, keepdims=True)).astype(np.float32)
    master = check_master(shipped_masters()["solid-surface"])
    samplers = {"colour map": picture_sampler(colour), "normal map": picture_sampler(normal)}
    fine, coarse = (bake(master, {}, samplers, 8 * scale, 8 * scale, each) for scale, each in ((finer, 1), (1, finer)))

    def means(values: Floats) -> Floats:
        return values.reshape(8, finer, 8, finer, -1).mean(axis=(1, 3))

    assert np.abs(coarse["base_colour"] - means(fine["base_colour"])).max() < 1e-5
    turned = means(fine["normal"])
    turned /= np.linalg.norm(turned, axis=-1, keepdims=True)
    assert np.abs(coarse["normal"] - turned).max() < 1e-5


def test_the_ledger_says_what_was_written_and_nothing_is_guessed(tmp_path: Path) -> None:
    """Its rows stand, whatever pixels and names suggest: a flat normal map shows no direction at all."""
    maps = flat_maps(surface(base_colour=(0.2, 0.3, 0.4), opacity=np.full(SHAPE, 0.5)))
    held = {}
    for entry in maps:
        place = tmp_path / entry.file_name("oak")
        write_flat(entry, place)
        held[entry.property] = (entry, facts_of(place, f"flattened/oak/{place.name}"))
        with Pillow.open(place) as picture:
            assert picture.size == SHAPE[::-1]
    ledger = flat_ledger("Oak, flat", held, "Flattened from Oak.")
    rows = {row.property: row for row in ledger.rows}
    files = {facts.id: facts for _, facts in held.values()}
    assert rows.keys() == {entry.property for entry in maps} and ledger.name == "Oak, flat"
    for key, row in rows.items():
        assert row_problem(row, files) is None, key
        assert row.sure == "by hand" and row.why == "Flattened from Oak." and not row.inverted
    assert rows["normal"].normal_y == "+Y" and rows["base_colour"].encoding == "srgb"
    assert all(
        row.encoding == "linear" and row.normal_y is None for key, row in rows.items() if key not in ("normal", "base_colour")
    )
