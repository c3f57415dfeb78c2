"""The table of texture formats: what each keeps, what it costs, and its numbers in containers.

Sizes are those of the Khronos Data Format specification, numbers those of Microsoft's public DXGI_FORMAT list.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

from texelcore.surface.storage import TextureFormat

Lossy = Literal["bc1", "bc3", "bc4", "bc5", "bc7"]


@dataclass(frozen=True)
class Format:
    """One texture format. `edge` is a block's edge in texels (1 for plain formats), `unit` a block's size in bytes.

    `channels` are the ones that survive; `dxgi_srgb` is None where there is no sRGB variant.
    """

    key: TextureFormat
    title: str
    edge: int
    unit: int
    channels: str
    dxgi: int
    dxgi_srgb: int | None
    sample: Literal["u8", "u16", "f16", "f32"] = "u8"

    @property
    def bits_per_texel(self) -> float:
        """Bits for each texel of a level whose edges are whole blocks."""
        return self.unit * 8 / (self.edge * self.edge)

    def level_bytes(self, width: int, height: int) -> int:
        """Bytes of one level of `width` × `height` texels; blocks at the edges count whole."""
        return -(-width // self.edge) * -(-height // self.edge) * self.unit


_ALL = (
    Format("bc1", "BC1", 4, 8, "RGB", 71, 72),
    Format("bc3", "BC3", 4, 16, "RGBA", 77, 78),
    Format("bc4", "BC4", 4, 8, "R", 80, None),
    Format("bc5", "BC5", 4, 16, "RG", 83, None),
    Format("bc7", "BC7", 4, 16, "RGBA", 98, 99),
    Format("r8", "R8", 1, 1, "R", 61, None),
    Format("rg8", "RG8", 1, 2, "RG", 49, None),
    Format("rgba8", "RGBA8", 1, 4, "RGBA", 28, 29),
    Format("r16", "R16", 1, 2, "R", 56, None, "u16"),
    Format("rgba16", "RGBA16", 1, 8, "RGBA", 11, None, "u16"),
    Format("r16f", "R16F", 1, 2, "R", 54, None, "f16"),
    Format("rgba16f", "RGBA16F", 1, 8, "RGBA", 10, None, "f16"),
    Format("r32f", "R32F", 1, 4, "R", 41, None, "f32"),
    Format("rgba32f", "RGBA32F", 1, 16, "RGBA", 2, None, "f32"),
)
FORMATS: dict[TextureFormat, Format] = {entry.key: entry for entry in _ALL}


def of_dxgi(number: int) -> tuple[Format, bool] | None:
    """The format of a DXGI number and whether that number is the sRGB variant; None for a number that is not known."""
    for entry in _ALL:
        if number in (entry.dxgi, entry.dxgi_srgb):
            return entry, number == entry.dxgi_srgb
    return None


def level_sizes(width: int, height: int, mips: bool) -> tuple[tuple[int, int], ...]:
    """The (width, height) of every level from the largest on: halved and rounded down to 1 × 1, or the first alone."""
    sizes = [(width, height)]
    while mips and sizes[-1] != (1, 1):
        sizes.append((max(1, sizes[-1][0] // 2), max(1, sizes[-1][1] // 2)))
    return tuple(sizes)


@lru_cache(maxsize=4096)
def memory_of(key: TextureFormat, width: int, height: int, mips: bool) -> int:
    """Bytes of a texture on the GPU, all levels."""
    return sum(FORMATS[key].level_bytes(*size) for size in level_sizes(width, height, mips))


def texture_channel(channel: str) -> str:
    """Where an output's channel lies in a texture: a single grey channel is the texture's red."""
    return "R" if channel == "Y" else channel
