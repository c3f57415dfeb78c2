"""Opening an uploaded zip: refused whole when any part of it is hostile, before anything is unpacked."""

from __future__ import annotations

import zipfile
from collections.abc import Iterator
from pathlib import Path

from texelcore.pixels.errors import TexelError
from texelcore.pixels.inspect import PICTURE_SUFFIXES

MOST_ENTRIES = 5000
LARGEST_UNPACKED = 8 * 1024**3
LARGEST_RATIO = 100
_CHUNK = 1 << 20


def is_zip(path: Path) -> bool:
    """Whether a file begins like a zip (a local file header, or an empty archive)."""
    with path.open("rb") as file:
        return file.read(4) in (b"PK\x03\x04", b"PK\x05\x06")


def unpack(path: Path, name: str, folder: Path) -> Iterator[tuple[str, Path]]:
    """Give each picture of a zip as its name inside and a numbered file in `folder`.

    Raises TexelError naming the zip for a damaged or encrypted one, more than 5,000 entries, a name that is absolute
    or climbs with "..", or data that unpack to 100 times the zip's size or more. Names are checked before any data.
    """
    try:
        with zipfile.ZipFile(path) as archive:
            entries = _checked(archive, path, name)
            for number, entry in enumerate(entries):
                place = folder / f"{number:05d}"
                _copy(archive, entry, place, name)
                yield entry.filename, place
                place.unlink(missing_ok=True)
    except (zipfile.BadZipFile, NotImplementedError, EOFError, OSError) as error:
        raise TexelError(name, f"is a damaged zip ({error}).", "Pack it again, or drop the folder itself.") from error


def _checked(archive: zipfile.ZipFile, path: Path, name: str) -> list[zipfile.ZipInfo]:
    entries = [entry for entry in archive.infolist() if not entry.is_dir()]
    if len(entries) > MOST_ENTRIES:
        raise TexelError(
            name, f"holds {len(entries):,} files; at most {MOST_ENTRIES:,} are taken.", "Split it into several zips."
        )
    for entry in entries:
        parts = entry.filename.replace("\\", "/").split("/")
        if ".." in parts or parts[0] == "" or parts[0].endswith(":"):
            problem = f"holds the entry “{entry.filename}”, whose name leads out of the zip."
            raise TexelError(name, problem, "Pack it again with plain names; nothing of it was taken.")
        if entry.flag_bits & 1:
            raise TexelError(name, "is locked with a password.", "Pack it again without one.")
    unpacked = sum(entry.file_size for entry in entries)
    if unpacked > LARGEST_UNPACKED or unpacked >= LARGEST_RATIO * path.stat().st_size:
        problem = f"would unpack to {unpacked / 1e6:,.0f} MB from {path.stat().st_size / 1e6:,.1f} MB."
        raise TexelError(name, problem, "Drop the files themselves instead.")
    return [entry for entry in entries if _is_picture(entry.filename)]


def _is_picture(name: str) -> bool:
    """Pictures by suffix; hidden files and a desktop's own extra folders are passed over."""
    parts = name.replace("\\", "/").split("/")
    hidden = any(part.startswith((".", "__MACOSX")) for part in parts)
    return not hidden and Path(parts[-1]).suffix.lower() in PICTURE_SUFFIXES


def _copy(archive: zipfile.ZipFile, entry: zipfile.ZipInfo, place: Path, name: str) -> None:
    """Unpack one entry, trusting no size that the zip claims."""
    written = 0
    with archive.open(entry) as source, place.open("wb") as file:
        while chunk := source.read(_CHUNK):
            written += len(chunk)
            if written > entry.file_size:
                raise TexelError(name, f"lies about the size of “{entry.filename}”.", "Pack it again.")
            file.write(chunk)
