"""The facts of a source file: decoded and measured once, kept with it."""

from __future__ import annotations

import hashlib
from pathlib import Path

from texelcore.evidence.look import look
from texelcore.evidence.ranges import channel_ranges
from texelcore.pixels.declared import declared_colour
from texelcore.pixels.errors import TexelError, UnreadableImage
from texelcore.pixels.image import Image
from texelcore.pixels.inspect import inspect
from texelcore.pixels.read import read
from texelcore.surface.files import FileFacts
from texelcore.surface.sources import Source


def facts_of(path: Path, shown_path: str, file_id: str | None = None) -> FileFacts:
    """Decode a file whole and say what it is. `shown_path` is its path as it arrived; the id defaults to that.

    Raises UnreadableImage when the file is no picture, is damaged, or is beyond the limits.
    """
    return look_over(path, shown_path, file_id)[0]


def look_over(path: Path, shown_path: str, file_id: str | None = None) -> tuple[FileFacts, Image]:
    """The facts of a file, and its picture. Raises as `facts_of` does."""
    try:
        return _measured(path, shown_path, file_id)
    except (TexelError, MemoryError, OSError):
        raise
    except Exception as error:
        # Whatever is wrong with one file stops one file.
        name, reason = shown_path.rsplit("/", 1)[-1], " ".join(f"{type(error).__name__} {error}".split())[:120]
        problem = f"could not be measured ({reason})."
        raise UnreadableImage(name, problem, "Open it in a painting program and export it again.") from error


def _measured(path: Path, shown_path: str, file_id: str | None) -> tuple[FileFacts, Image]:
    name = shown_path.rsplit("/", 1)[-1]
    header = inspect(path, name)
    image = read(path, name)
    with path.open("rb") as file:
        sha256 = hashlib.file_digest(file, "sha256").hexdigest()
    facts = FileFacts(
        id=Source(file_id or shown_path),
        path=shown_path,
        sha256=sha256,
        bytes=path.stat().st_size,
        format=header.format,
        width=image.width,
        height=image.height,
        channels=image.channels,  # type: ignore[arg-type]
        sample=image.sample,
        ranges=channel_ranges(image),
        evidence=look(image, declared_colour(path)),
    )
    return facts, image
