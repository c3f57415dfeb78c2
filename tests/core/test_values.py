"""Stored samples to values and back: exact at both ends, nearest between, defined for what is no number."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from texelcore.pixels.image import LARGEST_HALF
from texelcore.pixels.values import as_measured, as_stored, as_values, top_of


@pytest.mark.parametrize(("sample", "dtype"), [("u8", np.uint8), ("u16", np.uint16)])
def test_every_level_comes_back(sample: str, dtype: type) -> None:
    levels = np.arange(top_of(dtype) + 1, dtype=dtype)
    values = as_values(levels)
    assert (values[0], values[-1]) == (0.0, 1.0)
    for precision in (np.float32, np.float64):
        assert np.array_equal(as_stored(as_values(levels, precision), sample), levels)  # type: ignore[arg-type]


def test_values_go_to_the_nearest_level_halves_up() -> None:
    # Vulkan 1.3, "Conversion From Floating-Point to Normalized Fixed-Point": to the nearest; halves up is our own choice.
    assert as_stored(np.array([0.5 / 255, 1.49 / 255, 127.5 / 255, -3.0, 7.0]), "u8").tolist() == [1, 1, 128, 0, 255]


@given(st.lists(st.floats(width=32), min_size=1, max_size=20), st.sampled_from(["u8", "u16", "f16", "f32"]))
def test_whatever_comes_is_stored_as_a_number(values: list[float], sample: str) -> None:
    stored = as_stored(np.array(values, np.float32), sample)  # type: ignore[arg-type]
    assert bool(np.isfinite(stored.astype(np.float64)).all())
    if sample == "f16":
        assert np.abs(stored).max() <= LARGEST_HALF
    for value, kept in zip(values, stored, strict=True):
        assert not np.isnan(value) or kept == 0


def test_measuring_knows_no_infinity_and_floats_mean_themselves() -> None:
    odd = np.array([np.nan, np.inf, -np.inf, 2.5], np.float16)
    assert np.isfinite(as_measured(odd)).all() and as_measured(odd)[3] == 2.5
    assert as_values(odd)[3] == 2.5 and np.isnan(as_values(odd)[0])
    assert as_measured(np.array([0, 255], np.uint8)).tolist() == [0.0, 1.0]
