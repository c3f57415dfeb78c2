"""What operations of masters mean, by laws that hold for all values. That the GPU means the same is `test_gpu.py`'s."""

from __future__ import annotations

import math
import re

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra import numpy as arrays

from texelcore.materials.dressing.evaluate import evaluate, texel_centres
from texelcore.materials.operations import OPERATIONS
from texelcore.materials.operations.also import ALSO_CALLED
from texelcore.materials.shader import shader_text
from texelcore.materials.sheets.document import Master
from texelcore.materials.sheets.typing import check_master

share = st.floats(0, 1, width=32)
colour = arrays.arrays(np.float32, (3,), elements=share)
lean = st.tuples(st.floats(-0.875, 0.875, width=32), st.floats(-0.875, 0.875, width=32))
FLAT = np.array([0.0, 0.0, 1.0], np.float32)


def run(key: str, *values: object) -> np.ndarray:
    return np.asarray(OPERATIONS[key].numpy(*(np.asarray(value, np.float32) for value in values)))


def normal(leans: tuple[float, float]) -> np.ndarray:
    vector = np.array([*leans, 1.0])
    return np.asarray(vector / np.linalg.norm(vector), np.float32)


def test_other_words_are_for_operations_that_there_are() -> None:
    assert set(ALSO_CALLED) <= set(OPERATIONS)


def test_the_table_is_whole() -> None:
    """Each is declared once, in words that a person reads, with slots that GLSL can name."""
    assert len(OPERATIONS) > 50
    for operation in OPERATIONS.values():
        assert re.fullmatch(r"[a-z][a-z0-9_]*", operation.key) and not operation.meaning[0].isupper()
        names = [slot.name for slot in operation.slots]
        assert len(set(names)) == len(names)
        for slot in operation.slots:
            said = "READ" if slot.kind == "texture" else slot.name
            assert re.search(rf"\b{said}_?\b", operation.glsl), (operation.key, slot.name)


@given(share, share)
def test_blend_modes_are_those_of_the_standard(a: float, b: float) -> None:
    """W3C, Compositing and Blending Level 1, section 9.1: B(backdrop, source), written out once more."""
    hard = a * 2 * b if b <= 0.5 else a + (2 * b - 1) - a * (2 * b - 1)
    over = b * 2 * a if a <= 0.5 else b + (2 * a - 1) - b * (2 * a - 1)
    deep = ((16 * a - 12) * a + 4) * a if a <= 0.25 else math.sqrt(a)
    soft = a - (1 - 2 * b) * a * (1 - a) if b <= 0.5 else a + (2 * b - 1) * (deep - a)
    meant = {
        **{"screen": a + b - a * b, "hard_light": hard, "overlay": over, "soft_light": soft},
        **{"difference": abs(a - b), "exclusion": a + b - 2 * a * b},
    }
    for key, value in meant.items():
        assert run(key, a, b) == pytest.approx(value, abs=2e-6), key


@given(lean)
def test_a_flat_normal_changes_no_other(leans: tuple[float, float]) -> None:
    bent = normal(leans)
    for key in ("reorient", "whiteout"):
        np.testing.assert_allclose(run(key, FLAT, bent), bent, atol=2e-6)
        np.testing.assert_allclose(run(key, bent, FLAT), bent, atol=2e-6)
    np.testing.assert_allclose(run("detail_normal", bent, bent, 0.0), bent, atol=2e-6)


@given(lean, lean, share)
def test_blended_normals_have_unit_length(first: tuple[float, float], second: tuple[float, float], part: float) -> None:
    a, b = normal(first), normal(second)
    for key, extra in (("reorient", ()), ("whiteout", ()), ("detail_normal", (part,)), ("mix_normals", (part,))):
        assert np.linalg.norm(run(key, a, b, *extra)) == pytest.approx(1, abs=1e-5), key
    np.testing.assert_allclose(run("mix_normals", a, b, 0.0), a, atol=1e-6)
    np.testing.assert_allclose(run("mix_normals", a, b, 1.0), b, atol=1e-6)


@given(colour, st.floats(-720, 720, width=32))
def test_hue_keeps_greys_and_comes_round(taken: np.ndarray, degrees: float) -> None:
    grey = np.full(3, taken[0])
    np.testing.assert_allclose(run("hue", grey, degrees), grey, atol=1e-5)
    np.testing.assert_allclose(run("hue", taken, 360.0), taken, atol=1e-5)
    # A third of the way round red is green (where nothing leaves what light can be).
    np.testing.assert_allclose(run("hue", taken, 120.0), taken[[2, 0, 1]], atol=1e-5)


@given(colour)
def test_saturation_is_grey_at_none_and_keeps_luminance(taken: np.ndarray) -> None:
    assert np.ptp(run("saturation", taken, 0.0)) < 1e-6
    assert run("luminance", run("saturation", taken, 0.5)) == pytest.approx(run("luminance", taken), abs=1e-6)
    np.testing.assert_allclose(run("saturation", taken, 1.0), taken, atol=1e-6)


@given(share, share, share)
def test_height_weights_sum_to_one_whichever_layer_is_asked(height: float, other: float, part: float) -> None:
    weight, rest = run("height_weight", height, other, part, 0.7), run("height_weight", other, height, 1 - part, 0.7)
    assert weight + rest == pytest.approx(1, abs=1e-5)
    assert run("height_weight", height, other, 1.0, 0.99) == 1 or other - height < -0.97


@given(st.floats(-50, 50, width=32), st.floats(0.25, 9, width=32))
def test_what_is_left_is_less_than_what_is_taken(a: float, b: float) -> None:
    left = float(run("modulo", a, b))
    assert -1e-4 <= left <= b + 1e-4
    assert math.isclose((a - left) / b, round((a - left) / b), abs_tol=1e-3)


@pytest.mark.parametrize("key", ["value_noise", "gradient_noise", "cell_noise", "cloud_noise"])
def test_noise_is_the_same_every_time_smooth_and_another_for_each_seed(key: str) -> None:
    uv = texel_centres(96, 96)
    eight, seeds = np.full((96, 96), 8, np.float32), [np.full((96, 96), seed, np.float32) for seed in (0, 1)]
    first, again, other = (run(key, uv, eight, seed) for seed in (seeds[0], seeds[0], seeds[1]))
    np.testing.assert_array_equal(first, again)
    assert abs(np.corrcoef(first.ravel(), other.ravel())[0, 1]) < 0.35 and first.std() > 0.08
    assert first.min() >= 0 and first.max() <= 1
    # No cell shows its edge: steps over edges are no larger than those inside.
    steps = np.abs(np.diff(first, axis=1))
    edges = steps[:, 11::12]
    assert edges.max() <= steps.max() * 1.001 and edges.mean() < 1.6 * steps.mean()


def test_numbers_widen_where_colours_are_taken_and_spread_to_any_shape() -> None:
    """A master that mixes plain numbers, parameters and pictures in one sheet gives arrays of one shape, and one GLSL text."""
    strands = [
        ("swirl", "cloud_noise", {"uv": "uv", "scale": 4.0, "seed": 2.0}),
        ("grey", "saturation", {"colour": "swirl", "amount": 0.0}),
        ("warm", "hue", {"colour": "tint", "turned": 30.0}),
        ("both", "soft_light", {"a": "warm", "b": "swirl"}),
        ("mask", "border", {"mask": "swirl", "width": 0.3}),
        ("made", "combine", {"red": 0.5, "green": "mask", "blue": "swirl"}),
        ("bent", "detail_normal", {"base": "flat", "detail": "flat", "strength": "mask"}),
        ("flat", "strengthen", {"normal": "up", "strength": 1.0}),
        ("base", "overlay", {"a": "both", "b": "made"}),
    ]
    master = Master.model_validate(
        {
            "name": "swirl",
            "title": "Swirl",
            "summary": "",
            "version": 1,
            "parameters": [{"name": "tint", "label": "Tint", "group": "Colour", "kind": "colour", "default": (0.8, 0.5, 0.2)}],
            "textures": [{"name": "normal map", "property": "normal"}],
            "strands": [
                {"name": "up", "group": "", "operation": "read", "inputs": {"texture": "normal map", "place": "uv"}},
                *({"name": name, "group": "", "operation": key, "inputs": inputs} for name, key, inputs in strands),
            ],
            "surface": {"base_colour": "base", "normal": "bent", "roughness": "mask"},
        }
    )
    checked = check_master(master)
    found = evaluate(checked, {}, {}, texel_centres(12, 8))
    assert (
        found["base_colour"].shape == (8, 12, 3) and found["normal"].shape == (8, 12, 3) and found["roughness"].shape == (8, 12)
    )
    assert all(np.isfinite(value).all() for value in found.values())
    glsl = shader_text(checked, {}).glsl
    # What two operations call is written once.
    assert glsl.count("vec2 drawn(") == glsl.count("vec3 reoriented(") == 1
