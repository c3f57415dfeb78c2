"""The direction of normal maps by their curl, on maps made from the pictures that scikit-image ships as heights."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable
from functools import cache
from itertools import product
from pathlib import Path

import etcpak
import imagecodecs
import numpy as np
import pytest
import skimage
import texture2ddecoder
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image as Pillow
from scipy import ndimage

from tests.conftest import EXPLORE, examples
from texelcore.evidence.direction import normal_direction
from texelcore.pixels.image import Image

HEIGHTS = (
    *("astronaut", "brick", "camera", "cell", "chelsea", "clock_motion", "coffee", "coins", "grass"),
    *("gravel", "horse", "ihc", "microaneurysms", "moon", "page", "phantom", "text"),
)
STRENGTHS = (1.5, 4.0, 12.0, 40.0, 120.0)


@cache
def height(name: str) -> np.ndarray:
    """A picture of scikit-image's as heights, 0–1, at most 512 texels on an edge."""
    with Pillow.open(Path(skimage.__file__).parent / "data" / f"{name}.png") as picture:
        return np.asarray(picture.convert("L"), np.float64)[:512, :512] / 255


def normal_map(heights: np.ndarray, strength: float, direction: str, sobel: bool = False) -> np.ndarray:
    """8-bit normals of a height picture whose rows run downwards, by numpy's central or scipy's Sobel differences."""
    if sobel:
        down, right = ndimage.sobel(heights, 0) / 8, ndimage.sobel(heights, 1) / 8
    else:
        down, right = np.gradient(heights)
    vectors = np.stack([-right * strength, down * strength * (1 if direction == "+Y" else -1), np.ones_like(down)], -1)
    vectors /= np.linalg.norm(vectors, axis=-1, keepdims=True)
    return np.floor(vectors * 127.5 + 128).clip(0, 255).astype(np.uint8)


def through_blocks(key: str) -> Callable[[np.ndarray], np.ndarray]:
    """Through a block format and back: encoded by etcpak, decoded by texture2ddecoder, whose bytes are in BGRA order."""

    def damage(stored: np.ndarray) -> np.ndarray:
        height, width = (edge // 4 * 4 for edge in stored.shape[:2])
        rgba = np.dstack([stored[:height, :width], np.full((height, width), 255, np.uint8)])
        blocks = getattr(etcpak, f"compress_{key}")(rgba.tobytes(), width, height)
        back = np.frombuffer(getattr(texture2ddecoder, f"decode_{key}")(blocks, width, height), np.uint8)
        rgb = back.reshape(height, width, 4)[:, :, [2, 1, 0]]
        return rgb[:, :, :2] if key == "bc5" else rgb

    return damage


def noise(stored: np.ndarray) -> np.ndarray:
    grain = np.random.default_rng(stored.shape[0]).normal(0, 4, stored.shape)
    return np.clip(np.round(stored + grain), 0, 255).astype(np.uint8)


DAMAGES: dict[str, Callable[[np.ndarray], np.ndarray]] = {
    "as made": lambda stored: stored,
    "JPEG 75": lambda stored: imagecodecs.jpeg8_decode(imagecodecs.jpeg8_encode(stored, level=75)),
    "BC1": through_blocks("bc1"),
    "BC3": through_blocks("bc3"),
    "BC5": through_blocks("bc5"),
    "noise of 4 levels": noise,
}


def seen(stored: np.ndarray) -> str | None:
    return normal_direction(Image(stored, ("R", "G", "B")[: stored.shape[2]])).answer


def test_no_wrong_answer_and_hardly_an_undecided_one() -> None:
    """Every height, strength, direction and damage: a seventh of the matrix, and all of it when there is time."""
    answers: Counter[str] = Counter()
    wrong = []
    matrix = list(product(HEIGHTS, STRENGTHS, ("+Y", "-Y"), DAMAGES))
    # Seven has no part in any of their numbers: all of each are met.
    some = [case for at, case in enumerate(matrix) if EXPLORE or at % 7 == 0]
    for name, strength, direction, damage in some:
        answer = seen(DAMAGES[damage](normal_map(height(name), strength, direction)))
        answers["undecided" if answer is None else "right" if answer == direction else "wrong"] += 1
        if answer not in (None, direction):
            wrong.append((name, strength, direction, damage))
    assert answers.total() == len(some) > 140 and not wrong
    assert answers["undecided"] <= 0.03 * answers.total()


@given(st.integers(0, 2**32 - 1), st.sampled_from([64, 200, 320]), st.sampled_from([0.0, 1.0, 4.0]), st.floats(0.02, 0.3))
@examples(30)
def test_a_field_that_comes_from_no_height_is_not_answered(seed: int, edge: int, smooth: float, strength: float) -> None:
    """Red and green that know nothing of each other fit both readings alike."""
    field = np.random.default_rng(seed).normal(size=(2, edge, edge))
    field = np.stack([ndimage.gaussian_filter(part, smooth, mode="wrap") for part in field]) if smooth else field
    stored = np.clip(field / field.std() * strength * 127 + 127.5, 0, 255).astype(np.uint8)
    assert seen(np.dstack([*stored, np.full((edge, edge), 255, np.uint8)])) is None


@given(st.sampled_from(HEIGHTS), st.floats(1.5, 100.0), st.booleans(), st.integers(0, 3))
@examples(20)
def test_turning_green_over_turns_the_answer_over(name: str, strength: float, sobel: bool, turns: int) -> None:
    """A law: 255 − G is the other direction. Quarter turns of the height change nothing."""
    stored = normal_map(np.rot90(height(name), turns), strength, "+Y", sobel)
    other = stored.copy()
    other[:, :, 1] = 255 - other[:, :, 1]
    first, second = seen(stored), seen(other)
    assert (first, second) in {("+Y", "-Y"), (None, None)}


def test_baked_maps_with_islands_and_hard_edges() -> None:
    """Islands of other heights on a flat ground, cut with hard edges, not square and not tiling."""
    ground = np.full((384, 700, 3), (128, 128, 255), np.uint8)
    for index, name in enumerate(("coins", "gravel", "page")):
        island = normal_map(np.rot90(height(name), index)[:180, :180], 20.0, "-Y")
        rows, columns = np.ogrid[: island.shape[0], : island.shape[1]]
        inside = (rows * (index + 1) + columns) % 240 < 170
        place = ground[40 + 60 * index :, 30 + 220 * index :][: island.shape[0], : island.shape[1]]
        place[inside] = island[inside]
    assert seen(ground) == "-Y"


def test_what_cannot_be_told_is_said() -> None:
    flat = normal_direction(Image.of(np.full((64, 64, 3), (128, 128, 255), np.uint8)))
    assert (flat.answer, flat.undecided) == (None, "flat")
    step = np.full((256, 256, 3), (128, 128, 255), np.uint8)
    step[:, 128] = (40, 128, 200)
    lone = normal_direction(Image.of(step))
    assert lone.answer is None and lone.undecided


@pytest.mark.parametrize("dtype", [np.uint16, np.float32, np.float16])
def test_deeper_samples_give_the_same_answer(dtype: type) -> None:
    stored = normal_map(height("brick"), 8.0, "-Y").astype(np.float64) / 255
    scaled = stored * 65535 if dtype is np.uint16 else stored
    assert seen(scaled.astype(dtype)) == "-Y"


def test_large_maps_are_judged_by_their_liveliest_windows() -> None:
    """Detail in one corner of a large flat map is found."""
    large = np.full((2048, 2048, 3), (128, 128, 255), np.uint8)
    large[1500:2012, 1500:2012] = normal_map(height("moon"), 20.0, "-Y")
    assert seen(large) == "-Y"
