"""Prefiltered environments: a cube of light whose levels are what surfaces of growing roughness see of it.

An environment ships as three's PMREMGenerator makes it of our picture (`tools/environments`): six faces of 256 texels and their
levels down to 8, roughness 0 to 1, gzipped texels of `VK_FORMAT_E5B9G9R9_UFLOAT_PACK32` (Khronos Data Format specification),
level by level, faces in the order +X −X +Y −Y +Z −Z, rows and faces as OpenGL has them. The page and NumPy read the same bytes.
"""

from __future__ import annotations

import gzip
from dataclasses import dataclass
from functools import cache
from importlib import resources

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float32]
FACES = 6
EDGE = 256
SMALLEST = 8
LEVELS = 6


@dataclass(frozen=True)
class Cube:
    """An environment's levels, each (6, N, N, 3) linear light, the sharpest first."""

    levels: tuple[Floats, ...]

    def at(self, towards: Floats, roughness: Floats) -> Floats:
        """The light that comes from directions (..., 3) as surfaces of a roughness (..., or one number) see it: between the two
        levels that are nearest, as three maps roughness to levels."""
        rough = np.broadcast_to(np.clip(roughness, 0, 1), towards.shape[:-1])
        place = (len(self.levels) - 1) * rough * (2 - rough)
        below = np.minimum(place.astype(int), len(self.levels) - 2)
        share = (place - below)[..., None]
        out = np.zeros(towards.shape, np.float32)
        for level in np.unique(below):
            here = below == level
            first, second = (sampled(self.levels[step], towards[here]) for step in (level, level + 1))
            out[here] = first + (second - first) * share[here]
        return out

    def matt(self, normals: Floats) -> Floats:
        """What a white matt surface with normals (..., 3) sends back: the last level."""
        return sampled(self.levels[-1], normals)


@cache
def shipped_cube(name: str) -> Cube:
    """A shipped environment by name. Raises FileNotFoundError for one that does not ship."""
    return unpacked(shipped_bytes(name))


def shipped_bytes(name: str) -> bytes:
    """The file of a shipped environment, gzipped."""
    return resources.files("texelcore.lighting").joinpath("shipped", f"{name}.gz").read_bytes()


def unpacked(data: bytes) -> Cube:
    """The cube of a file's bytes. Raises ValueError when they are not what the format asks for."""
    words = np.frombuffer(gzip.decompress(data), "<u4")
    sizes = [max(SMALLEST, EDGE >> level) for level in range(LEVELS)]
    if words.size != sum(FACES * size * size for size in sizes):
        raise ValueError(f"{words.size} texels are no environment")
    light, levels, start = from_shared_exponent(words), [], 0
    for size in sizes:
        count = FACES * size * size
        levels.append(light[start : start + count].reshape(FACES, size, size, 3))
        start += count
    return Cube(tuple(levels))


def packed(levels: list[Floats]) -> bytes:
    """Levels as a file's bytes, the same for the same levels."""
    words = np.concatenate([to_shared_exponent(level.reshape(-1, 3)) for level in levels])
    return gzip.compress(words.astype("<u4").tobytes(), 9, mtime=0)


def to_shared_exponent(light: Floats) -> NDArray[np.uint32]:
    """(N, 3) light, 0 to 65408, as texels of nine bits a colour and five of exponent (EXT_texture_shared_exponent)."""
    kept = np.clip(np.asarray(light, np.float64), 0, 65408)
    largest = np.maximum(kept.max(axis=1), 2.0**-16)
    exponent = np.clip(np.floor(np.log2(largest)) + 1, -15, 16)
    # Rounding up to 512 takes the next exponent.
    exponent += np.floor(largest / 2 ** (exponent - 9) + 0.5) >= 512
    colours = np.floor(kept / 2 ** (exponent[:, None] - 9) + 0.5).astype(np.uint32)
    return np.asarray(colours[:, 0] | colours[:, 1] << 9 | colours[:, 2] << 18 | (exponent + 15).astype(np.uint32) << 27)


def from_shared_exponent(words: NDArray[np.uint32]) -> Floats:
    """Texels of shared exponent as (N, 3) light."""
    scale = np.exp2((words >> 27).astype(np.float32) - 24)
    return np.stack([((words >> shift) & 511).astype(np.float32) * scale for shift in (0, 9, 18)], axis=-1)


def sampled(faces: Floats, towards: Floats) -> Floats:
    """(6, N, N, 3) faces at directions (..., 3), between the four nearest texels of a face (OpenGL ES 3.0, section 3.8.10)."""
    x, y, z = np.moveaxis(np.asarray(towards, np.float32), -1, 0)
    ways = np.abs(np.stack([x, y, z])).argmax(axis=0)
    back = np.where(ways == 0, x < 0, np.where(ways == 1, y < 0, z < 0))
    sign = np.where(back, -1.0, 1.0)
    along = np.choose(ways, [np.abs(x), np.abs(y), np.abs(z)])
    across = np.choose(ways, [-sign * z, x, sign * x]) / along
    down = np.choose(ways, [-y, sign * z, -y]) / along
    size = faces.shape[1]
    left, top = (np.clip((part + 1) / 2 * size - 0.5, 0, size - 1) for part in (across, down))
    column, row = (np.minimum(part.astype(int), size - 2) for part in (left, top))
    u, v, face = (left - column)[..., None], (top - row)[..., None], ways * 2 + back
    first = faces[face, row, column] * (1 - u) + faces[face, row, column + 1] * u
    second = faces[face, row + 1, column] * (1 - u) + faces[face, row + 1, column + 1] * u
    return np.asarray(first * (1 - v) + second * v, np.float32)
