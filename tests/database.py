"""A pytest plugin, loaded first: a PostgreSQL server and a data folder of the test run's own, gone when it ends."""

from __future__ import annotations

import os
import secrets
import shutil
import sys
import tempfile
from pathlib import Path

import pytest

sys.path.insert(0, str(Path(__file__).resolve().parents[1] / "tools"))
from postgres import Server

# Losing a test's data in a power cut is no loss: writing without waiting for the disk is much faster.
FAST = ("-c", "fsync=off", "-c", "synchronous_commit=off", "-c", "full_page_writes=off", "-c", "max_connections=60")


def _begin() -> tuple[Server, Path] | None:
    if "PYTEST_XDIST_WORKER" in os.environ:
        # Processes of one run share the server, each with a database of its own, but not the folder.
        os.environ["FAIRTEXEL_DATA"] += f"-{os.environ['PYTEST_XDIST_WORKER']}"
        return None
    place = Path(tempfile.mkdtemp(prefix="fairtexel-tests-"))
    place.chmod(0o755)
    server = Server(place / "postgres", secrets.token_urlsafe(12), FAST)
    server.start()
    os.environ |= server.environment()
    os.environ["FAIRTEXEL_DATA"] = str(place / "data")
    os.environ["FAIRTEXEL_TESTS_SHARED"] = str(place)
    os.environ["FAIRTEXEL_SECRET_KEY"] = secrets.token_urlsafe(32)
    # Browser tests leave an event loop running in the process that other tests may share.
    os.environ["DJANGO_ALLOW_ASYNC_UNSAFE"] = "true"
    return server, place


_running = _begin()


def pytest_unconfigure(config: pytest.Config) -> None:
    global _running
    if _running:
        server, place = _running
        server.stop()
        shutil.rmtree(place, ignore_errors=True)
        _running = None
