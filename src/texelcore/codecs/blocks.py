"""The codecs of block formats, one for each row of the table of formats that stores blocks: texels to blocks, and back."""

from __future__ import annotations

import ctypes
from collections.abc import Callable
from dataclasses import dataclass
from functools import cache, partial
from importlib.metadata import version
from importlib.util import find_spec
from threading import Lock
from typing import Any

import numpy as np

from texelcore.codecs.interpolated import BLOCK_BYTES, decode_interpolated
from texelcore.pixels.image import Pixels, Sample
from texelcore.surface.formats import FORMATS, TextureFormat

# The library that makes all blocks. Measured beside others by `bench/encode`.
ENCODER = "ispc_texcomp"
# More bytes than `bc7_enc_settings` of its published header takes.
_MOST_SETTINGS = 256


@dataclass(frozen=True)
class Codec:
    """How a block format is made and read.

    `encode(texels, width, height)` takes the bytes of 8-bit texels, row by row from the top, with the channels `takes`, of a
    whole number of blocks each way, and gives the blocks. `decode(blocks, width, height, count)` gives the first `count` channels
    of the same texels as (H, W, count), in `decoded` samples: 16 bits where what lies between two ends of a block is no level of
    eight.
    """

    takes: str
    encode: Callable[[bytes, int, int], bytes]
    decode: Callable[[bytes, int, int, int], Pixels]
    decoded: Sample = "u8"
    library: str = ENCODER


@cache
def encoder_of(key: TextureFormat) -> str:
    """The library that encodes a format, with its version; "" for plain formats."""
    codec = CODECS.get(key)
    return f"{codec.library} {version(codec.library)}" if codec else ""


class _Surface(ctypes.Structure):
    """The encoder's view of a picture: `rgba_surface` of its published header."""

    _fields_ = (("ptr", ctypes.c_char_p), ("width", ctypes.c_int32), ("height", ctypes.c_int32), ("stride", ctypes.c_int32))


def _encode(key: TextureFormat, takes: str, texels: bytes, width: int, height: int) -> bytes:
    """All channels are weighed alike, since ΔE2000 of colour is no better where an encoder weighs as the eye does
    (`bench/encode`)."""
    surface = _Surface(texels, width, height, width * len(takes))
    out = ctypes.create_string_buffer(FORMATS[key].level_bytes(width, height))
    if key == "bc7":
        # What has alpha is searched less thoroughly in about the same time.
        solid = texels[3::4].count(b"\xff") == width * height
        _function(key)(ctypes.byref(surface), out, _profile("veryfast" if solid else "alpha_ultrafast"))
    else:
        _function(key)(ctypes.byref(surface), out)
    return out.raw


_finding = Lock()


@cache
def _function(key: TextureFormat) -> Callable[..., Any]:
    """The encoder's function for the oldest instruction set that it is built for.

    Left to itself the library takes the newest that the processor has, and with fused multiplication (AVX2) some blocks come out
    otherwise: the same picture would have other bytes on another machine. The oldest is as fast here. Processors of another kind
    have one build only.
    """
    name = f"CompressBlocks{key.upper()}"
    function = getattr(_library(), f"{name}_ispc_sse2", None) or getattr(_library(), name)
    function.restype = None
    return function  # type: ignore[no-any-return]


@cache
def _profile(name: str) -> ctypes.Array[ctypes.c_char]:
    """How thoroughly BC7 is searched, as the library's own `bc7_enc_settings`."""
    settings = ctypes.create_string_buffer(_MOST_SETTINGS)
    getattr(_library(), f"GetProfile_{name}")(settings)
    return settings


def _library() -> ctypes.CDLL:
    """The library by its exported functions, which run without the interpreter's lock."""
    # To find it imports its package: a second thread that looks meanwhile finds it half imported.
    with _finding:
        return _found_library()


@cache
def _found_library() -> ctypes.CDLL:
    found = find_spec("ispc_texcomp._ispc_texcomp")
    if found is None or found.origin is None:
        raise ImportError("ispc_texcomp is not installed")
    return ctypes.CDLL(found.origin)


def _colours(number: int, blocks: bytes, width: int, height: int, count: int) -> Pixels:
    """BC1, BC3 or BC7. The decoder rounds interpolated colours as Direct3D has it; others cut them off, up to 1.4 levels low."""
    import imagecodecs

    return np.asarray(imagecodecs.bcn_decode(blocks, number, shape=(height, width, 4)))[..., :count]


def _colours_and_interpolated(blocks: bytes, width: int, height: int, count: int) -> Pixels:
    """BC3: colours, and alpha that is interpolated."""
    wide = _colours(3, blocks, width, height, count).astype(np.uint16) * np.uint16(257)
    if count == 4:
        wide[..., 3] = decode_interpolated(blocks, width, height, 2 * BLOCK_BYTES)
    return wide


def _interpolated(unit: int, blocks: bytes, width: int, height: int, count: int) -> Pixels:
    """BC4, or two of it beside each other: BC5."""
    halves = range(0, unit, BLOCK_BYTES)[:count]
    return np.stack([decode_interpolated(blocks, width, height, unit, offset) for offset in halves], axis=-1)


CODECS: dict[TextureFormat, Codec] = {
    "bc1": Codec("RGBA", partial(_encode, "bc1", "RGBA"), partial(_colours, 1)),
    "bc3": Codec("RGBA", partial(_encode, "bc3", "RGBA"), _colours_and_interpolated, "u16"),
    "bc4": Codec("R", partial(_encode, "bc4", "R"), partial(_interpolated, BLOCK_BYTES), "u16"),
    "bc5": Codec("RG", partial(_encode, "bc5", "RG"), partial(_interpolated, 2 * BLOCK_BYTES), "u16"),
    "bc7": Codec("RGBA", partial(_encode, "bc7", "RGBA"), partial(_colours, 7)),
}
