"""Texels to blocks: the encoder's calls, each on a run of whole block rows."""

from __future__ import annotations

import ctypes
from collections.abc import Callable
from functools import cache
from importlib.metadata import version
from importlib.util import find_spec
from typing import Any

from texelcore.codecs.formats import FORMATS, Lossy

BLOCK_EDGE = 4
# The library that makes all blocks. Measured beside others by `bench/encode`.
ENCODER = "ispc_texcomp"
# More bytes than `bc7_enc_settings` of its published header takes.
_MOST_SETTINGS = 256


def taken_channels(key: Lossy) -> str:
    """The channels, in order, that an encoder takes: one for BC4, two for BC5, RGBA for all else."""
    return FORMATS[key].channels if key in ("bc4", "bc5") else "RGBA"


@cache
def encoder_of(key: str) -> str:
    """The library that encodes a format, with its version; "" for plain formats."""
    return f"{ENCODER} {version(ENCODER)}" if FORMATS[key].edge > 1 else ""  # type: ignore[index]


def encode_blocks(key: Lossy, texels: bytes, width: int, height: int) -> bytes:
    """Encode the bytes of `width` × `height` texels, both multiples of four, row by row from the top, with `taken_channels`. All
    channels are weighed alike, since ΔE2000 of colour is no better where an encoder weighs as the eye does (`bench/encode`)."""
    surface = _Surface(texels, width, height, width * len(taken_channels(key)))
    out = ctypes.create_string_buffer(FORMATS[key].level_bytes(width, height))
    if key == "bc7":
        # What has alpha is searched less thoroughly in about the same time.
        solid = texels[3::4].count(b"\xff") == width * height
        _function(key)(ctypes.byref(surface), out, _profile("veryfast" if solid else "alpha_ultrafast"))
    else:
        _function(key)(ctypes.byref(surface), out)
    return out.raw


class _Surface(ctypes.Structure):
    """The encoder's view of a picture: `rgba_surface` of its published header."""

    _fields_ = (("ptr", ctypes.c_char_p), ("width", ctypes.c_int32), ("height", ctypes.c_int32), ("stride", ctypes.c_int32))


@cache
def _function(key: Lossy) -> Callable[..., Any]:
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


@cache
def _library() -> ctypes.CDLL:
    """The library by its exported functions, which run without the interpreter's lock."""
    found = find_spec("ispc_texcomp._ispc_texcomp")
    if found is None or found.origin is None:
        raise ImportError("ispc_texcomp is not installed")
    return ctypes.CDLL(found.origin)
