"""Pictures for eyes: what the well shows is what is stored."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from texelcore.pixels.display import display, shrink
from texelcore.pixels.image import Image

RGBA = np.random.default_rng(4).integers(0, 256, (6, 5, 4), dtype=np.uint8)


def test_eight_bits_are_shown_as_they_are_and_alpha_never_touches_colour() -> None:
    image = Image.of(RGBA)
    np.testing.assert_array_equal(display(image, "RGB"), RGBA[:, :, :3])
    for index, name in enumerate("RGBA"):
        np.testing.assert_array_equal(display(image, name)[:, :, 0], RGBA[:, :, index])


def test_grey_answers_every_view_but_an_alpha_that_it_has_not() -> None:
    grey = Image.of(RGBA[:, :, 0])
    for view in ("RGB", "R", "G", "B"):
        np.testing.assert_array_equal(display(grey, view)[:, :, 0], RGBA[:, :, 0])
    with pytest.raises(KeyError):
        display(grey, "A")
    with pytest.raises(KeyError):
        display(Image.of(RGBA[:, :, :3]), "A")


def test_deeper_samples_are_brought_to_eight_bits() -> None:
    deep = Image.of(np.array([[0, 255, 256, 32768, 65535]], np.uint16))
    assert display(deep, "RGB")[0, :, 0].tolist() == [0, 0, 1, 128, 255]
    light = np.array([[[0.21586, 0.0, 9.0]]], np.float32)
    # IEC 61966-2-1: 0.21586 in linear light is sRGB 128 of 255.
    assert display(Image.of(light), "RGB", linear_colour=True)[0, 0].tolist() == [128, 0, 255]
    assert display(Image.of(light), "R", linear_colour=True)[0, 0].tolist() == [55]
    assert display(Image.of(np.array([[np.nan, np.inf, -1]], np.float16)), "RGB")[0, :, 0].tolist() == [0, 255, 0]


@given(st.integers(1, 90), st.integers(1, 90), st.integers(1, 40), st.integers(0, 255))
def test_shrinking_keeps_flat_pictures_flat_and_fits(height: int, width: int, longest: int, value: int) -> None:
    small = shrink(np.full((height, width, 3), value, np.uint8), longest)
    assert max(small.shape[:2]) <= longest
    assert (small == value).all()


def test_shrinking_averages_blocks() -> None:
    checks = np.indices((8, 8)).sum(0)[:, :, None] % 2 * 200
    np.testing.assert_array_equal(shrink(checks.astype(np.uint8), 4), np.full((4, 4, 1), 100))
