"""Opening an uploaded zip, and zips inside it: each refused whole when any part of it is hostile, before it is unpacked."""

from __future__ import annotations

import lzma
import shutil
import uuid
import zipfile
import zlib
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import NamedTuple

from texelcore.pixels.errors import TexelError
from texelcore.pixels.inspect import NOT_YET_SUFFIXES, PICTURE_SUFFIXES

MOST_ENTRIES = 5000
LARGEST_UNPACKED = 8 * 1024**3
LARGEST_RATIO = 100
DEEPEST = 3
_CHUNK = 1 << 20


def is_zip(path: Path) -> bool:
    """Whether a file begins like a zip (a local file header, or an empty archive)."""
    with path.open("rb") as file:
        return file.read(4) in (b"PK\x03\x04", b"PK\x05\x06")


class Entry(NamedTuple):
    """One entry of a zip: its name inside, its bytes in a file, or why there are none, and the share unpacked so far. `passed`
    marks one that is no picture and was not unpacked."""

    name: str
    place: Path | TexelError
    share: float
    passed: bool = False


def unpack(path: Path, name: str, folder: Path) -> Iterator[Entry]:
    """Give each entry of a zip and of the zips inside it, a picture's bytes in a file in `folder` that the caller removes.

    An entry that is damaged, or an inner zip that is refused, comes as its error. Raises TexelError naming the zip, before
    anything is unpacked, for a zip without a readable directory, a locked one, more than 5,000 entries, a name that is
    absolute or climbs with "..", or data that unpack to 100 times the zip's size or more. Zips more than three deep are
    errors, and what all of them unpack to counts together.
    """
    yield from _unpack(path, name, folder, _Room(), 1)


@dataclass
class _Room:
    """What may still be unpacked, over all levels: inner zips must not multiply what one may hold."""

    entries: int = MOST_ENTRIES
    bytes: int = LARGEST_UNPACKED


def _unpack(path: Path, name: str, folder: Path, room: _Room, depth: int) -> Iterator[Entry]:
    try:
        archive = zipfile.ZipFile(path)
    except zipfile.BadZipFile as error:
        raise TexelError(name, f"is a damaged zip ({error}).", "Pack it again, or drop the folder itself.") from error
    with archive:
        entries = _checked(archive, path, name, room)
        for number, entry in enumerate(entries):
            share = (number + 1) / len(entries)
            if not _is_wanted(entry.filename):
                yield Entry(
                    entry.filename, TexelError(entry.filename, "is no picture.", "Nothing to do: it was left out."), share, True
                )
                continue
            place = _copy(archive, entry, folder / uuid.uuid4().hex)
            if isinstance(place, TexelError) or not entry.filename.lower().endswith(".zip"):
                yield Entry(entry.filename, place, share)
                continue
            try:
                yield from _inner(place, entry.filename, folder, room, depth, share)
            finally:
                place.unlink(missing_ok=True)


def _inner(place: Path, name: str, folder: Path, room: _Room, depth: int, share: float) -> Iterator[Entry]:
    if depth >= DEEPEST:
        yield Entry(name, TexelError(name, f"is a zip {depth + 1} deep.", "Unpack the outer one first."), share)
        return
    try:
        for entry in _unpack(place, name.rpartition("/")[2], folder, room, depth + 1):
            yield Entry(f"{name[:-4]}/{entry.name}", entry.place, share, entry.passed)
    except TexelError as error:
        yield Entry(name, error, share)


def _checked(archive: zipfile.ZipFile, path: Path, name: str, room: _Room) -> list[zipfile.ZipInfo]:
    entries = [entry for entry in archive.infolist() if not entry.is_dir()]
    if len(entries) > room.entries:
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
    if unpacked > room.bytes or unpacked >= LARGEST_RATIO * path.stat().st_size:
        problem = f"would unpack to {unpacked / 1e6:,.0f} MB from {path.stat().st_size / 1e6:,.1f} MB."
        raise TexelError(name, problem, "Drop the files themselves instead.")
    room.entries -= len(entries)
    room.bytes -= unpacked
    return entries


def _is_wanted(name: str) -> bool:
    """Pictures and zips by suffix; hidden files and a desktop's own extra folders are passed over."""
    parts = name.replace("\\", "/").split("/")
    hidden = any(part.startswith((".", "__MACOSX")) for part in parts)
    return not hidden and Path(parts[-1]).suffix.lower() in PICTURE_SUFFIXES | NOT_YET_SUFFIXES | {".zip"}


def _copy(archive: zipfile.ZipFile, member: zipfile.ZipInfo, place: Path) -> Path | TexelError:
    """Unpack one entry. No more is unpacked than its claimed size; a wrong claim fails the entry's check sum."""
    try:
        with archive.open(member) as source, place.open("wb") as file:
            shutil.copyfileobj(source, file, _CHUNK)
    except OSError as error:
        # A disk that is full says so by number; a damaged stream of one packing raises the same without one.
        if error.errno is not None:
            raise
        return _damaged(member, error)
    except (zipfile.BadZipFile, zlib.error, lzma.LZMAError, EOFError, NotImplementedError, RuntimeError, ValueError) as error:
        return _damaged(member, error)
    return place


def _damaged(member: zipfile.ZipInfo, error: Exception) -> TexelError:
    reason = str(error) or type(error).__name__
    return TexelError(member.filename, f"is damaged inside its zip ({reason}).", "Pack it again, or drop the file itself.")
