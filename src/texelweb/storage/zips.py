"""Opening an uploaded zip: refused whole when any part of it is hostile, before anything is unpacked."""

from __future__ import annotations

import lzma
import shutil
import zipfile
import zlib
from collections.abc import Iterator
from pathlib import Path
from typing import NamedTuple

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


class Entry(NamedTuple):
    """One picture of a zip: its name inside, its bytes in a file or why there are none, and the share unpacked so far."""

    name: str
    place: Path | TexelError
    share: float


def unpack(path: Path, name: str, folder: Path) -> Iterator[Entry]:
    """Give each picture of a zip, its bytes in a numbered file in `folder` that lasts until the next one is asked for.

    An entry that is damaged comes as its error. Raises TexelError naming the zip, before anything is unpacked, for a zip
    without a readable directory, a locked one, more than 5,000 entries, a name that is absolute or climbs with "..", or
    data that unpack to 100 times the zip's size or more.
    """
    try:
        archive = zipfile.ZipFile(path)
    except zipfile.BadZipFile as error:
        raise TexelError(name, f"is a damaged zip ({error}).", "Pack it again, or drop the folder itself.") from error
    with archive:
        entries = _checked(archive, path, name)
        for number, entry in enumerate(entries):
            place = folder / f"{number:05d}"
            yield Entry(entry.filename, _copy(archive, entry, place), (number + 1) / len(entries))
            place.unlink(missing_ok=True)


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


def _copy(archive: zipfile.ZipFile, entry: zipfile.ZipInfo, place: Path) -> Path | TexelError:
    """Unpack one entry. No more is unpacked than its claimed size; a wrong claim fails the entry's check sum."""
    try:
        with archive.open(entry) as source, place.open("wb") as file:
            shutil.copyfileobj(source, file, _CHUNK)
    except (zipfile.BadZipFile, zlib.error, lzma.LZMAError, EOFError, NotImplementedError) as error:
        return TexelError(entry.filename, f"is damaged inside its zip ({error}).", "Pack it again, or drop the file itself.")
    return place
