"""Writers: a source of strips becomes a PNG, TGA, TIFF, OpenEXR or JPEG file, whole or not at all."""

from __future__ import annotations

import secrets
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path
from typing import Any, Literal

from texelcore.pixels.errors import TexelError
from texelcore.pixels.png import write_png
from texelcore.pixels.strips import StripSource, Written, strip_ranges

FileFormat = Literal["png", "tga", "tiff", "exr", "jpeg"]
Encoding = Literal["srgb", "linear"]
SUFFIXES: dict[FileFormat, str] = {"png": ".png", "tga": ".tga", "tiff": ".tif", "exr": ".exr", "jpeg": ".jpg"}
FORMAT_WORDS: dict[FileFormat, str] = {"png": "PNG", "tga": "TGA", "tiff": "TIFF", "exr": "OpenEXR", "jpeg": "JPEG"}
SAMPLE_WORDS: dict[str, str] = {"u8": "8 bits", "u16": "16 bits", "f16": "half floats", "f32": "32-bit floats"}
SAMPLES: dict[FileFormat, tuple[str, ...]] = {
    "png": ("u8", "u16"),
    "tga": ("u8",),
    "tiff": ("u8", "u16", "f32"),
    "exr": ("f16", "f32"),
    "jpeg": ("u8",),
}


def write(
    source: StripSource,
    file_format: FileFormat,
    encoding: Encoding,
    destination: Path,
    threads: int = 2,
    written: Written = lambda rows: None,
    quality: int = 95,
) -> None:
    """Write a picture beside its place and rename it there, so that no reader ever sees half of it.

    `source` gives (rows, width, channels) strips with alpha not multiplied in; `encoding` is declared in the file where
    the format can say it. `quality` (1–100) is that of JPEG, whose colour is kept at full resolution. The same pixels give the
    same bytes. `written` is told in the caller's thread how many rows are done; it may raise to stop. Raises ValueError when the
    format cannot store the sample type, TexelError naming `destination` when it cannot be written, and whatever `source.rows` or
    `written` raise.
    """
    if source.sample not in SAMPLES[file_format]:
        raise ValueError(f"{file_format} stores {', '.join(SAMPLES[file_format])}, not {source.sample}")

    def body(part: Path) -> None:
        if file_format == "png":
            with part.open("wb") as file:
                write_png(source, file, encoding, threads, written)
        else:
            _write_openimageio(source, file_format, encoding, part, written, quality)

    write_whole(destination, body)


def write_whole(destination: Path, body: Callable[[Path], None]) -> None:
    """Run `body` on a file beside `destination`, then rename; on any failure remove it and leave nothing.

    Raises TexelError naming `destination` for an OSError.
    """
    part = destination.with_name(f".{destination.name}.{secrets.token_hex(6)}.part")
    try:
        body(part)
        part.replace(destination)
    except OSError as error:
        _forget(part)
        reason = error.strerror or str(error)
        raise TexelError(
            str(destination), f"could not be written: {reason}.", "Free some space or choose another folder."
        ) from error
    except BaseException:
        _forget(part)
        raise


def _forget(part: Path) -> None:
    """Remove a part, where there is one; that it cannot be removed must not hide why it was given up."""
    with suppress(OSError):
        part.unlink()


def _write_openimageio(
    source: StripSource, file_format: FileFormat, encoding: Encoding, path: Path, written: Written, quality: int
) -> None:
    import OpenImageIO as oiio

    types: dict[str, Any] = {"u8": oiio.UINT8, "u16": oiio.UINT16, "f16": oiio.HALF, "f32": oiio.FLOAT}
    spec = oiio.ImageSpec(source.width, source.height, source.channels, types[source.sample])
    # Without this hint the library divides colour by alpha while it writes.
    spec.attribute("oiio:UnassociatedAlpha", 1)
    if file_format == "exr":
        spec.attribute("compression", "zip")
        if source.channels == 1:
            spec.channelnames = ("Y",)
    else:
        spec.attribute("oiio:ColorSpace", "srgb_rec709_scene" if encoding == "srgb" else "lin_rec709_scene")
        spec.attribute("compression", {"tiff": "zip", "tga": "rle", "jpeg": f"jpeg:{quality}"}[file_format])
        if file_format == "jpeg":
            spec.attribute("jpeg:subsampling", "4:4:4")
    # A fixed date: the same pixels must give the same bytes on every day.
    spec.attribute("DateTime", "2000:01:01 00:00:00")
    plugin = {"tga": "targa", "tiff": "tiff", "exr": "openexr", "jpeg": "jpeg"}[file_format]
    writer = oiio.ImageOutput.create(plugin)
    if writer is None or not writer.open(str(path), spec):
        raise OSError(writer.geterror() if writer else oiio.geterror())
    good = True
    for start, stop in strip_ranges(source.width, source.height):
        good = good and writer.write_scanlines(start, stop, 0, source.rows(start, stop))
        written(stop)
    reason = writer.geterror()
    if not writer.close() or not good:
        raise OSError(reason or writer.geterror() or "the disk refused the data")
