"""Noise that is the same everywhere: cells are told apart by integers that are mixed by integer arithmetic (PCG, Jarzynski and
Olano, Hash Functions for GPU Rendering, JCGT 2020), so that NumPy and every GPU agree on them to the bit."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from texelcore.materials.operations.declared import Floats, Operation, Slot, numbers

Integers = NDArray[np.uint32]
_SLOTS = (Slot("uv", "place"), *numbers(scale=8.0, seed=0.0))
_OCTAVES = 5


def _mixed(x: Integers, y: Integers, z: Integers) -> tuple[Integers, Integers, Integers]:
    """Three integers as three that look drawn by lot (pcg3d)."""
    with np.errstate(over="ignore"):
        x, y, z = (part * np.uint32(1664525) + np.uint32(1013904223) for part in (x, y, z))
        x = x + y * z
        y = y + z * x
        z = z + x * y
        x, y, z = (part ^ (part >> np.uint32(16)) for part in (x, y, z))
        x = x + y * z
        y = y + z * x
        z = z + x * y
    return x, y, z


def drawn(cell: NDArray[np.int64], seed: Floats) -> tuple[Floats, Floats]:
    """Two numbers from 0 to 1 for each cell (..., 2)."""
    whole = np.floor(seed).astype(np.int64)
    parts = [
        np.asarray(part & 0xFFFFFFFF, np.uint32) for part in (cell[..., 0], cell[..., 1], np.broadcast_to(whole, cell.shape[:-1]))
    ]
    x, y, _ = _mixed(*parts)
    return tuple((part >> np.uint32(8)).astype(np.float32) / np.float32(1 << 24) for part in (x, y))  # type: ignore[return-value]


def _corners(uv: Floats, scale: Floats) -> tuple[NDArray[np.int64], Floats]:
    place = (uv * scale[..., None]).astype(np.float32)
    cell = np.floor(place)
    return cell.astype(np.int64), place - cell


def _faded(share: Floats) -> Floats:
    return np.asarray(share * share * share * (share * (share * 6 - 15) + 10), np.float32)


def _between(inside: Floats, corner: Callable[[int, int], Floats]) -> Floats:
    """Between the four corners of a cell, smoothly."""
    u, v = _faded(inside[..., 0]), _faded(inside[..., 1])
    above = corner(0, 0) + (corner(1, 0) - corner(0, 0)) * u
    below = corner(0, 1) + (corner(1, 1) - corner(0, 1)) * u
    return np.asarray(above + (below - above) * v, np.float32)


def _value(uv: Floats, scale: Floats, seed: Floats) -> Floats:
    cell, inside = _corners(uv, scale)
    return _between(inside, lambda x, y: drawn(cell + np.array([x, y]), seed)[0])


def _gradient(uv: Floats, scale: Floats, seed: Floats) -> Floats:
    cell, inside = _corners(uv, scale)

    def corner(x: int, y: int) -> Floats:
        angle = drawn(cell + np.array([x, y]), seed)[0] * np.float32(2 * np.pi)
        return np.asarray(np.cos(angle) * (inside[..., 0] - x) + np.sin(angle) * (inside[..., 1] - y), np.float32)

    # The most that two dimensions reach is √½.
    return np.asarray(np.clip(_between(inside, corner) * np.float32(np.sqrt(0.5)) + np.float32(0.5), 0, 1), np.float32)


def _cells(uv: Floats, scale: Floats, seed: Floats) -> Floats:
    cell, inside = _corners(uv, scale)
    nearest = np.full(inside.shape[:-1], 4, np.float32)
    for x in (-1, 0, 1):
        for y in (-1, 0, 1):
            across, down = drawn(cell + np.array([x, y]), seed)
            away = (across + x - inside[..., 0]) ** 2 + (down + y - inside[..., 1]) ** 2
            nearest = np.minimum(nearest, away)
    return np.asarray(np.minimum(np.sqrt(nearest), 1), np.float32)


def _clouds(uv: Floats, scale: Floats, seed: Floats) -> Floats:
    total, weight = np.zeros(uv.shape[:-1], np.float32), np.float32(0)
    for octave in range(_OCTAVES):
        share = np.float32(0.5**octave)
        total += share * _gradient(uv, scale * np.float32(2**octave), seed + np.float32(octave))
        weight += share
    return np.asarray(total / weight, np.float32)


DRAWN = """vec2 drawn(vec2 cell, float seed) {
  uvec3 v = uvec3(ivec3(ivec2(cell), int(floor(seed)))) * 1664525u + 1013904223u;
  v.x += v.y * v.z; v.y += v.z * v.x; v.z += v.x * v.y;
  v ^= v >> 16u;
  v.x += v.y * v.z; v.y += v.z * v.x; v.z += v.x * v.y;
  return vec2(v.xy >> 8u) / 16777216.0;
}
vec2 faded(vec2 share) { return share * share * share * (share * (share * 6.0 - 15.0) + 10.0); }"""
_GRADIENT = """float slope_from(vec2 cell, vec2 inside, vec2 corner, float seed) {
  float angle = drawn(cell + corner, seed).x * 6.2831853;
  return dot(vec2(cos(angle), sin(angle)), inside - corner);
}
float gradient_noise(vec2 uv, float scale, float seed) {
  vec2 cell = floor(uv * scale), inside = uv * scale - cell, share = faded(inside);
  float above = mix(slope_from(cell, inside, vec2(0, 0), seed), slope_from(cell, inside, vec2(1, 0), seed), share.x);
  float below = mix(slope_from(cell, inside, vec2(0, 1), seed), slope_from(cell, inside, vec2(1, 1), seed), share.x);
  return clamp(mix(above, below, share.y) * 0.70710678 + 0.5, 0.0, 1.0);
}"""

OPERATIONS = (
    Operation(
        "value_noise",
        "value noise",
        "a number for each cell, smoothly from one to the next; so many cells along the picture",
        _SLOTS,
        "number",
        _value,
        """vec2 cell = floor(uv * scale), share = faded(uv * scale - cell);
  float above = mix(drawn(cell, seed).x, drawn(cell + vec2(1, 0), seed).x, share.x);
  float below = mix(drawn(cell + vec2(0, 1), seed).x, drawn(cell + vec2(1, 1), seed).x, share.x);
  return mix(above, below, share.y);""",
        (DRAWN,),
    ),
    Operation(
        "gradient_noise",
        "gradient noise",
        "slopes of all directions at the corners of cells, a half between them (Perlin 2002)",
        _SLOTS,
        "number",
        _gradient,
        "return gradient_noise(uv, scale, seed);",
        (DRAWN, _GRADIENT),
    ),
    Operation(
        "cell_noise",
        "cell noise",
        "how far the nearest of points lies, of which each cell has one; in cells, 1 at most (Worley 1996)",
        _SLOTS,
        "number",
        _cells,
        """vec2 cell = floor(uv * scale), inside = uv * scale - cell;
  float nearest = 4.0;
  for (int x = -1; x <= 1; x++) for (int y = -1; y <= 1; y++) {
    vec2 away = drawn(cell + vec2(x, y), seed) + vec2(x, y) - inside;
    nearest = min(nearest, dot(away, away));
  }
  return min(sqrt(nearest), 1.0);""",
        (DRAWN,),
    ),
    Operation(
        "cloud_noise",
        "cloud noise",
        f"{_OCTAVES} gradient noises, each twice as fine and half as strong as the one before",
        _SLOTS,
        "number",
        _clouds,
        f"""float total = 0.0, weight = 0.0, share = 1.0;
  for (int octave = 0; octave < {_OCTAVES}; octave++) {{
    total += share * gradient_noise(uv, scale * exp2(float(octave)), seed + float(octave));
    weight += share;
    share *= 0.5;
  }}
  return total / weight;""",
        (DRAWN, _GRADIENT),
    ),
)
