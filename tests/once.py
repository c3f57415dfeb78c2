"""What is made once for all processes of a test run: a migrated database, the application with its demo world, and the stage
alone."""

from __future__ import annotations

import fcntl
import os
import shutil
import subprocess
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

import psycopg

# Tests at their own pace take copies of these, which PostgreSQL makes in a moment.
MIGRATED, DEMO = "template_migrated", "template_demo"
ROOT = Path(__file__).resolve().parents[1]
_DRAW = """
import django
django.setup()
from texelweb.api.masters.variants import worn_by
from texelweb.builds.stage import lit_dressed, lit_set
from texelweb.masters.models import SetVariant
from texelweb.sets.models import TextureSet
for texture_set in TextureSet.objects.all():
    lit_set(texture_set)
for variant in SetVariant.objects.all():
    lit_dressed(worn_by(variant), variant.version.document, variant.values)
"""


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

    def make() -> None:
        make_database(MIGRATED)
        _run(MIGRATED, "-m", "texelweb", "migrate", "-v0")

    made(MIGRATED, make)
    return MIGRATED


def with_demo() -> tuple[str, Path]:
    """The name of a database with the small demo world in it, and its data folder."""
    migrated()
    data = shared() / "demo"

    def make() -> None:
        data.mkdir()
        told = {"FAIRTEXEL_DATA": str(data), "FAIRTEXEL_DEMO_SIZE": "128"}
        make_database(DEMO, MIGRATED)
        _run(DEMO, "-m", "texelweb", "prepare", **told)
        # Whoever looks first waits until they are drawn; here that would be every process.
        _run(DEMO, "-c", _DRAW, **told)

    made(DEMO, make)
    return DEMO, data


def bench() -> Path:
    """The stage alone, as a folder that can be served, with the shipped environments."""
    place = shared() / "bench"

    def make() -> None:
        build = ["node_modules/.bin/vite", "build", "--config", "vite.stage.config.ts", "--logLevel", "error"]
        subprocess.run([*build, "--outDir", str(place)], cwd=ROOT / "web", check=True)
        for path in (ROOT / "src/texelcore/lighting/shipped").glob("*.gz"):
            shutil.copy(path, place / f"{path.stem}.bin")
        (place / "index.html").write_text("<!doctype html><title>Bench</title><body></body>")

    made("bench", make)
    return place


def copied(data: Path, place: Path) -> None:
    """A copy of a data folder, with the owners of its files."""
    place.mkdir(parents=True, exist_ok=True)
    subprocess.run(["cp", "-a", f"{data}/.", str(place)], check=True)


def _run(database: str, *arguments: str, **environment: str) -> None:
    told = os.environ | {"FAIRTEXEL_DB_NAME": database, "DJANGO_SETTINGS_MODULE": "texelweb.settings"} | environment
    done = subprocess.run([sys.executable, *arguments], env=told, capture_output=True, text=True, check=False)
    if done.returncode:
        raise RuntimeError(f"{' '.join(arguments)} failed:\n{done.stdout}\n{done.stderr}")


def made(name: str, make: Callable[[], None]) -> None:
    """Have something made by the first process that asks for it; all others wait for it."""
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
