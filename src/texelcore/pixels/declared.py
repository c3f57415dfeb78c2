"""What a file declares about its colours: sRGB, a profile, a transfer curve. Data maps should declare nothing."""

from __future__ import annotations

import struct
from pathlib import Path

_SIGNATURE = 8
# Colour chunks stand before the pixels (PNG specification, third edition, 5.6), so a few kilobytes hold them, but for
# a profile's own data, which is skipped.
_COLOUR_CHUNKS = {b"sRGB", b"iCCP", b"cICP", b"gAMA"}


def declared_colour(path: Path) -> str:
    """The colour declaration of a PNG or JPEG file in words, "" where it has none, or is of another format.

    A gAMA of 1 is linear and therefore no declaration of colour (PNG specification, third edition, 11.3.2.2).
    """
    with path.open("rb") as file:
        first = file.read(_SIGNATURE)
        if first == b"\x89PNG\r\n\x1a\n":
            chunks = {}
            while len(header := file.read(8)) == 8:
                length, kind = struct.unpack(">I4s", header)
                if kind in (b"IDAT", b"IEND") or length > 1 << 31:
                    break
                if kind in _COLOUR_CHUNKS:
                    chunks[kind] = file.read(min(length, 128))
                    file.seek(max(0, length - 128) + 4, 1)
                else:
                    file.seek(length + 4, 1)
            return _png_words(chunks)
        if first[:3] == b"\xff\xd8\xff":
            file.seek(0)
            return "colour profile" if b"ICC_PROFILE\0" in file.read(1 << 16) else ""
    return ""


def _png_words(chunks: dict[bytes, bytes]) -> str:
    if b"cICP" in chunks and len(chunks[b"cICP"]) >= 2:
        return "" if chunks[b"cICP"][1] == 8 else "cICP chunk"
    if b"iCCP" in chunks:
        name = chunks[b"iCCP"].split(b"\0", 1)[0].decode("latin-1")[:60]
        return f"colour profile “{name}”"
    if b"sRGB" in chunks:
        return "sRGB chunk"
    if b"gAMA" in chunks and len(chunks[b"gAMA"]) == 4:
        gamma = struct.unpack(">I", chunks[b"gAMA"])[0]
        return "" if abs(gamma - 100_000) < 1000 or gamma == 0 else f"gamma chunk 1/{100_000 / gamma:.2f}"
    return ""
