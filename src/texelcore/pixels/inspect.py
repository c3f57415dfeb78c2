"""What a file claims to be, read from its first bytes, before anything is decoded."""

from __future__ import annotations

import struct
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Literal

from texelcore.pixels.errors import UnreadableImage
from texelcore.pixels.image import CHANNEL_NAMES, Sample
from texelcore.pixels.whole import damaged, decoding, hold_jpeg, hold_png, hold_webp, several

Format = Literal["png", "jpeg", "webp", "tga", "tiff", "exr"]

# Limits for what is decoded at all: 8192² is an export size for one hero object (common practice).
MAX_EDGE = 16384
MAX_TEXELS = 8192 * 8192
READABLE = "PNG, TGA, JPEG, TIFF, OpenEXR or WebP"
PICTURE_SUFFIXES = frozenset({".png", ".tga", ".jpg", ".jpeg", ".tif", ".tiff", ".exr", ".webp"})
# Containers of encoded textures, known by their first bytes and not yet read.
NOT_YET = {b"DDS ": "DDS", b"\xabKTX 20\xbb": "KTX 2.0", b"\xabKTX 11\xbb": "KTX"}
NOT_YET_SUFFIXES = frozenset({".dds", ".ktx", ".ktx2"})
PLUGINS: dict[Format, str] = {"png": "png", "jpeg": "jpeg", "webp": "webp", "tga": "targa", "tiff": "tiff", "exr": "openexr"}


_WHOLE: dict[Format, Callable[[Path, str], None]] = {"jpeg": hold_jpeg, "webp": hold_webp}


@dataclass(frozen=True)
class Header:
    """A file's claim about itself: format, size in texels, channel names and sample type."""

    format: Format
    width: int
    height: int
    channels: tuple[str, ...]
    sample: Sample


def sniff(first: bytes, suffix: str) -> Format | None:
    """The format by magic number; TGA has none and goes by its suffix. None when nothing fits."""
    if first.startswith(b"\x89PNG\r\n\x1a\n"):
        return "png"
    if first.startswith(b"\xff\xd8\xff"):
        return "jpeg"
    if first[:4] == b"RIFF" and first[8:12] == b"WEBP":
        return "webp"
    if first[:4] in (b"II*\0", b"MM\0*", b"II+\0", b"MM\0+"):
        return "tiff"
    if first.startswith(b"\x76\x2f\x31\x01"):
        return "exr"
    # A TGA header: colour map type 0 or 1, then one of the image types of the format's version 2.0.
    if suffix.lower() == ".tga" and len(first) >= 18 and first[1] in (0, 1) and first[2] in (1, 2, 3, 9, 10, 11):
        return "tga"
    return None


def open_input(path: Path, name: str, kind: Format) -> Any:
    """An open OpenImageIO reader that leaves alpha as stored. Raises UnreadableImage when the header is broken."""
    import OpenImageIO as oiio

    # Without this hint the library multiplies colour by alpha while it reads.
    keep_alpha = oiio.ImageSpec()
    keep_alpha.attribute("oiio:UnassociatedAlpha", 1)
    reader = oiio.ImageInput.open(str(path), keep_alpha)
    if reader is None:
        raise damaged(name, oiio.geterror().replace(str(path), name))
    if reader.format_name() != PLUGINS[kind]:
        raise damaged(name, f"it begins like {kind} and goes on like {reader.format_name()}")
    return reader


def inspect(path: Path, name: str | None = None) -> Header:
    """Read a picture's header and hold it against the limits, without decoding pixels.

    `name` is what to call the file in errors. Raises UnreadableImage for an empty file, a file that is no picture,
    a broken header, more than four channels, or a size beyond MAX_EDGE or MAX_TEXELS.
    """
    name = name or path.name
    with path.open("rb") as file:
        first = file.read(64)
    if not first:
        raise UnreadableImage(name, "is empty (0 bytes).", "Export it again.")
    container = next((title for magic, title in NOT_YET.items() if first.startswith(magic)), None)
    if container:
        problem = f"is a {container} texture, encoded for an engine; such are not yet read here."
        raise UnreadableImage(name, problem, f"Export the map that it was made from as {READABLE}.")
    kind = sniff(first, Path(name).suffix)
    if kind is None:
        raise UnreadableImage(
            name,
            "is not a picture that can be read here: its first bytes belong to none of the known formats.",
            f"Export it as {READABLE}.",
        )
    if kind == "png":
        header = _png_header(first, name)
        hold_png(path, name)
        return header
    if kind in _WHOLE:
        _WHOLE[kind](path, name)
    with decoding(name):
        reader = open_input(path, name, kind)
        spec = reader.spec()
        more = kind in ("tiff", "exr") and reader.seek_subimage(1, 0)
        reader.close()
    if more:
        raise several(name, "several parts" if kind == "exr" else "several pages")
    channels = spec.nchannels
    if kind == "tga" and channels == 4 and first[17] & 0x0F == 0:
        # The fourth byte of a texel is alpha only where the descriptor counts bits for it (TGA 2.0, field 5.6).
        channels = 3
    _hold_against_limits(max(spec.width, spec.full_width), max(spec.height, spec.full_height), name)
    if spec.width < 1 or spec.height < 1 or spec.depth > 1 or spec.nchannels not in CHANNEL_NAMES:
        raise UnreadableImage(
            name,
            f"has {spec.nchannels} channels at {spec.width} × {spec.height} × {spec.depth}; flat pictures of 1 to 4 are read.",
            "Export one picture with at most red, green, blue and alpha.",
        )
    # Of an OpenEXR file the picture is its display window; the data may cover less of it, or more.
    width, height = (spec.full_width, spec.full_height) if kind == "exr" else (spec.width, spec.height)
    return Header(kind, width, height, CHANNEL_NAMES[channels], _sample(spec, name))


def _hold_against_limits(width: int, height: int, name: str) -> None:
    if width > MAX_EDGE or height > MAX_EDGE or width * height > MAX_TEXELS:
        raise UnreadableImage(
            name,
            f"claims {width} × {height} texels; at most {MAX_EDGE} on an edge and 8192² in all are read.",
            "Export it smaller or split it.",
        )


def _png_header(first: bytes, name: str) -> Header:
    """The IHDR chunk (PNG specification, third edition, 11.2.1). Read here, since the reader library takes a flat
    picture, which compresses a thousandfold, for an attack."""
    if len(first) < 26 or first[12:16] != b"IHDR":
        raise damaged(name, "its header chunk is missing")
    width, height, depth, kind = struct.unpack(">IIBB", first[16:26])
    _hold_against_limits(width, height, name)
    counts = {0: 1, 2: 3, 3: 3, 4: 2, 6: 4}
    if width < 1 or height < 1 or kind not in counts:
        raise damaged(name, "its header chunk makes no sense")
    return Header("png", width, height, CHANNEL_NAMES[counts[kind]], "u16" if depth == 16 else "u8")


def _sample(spec: Any, name: str) -> Sample:
    stored = str(spec.format)
    samples: dict[str, Sample] = {"uint8": "u8", "uint16": "u16", "half": "f16", "float": "f32"}
    if stored not in samples:
        raise UnreadableImage(name, f"stores {stored} samples.", "Export 8- or 16-bit integers, half or float.")
    return samples[stored]
