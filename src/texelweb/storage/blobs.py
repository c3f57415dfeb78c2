"""Putting bytes into storage and getting them back as a local file."""

from __future__ import annotations

import shutil
import tempfile
import uuid
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

from django.core.files import File
from django.core.files.base import ContentFile
from django.core.files.storage import default_storage
from django.db import DatabaseError, connection

from texelcore.building.execute import file_sha256
from texelcore.pixels.errors import TexelError
from texelweb.storage.models import Blob, place_of

# Names of files that are still being written; what a killed process left of them is swept away at the next start.
PART = ".part-"


# The key of the database's advisory lock on taking bytes out of storage; the number itself means nothing.
_REMOVING = 0x7E8E1


@contextmanager
def keeping() -> Iterator[None]:
    """While bytes are put in and rows made that refer to them: nothing takes bytes out meanwhile. Any number may keep at once."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT pg_advisory_lock_shared(%s)", [_REMOVING])
    try:
        yield
    finally:
        _let_go("pg_advisory_unlock_shared")


@contextmanager
def removing() -> Iterator[bool]:
    """While bytes that no row refers to are taken out. Gives whether they may be: not while anybody keeps some."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT pg_try_advisory_lock(%s)", [_REMOVING])
        mine = bool(cursor.fetchone()[0])
    try:
        yield mine
    finally:
        if mine:
            _let_go("pg_advisory_unlock")


def _let_go(unlock: str) -> None:
    # With the connection the lock is gone as well; inside a transaction that failed, it goes when the connection is closed.
    with suppress(DatabaseError), connection.cursor() as cursor:
        cursor.execute(f"SELECT {unlock}(%s)", [_REMOVING])


def keep(path: Path, sha256: str | None = None) -> Blob:
    """Store a local file's bytes under their hash and give the blob; bytes already there are not written again."""
    digest = sha256 or file_sha256(path)
    keep_bytes(path, digest)
    blob, _ = Blob.objects.get_or_create(sha256=digest, defaults={"bytes": path.stat().st_size})
    return blob


def keep_bytes(path: Path, sha256: str) -> None:
    """Store a local file's bytes under their hash, without a row: the caller makes many rows at once."""
    place = place_of(sha256)
    if not default_storage.exists(place):
        _save_whole(path, place)


def put_file(path: Path, place: str) -> None:
    """Store a local file's bytes at a place, instead of what may be there."""
    if _local(place) is None:
        default_storage.delete(place)
    _save_whole(path, place)


def _save_whole(path: Path, place: str) -> None:
    """A file's bytes at a place of their own."""
    final = _local(place)
    if final is None:
        with path.open("rb") as file:
            default_storage.save(place, File(file))
        return
    _beside(final, lambda part: shutil.copyfile(path, part))


def put(place: str, body: bytes) -> None:
    """Store a small object whose place says what it holds; one that is there already is the same and stays."""
    final = _local(place)
    if final is None:
        if not default_storage.exists(place):
            default_storage.save(place, ContentFile(body))
    elif not final.exists():
        _beside(final, lambda part: part.write_bytes(body))


def _local(place: str) -> Path | None:
    """The path of a place on local disk, or None where the store is elsewhere and makes objects appear whole by itself."""
    try:
        return Path(default_storage.path(place))
    except NotImplementedError:
        return None


def _beside(final: Path, write: Callable[[Path], object]) -> None:
    """Write beside, then rename: no reader ever sees half a file."""
    final.parent.mkdir(parents=True, exist_ok=True)
    part = final.parent / f"{PART}{uuid.uuid4().hex}"
    try:
        write(part)
        part.chmod(0o444)
        part.replace(final)
    except BaseException:
        part.unlink(missing_ok=True)
        raise


def stored_bytes(place: str) -> bytes:
    """A stored object as bytes. Raises TexelError where it is not there any more."""
    try:
        with default_storage.open(place) as stored:
            return bytes(stored.read())
    except FileNotFoundError as error:
        raise TexelError(
            place, "is not in storage any more.", "Bring it back from a backup, or build and prove again."
        ) from error


@contextmanager
def local_file(place: str) -> Iterator[Path]:
    """A stored object as a readable local path, fetched to a temporary file where storage is not local."""
    try:
        yield Path(default_storage.path(place))
    except NotImplementedError:
        with tempfile.NamedTemporaryFile() as copy, default_storage.open(place) as stored:
            shutil.copyfileobj(stored, copy)
            copy.flush()
            yield Path(copy.name)
