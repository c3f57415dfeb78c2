"""The four environments of ours, painted by seeded code: light from all around, as a picture in linear light.

A picture is (H, 2 H, 3) float32, equirectangular: its first row looks straight up (+Y), its middle column along +X, and columns
go on from +X over +Z, as glTF's axes lie (+Y up). 1 is the light that a white surface sends back under the whole of it.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

Floats = NDArray[np.float32]
Vector = tuple[float, float, float]
HEIGHT = 512
# What a white matt surface that looks at the viewer sends back on average: by day, and at night, so that it stays one: a white
# wall is a middle grey by its lamps (sRGB 0.5), and what glows is the brightest there is.
DAY, NIGHT = 0.85, 0.21


@dataclass(frozen=True)
class KeyLight:
    """The light of an environment that is too small and bright for a picture: where it comes from, and what a white surface that
    faces it sends back of it."""

    towards: Vector
    colour: Vector


@dataclass(frozen=True)
class Environment:
    """An environment's name, its words, its painter and its key light."""

    name: str
    title: str
    summary: str
    paint: Callable[[Floats], Floats]
    key: KeyLight | None = None
    level: float = DAY


def directions(height: int) -> Floats:
    """The direction of each texel's middle, (H, 2 H, 3), unit length."""
    rows = (np.arange(height, dtype=np.float32) + 0.5) / height
    columns = (np.arange(2 * height, dtype=np.float32) + 0.5) / (2 * height)
    up, around = np.pi * (0.5 - rows)[:, None], 2 * np.pi * (columns - 0.5)[None, :]
    x, z = np.cos(up) * np.cos(around), np.cos(up) * np.sin(around)
    return np.stack([x, np.broadcast_to(np.sin(up), x.shape), z], axis=-1).astype(np.float32)


def solid_angles(height: int) -> Floats:
    """The solid angle of each row's texels, (H, 1); all texels together are 4π."""
    edges = np.sin(np.pi * (0.5 - np.arange(height + 1) / height))
    return ((edges[:-1] - edges[1:])[:, None] * (2 * np.pi / (2 * height))).astype(np.float32)


def painted(environment: Environment, height: int = HEIGHT) -> Floats:
    """An environment's picture at its level of light, without its key light."""
    along = directions(height)
    picture = np.maximum(environment.paint(along), 0.0)
    found = facing(picture, (0.0, 0.0, 1.0))
    key = environment.key
    lit = 0.0 if key is None else max(0.0, key.towards[2]) * float(np.mean(key.colour))
    return np.asarray(picture * max(0.1, environment.level - lit) / float(found.mean()), np.float32)


def facing(picture: Floats, towards: Vector) -> Floats:
    """The light that a white matt surface sends back, (3,): the picture's average under the cosine (Lambert)."""
    height = picture.shape[0]
    cosine = np.maximum(directions(height) @ np.asarray(towards, np.float32), 0.0)
    weights = cosine * solid_angles(height) / np.pi
    return np.asarray((picture * weights[:, :, None]).sum(axis=(0, 1)), np.float32)


def _unit(vector: Vector) -> Floats:
    array = np.asarray(vector, np.float32)
    return np.asarray(array / np.linalg.norm(array), np.float32)


def _colour(red: float, green: float, blue: float) -> Floats:
    return np.array([red, green, blue], np.float32)


def _mixed(first: Floats, second: Floats, share: Floats) -> Floats:
    return np.asarray(first + (second - first) * share[..., None], np.float32)


def _smooth(low: float, high: float, values: Floats) -> Floats:
    share = np.clip((values - low) / (high - low), 0, 1)
    return np.asarray(share * share * (3 - 2 * share), np.float32)


def _clouds(shape: tuple[int, int], seed: int, scale: float) -> Floats:
    """Soft patches about 0, with a deviation of 1, closed around the horizon and calm towards the poles."""
    random = np.random.default_rng(seed)
    total = np.zeros(shape)
    for octave in range(4):
        size = scale / 2**octave
        grain = ndimage.gaussian_filter(random.standard_normal(shape), (size * 0.6, size), mode=("nearest", "wrap"))
        total += grain / grain.std() * 0.55**octave
    total *= np.cos(np.linspace(-np.pi / 2, np.pi / 2, shape[0]))[:, None] ** 0.5
    return np.asarray(total / total.std(), np.float32)


def _overcast(along: Floats) -> Floats:
    """A closed sky. Its luminance grows from the horizon to three times that at the zenith: Moon and Spencer 1942, the CIE's
    standard overcast sky."""
    up = along[..., 1]
    clouds = _clouds(up.shape, 41, up.shape[0] / 9)
    sky = (1 + 2 * np.maximum(up, 0)) / 3 * (1 + 0.09 * clouds)
    ground = 0.13 + 0.03 * _clouds(up.shape, 42, up.shape[0] / 40) * _smooth(0.0, -0.5, up)
    above = sky[..., None] * _colour(0.95, 1.0, 1.08)
    below = ground[..., None] * _colour(1.0, 0.97, 0.86)
    return _mixed(below, np.asarray(above, np.float32), _smooth(-0.03, 0.04, up))


_SUN = _unit((-0.72, 0.3, 0.62))


def _low_sun(along: Floats) -> Floats:
    """A clear evening: warm at the horizon by the sun, blue overhead, and dusty ground that the light grazes."""
    up, near = along[..., 1], along @ _SUN
    high = _smooth(-0.02, 0.75, up)
    sky = _mixed(_colour(0.95, 0.72, 0.5), _colour(0.16, 0.28, 0.52), high)
    away = _mixed(_colour(0.36, 0.34, 0.42), _colour(0.12, 0.2, 0.4), high)
    sky = _mixed(away, sky, _smooth(-0.9, 0.75, near))
    glow = 2.6 * np.exp((near - 1) * 14) + 9 * np.exp((near - 1) * 160)
    sky = sky + glow[..., None] * _colour(1.0, 0.78, 0.5)
    streaks = np.maximum(_clouds(up.shape, 43, up.shape[0] / 7), 0) * _smooth(0.02, 0.12, up) * _smooth(0.6, 0.2, up)
    sky = sky * (1 + 0.35 * streaks[..., None] * _colour(1.0, 0.75, 0.6))
    ground = _mixed(_colour(0.13, 0.105, 0.085), _colour(0.34, 0.25, 0.17), _smooth(-0.6, 0.8, near))
    return _mixed(ground, np.asarray(sky, np.float32), _smooth(-0.02, 0.03, up))


# A room in metres about the eye: half its width and depth, its floor and its ceiling.
_WIDE, _DEEP, _FLOOR, _CEILING = 4.2, 3.4, -1.5, 2.1


def _workshop(along: Floats) -> Floats:
    """A workshop with three tall windows on the left, a lamp rail above, benches, and a wooden floor that the windows light."""
    with np.errstate(divide="ignore", invalid="ignore"):
        reach = np.stack(
            [
                _WIDE / np.abs(along[..., 0]),
                np.where(along[..., 1] > 0, _CEILING, -_FLOOR) / np.abs(along[..., 1]),
                _DEEP / np.abs(along[..., 2]),
            ],
            axis=-1,
        )
    wall = reach.argmin(axis=-1)
    at = along * reach.min(axis=-1)[..., None]
    x, y, z = at[..., 0], at[..., 1], at[..., 2]
    bounce = np.clip(0.55 - 0.09 * (x + _WIDE), 0.05, None)
    picture = _colour(0.62, 0.58, 0.52) * bounce[..., None] * 0.5
    floor = (wall == 1) & (along[..., 1] < 0)
    boards = 0.85 + 0.15 * np.sign(np.sin(x * 14)) * np.sign(np.sin(z * 2.2 + np.floor(x * 14 / np.pi)))
    patch = sum(np.exp(-(((z - middle) / 0.45) ** 2) - ((x + 2.0) / 1.3) ** 2) for middle in (-2.0, 0.0, 2.0))
    wood = _colour(0.34, 0.24, 0.15) * (boards * (0.22 + 1.1 * patch))[..., None]
    picture = np.where(floor[..., None], wood, picture)
    beams = (wall == 1) & (along[..., 1] > 0) & (np.abs((z / 1.3) % 1 - 0.5) < 0.12)
    picture = np.where(beams[..., None], picture * 0.35, picture)
    left = (wall == 0) & (along[..., 0] < 0)
    for middle in (-2.0, 0.0, 2.0):
        pane = left & (np.abs(z - middle) < 0.62) & (y > -0.55) & (y < 1.65)
        bars = (np.abs(z - middle) < 0.03) | (np.abs((y + 0.55) % 0.73) < 0.05)
        outside = _mixed(_colour(3.4, 3.6, 3.9), _colour(6.2, 6.6, 7.2), _smooth(-0.5, 1.6, y))
        picture = np.where((pane & ~bars)[..., None], outside, picture)
        picture = np.where((pane & bars)[..., None], _colour(0.3, 0.28, 0.25), picture)
    rail = (wall == 1) & (along[..., 1] > 0) & (np.abs(x - 1.4) < 0.09) & (np.abs(z) < 1.7)
    picture = np.where(rail[..., None], _colour(7.5, 6.6, 5.2), picture)
    bench = (wall != 1) & (y < -0.55) & ((along[..., 0] > 0) | (wall == 2))
    picture = np.where(
        bench[..., None], _colour(0.11, 0.085, 0.07) * (1 + 0.4 * np.sin(z * 9) * np.sin(x * 7))[..., None], picture
    )
    return np.asarray(ndimage.gaussian_filter(picture, (0.8, 0.8, 0), mode=("nearest", "wrap", "nearest")), np.float32)


_LAMP = _unit((-0.55, 0.62, 0.56))
# Lamps of a street: where, how wide (the cosine's steepness), how bright, and their colour.
_LAMPS: tuple[tuple[Vector, float, float, Vector], ...] = (
    ((-0.55, 0.62, 0.56), 700, 26.0, (1.0, 0.74, 0.42)),
    ((0.85, 0.3, 0.1), 900, 16.0, (0.45, 0.72, 1.0)),
    ((0.5, 0.12, -0.85), 2500, 12.0, (1.0, 0.6, 0.3)),
    ((-0.9, 0.1, -0.42), 2500, 10.0, (1.0, 0.66, 0.36)),
    ((0.2, 0.08, 0.98), 3000, 5.0, (0.85, 0.95, 0.8)),
)


def _night(along: Floats) -> Floats:
    """A quay at night: a dim blue sky, a warm lamp close by, a cold one opposite, others far off, and wet ground under them."""
    up = along[..., 1]
    sky = _mixed(_colour(0.055, 0.06, 0.085), _colour(0.018, 0.026, 0.055), _smooth(0.0, 0.8, up))
    haze = np.exp(-np.abs(up) * 9)[..., None] * _colour(0.08, 0.062, 0.045)
    picture = np.where((up > 0)[..., None], sky, _colour(0.02, 0.021, 0.026)) + haze
    mirrored = along * _colour(1, -1, 1)
    for towards, steep, bright, colour in _LAMPS:
        near = along @ _unit(towards)
        disc = bright * np.exp((near - 1) * steep) + 0.02 * bright * np.exp((near - 1) * 22)
        # Wet stone shows a lamp again, smeared towards the viewer.
        low = mirrored - 0.35 * mirrored * _colour(0, 1, 0)
        wet = 0.1 * bright * np.exp((low @ _unit(towards) - 1) * steep * 0.08) * (up < 0)
        picture = picture + (disc + wet)[..., None] * np.asarray(colour, np.float32)
    return np.asarray(picture, np.float32)


def _as_vector(array: Floats) -> Vector:
    return (float(array[0]), float(array[1]), float(array[2]))


ENVIRONMENTS: tuple[Environment, ...] = (
    Environment(
        "workshop", "Workshop with windows", "Soft light from three windows, and a lamp rail that shows in gloss.", _workshop
    ),
    Environment("overcast", "Overcast sky", "Even light without a direction: for judging colour.", _overcast),
    Environment(
        "low-sun",
        "Low sun",
        "Warm light that grazes, with a shadow: for judging relief.",
        _low_sun,
        KeyLight(_as_vector(_SUN), (1.15, 0.86, 0.56)),
    ),
    Environment(
        "night",
        "Night with lamps",
        "Small warm and cold lamps in the dark: for judging gloss and what glows.",
        _night,
        KeyLight(_as_vector(_LAMP), (0.3, 0.2, 0.1)),
        NIGHT,
    ),
)
