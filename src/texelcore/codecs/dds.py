"""DDS containers with the DX10 header, written and read. Layout and numbers: Microsoft's public DDS documentation."""

from __future__ import annotations

import struct
from typing import Literal

from texelcore.codecs.texture import Texture
from texelcore.pixels.errors import TexelError
from texelcore.pixels.inspect import MAX_EDGE
from texelcore.surface.formats import FORMATS, level_sizes, of_dxgi

MAGIC = b"DDS "
HEADER = struct.Struct("<7I44x8I5I")
HEADER_DX10 = struct.Struct("<5I")
_OFFSET = len(MAGIC) + HEADER.size + HEADER_DX10.size
_CAPS, _HEIGHT, _WIDTH, _PITCH, _PIXELFORMAT, _MIPMAPCOUNT, _LINEARSIZE = 0x1, 0x2, 0x4, 0x8, 0x1000, 0x20000, 0x80000
_FOURCC, _DX10 = 0x4, struct.unpack("<I", b"DX10")[0]
_CAPS_COMPLEX, _CAPS_TEXTURE, _CAPS_MIPMAP = 0x8, 0x1000, 0x400000
_TEXTURE_2D = 3
# What alpha means: coverage that colours are not multiplied with, nothing, or data of one's own.
Alpha = Literal["straight", "opaque", "custom"]
ALPHA_MODES: dict[Alpha, int] = {"straight": 1, "opaque": 3, "custom": 4}


def write_dds(texture: Texture, alpha: Alpha = "opaque") -> bytes:
    """A texture as the bytes of a .dds file. `alpha` says what alpha, where the format has it, carries.

    Raises ValueError for an sRGB flag on a format that has no sRGB variant.
    """
    form = FORMATS[texture.format]
    names = form.srgb if texture.srgb else form.linear
    if names is None:
        raise ValueError(f"{form.title} has no sRGB variant")
    flags = _CAPS | _HEIGHT | _WIDTH | _PIXELFORMAT | (_LINEARSIZE if form.is_blocks else _PITCH)
    caps = _CAPS_TEXTURE
    if len(texture.levels) > 1:
        flags |= _MIPMAPCOUNT
        caps |= _CAPS_COMPLEX | _CAPS_MIPMAP
    pitch = len(texture.levels[0]) if form.is_blocks else texture.width * form.unit
    header = HEADER.pack(
        HEADER.size, flags, texture.height, texture.width, pitch, 0, len(texture.levels),
        32, _FOURCC, _DX10, 0, 0, 0, 0, 0,
        caps, 0, 0, 0, 0,
    )  # fmt: skip
    extended = HEADER_DX10.pack(names.dxgi, _TEXTURE_2D, 0, 1, ALPHA_MODES[alpha])
    return b"".join((MAGIC, header, extended, *texture.levels))


def read_dds(data: bytes, name: str) -> Texture:
    """The texture in a .dds file's bytes. `name` is what to call the file in errors.

    Raises TexelError for anything that is not a whole two-dimensional texture in a format of ours with a DX10 header.
    """
    if len(data) < _OFFSET or data[:4] != MAGIC:
        raise _refusal(name, "is not a DDS file, or is cut off within its header.")
    fields = HEADER.unpack_from(data, len(MAGIC))
    height, width, count, fourcc = fields[2], fields[3], fields[6], fields[9]
    if fields[0] != HEADER.size or fourcc != _DX10:
        raise _refusal(name, "has no DX10 header.")
    number, dimension, _, size, _ = HEADER_DX10.unpack_from(data, len(MAGIC) + HEADER.size)
    known = of_dxgi(number)
    if known is None or dimension != _TEXTURE_2D or size != 1:
        raise _refusal(name, f"holds something else than one picture in a known format (DXGI format {number}).")
    if not (0 < width <= MAX_EDGE and 0 < height <= MAX_EDGE):
        raise _refusal(name, f"claims {width} × {height} texels.")
    form, srgb = known
    sizes = level_sizes(width, height, True)[: max(1, count)]
    levels, at = [], _OFFSET
    for level_width, level_height in sizes:
        length = form.level_bytes(level_width, level_height)
        levels.append(data[at : at + length])
        at += length
    if count > len(sizes) or len(data) != at:
        raise _refusal(name, f"is {len(data)} bytes long where its header asks for {at}.")
    return Texture(width, height, form.key, srgb, tuple(levels))


def _refusal(name: str, problem: str) -> TexelError:
    return TexelError(name, problem, "Deliver it again.")
