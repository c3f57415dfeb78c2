"""Colour, normals and derivations, held against published values and a reference library."""

from __future__ import annotations

import colour
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from texelcore.building.recipe import apply_steps, simplify
from texelcore.colour.srgb import from_linear, to_linear
from texelcore.derive.from_specular import from_specular

LEVELS = np.arange(256, dtype=np.uint8)
STEPS = st.sampled_from(["srgb_to_linear", "linear_to_srgb", "invert", "flip_green"])


def test_srgb_agrees_with_the_standard_and_with_a_reference_library() -> None:
    values = np.linspace(0, 1, 4097)
    # colour-science is the reference implementation of IEC 61966-2-1 here.
    np.testing.assert_allclose(to_linear(values), colour.models.eotf_sRGB(values), atol=1e-9)
    np.testing.assert_allclose(from_linear(values), colour.models.eotf_inverse_sRGB(values), atol=1e-9)
    # IEC 61966-2-1: sRGB 0.5 is 0.2140 in linear light. A mid roughness read as sRGB turns wet.
    assert to_linear(np.array(0.5)) == pytest.approx(0.2140, abs=5e-5)


def test_every_level_survives_srgb_there_and_back_and_is_within_half_a_level() -> None:
    linear16 = apply_steps(LEVELS, ("srgb_to_linear",), "u16")
    exact = colour.models.eotf_sRGB(LEVELS / 255) * 65535
    assert np.abs(linear16 - exact).max() <= 0.5 + 1e-9
    np.testing.assert_array_equal(apply_steps(linear16, ("linear_to_srgb",), "u8"), LEVELS)


def test_inversion_and_flip_are_exact_on_stored_levels() -> None:
    np.testing.assert_array_equal(apply_steps(LEVELS, ("flip_green",), "u8"), 255 - LEVELS)
    np.testing.assert_array_equal(apply_steps(LEVELS, ("invert",), "u8"), 255 - LEVELS)
    deep = np.arange(65536, dtype=np.uint16)
    np.testing.assert_array_equal(apply_steps(deep, ("invert",), "u16"), 65535 - deep)


def test_depth_changes_round_to_the_nearest_level() -> None:
    deep = np.arange(65536, dtype=np.uint16)
    # Integer arithmetic, independent of ours: nearest of v × 255 / 65535, halves up.
    expected = (deep.astype(np.uint64) * 255 * 2 + 65535) // (2 * 65535)
    np.testing.assert_array_equal(apply_steps(deep, (), "u8"), expected)
    np.testing.assert_array_equal(apply_steps(LEVELS, (), "u16"), LEVELS.astype(np.uint16) * 257)
    odd = np.array([np.nan, np.inf, -np.inf, -0.2, 1.7, 0.5], np.float32)
    np.testing.assert_array_equal(apply_steps(odd, (), "u8"), [0, 255, 0, 0, 255, 128])


@given(st.lists(STEPS, max_size=8).map(tuple), st.sampled_from(["u8", "u16"]))
def test_simplified_steps_do_the_same(steps: tuple, sample: str) -> None:
    short = simplify(steps)
    assert len(short) <= len(steps)
    full = apply_steps(LEVELS / 255.0, steps, "f32")
    np.testing.assert_allclose(apply_steps(LEVELS / 255.0, short, "f32"), full, atol=2e-6)


def test_specular_workflow_ends_where_the_extension_says() -> None:
    """glTF KHR_materials_pbrSpecularGlossiness: a dielectric of 0.04 stays what it is, a pure metal takes its specular."""
    paint = np.array([[0.5, 0.2, 0.1]])
    plain = from_specular(paint, np.full((1, 3), 0.04))
    assert plain.metallic[0] == pytest.approx(0, abs=1e-3)
    np.testing.assert_allclose(plain.base_colour, paint, atol=1e-3)
    gold = np.array([[1.0, 0.766, 0.336]])
    metal = from_specular(np.zeros((1, 3)), gold)
    assert metal.metallic[0] == pytest.approx(1, abs=1e-6)
    np.testing.assert_allclose(metal.base_colour, gold, atol=1e-4)


@given(st.lists(st.floats(0, 1), min_size=6, max_size=6))
def test_specular_conversion_stays_in_range(values: list[float]) -> None:
    result = from_specular(np.array([values[:3]]), np.array([values[3:]]))
    assert 0 <= result.metallic[0] <= 1
    assert ((result.base_colour >= 0) & (result.base_colour <= 1)).all()
