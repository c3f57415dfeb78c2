"""Texels to blocks: the encoder's calls, each on a run of whole block rows. Light to import, since processes start with it."""

from __future__ import annotations

import os
import threading
import time

from texelcore.codecs.formats import Lossy

BLOCK_EDGE = 4


def encode_blocks(key: Lossy, texels: bytes, width: int, height: int, colour: bool) -> bytes:
    """Encode RGBA bytes of `width` × `height` texels, both multiples of four, row by row from the top.

    BC7 weighs errors as the eye does when `colour`, and all channels alike otherwise: the encoder's own default is the
    eye's, which would spend the bits of a packed map on its green channel.
    """
    import etcpak

    if key == "bc7":
        options = etcpak.BC7CompressBlockParams()
        if colour:
            options.init_perceptual_weights()
        else:
            options.init_linear_weights()
        return bytes(etcpak.compress_bc7(texels, width, height, options))
    encode = {"bc1": etcpak.compress_bc1, "bc3": etcpak.compress_bc3, "bc4": etcpak.compress_bc4, "bc5": etcpak.compress_bc5}[key]
    return bytes(encode(texels, width, height))


def end_with_parent() -> None:
    """Let a helper process end soon after the process that started it, however that one ended."""
    parent = os.getppid()

    def watch() -> None:
        while os.getppid() == parent:
            time.sleep(1)
        os._exit(1)

    threading.Thread(target=watch, daemon=True).start()
