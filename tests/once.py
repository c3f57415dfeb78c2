"""What is made once for all processes of a test run: a migrated database, and the application with its demo world."""

from __future__ import annotations

import fcntl
import os
import subprocess
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

import psycopg

# Tests at their own pace take copies of these, which PostgreSQL makes in a moment.
MIGRATED, DEMO = "template_migrated", "template_demo"


def shared() -> Path:
    """A folder of all processes of this run."""
    return Path(os.environ["FAIRTEXEL_TESTS_SHARED"])


def make_database(name: str, template: str = "template1") -> None:
    """A new database as a copy of another; one of that name goes first."""
    settings = {name: os.environ[f"FAIRTEXEL_DB_{name.upper()}"] for name in ("host", "port", "user", "password")}
    with psycopg.connect(**settings, dbname="postgres", autocommit=True) as connection:  # type: ignore[arg-type]
        connection.execute(f'DROP DATABASE IF EXISTS "{name}" WITH (FORCE)')  # type: ignore[call-overload]
        connection.execute(f'CREATE DATABASE "{name}" TEMPLATE "{template}"')  # type: ignore[call-overload]


def migrated() -> str:
    """The name of a database with all migrations and all that ships."""
    _once(MIGRATED, lambda: _run(MIGRATED, "template1", "migrate", "-v0"))
    return MIGRATED


def with_demo() -> tuple[str, Path]:
    """The name of a database with the small demo world in it, and its data folder."""
    migrated()
    data = shared() / "demo"

    def make() -> None:
        data.mkdir()
        _run(DEMO, MIGRATED, "prepare", FAIRTEXEL_DATA=str(data), FAIRTEXEL_DEMO_SIZE="128")

    _once(DEMO, make)
    return DEMO, data


def copied(data: Path, place: Path) -> None:
    """A copy of a data folder, with the owners of its files."""
    place.mkdir(parents=True, exist_ok=True)
    subprocess.run(["cp", "-a", f"{data}/.", str(place)], check=True)


def _run(database: str, template: str, *arguments: str, **environment: str) -> None:
    make_database(database, template)
    told = os.environ | {"FAIRTEXEL_DB_NAME": database, "DJANGO_SETTINGS_MODULE": "texelweb.settings"} | environment
    done = subprocess.run([sys.executable, "-m", "texelweb", *arguments], env=told, capture_output=True, text=True, check=False)
    if done.returncode:
        raise RuntimeError(f"{' '.join(arguments)} failed:\n{done.stdout}\n{done.stderr}")


def _once(name: str, make: Callable[[], None]) -> None:
    with _alone(name):
        mark = shared() / f"{name}.made"
        if not mark.exists():
            make()
            mark.touch()


@contextmanager
def _alone(name: str) -> Iterator[None]:
    with (shared() / f"{name}.lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        yield
