"""Pictures of everything around: what is kept of them, and what is refused."""

from __future__ import annotations

import gzip
from pathlib import Path

import numpy as np
import OpenImageIO as oiio
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from texelcore.lighting.cubes import from_shared_exponent
from texelcore.lighting.panorama import BRIGHTEST, HEIGHT, WIDTH, packed_panorama, read_panorama
from texelcore.pixels.errors import UnreadableImage


def written(folder: Path, light: np.ndarray, name: str = "sky.exr", tile: int = 0, sample: str = "half") -> Path:
    height, width, channels = light.shape
    spec = oiio.ImageSpec(width, height, channels, sample)
    spec.tile_width = spec.tile_height = tile
    out = oiio.ImageOutput.create(str(folder / name))
    assert out.open(str(folder / name), spec) and out.write_image(light.astype(np.float32)), out.geterror()
    out.close()
    return folder / name


@settings(max_examples=12, deadline=None)
@given(st.integers(2, 900), st.integers(-1, 1), st.sampled_from([0, 16, 64]), st.integers(0, 1000))
def test_the_light_is_the_same_in_all_whatever_the_size(
    tmp_path_factory: pytest.TempPathFactory, half: int, more: int, tile: int, seed: int
) -> None:
    """Means of blocks add up to the whole: nothing is lost where a size is no multiple, but a rim of less than a block."""
    height, width = max(4, half), max(8, 2 * half + more)
    light = np.random.default_rng(seed).uniform(0, 2, (height, width, 3))
    found = read_panorama(written(tmp_path_factory.mktemp("sky"), light, tile=tile), "sky.exr")
    assert found.shape == ((height, width, 3) if width <= WIDTH and height <= HEIGHT else (HEIGHT, WIDTH, 3))
    np.testing.assert_allclose(found.mean((0, 1)), light.mean((0, 1)), rtol=0.03)


def test_what_shrinks_stays_where_it_was(tmp_path: Path) -> None:
    light = np.zeros((2048, 4096, 3))
    light[400:800, 1000:1400] = (4, 2, 1)
    for name, tile in (("sky.hdr", 0), ("sky.exr", 64)):
        found = read_panorama(written(tmp_path, light, name, tile), name)
        assert found.shape == (HEIGHT, WIDTH, 3)
        np.testing.assert_allclose(found[100:200, 250:350], np.broadcast_to((4, 2, 1), (100, 100, 3)), rtol=0.01)
        assert found[:98].max() == 0 and found[:, 352:].max() == 0
    words = np.frombuffer(gzip.decompress(packed_panorama(found)), "<u4")
    np.testing.assert_allclose(from_shared_exponent(words).reshape(found.shape), found, atol=0.01)


def test_what_is_no_number_is_dark_and_what_is_endless_is_bright(tmp_path: Path) -> None:
    light = np.ones((32, 64, 4))
    light[0, 0], light[1, 1], light[2, 2], light[3, 3] = np.nan, np.inf, -np.inf, -4
    found = read_panorama(written(tmp_path, light, sample="float"), "sky.exr")
    assert found[0, 0].max() == found[2, 2].max() == found[3, 3].max() == 0 and found[1, 1].min() == BRIGHTEST
    assert (np.delete(found.reshape(-1, 3), [0, 65, 130, 195], axis=0) == 1).all()


@pytest.mark.parametrize(
    ("shape", "problem"),
    [
        ((1, 1, 3), "1 × 1 texels; an environment needs 8 × 4 at least"),
        ((64, 64, 3), "twice as wide as high"),
        ((16, 32, 1), "1 channels; light needs three"),
    ],
)
def test_what_is_no_environment_is_refused(tmp_path: Path, shape: tuple[int, int, int], problem: str) -> None:
    with pytest.raises(UnreadableImage, match=problem):
        read_panorama(written(tmp_path, np.ones(shape)), "sky.exr")


def test_what_is_damaged_or_something_else_is_refused(tmp_path: Path) -> None:
    whole = written(tmp_path, np.random.default_rng(1).uniform(0, 1, (512, 1024, 3)), "sky.hdr").read_bytes()
    for name, body in (
        ("torn.hdr", whole[: len(whole) // 2]),
        ("empty.hdr", b""),
        ("words.exr", b"\x76\x2f\x31\x01 and no more"),
    ):
        (tmp_path / name).write_bytes(body)
        with pytest.raises(UnreadableImage, match=r"damaged from row|no \.hdr or \.exr"):
            read_panorama(tmp_path / name, name)
    written(tmp_path, np.ones((8, 16, 3)), "flat.png", sample="uint8")
    with pytest.raises(UnreadableImage, match="no picture of light"):
        read_panorama(tmp_path / "flat.png", "flat.png")
