"""Backing an installation up into a folder, and restoring it: the database by PostgreSQL's own tools, stored bytes by copy.

    FOLDER/database.dump    pg_dump's custom format
    FOLDER/storage/…        every stored object under its name
    FOLDER/backup.json      when, by which release, how much; written last, so that a folder without it is no backup

A second backup into the same folder copies only what is new: what goes by its hash never changes, and of the rest, what was
written since it was copied is copied again.
"""

from __future__ import annotations

import hashlib
import json
import os
import shutil
import subprocess
from collections.abc import Callable, Iterator, Sequence
from importlib.metadata import version
from pathlib import Path

from django.conf import settings
from django.core.files.storage import default_storage
from django.core.management import call_command
from django.db import connection
from django.utils import timezone

from texelcore.pixels.errors import TexelError
from texelweb.storage.blobs import PART, keeping, put_file
from texelweb.storage.models import Blob, place_of

DUMP, STORED, ABOUT = "database.dump", "storage", "backup.json"
# What is worth keeping: pictures of pictures are painted again when somebody looks.
KEPT = ("blobs", "deliveries", "staged")
DEBIAN_PROGRAMS = Path("/usr/lib/postgresql")
Tell = Callable[[str], object]


def back_up(folder: Path, tell: Tell = lambda line: None) -> None:
    """Back everything up into a folder. May run beside servers and workers: the database is dumped as it is at one moment, and
    what its rows refer to is not taken out of storage meanwhile.

    Raises TexelError when the folder holds something else, or when pg_dump fails.
    """
    if folder.exists() and any(folder.iterdir()) and not (folder / ABOUT).is_file() and not (folder / DUMP).is_file():
        raise TexelError(str(folder), "holds something that is no backup.", "Choose an empty folder, or a new one.")
    folder.mkdir(parents=True, exist_ok=True)
    folder.chmod(0o700)
    (folder / ABOUT).unlink(missing_ok=True)
    with keeping():
        part = folder / f"{DUMP}.part"
        _run("pg_dump", ["--format=custom", "--no-owner", "--no-privileges", "--file", str(part)])
        part.replace(folder / DUMP)
        tell("The database is dumped.")
        objects = size = new = 0
        for place in _objects():
            copy = folder / STORED / place
            if not _is_copied(place, copy):
                copy.parent.mkdir(parents=True, exist_ok=True)
                if not _fetch(place, copy):
                    continue
                new += 1
            objects += 1
            size += copy.stat().st_size
    about = {"made": timezone.now().isoformat(), "release": version("fairtexel"), "objects": objects, "bytes": size}
    (folder / ABOUT).write_text(json.dumps(about, indent=2) + "\n")
    tell(f"{objects:,} stored files, {size / 1e6:,.1f} MB; {new:,} of them new.")


def restore(folder: Path, *, replace: bool = False, tell: Tell = lambda line: None) -> None:
    """Bring a backup back, then migrate it to this release. Nothing else may run meanwhile.

    Raises TexelError when the folder is no backup, when a copy in it is damaged, when the database holds an installation and
    `replace` is not said: nothing is touched then. Also when pg_restore fails, and when a stored file that a row refers to is not
    there in the end; it is named then.
    """
    if not (folder / ABOUT).is_file():
        raise TexelError(str(folder), "is no whole backup.", f"Name a folder that back_up has written: it holds {ABOUT}.")
    if _is_in_use() and not replace:
        raise TexelError("The database", "holds an installation already.", "Name an empty one, or say --replace.")
    if broken := [path.name for path in _copies(folder) if path.parts[-3] == "blobs" and _sha256(path) != path.name]:
        raise TexelError(f"{len(broken)} file(s) of the backup", f"are damaged: {_some(broken)}.", "Take an older backup.")
    with connection.cursor() as cursor:
        cursor.execute("DROP SCHEMA public CASCADE")
        cursor.execute("CREATE SCHEMA public")
    connection.close()
    _run("pg_restore", ["--no-owner", "--no-privileges", "--exit-on-error", "--schema=public", str(folder / DUMP)])
    tell("The database is restored.")
    copies = list(_copies(folder))
    for path in copies:
        put_file(path, path.relative_to(folder / STORED).as_posix())
    tell(f"{len(copies):,} stored files are back.")
    call_command("migrate", verbosity=0)
    if wrong := list(damaged()):
        raise TexelError(f"{len(wrong)} stored file(s)", f"are missing or damaged: {_some(wrong)}.", "Take an older backup.")
    tell("Every stored file is what its row says.")


def _is_copied(place: str, copy: Path) -> bool:
    if not copy.exists():
        return False
    # A delivery whose job was killed is written again under its name.
    return place.startswith("blobs/") or default_storage.get_modified_time(place).timestamp() <= copy.stat().st_mtime


def _copies(folder: Path) -> Iterator[Path]:
    return (path for path in sorted((folder / STORED).rglob("*")) if path.is_file())


def _sha256(path: Path) -> str:
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def _some(names: Sequence[str]) -> str:
    return ", ".join(names[:5])


def damaged() -> Iterator[str]:
    """The hashes of stored files that are missing, or whose bytes are not those that the hash names."""
    for sha256 in Blob.objects.order_by("sha256").values_list("sha256", flat=True).iterator():
        try:
            with default_storage.open(place_of(sha256)) as file:
                if hashlib.file_digest(file, "sha256").hexdigest() != sha256:
                    yield sha256
        except FileNotFoundError:
            yield sha256


def _objects() -> Iterator[str]:
    waiting = list(KEPT)
    while waiting:
        folder = waiting.pop()
        try:
            folders, files = default_storage.listdir(folder)
        except FileNotFoundError:
            continue
        waiting += [f"{folder}/{name}" for name in folders]
        yield from (f"{folder}/{name}" for name in files if not name.startswith(PART))


def _fetch(place: str, copy: Path) -> bool:
    part = copy.with_name(f"{PART}{copy.name}")
    try:
        with default_storage.open(place) as stored, part.open("wb") as file:
            shutil.copyfileobj(stored, file, 1 << 20)
    except FileNotFoundError:
        # A staged upload that was sorted since it was listed; its bytes are among the blobs.
        part.unlink(missing_ok=True)
        return False
    part.replace(copy)
    return True


def _is_in_use() -> bool:
    return "sets_textureset" in connection.introspection.table_names()


def _run(program: str, arguments: Sequence[str]) -> None:
    database = settings.DATABASES["default"]
    command = [str(_found(program)), "--host", database["HOST"], "--port", str(database["PORT"])]
    command += ["--username", database["USER"], "--no-password", "--dbname", connection.settings_dict["NAME"], *arguments]
    environment = os.environ | {"PGPASSWORD": database["PASSWORD"]}
    said = subprocess.run(command, env=environment, capture_output=True, text=True, check=False)  # noqa: S603 - PostgreSQL's own
    if said.returncode:
        last = said.stderr.strip().splitlines()[-1:] or ["it said nothing"]
        raise TexelError(program, f"failed: {last[0]}.", "Put right what it says, then try again.")


def _found(program: str) -> Path:
    """PostgreSQL's tools: the newest that Debian's packages have installed, or whatever is on the path."""
    installed = sorted(DEBIAN_PROGRAMS.glob(f"*/bin/{program}"), key=lambda path: float(path.parts[-3]))
    known = str(installed[-1]) if installed else shutil.which(program)
    if known is None:
        raise TexelError(program, "is not installed.", "Install PostgreSQL's client tools, as the package postgresql-client.")
    return Path(known)
