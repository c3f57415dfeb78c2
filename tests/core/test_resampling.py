"""Maps brought to the size of their output: OpenImageIO's filters against independent arithmetic, and each in its meaning."""

from __future__ import annotations

import math
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image as Pillow
from pydantic import ValidationError

from texelcore.building.execute import make_outputs
from texelcore.building.plan import plan_build
from texelcore.building.sources import in_folder
from texelcore.colour.srgb import from_linear, to_linear
from texelcore.evidence.facts import facts_of
from texelcore.pixels.image import Image
from texelcore.pixels.read import read
from texelcore.pixels.resample import Filter, resample, resample_two_valued, resample_vectors
from texelcore.pixels.strips import of_image
from texelcore.pixels.write import write
from texelcore.surface.ledger import Ledger, Row
from texelcore.targets.document import Target
from texelcore.targets.sizes import SizeRule, size_of


def mitchell(x: np.ndarray) -> np.ndarray:
    """Mitchell and Netravali, "Reconstruction Filters in Computer Graphics" (1988), B = C = 1/3."""
    x = np.abs(x)
    near = (7 * x**3 - 12 * x**2 + 16 / 3) / 6
    far = (-7 / 3 * x**3 + 12 * x**2 - 20 * x + 32 / 3) / 6
    return np.where(x < 1, near, np.where(x < 2, far, 0.0))


def lanczos(x: np.ndarray) -> np.ndarray:
    """Duchon, "Lanczos Filtering in One and Two Dimensions" (1979), three lobes."""
    return np.where(np.abs(x) < 3, np.sinc(x) * np.sinc(x / 3), 0.0)


def by_hand(values: np.ndarray, count: int, kernel: Any, axis: int) -> np.ndarray:
    """One axis resampled by a kernel as wide as the larger of both texels, weights of one sum, edges repeated."""
    length = values.shape[axis]
    stretch = max(1.0, length / count)
    places = np.arange(-64, length + 64)
    centre = (np.arange(count) + 0.5) * length / count - 0.5
    weights = kernel((places[None, :] - centre[:, None]) / stretch)
    weights /= weights.sum(axis=1, keepdims=True)
    padded = np.take(values, np.clip(places, 0, length - 1), axis=axis)
    return np.moveaxis(np.tensordot(weights, padded, axes=(1, axis)), 0, axis)


@pytest.mark.parametrize(("filter", "kernel"), [("mitchell", mitchell), ("lanczos", lanczos)])
@pytest.mark.parametrize("size", [(32, 16), (8, 24), (16, 64), (64, 16), (24, 24)])
def test_filters_are_those_of_their_papers(filter: Filter, kernel: Any, size: tuple[int, int]) -> None:
    values = np.random.default_rng(3).random((16, 16, 2))
    wanted = by_hand(by_hand(values, size[1], kernel, 0), size[0], kernel, 1)
    found = resample(values, *size, filter)
    # Where both edges change alike OpenImageIO does it, and leaves out of the sum what lies beyond an edge.
    inner = (slice(8, -8), slice(8, -8)) if size[0] == size[1] else (slice(None), slice(None))
    assert np.abs(found[inner] - wanted[inner]).max() < 1e-5


@given(st.tuples(*[st.integers(24, 60)] * 2), st.tuples(*[st.integers(24, 120)] * 2))
def test_any_size_becomes_any_other_as_in_another_library(source: tuple[int, int], size: tuple[int, int]) -> None:
    """As Pillow's Lanczos has it, away from edges, whether both edges change alike or not."""
    values = np.random.default_rng(6).random(source).astype(np.float32)
    meant = np.asarray(Pillow.fromarray(values).resize(size, Pillow.Resampling.LANCZOS))
    made = resample(values[..., None], *size, "lanczos")[..., 0]
    rims = [math.ceil(4 * max(1, count / edge)) for count, edge in zip(made.shape, source, strict=True)]
    inner = tuple(slice(rim, -rim) for rim in rims)
    assert np.abs(made - meant)[inner].max() < 1e-5


def test_a_strip_fills_a_square_in_a_moment() -> None:
    """A ramp of one texel across is as even across when it is wide: OpenImageIO takes 12 s for one of 512."""
    ramp = np.linspace(0, 1, 4096, dtype=np.float32)[:, None, None]
    made = resample(ramp, 4096, 4096, "lanczos")
    assert np.abs(made - ramp).max() < 1e-3


def test_a_box_of_whole_texels_is_their_mean() -> None:
    values = np.random.default_rng(4).random((12, 18, 3))
    assert np.allclose(resample(values, 6, 4, "box"), values.reshape(4, 3, 6, 3, 3).mean((1, 3)), atol=1e-6)


@given(filter=st.sampled_from(("box", "mitchell", "lanczos")), width=st.integers(1, 40), height=st.integers(1, 40))
def test_what_is_even_stays_even_and_directions_keep_their_length(filter: Filter, width: int, height: int) -> None:
    assert np.allclose(resample(np.full((9, 13, 1), 0.375), width, height, filter), 0.375, atol=1e-5)
    vectors = np.random.default_rng(5).normal(size=(9, 13, 3))
    assert np.allclose(np.linalg.norm(resample_vectors(vectors, width, height, filter), axis=2), 1, atol=1e-5)


@given(st.integers(1, 30), st.integers(1, 30), st.integers(0, 9))
def test_masks_of_two_values_keep_two_values(width: int, height: int, seed: int) -> None:
    mask = np.random.default_rng(seed).random((15, 11, 1)).round() * 0.75
    assert set(np.unique(resample_two_valued(mask, width, height))) <= {0.0, 0.75}
    # By majority: two of four texels are as many as the other two, and the larger value wins.
    halved = resample_two_valued(np.array([[0, 1, 0, 0], [1, 0, 0, 0]])[..., None], 2, 1)
    assert halved[0, :, 0].tolist() == [1.0, 0.0]


sizes = st.tuples(st.integers(1, 9000), st.integers(1, 9000))


@given(
    sources=st.lists(sizes, min_size=1, max_size=4),
    rule=st.fixed_dictionaries(
        {
            "among": st.sampled_from(("largest", "smallest")),
            "scale": st.sampled_from((0.25, 0.5, 1.0, 2.0)),
            "smallest": st.sampled_from((1, 8, 300)),
            "largest": st.sampled_from((8, 1000, 4096)),
            "power_of_two": st.booleans(),
            "multiple_of_four": st.booleans(),
            "square": st.booleans(),
        }
    ),
)
def test_a_size_holds_what_its_rule_says(sources: list[tuple[int, int]], rule: dict[str, Any]) -> None:
    try:
        made = SizeRule.model_validate(rule)
    except ValidationError:
        assert rule["smallest"] > rule["largest"]
        return
    edges = size_of(made, sources)
    assert all(edge <= rule["largest"] and edge >= min(rule["smallest"], rule["largest"]) for edge in edges)
    assert not rule["power_of_two"] or all(edge & (edge - 1) == 0 for edge in edges)
    assert not rule["multiple_of_four"] or all(edge % 4 == 0 for edge in edges)
    assert not rule["square"] or edges[0] == edges[1]
    plain = SizeRule(among=made.among)
    assert size_of(plain, sources) in sources


@pytest.mark.parametrize("bad", [{"largest": 0}, {"largest": 100_000}, {"smallest": 512, "largest": 256}, {"scale": 0}])
def test_sizes_that_nothing_can_have_are_refused(bad: dict[str, Any]) -> None:
    with pytest.raises(ValidationError):
        SizeRule.model_validate(bad)
    with pytest.raises(ValidationError):
        SizeRule(smallest=300, largest=500, power_of_two=True)


def packed(**output: Any) -> Target:
    body = {
        "key": "out",
        "title": "Out",
        "suffix": "o",
        "file_format": "png",
        "sample": "u8",
        "encoding": "linear",
        "channels": [],
        "storage": {"format": "rgba8"},
    }
    head = {"name": "t", "title": "T", "summary": "", "version": 1, "normal_y": "+Y", "name_template": "{set}_{suffix}"}
    return Target.model_validate(head | {"outputs": [body | output]})


def built(folder: Path, maps: dict[str, np.ndarray], rows: list[dict[str, Any]], target: Target) -> np.ndarray:
    """The stored pixels of a target's only output, built from maps that are written as PNG or OpenEXR."""
    for name, pixels in maps.items():
        write(of_image(Image.of(pixels)), "exr" if name.endswith("exr") else "png", "linear", folder / name)
    facts = {name: facts_of(folder / name, name) for name in maps}
    said = {"encoding": "linear", "sure": "by hand", "why": ""}
    ledger = Ledger(name="wall", rows=tuple(Row.model_validate(said | row) for row in rows))
    (made,) = make_outputs(plan_build(ledger, target, facts), in_folder(facts, folder), folder / "out")
    return read(made.path).data


def test_each_map_of_an_output_is_resampled_in_its_meaning(tmp_path: Path) -> None:
    """Colour in linear light: black beside white is 188 in sRGB, not 128 (IEC 61966-2-1)."""
    checker = np.indices((8, 8)).sum(0) % 2 * 255
    maps = {
        "c.png": np.repeat(checker[..., None], 3, 2).astype(np.uint8),
        "m.png": np.full((4, 4, 1), 77, np.uint8),
    }
    rows = [
        {"property": "base_colour", "file": "c.png", "channels": ("R", "G", "B"), "encoding": "srgb"},
        {"property": "mask.01", "file": "m.png", "channels": ("Y",)},
    ]
    colour = [{"channel": name, "property": "base_colour", "component": at} for at, name in enumerate("RGB")]
    target = packed(
        channels=[*colour, {"channel": "A", "property": "mask"}],
        encoding="srgb",
        resampling="box",
        size={"among": "smallest"},
    )
    pixels = built(tmp_path, maps, rows, target)
    assert pixels.shape == (4, 4, 4)
    assert set(pixels[..., :3].ravel()) == {round(float(from_linear(np.array(0.5))) * 255)} == {188}
    assert set(pixels[..., 3].ravel()) == {77}


def test_occlusion_is_multiplied_into_linear_light_as_gltf_says(tmp_path: Path) -> None:
    """glTF 2.0, section Materials: colour × (1 + strength × (occlusion − 1))."""
    rng = np.random.default_rng(6)
    colour, occlusion = rng.integers(0, 256, (8, 8, 3), np.uint8), rng.integers(0, 256, (8, 8, 1), np.uint8)
    rows = [
        {"property": "base_colour", "file": "c.png", "channels": ("R", "G", "B"), "encoding": "srgb"},
        {"property": "occlusion", "file": "o.png", "channels": ("Y",)},
    ]
    entries = [
        {"channel": name, "property": "base_colour", "component": at, "multiplied_by": "occlusion", "strength": 0.6}
        for at, name in enumerate("RGB")
    ]
    found = built(tmp_path, {"c.png": colour, "o.png": occlusion}, rows, packed(channels=entries, encoding="srgb"))
    linear = to_linear(colour / 255) * (1 + 0.6 * (occlusion / 255 - 1))
    assert np.array_equal(found, np.floor(from_linear(linear) * 255 + 0.5).astype(np.uint8))


def test_dithering_keeps_the_mean_and_leaves_no_bands(tmp_path: Path) -> None:
    ramp = np.linspace(20_000, 21_500, 256)
    height = np.repeat(ramp[None, :], 256, 0).round().astype(np.uint16)[..., None]
    rows = [{"property": "height", "file": "h.png", "channels": ("Y",)}]
    entries = [{"channel": "Y", "property": "height"}]
    storage = {"format": "r8"}
    plain, dithered = (
        built(tmp_path, {"h.png": height}, rows, packed(channels=entries, storage=storage, dither=on))[..., 0].astype(float)
        for on in (False, True)
    )
    wanted = height[..., 0] / 257
    assert abs(dithered.mean() - wanted.mean()) < 0.01
    # Along a slope of a fortieth of a level a texel: what was a step 43 texels wide follows the slope.
    blocks = [(values - wanted).reshape(16, 16, 16, 16).mean((1, 3)) for values in (plain, dithered)]
    assert np.abs(blocks[0]).max() > 0.25 and np.abs(blocks[1]).max() < 0.05
    assert np.abs(dithered - wanted).max() < 1


def test_constants_ranges_and_stand_ins_are_stored_as_they_are_said(tmp_path: Path) -> None:
    height = np.random.default_rng(7).uniform(-0.5, 1.5, (8, 8, 1)).astype(np.float32)
    rows = [{"property": "height", "file": "h.exr", "channels": ("Y",)}]
    entries = [
        {"channel": "R", "property": "height", "low": -0.5, "high": 1.5},
        {"channel": "G", "property": "height", "fitted": True, "inverted": True},
        {"channel": "B", "property": "constant", "constant": 0.25},
        {"channel": "A", "property": "mask", "when_absent": 0.5},
    ]
    found = built(tmp_path, {"h.exr": height}, rows, packed(channels=entries)).astype(float)
    plain = height[..., 0].astype(np.float64)
    low, high = plain.min(), plain.max()
    assert np.abs(found[..., 0] - (plain + 0.5) / 2 * 255).max() <= 0.5 + 1e-6
    assert np.abs(found[..., 1] - (1 - (plain - low) / (high - low)) * 255).max() <= 0.5 + 1e-3
    assert set(found[..., 2].ravel()) == {64.0} and set(found[..., 3].ravel()) == {128.0}
