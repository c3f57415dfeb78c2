from __future__ import annotations

import os
from collections.abc import Callable, Iterator
from pathlib import Path

import hypothesis
import numpy as np
import psycopg
import pytest
from django.db import connections

from tests import once
from texelcore.pixels.image import Image
from texelcore.pixels.strips import of_image
from texelcore.pixels.write import write
from texeldemo.export import export_world

DEMO_SIZE = 128
# Files of tests that take minutes: whoever begins them last is waited for.
BEGUN_FIRST = ("test_stage.py", "test_receipt.py", "test_plug.py", "test_start.py", "test_painting.py")
# A slow example is a busy machine, not a fault: speed is for bench/ to measure. `./check` tries the same examples every time, so
# that it does not depend on luck; `FAIRTEXEL_EXPLORE=1` looks for new ones, many times as many.
EXPLORE = bool(os.environ.get("FAIRTEXEL_EXPLORE"))
hypothesis.settings.register_profile(
    "patient",
    deadline=None,
    derandomize=not EXPLORE,
    max_examples=1000 if EXPLORE else 40,
    suppress_health_check=[hypothesis.HealthCheck.too_slow, hypothesis.HealthCheck.data_too_large],
)
hypothesis.settings.load_profile("patient")


def examples(few: int) -> hypothesis.settings:
    """For a law whose examples are large: so few in `./check`, and twenty times as many when there is time."""
    return hypothesis.settings(max_examples=20 * few if EXPLORE else few)


def pytest_collection_modifyitems(config: pytest.Config, items: list[pytest.Item]) -> None:
    """Long soaks, whose short form stands beside them, are for `FAIRTEXEL_EXPLORE=1`."""
    if not EXPLORE:
        long = [item for item in items if item.get_closest_marker("soak")]
        items[:] = [item for item in items if item not in long]
        config.hook.pytest_deselected(items=long)
    # The first of the browser's files has the demo world made; whoever is beside it has something else to do meanwhile.
    first = {name: at for at, name in enumerate(BEGUN_FIRST)}
    items.sort(key=lambda item: first.get(item.path.name, len(first)))


@pytest.fixture(scope="session")
def django_db_modify_db_settings(django_db_modify_db_settings: None) -> None:
    """The database of each process is a copy of one that was migrated once."""
    connections["default"].settings_dict["TEST"]["TEMPLATE"] = once.migrated()


@pytest.fixture(scope="session")
def django_db_setup(django_db_setup: None) -> Iterator[None]:
    """The test database; whatever session a thread or helper left on it ends before it is removed."""
    yield
    settings = connections["default"].settings_dict
    server = {"host": settings["HOST"], "port": settings["PORT"], "user": settings["USER"], "password": settings["PASSWORD"]}
    connections.close_all()
    with psycopg.connect(**server, dbname="postgres", autocommit=True) as connection:
        connection.execute("SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname = %s", [settings["NAME"]])


@pytest.fixture(scope="session")
def world(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The demo world as files, small: PROJECT/SET/FILE."""
    folder = tmp_path_factory.mktemp("world")
    export_world(folder, DEMO_SIZE)
    return folder


@pytest.fixture
def picture(tmp_path: Path) -> Callable[..., Path]:
    """Make a small picture file: by shape, type and seed."""

    def make(name: str, shape: tuple[int, ...] = (16, 16, 3), dtype: str = "uint8", seed: int = 1) -> Path:
        rng = np.random.default_rng(seed)
        if dtype.startswith("uint"):
            data = rng.integers(0, np.iinfo(dtype).max, shape, dtype=dtype, endpoint=True)
        else:
            data = rng.random(shape).astype(dtype)
        path = tmp_path / name
        path.parent.mkdir(parents=True, exist_ok=True)
        kinds = {".png": "png", ".tga": "tga", ".tif": "tiff", ".exr": "exr"}
        write(of_image(Image.of(data)), kinds[path.suffix.lower()], "linear", path)
        return path

    return make
