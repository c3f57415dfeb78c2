"""Putting bytes into storage and getting them back as a local file."""

from __future__ import annotations

import shutil
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from django.core.files import File
from django.core.files.storage import default_storage

from texelcore.build.execute import file_sha256
from texelweb.storage.models import Blob, place_of


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


def _save_whole(path: Path, place: str) -> None:
    """On local disk: write beside, then rename. Elsewhere the store itself makes objects appear whole."""
    try:
        final = Path(default_storage.path(place))
    except NotImplementedError:
        with path.open("rb") as file:
            default_storage.save(place, File(file))
        return
    final.parent.mkdir(parents=True, exist_ok=True)
    with tempfile.NamedTemporaryFile(dir=final.parent, prefix=".part-", delete=False) as part:
        beside = Path(part.name)
    try:
        shutil.copyfile(path, beside)
        beside.chmod(0o444)
        beside.replace(final)
    except BaseException:
        beside.unlink(missing_ok=True)
        raise


def put(place: str, body: bytes) -> None:
    """Store a small object whose place says what it holds; one that is there already is the same and stays."""
    if default_storage.exists(place):
        return
    with tempfile.NamedTemporaryFile() as file:
        file.write(body)
        file.flush()
        _save_whole(Path(file.name), place)


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
