"""What a picture looks like, whatever it is called: directions are told from all else that is blue, or holds two even greys. The
pictures are drawn at random, from seeds."""

from __future__ import annotations

import io
from collections import Counter
from collections.abc import Callable
from typing import Any

import numpy as np
import pytest
from numpy.random import Generator
from numpy.typing import NDArray
from PIL import Image as Pillow
from scipy.ndimage import gaussian_filter

from texelcore.evidence.look import look
from texelcore.pixels.image import Image

Values = NDArray[np.float64]
EDGE, COUNT = 128, 24
ACROSS, DOWN = np.meshgrid(*[np.arange(EDGE) / EDGE] * 2)


def noise(rng: Generator, size: float) -> Values:
    """Lumps of a size, from 0 to 1, that tile."""
    lumps = gaussian_filter(rng.random((EDGE, EDGE)), size, mode="wrap")
    return np.asarray((lumps - lumps.min()) / np.ptp(lumps))


def stacked(*planes: Any) -> Values:
    return np.stack(np.broadcast_arrays(ACROSS, *planes)[1:], -1)


def areas(rng: Generator, colours: Values) -> Values:
    """A map of areas, each of one of some colours (N, 3)."""
    sites = rng.random((3 * len(colours), 2))
    near = ((ACROSS[..., None] - sites[:, 0]) ** 2 + (DOWN[..., None] - sites[:, 1]) ** 2).argmin(-1)
    return np.asarray(colours[near % len(colours)])


def slopes(rng: Generator, least: float = 1, up: int = 1) -> Values:
    """Unit directions of a height field, (H, W, 3) from −1 to 1; green is `up`, or down where that is −1."""
    down, across = np.gradient(noise(rng, rng.uniform(least, 8)) * rng.uniform(2, 30))
    vectors = stacked(-across, down * up, 1.0)
    return np.asarray(vectors / np.linalg.norm(vectors, axis=-1, keepdims=True))


def weights(rng: Generator, count: int) -> Values:
    parts = np.stack([noise(rng, rng.uniform(3, 12)) for _ in range(count)], -1) ** 3
    return np.asarray(parts / parts.sum(-1, keepdims=True))


def flow(rng: Generator) -> Values:
    turn, speed = noise(rng, 8) * 2 * np.pi * rng.uniform(0.3, 2), rng.uniform(0.3, 1)
    return stacked(np.cos(turn) * speed / 2 + 0.5, np.sin(turn) * speed / 2 + 0.5, rng.choice([0.0, 0.5, 1.0]))


def object_space(rng: Generator) -> Values:
    """Directions over a ball: they point everywhere."""
    up, around = (DOWN - 0.5) * np.pi, ACROSS * 2 * np.pi
    ball = stacked(np.cos(up) * np.cos(around), np.cos(up) * np.sin(around), np.sin(up))[..., rng.permutation(3)]
    rough = ball + 0.4 * (np.stack([noise(rng, 2) for _ in range(3)], -1) - 0.5)
    return np.asarray(rough / np.linalg.norm(rough, axis=-1, keepdims=True) / 2 + 0.5)


def tiles(rng: Generator) -> Values:
    """Light blue tiles, each of a blue of its own."""
    blue = np.array([rng.uniform(0.35, 0.6), rng.uniform(0.4, 0.6), rng.uniform(0.8, 1)])
    own = (rng.random((8, 8, 3)) * 0.12 - 0.06).repeat(16, 0).repeat(16, 1)
    return np.asarray(blue + own + rng.normal(0, 0.01, (EDGE, EDGE, 3)))


NO_DIRECTIONS: dict[str, Callable[[Generator], Values]] = {
    "areas of any colours": lambda rng: areas(rng, rng.random((rng.integers(3, 9), 3))),
    "areas of pure colours": lambda rng: areas(rng, rng.permutation(np.array([*np.ndindex(2, 2, 2)], float))[:5]),
    "weights of three layers": lambda rng: weights(rng, 3),
    "weights of four layers": lambda rng: weights(rng, 4),
    "a flow map": flow,
    "places": lambda rng: stacked(ACROSS, noise(rng, 10), DOWN)[..., rng.permutation(3)],
    "texture coordinates": lambda rng: stacked(ACROSS, DOWN, rng.choice([0.0, 0.5])),
    "directions over a ball": object_space,
    "blue paint": lambda rng: np.array([0.45, 0.55, 0.95]) * (1 - 0.35 * noise(rng, rng.uniform(1, 6))[..., None]),
    "blue tiles": tiles,
    "occlusion, roughness, metal": lambda rng: stacked(1 - 0.4 * noise(rng, 4) ** 4, noise(rng, 3), noise(rng, 10) > 0.6),
    "middling greys beside nearly all metal": lambda rng: stacked(
        0.35 + 0.4 * noise(rng, 3), 0.3 + 0.4 * noise(rng, 3), 0.92 + 0.08 * noise(rng, 10)
    ),
    "roughness, height, occlusion": lambda rng: stacked(
        0.3 + 0.4 * noise(rng, 3), 0.3 + 0.4 * noise(rng, 2), 1 - 0.3 * noise(rng, 4) ** 3
    ),
}


def sharpened(rng: Generator) -> Values:
    stored = slopes(rng, 2) / 2 + 0.5
    return np.asarray(stored + 0.7 * (stored - gaussian_filter(stored, (2, 2, 0))))


def overlaid(rng: Generator) -> Values:
    """Two maps added without care: no direction has unit length."""
    vectors, detail = slopes(rng), slopes(rng)
    vectors[..., :2] += detail[..., :2] * rng.uniform(0.2, 0.5)
    return np.asarray(vectors / 2 + 0.5)


def grainy(rng: Generator) -> Values:
    vectors = slopes(rng, 3)
    vectors[..., :2] += rng.normal(0, 0.1, (EDGE, EDGE, 2))
    return np.asarray(vectors / 2 + 0.5)


def cut_out(rng: Generator) -> Values:
    """Islands that fade into black."""
    there = gaussian_filter((noise(rng, 8) > rng.uniform(0.3, 0.5)).astype(float), rng.uniform(0, 2))
    return np.asarray((slopes(rng) / 2 + 0.5) * there[..., None])


def lossy(rng: Generator) -> Values:
    held = io.BytesIO()
    Pillow.fromarray(((slopes(rng, 3) / 2 + 0.5) * 255).astype(np.uint8)).save(held, "jpeg", quality=int(rng.integers(60, 95)))
    return np.asarray(Pillow.open(held)) / 255


DIRECTIONS: dict[str, Callable[[Generator], Values]] = {
    "+Y": lambda rng: slopes(rng) / 2 + 0.5,
    "−Y": lambda rng: slopes(rng, up=-1) / 2 + 0.5,
    "weakened": lambda rng: (slopes(rng) * [*[rng.uniform(0.3, 0.9)] * 2, 1]) / 2 + 0.5,
    "sharpened": sharpened,
    "overlaid": overlaid,
    "grainy": grainy,
    "cut out": cut_out,
    "lossy": lossy,
}


def seen(draw: Callable[[Generator], Values]) -> Counter[str]:
    """What random pictures of a kind look like."""
    drawn = [draw(np.random.default_rng(seed)).clip(0, 1) for seed in range(COUNT)]
    return Counter(look(Image.of((picture * 255 + 0.5).astype(np.uint8))).picture for picture in drawn)


@pytest.mark.parametrize("draw", NO_DIRECTIONS.values(), ids=NO_DIRECTIONS)
def test_what_is_no_normal_map_is_seldom_taken_for_one(draw: Callable[[Generator], Values]) -> None:
    found = seen(draw)
    assert found["vector field"] + found["two-channel field"] <= COUNT // 10, found


@pytest.mark.parametrize("draw", DIRECTIONS.values(), ids=DIRECTIONS)
def test_a_normal_map_is_known_whatever_was_done_to_it(draw: Callable[[Generator], Values]) -> None:
    found = seen(draw)
    assert found["vector field"] >= COUNT - COUNT // 10, found
