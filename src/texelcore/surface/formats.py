"""The one table of texture formats: what each keeps and costs, and what containers, GPUs and browsers know it by. Pure data; the
codecs carry it out, and the page has it as `web/src/api/formats.generated.ts` (`tools/client`).

Sizes are those of the Khronos Data Format specification, names those of Vulkan's VkFormat, numbers those of Microsoft's public
DXGI_FORMAT list and of the WebGL 2.0 specification with its registered extensions.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

from texelcore.pixels.image import Sample

TextureFormat = Literal[
    "bc1", "bc3", "bc4", "bc5", "bc7", "r8", "rg8", "rgba8", "r16", "rgba16", "r16f", "rgba16f", "r32f", "rgba32f"
]


@dataclass(frozen=True)
class Names:
    """What others know a format by, read as it is stored or as sRGB: its VkFormat, its DXGI number, and the internal format that
    a browser uploads it as, with the extension that offers it ("" where WebGL 2.0 itself does)."""

    khronos: str
    dxgi: int
    webgl: int
    extension: str = ""


@dataclass(frozen=True)
class Format:
    """One texture format. `block` is a block's width and height in texels (1 × 1 for plain formats), `unit` its bytes.

    `channels` are the ones that survive, `sample` is what a texel of it holds, `takes` what pictures may be stored in it: blocks
    round 16 bits to 8, plain formats hold just their own. `srgb` is None where there is no sRGB variant.
    """

    key: TextureFormat
    title: str
    block: tuple[int, int]
    unit: int
    channels: str
    sample: Sample
    takes: tuple[Sample, ...]
    linear: Names
    srgb: Names | None = None

    @property
    def is_blocks(self) -> bool:
        """Whether texels are encoded together, with loss."""
        return self.block != (1, 1)

    @property
    def bits_per_texel(self) -> float:
        """Bits for each texel of a level whose edges are whole blocks."""
        return self.unit * 8 / (self.block[0] * self.block[1])

    def level_bytes(self, width: int, height: int) -> int:
        """Bytes of one level of `width` × `height` texels; blocks at the edges count whole."""
        return -(-width // self.block[0]) * -(-height // self.block[1]) * self.unit


def _blocks(key: TextureFormat, unit: int, channels: str, linear: Names, srgb: Names | None = None) -> Format:
    return Format(key, key.upper(), (4, 4), unit, channels, "u8", ("u8", "u16"), linear, srgb)


def _plain(key: TextureFormat, unit: int, channels: str, sample: Sample, linear: Names, srgb: Names | None = None) -> Format:
    return Format(key, key.upper(), (1, 1), unit, channels, sample, (sample,), linear, srgb)


_S3TC, _RGTC, _BPTC = "WEBGL_compressed_texture_s3tc", "EXT_texture_compression_rgtc", "EXT_texture_compression_bptc"
_ALL = (
    _blocks(
        *("bc1", 8, "RGB"),
        Names("VK_FORMAT_BC1_RGB_UNORM_BLOCK", 71, 0x83F0, _S3TC),
        Names("VK_FORMAT_BC1_RGB_SRGB_BLOCK", 72, 0x8C4C, f"{_S3TC}_srgb"),
    ),
    _blocks(
        *("bc3", 16, "RGBA"),
        Names("VK_FORMAT_BC3_UNORM_BLOCK", 77, 0x83F3, _S3TC),
        Names("VK_FORMAT_BC3_SRGB_BLOCK", 78, 0x8C4F, f"{_S3TC}_srgb"),
    ),
    _blocks("bc4", 8, "R", Names("VK_FORMAT_BC4_UNORM_BLOCK", 80, 0x8DBB, _RGTC)),
    _blocks("bc5", 16, "RG", Names("VK_FORMAT_BC5_UNORM_BLOCK", 83, 0x8DBD, _RGTC)),
    _blocks(
        *("bc7", 16, "RGBA"),
        Names("VK_FORMAT_BC7_UNORM_BLOCK", 98, 0x8E8C, _BPTC),
        Names("VK_FORMAT_BC7_SRGB_BLOCK", 99, 0x8E8D, _BPTC),
    ),
    _plain("r8", 1, "R", "u8", Names("VK_FORMAT_R8_UNORM", 61, 0x8229)),
    _plain("rg8", 2, "RG", "u8", Names("VK_FORMAT_R8G8_UNORM", 49, 0x822B)),
    _plain(
        *("rgba8", 4, "RGBA", "u8"),
        Names("VK_FORMAT_R8G8B8A8_UNORM", 28, 0x8058),
        Names("VK_FORMAT_R8G8B8A8_SRGB", 29, 0x8C43),
    ),
    # WebGL 2.0 filters neither 16-bit integers nor 32-bit floats: a browser takes both as half floats, near enough to look at.
    _plain("r16", 2, "R", "u16", Names("VK_FORMAT_R16_UNORM", 56, 0x822D)),
    _plain("rgba16", 8, "RGBA", "u16", Names("VK_FORMAT_R16G16B16A16_UNORM", 11, 0x881A)),
    _plain("r16f", 2, "R", "f16", Names("VK_FORMAT_R16_SFLOAT", 54, 0x822D)),
    _plain("rgba16f", 8, "RGBA", "f16", Names("VK_FORMAT_R16G16B16A16_SFLOAT", 10, 0x881A)),
    _plain("r32f", 4, "R", "f32", Names("VK_FORMAT_R32_SFLOAT", 41, 0x822D)),
    _plain("rgba32f", 16, "RGBA", "f32", Names("VK_FORMAT_R32G32B32A32_SFLOAT", 2, 0x881A)),
)
FORMATS: dict[TextureFormat, Format] = {form.key: form for form in _ALL}


def of_dxgi(number: int) -> tuple[Format, bool] | None:
    """The format of a DXGI number and whether that number is the sRGB variant; None for a number that is not known."""
    for form in _ALL:
        for names in (form.linear, form.srgb):
            if names and names.dxgi == number:
                return form, names is form.srgb
    return None


def plain_format(sample: Sample, channels: int) -> TextureFormat:
    """The format that stores samples as they are: of one channel, or of four."""
    wanted = 1 if channels == 1 else 4
    return next(form.key for form in _ALL if not form.is_blocks and form.sample == sample and len(form.channels) == wanted)


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
