"""Texels to blocks: the encoders' calls, each on a run of whole block rows. Light to import, since processes start with it."""

from __future__ import annotations

import ctypes
import os
import threading
import time
from collections.abc import Callable
from functools import cache
from importlib.metadata import version
from importlib.util import find_spec
from typing import Any

from texelcore.codecs.formats import FORMATS, Lossy

BLOCK_EDGE = 4
# What makes the blocks of each format. Measured side by side by `bench/encode`.
ENCODERS: dict[Lossy, str] = {
    "bc1": "ispc_texcomp",
    "bc3": "ispc_texcomp",
    "bc4": "ispc_texcomp",
    "bc5": "ispc_texcomp",
    "bc7": "etcpak",
}


def taken_channels(key: Lossy) -> str:
    """The channels, in order, that an encoder takes: one for BC4, two for BC5, RGBA for all else."""
    return FORMATS[key].channels if key in ("bc4", "bc5") else "RGBA"


@cache
def encoder_of(key: str) -> str:
    """The library that encodes a format, with its version; "" for plain formats."""
    name = ENCODERS.get(key)  # type: ignore[call-overload]
    return f"{name} {version(name)}" if name else ""


def encode_blocks(key: Lossy, texels: bytes, width: int, height: int, colour: bool) -> bytes:
    """Encode the bytes of `width` × `height` texels, both multiples of four, row by row from the top, with `taken_channels`.

    BC7 weighs errors as the eye does when `colour`, and all channels alike otherwise: the encoder's own default is the
    eye's, which would spend the bits of a packed map on its green channel. The others weigh all channels alike.
    """
    if key != "bc7":
        return _ispc(key, texels, width, height)
    import etcpak

    options = etcpak.BC7CompressBlockParams()
    if colour:
        options.init_perceptual_weights()
    else:
        options.init_linear_weights()
    return bytes(etcpak.compress_bc7(texels, width, height, options))


class _Surface(ctypes.Structure):
    """The encoder's view of a picture: `rgba_surface` of its published header."""

    _fields_ = (("ptr", ctypes.c_char_p), ("width", ctypes.c_int32), ("height", ctypes.c_int32), ("stride", ctypes.c_int32))


def _ispc(key: Lossy, texels: bytes, width: int, height: int) -> bytes:
    surface = _Surface(texels, width, height, width * len(taken_channels(key)))
    out = ctypes.create_string_buffer(FORMATS[key].level_bytes(width, height))
    _ispc_call(key)(ctypes.byref(surface), out)
    return out.raw


@cache
def _ispc_call(key: Lossy) -> Callable[..., Any]:
    """The encoder's function for the oldest instruction set that it is built for.

    Left to itself the library takes the newest that the processor has, and with fused multiplication (AVX2) some blocks come out
    otherwise: the same picture would have other bytes on another machine. The oldest is as fast here. Processors of another kind
    have one build only.
    """
    found = find_spec("ispc_texcomp._ispc_texcomp")
    if found is None or found.origin is None:
        raise ImportError("ispc_texcomp is not installed")
    library = ctypes.CDLL(found.origin)
    name = f"CompressBlocks{key.upper()}"
    function = getattr(library, f"{name}_ispc_sse2", None) or getattr(library, name)
    function.restype = None
    return function  # type: ignore[no-any-return]


def end_with_parent() -> None:
    """Let a helper process end soon after the process that started it, however that one ended."""
    parent = os.getppid()

    def watch() -> None:
        while os.getppid() == parent:
            time.sleep(1)
        os._exit(1)

    threading.Thread(target=watch, daemon=True).start()
