"""Reading delivered textures, with a header reader and a decoder that the sender's encoder has no part in."""

from __future__ import annotations

import struct
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from texelcore.pixels.errors import TexelError
from texelcore.pixels.image import Pixels
from texelcore.pixels.read import read

LARGEST_EDGE = 16384
# Rows that are asked for at a time: the library makes a copy of what it is asked for.
ROWS = 256
# The least alpha of what is solid.
SOLID = 0.96
# DXGI numbers (Microsoft's public DXGI_FORMAT list): format, sRGB flag, channels, bytes of a block or texel.
KNOWN = {
    71: ("bc1", False, "RGB", 8),
    72: ("bc1", True, "RGB", 8),
    77: ("bc3", False, "RGBA", 16),
    78: ("bc3", True, "RGBA", 16),
    80: ("bc4", False, "R", 8),
    83: ("bc5", False, "RG", 16),
    98: ("bc7", False, "RGBA", 16),
    99: ("bc7", True, "RGBA", 16),
    61: ("r8", False, "R", 1),
    49: ("rg8", False, "RG", 2),
    28: ("rgba8", False, "RGBA", 4),
    29: ("rgba8", True, "RGBA", 4),
    56: ("r16", False, "R", 2),
    11: ("rgba16", False, "RGBA", 8),
    54: ("r16f", False, "R", 2),
    10: ("rgba16f", False, "RGBA", 8),
    41: ("r32f", False, "R", 4),
    2: ("rgba32f", False, "RGBA", 16),
}
# Sample types of formats that need no decoder.
PLAIN: dict[str, Any] = {
    "r8": np.uint8,
    "rg8": np.uint8,
    "rgba8": np.uint8,
    "r16": np.uint16,
    "rgba16": np.uint16,
    "r16f": np.float16,
    "rgba16f": np.float16,
    "r32f": np.float32,
    "rgba32f": np.float32,
}
# Channels whose values are interpolated between two ends, by the byte of a block at which they begin.
HALVES: dict[str, dict[int, int]] = {"bc3": {3: 0}, "bc4": {0: 0}, "bc5": {0: 0, 1: 8}}
# Microsoft's DDS documentation: what a header of a two-dimensional texture with a DX10 extension says.
OFFSET = 148
_NEEDED = 0x1 | 0x2 | 0x4 | 0x1000
_PITCH, _MIPMAPCOUNT, _LINEARSIZE, _DEPTH = 0x8, 0x20000, 0x80000, 0x800000
_TEXTURE, _COMPLEX, _MIPMAP = 0x1000, 0x8, 0x400000
_CUBE, _VOLUME = 0xFE00, 0x200000
_MADE_CUBE = 0x4
ALPHA_WORDS = {0: "unknown", 1: "straight", 2: "premultiplied", 3: "opaque", 4: "custom"}


@dataclass(frozen=True)
class Header:
    """What a DDS file says of itself. `problems` are what no reader should have to forgive, each a sentence about the file."""

    width: int
    height: int
    levels: int
    number: int
    format: str
    srgb: bool
    channels: str
    unit: int
    alpha: str
    problems: tuple[str, ...]

    def sizes(self) -> list[tuple[int, int]]:
        """The size of every level."""
        return [(max(1, self.width >> level), max(1, self.height >> level)) for level in range(self.levels)]

    def level_bytes(self) -> list[int]:
        """The bytes of every level."""
        edge = 1 if self.format in PLAIN else 4
        return [-(-width // edge) * -(-height // edge) * self.unit for width, height in self.sizes()]


@dataclass(frozen=True)
class Texture:
    """A texture as it is read: what its header says, and its base as stored values (H, W, C). `whole` are the levels that are
    there to the last byte."""

    width: int
    height: int
    levels: int
    format: str
    srgb: bool
    channels: str
    base: Pixels
    path: Path
    whole: int = 1
    # The values that stand for a channel's stored 0 and 1, where the manifest says others.
    spans: Mapping[str, tuple[float, float]] = field(default_factory=dict)

    def below(self) -> Iterator[tuple[int, Pixels]]:
        """Every whole level below the base, one at a time. Raises TexelError for one that does not decode."""
        if self.whole < 2:
            return
        header = read_header(self.path, self.path.name)
        offsets = np.cumsum([OFFSET, *header.level_bytes()])
        for level in range(1, self.whole):
            yield level, _level(self.path, header, level, int(offsets[level]), self.channels)


def read_picture(path: Path, name: str, srgb: bool) -> Texture:
    """Read a texture that was delivered as a picture file; `srgb` is the flag that the importer is told. Raises TexelError naming
    `name` for what does not decode."""
    image = read(path, name)
    channels = "".join("R" if channel == "Y" else channel for channel in image.channels)
    return Texture(image.width, image.height, 1, path.suffix[1:], srgb, channels, image.data, path)


def read_header(path: Path, name: str) -> Header:
    """The header of a DDS file with a DX10 extension. Raises TexelError naming `name` where there is none that can be
    followed."""
    with path.open("rb") as file:
        head = file.read(OFFSET)
    if len(head) < OFFSET or head[:4] != b"DDS " or head[84:88] != b"DX10":
        raise refusal(name, "is no DDS file with a DX10 header.")
    size, flags, height, width, pitch, depth, count = struct.unpack_from("<7I", head, 4)
    pixel_size, pixel_flags = struct.unpack_from("<2I", head, 76)
    caps, caps2, caps3, caps4, _ = struct.unpack_from("<5I", head, 108)
    number, dimension, misc, array, misc2 = struct.unpack_from("<5I", head, 128)
    if number not in KNOWN or not (0 < width <= LARGEST_EDGE and 0 < height <= LARGEST_EDGE):
        raise refusal(name, f"holds {width} × {height} texels in DXGI format {number}, which the dock does not read.")
    key, srgb, channels, unit = KNOWN[number]
    most = max(width, height).bit_length()
    levels = max(1, min(count, most))
    block = key not in PLAIN
    rows = -(-width // 4) * -(-height // 4) * unit if block else width * unit
    several = count > 1
    wrong = {
        f"has a header of {size} bytes, not 124.": size != 124,
        "does not say that it has a size and a pixel format.": flags & _NEEDED != _NEEDED,
        f"says {count} levels; {width} × {height} has at most {most}.": count > most,
        "says that it has mips without their number.": several and not flags & _MIPMAPCOUNT,
        "is marked as having no mips, and has some.": several and caps & (_COMPLEX | _MIPMAP) != (_COMPLEX | _MIPMAP),
        f"says that {'its base' if block else 'a row'} has {pitch:,} bytes where it has {rows:,}.": pitch != rows
        or not flags & (_LINEARSIZE if block else _PITCH),
        f"says that it is {depth} deep: it is no volume.": depth > 1 or bool(flags & _DEPTH) or bool(caps2 & _VOLUME),
        "says that it is a cube: it is one picture.": bool(caps2 & _CUBE) or bool(misc & _MADE_CUBE),
        f"says that it holds {array} pictures, not one.": array != 1,
        f"has dimension {dimension}; a two-dimensional texture has 3.": dimension != 3,
        "is not marked as a texture.": not caps & _TEXTURE,
        "has a pixel format that contradicts its DX10 header.": pixel_size != 32 or pixel_flags != 0x4,
        f"has an alpha mode, {misc2}, that does not exist.": misc2 not in ALPHA_WORDS,
        "sets bits of its header that nothing is defined for.": bool(caps3 or caps4 or misc & ~_MADE_CUBE),
    }
    problems = tuple(said for said, holds in wrong.items() if holds)
    alpha = ALPHA_WORDS.get(misc2, "")
    return Header(width, height, levels, number, key, srgb, channels, unit, alpha, problems)


def length_problem(header: Header, length: int) -> tuple[str, int]:
    """What is wrong with a file's length, "" where nothing is, and how many levels are whole."""
    ends = np.cumsum([OFFSET, *header.level_bytes()])[1:]
    whole = int(np.count_nonzero(ends <= length))
    if length > ends[-1]:
        return f"goes on for {length - ends[-1]:,} bytes after its last level.", whole
    if whole < header.levels:
        width, height = header.sizes()[whole]
        lacks = ends[whole] - max(length, ends[whole - 1] if whole else OFFSET)
        return f"is cut off: level {whole} ({width} × {height}) lacks {lacks:,} bytes.", whole
    return "", whole


def read_texture(path: Path, name: str, header: Header, whole: int, alpha: bool) -> Texture:
    """Read the base of a DDS file, of which `whole` levels are there. Without `alpha` that is left out: nothing is meant by it.
    Raises TexelError naming `name` where it does not decode, and where alpha holds what nothing is meant by."""
    if not whole:
        raise refusal(name, "ends before its first level does.")
    channels = header.channels if alpha else header.channels.removesuffix("A")
    base = _level(path, header, 0, OFFSET, channels)
    return Texture(header.width, header.height, header.levels, header.format, header.srgb, channels, base, path, whole)


def _level(path: Path, header: Header, level: int, offset: int, channels: str) -> Pixels:
    width, height = header.sizes()[level]
    if header.format in PLAIN:
        sample = np.dtype(PLAIN[header.format])
        shape = (height, width, len(header.channels))
        stored = np.fromfile(path, sample, int(np.prod(shape)), offset=offset).reshape(shape)
        return _without_stray(path, stored, len(channels))
    decoded = _decode(path, level, len(channels), len(header.channels))
    halves = HALVES.get(header.format, {})
    if not halves:
        return decoded
    # The library cuts off what lies between two levels of eight bits; a GPU does not.
    wide = decoded.astype(np.uint16) * np.uint16(257)
    blocks = np.fromfile(path, np.uint8, header.level_bytes()[level], offset=offset).reshape(-1, header.unit)
    for channel, start in halves.items():
        if channel < len(channels):
            wide[:, :, channel] = _half(blocks[:, start : start + 8], width, height)
    return wide


def _half(blocks: NDArray[np.uint8], width: int, height: int) -> NDArray[np.uint16]:
    """One channel of blocks of BC4 (Khronos Data Format specification, section 19.4): two ends, and for each texel three bits
    that say which of the values between them it has."""
    ends = blocks[:, :2].astype(np.float64)
    bits = np.unpackbits(blocks[:, 2:], axis=1, bitorder="little").reshape(-1, 16, 3)
    codes = bits @ np.array([1, 2, 4], np.uint8)
    seven = ends[:, :1] > ends[:, 1:]
    steps = np.where(seven, 7.0, 5.0)
    share = np.where(codes == 0, 0.0, np.where(codes == 1, 1.0, (codes - 1.0) / steps))
    values = ends[:, :1] + (ends[:, 1:] - ends[:, :1]) * share
    values = np.where(~seven & (codes >= 6), np.where(codes == 6, 0.0, 255.0), values)
    across, down = -(-width // 4), -(-height // 4)
    texels = values.reshape(down, across, 4, 4).transpose(0, 2, 1, 3).reshape(down * 4, across * 4)
    return np.asarray(texels[:height, :width] * 257 + 0.5, np.uint16)


def _without_stray(path: Path, stored: Pixels, count: int) -> Pixels:
    """The first channels; what follows is alpha that nothing is meant by, and has to be solid but for what blocks cost."""
    solid = 1 if stored.dtype.kind == "f" else np.iinfo(stored.dtype).max
    if stored.shape[2] > count and bool((stored[:, :, count:] < SOLID * solid).any()):
        raise refusal(path.name, "has something in alpha, where nothing is meant to be.")
    return stored[:, :, :count]


def _decode(path: Path, level: int, channels: int, stored: int) -> NDArray[Any]:
    import OpenImageIO as oiio

    reader = oiio.ImageInput.open(str(path))
    if reader is None:
        raise refusal(path.name, f"does not open: {oiio.geterror()}")
    try:
        if not reader.seek_subimage(0, level):
            raise refusal(path.name, f"has no level {level} that can be read: {reader.geterror()}")
        spec = reader.spec()
        held = min(stored, spec.nchannels)
        out = np.empty((spec.height, spec.width, channels), np.uint8)
        for top in range(0, spec.height, ROWS):
            end = min(spec.height, top + ROWS)
            rows = reader.read_scanlines(0, level, top, end, 0, 0, held, oiio.UINT8)
            reason = reader.geterror()
            if rows is None or reason:
                raise refusal(path.name, f"does not decode in level {level}: {reason}")
            out[top:end] = _without_stray(path, np.asarray(rows).reshape(end - top, spec.width, held), channels)
        return out
    finally:
        reader.close()


def refusal(name: str, problem: str) -> TexelError:
    """What the dock says of a file that it cannot take."""
    return TexelError(name, problem, "Deliver it again.")
