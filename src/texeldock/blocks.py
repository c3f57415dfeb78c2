"""Reading delivered textures, with a header reader and a decoder that the sender's encoder has no part in."""

from __future__ import annotations

import struct
from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from texelcore.pixels.errors import TexelError
from texelcore.pixels.read import read
from texelcore.pixels.values import as_values

LARGEST_EDGE = 16384
# DXGI numbers (Microsoft's public DXGI_FORMAT list): format, sRGB flag, channels.
KNOWN = {
    71: ("bc1", False, "RGB"),
    72: ("bc1", True, "RGB"),
    77: ("bc3", False, "RGBA"),
    78: ("bc3", True, "RGBA"),
    80: ("bc4", False, "R"),
    83: ("bc5", False, "RG"),
    98: ("bc7", False, "RGBA"),
    99: ("bc7", True, "RGBA"),
    61: ("r8", False, "R"),
    49: ("rg8", False, "RG"),
    28: ("rgba8", False, "RGBA"),
    29: ("rgba8", True, "RGBA"),
    56: ("r16", False, "R"),
    11: ("rgba16", False, "RGBA"),
    54: ("r16f", False, "R"),
    10: ("rgba16f", False, "RGBA"),
    41: ("r32f", False, "R"),
    2: ("rgba32f", False, "RGBA"),
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


@dataclass(frozen=True)
class Texture:
    """The largest level of a texture as stored values (H, W, C), 0–1 for integers, and what its header says."""

    width: int
    height: int
    levels: int
    format: str
    srgb: bool
    channels: str
    values: NDArray[np.float64]
    # The values that stand for a channel's stored 0 and 1, where the manifest says others.
    spans: Mapping[str, tuple[float, float]] = field(default_factory=dict)


def read_picture(path: Path, name: str, srgb: bool) -> Texture:
    """Read a texture that was delivered as a picture file; `srgb` is the flag that the importer is told. Raises TexelError naming
    `name` for what does not decode."""
    image = read(path, name)
    channels = "".join("R" if channel == "Y" else channel for channel in image.channels)
    return Texture(image.width, image.height, 1, path.suffix[1:], srgb, channels, as_values(image.data))


def read_texture(path: Path, name: str) -> Texture:
    """Read a DDS file with a DX10 header. Raises TexelError naming `name` for anything else."""
    data = path.read_bytes()
    if len(data) < 148 or data[:4] != b"DDS " or data[84:88] != b"DX10":
        raise _refusal(name, "is no DDS file with a DX10 header.")
    height, width = struct.unpack_from("<2I", data, 12)
    levels = max(1, struct.unpack_from("<I", data, 28)[0])
    number = struct.unpack_from("<I", data, 128)[0]
    if number not in KNOWN or not (0 < width <= LARGEST_EDGE and 0 < height <= LARGEST_EDGE):
        raise _refusal(name, f"holds {width} × {height} texels in DXGI format {number}, which the dock does not read.")
    key, srgb, channels = KNOWN[number]
    if key in PLAIN:
        sample = np.dtype(PLAIN[key])
        count = width * height * len(channels)
        if len(data) < 148 + count * sample.itemsize:
            raise _refusal(name, "ends before its first level does.")
        stored: NDArray[Any] = np.frombuffer(data, sample, count, 148).reshape(height, width, len(channels))
    else:
        stored = _decode(path, name)[:, :, : len(channels)]
    return Texture(width, height, levels, key, srgb, channels, as_values(stored))


def _decode(path: Path, name: str) -> NDArray[Any]:
    import OpenImageIO as oiio

    reader = oiio.ImageInput.open(str(path))
    if reader is None:
        raise _refusal(name, f"does not open: {oiio.geterror()}")
    pixels = reader.read_image(0, 0, 0, reader.spec().nchannels, oiio.UINT8)
    reason = reader.geterror()
    reader.close()
    if pixels is None or reason:
        raise _refusal(name, f"does not decode: {reason}")
    return np.asarray(pixels)


def _refusal(name: str, problem: str) -> TexelError:
    return TexelError(name, problem, "Deliver it again.")
