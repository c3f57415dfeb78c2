"""BC4 blocks as a GPU reads them: interpolated values are numbers, not levels of eight bits.

BC4 is also either half of BC5 and the alpha of BC3. Common decoders cut interpolated values off to whole levels, which a GPU does
not: a two-channel normal map would seem up to three times as wrong as it is.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

BLOCK_BYTES = 8
# How much of the second end each of the eight indices takes, of 7 where the first end is larger and of 5 where it is not, which
# leaves two indices for the least and the most.
_OF_SEVEN = np.array([0, 7, 1, 2, 3, 4, 5, 6], np.uint32)
_OF_FIVE = np.array([0, 5, 1, 2, 3, 4], np.uint32)
_LEVEL = 257


def decode_interpolated(data: bytes, width: int, height: int, stride: int = BLOCK_BYTES, offset: int = 0) -> NDArray[np.uint16]:
    """The texels (H, W) of BC4 blocks, of a whole number of blocks each way, where 0 to 65535 mean 0 to 1: a level of eight bits
    is 257, and what lies between two is rounded to the nearest. Blocks begin every `stride` bytes, from `offset` on.

    Source: Khronos Data Format specification 1.4, sections 19.4 and 19.5 (BC3 alpha, BC4, BC5).

    >>> block = bytes([70, 0, 0b10, 0, 0, 0, 0, 0])
    >>> float(decode_interpolated(block, 4, 4)[0, 0]) / 257
    60.0
    """
    across, down = width // 4, height // 4
    blocks = np.frombuffer(data, np.uint8).reshape(across * down, stride)[:, offset : offset + BLOCK_BYTES]
    first, second = blocks[:, 0].astype(np.uint32), blocks[:, 1].astype(np.uint32)
    palette = np.empty((len(blocks), 8), np.uint16)
    larger = first > second
    palette[:] = _between(first, second, _OF_SEVEN, 7)
    palette[~larger, :6] = _between(first[~larger], second[~larger], _OF_FIVE, 5)
    palette[~larger, 6], palette[~larger, 7] = 0, 65535
    packed = np.zeros((len(blocks), 8), np.uint8)
    packed[:, :6] = blocks[:, 2:]
    bits = packed.view("<u8")
    indices = (bits >> (np.arange(16, dtype=np.uint64) * np.uint64(3))) & np.uint64(7)
    texels = np.take_along_axis(palette, indices.astype(np.intp), axis=1)
    return np.ascontiguousarray(texels.reshape(down, across, 4, 4).swapaxes(1, 2).reshape(height, width))


def _between(first: NDArray[np.uint32], second: NDArray[np.uint32], shares: NDArray[np.uint32], of: int) -> NDArray[np.uint32]:
    mixed = first[:, None] * (of - shares) + second[:, None] * shares
    return (mixed * _LEVEL + of // 2) // of
