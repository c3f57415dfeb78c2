"""Pulling the plug: kill −9 of server, worker and database during an upload, a sort and a rename, then starting again."""

from __future__ import annotations

import http.client
import io
import json
import os
import signal
import subprocess
import time
import urllib.parse
import zipfile
from collections.abc import Callable, Iterator
from http.cookiejar import CookieJar
from pathlib import Path
from typing import Any
from urllib.request import HTTPCookieProcessor, Request, build_opener

import numpy as np
import psycopg
import pytest
from PIL import Image as Pillow

from tests.browser.test_start import Running, begun, data, filled  # noqa: F401 - fixtures

# The short form is in test_start.py (everything is killed) and in tests/web/test_workers.py (a worker is, at its work).
pytestmark = pytest.mark.soak
SECONDS = 90
FILES = 90


class Visitor:
    """The demo's lead, asking the API as a browser would."""

    def __init__(self, address: str) -> None:
        self.address = address.rstrip("/")
        self.cookies = CookieJar()
        self.opener = build_opener(HTTPCookieProcessor(self.cookies))
        self.ask("GET", "/session")
        self.ask("POST", "/session", json.dumps({"name": "lead", "password": "thistledown"}).encode())

    def headers(self, kind: str = "application/json") -> dict[str, str]:
        held = {cookie.name: cookie.value or "" for cookie in self.cookies}
        cookies = "; ".join(f"{name}={value}" for name, value in held.items())
        return {"X-CSRFToken": held.get("csrftoken", ""), "Cookie": cookies, "Content-Type": kind}

    def ask(self, method: str, path: str, body: bytes | None = None, kind: str = "application/json") -> Any:
        request = Request(f"{self.address}/api{path}", body, self.headers(kind), method=method)
        with self.opener.open(request, timeout=60) as answer:
            return json.loads(answer.read())

    def put(self, arrival: str, path: str, body: bytes) -> Any:
        return self.ask("POST", f"/arrivals/{arrival}/files", *form(path, body))

    def until(self, holds: Callable[[Any], bool], path: str) -> Any:
        """Ask until an answer holds."""
        deadline = time.monotonic() + SECONDS
        while time.monotonic() < deadline:
            answer = self.ask("GET", path)
            if holds(answer):
                return answer
        raise AssertionError(answer)


def form(path: str, body: bytes) -> tuple[bytes, str]:
    part = '--edge\r\nContent-Disposition: form-data; name="'
    head = f'{part}path"\r\n\r\n{path}\r\n{part}file"; filename="upload"\r\n\r\n'.encode()
    return head + body + b"\r\n--edge--\r\n", "multipart/form-data; boundary=edge"


def picture(seed: int, edge: int = 256) -> bytes:
    file = io.BytesIO()
    Pillow.fromarray(np.random.default_rng(seed).integers(0, 256, (edge, edge, 3), np.uint8)).save(file, "PNG", compress_level=0)
    return file.getvalue()


def many() -> bytes:
    file = io.BytesIO()
    with zipfile.ZipFile(file, "w") as archive:
        for number in range(FILES):
            archive.writestr(f"plug/Plank {number:03d} Albedo.png", picture(number))
    return file.getvalue()


def pids(running: Running, *names: str) -> list[int]:
    """The running application's own processes: the starter's children whose command holds a name, and theirs."""
    listed = subprocess.run(["ps", "-eo", "pid=,ppid=,args="], capture_output=True, text=True, check=True).stdout.splitlines()
    rows = [(int(pid), int(parent), args) for pid, parent, args in (line.split(None, 2) for line in listed)]
    mine = {pid for pid, parent, args in rows if parent == running.process.pid and any(name in args for name in names)}
    return sorted(mine | {pid for pid, parent, _ in rows if parent in mine})


def database_pid(place: Path) -> int:
    return int((place / "postgres" / "postmaster.pid").read_text().splitlines()[0])


def kill(*numbers: int) -> None:
    for number in numbers:
        os.kill(number, signal.SIGKILL)


def pull_the_plug(running: Running, place: Path) -> None:
    """Everything at once: starter, server, worker and database."""
    kill(running.process.pid, *pids(running, "gunicorn", "texelweb work"), database_pid(place))
    running.process.wait(timeout=30)


def connect(place: Path) -> psycopg.Connection[Any]:
    port = int((place / "postgres" / "postmaster.pid").read_text().splitlines()[3])
    password = json.loads((place / "secrets.json").read_text())["database"]
    return psycopg.connect(host="127.0.0.1", port=port, user="fairtexel", password=password, dbname="fairtexel")


def attempts(place: Path) -> int:
    """How often the sort job has been begun."""
    with connect(place) as connection:
        row = connection.execute("SELECT attempt FROM jobs_job WHERE title = 'Sorting 1 file'").fetchone()
    return int(row[0]) if row else 0


@pytest.fixture
def start(begun: str, data: Path) -> Iterator[Callable[[], tuple[Running, Visitor]]]:  # noqa: F811
    """Start the application over one data folder, as often as asked; whatever still runs is stopped at the end."""
    started: list[Running] = []

    def begin() -> tuple[Running, Visitor]:
        started.append(Running(data))
        return started[-1], Visitor(started[-1].address())

    yield begin
    for running in started:
        if running.process.poll() is None:
            running.stop(signal.SIGINT)


def test_an_upload_goes_on_after_the_plug_was_pulled(start: Any, data: Path) -> None:  # noqa: F811
    running, visitor = start()
    arrival = visitor.ask("POST", "/projects/tidewheel/arrivals")["id"]
    visitor.put(arrival, "plug/Gate Albedo.png", picture(1))
    # A second file is half sent when everything goes dark.
    body, kind = form("plug/Gate Roughness.png", picture(2, 512))
    address = urllib.parse.urlsplit(visitor.address)
    half = http.client.HTTPConnection(address.hostname or "", address.port, timeout=30)
    half.putrequest("POST", f"/api/arrivals/{arrival}/files")
    for name, value in {**visitor.headers(kind), "Content-Length": str(len(body))}.items():
        half.putheader(name, value)
    half.endheaders(body[: len(body) // 2])
    pull_the_plug(running, data)
    half.close()

    _, visitor = start()
    # It is told of once whoever sent it has not been heard of for a while.
    (cut,) = visitor.until(bool, "/projects/tidewheel/arrivals/open")
    assert [item["path"] for item in cut["items"]] == ["plug/Gate Albedo.png"]
    assert len(list((data / "storage" / "staged").iterdir())) == 1
    visitor.put(arrival, "plug/Gate Roughness.png", picture(2, 512))
    visitor.ask("POST", f"/arrivals/{arrival}/sort")
    done = visitor.until(lambda answer: answer["state"] == "done", f"/arrivals/{arrival}")
    assert {item["outcome"] for item in done["items"]} == {"accepted"} and len(done["items"]) == 2
    assert not list((data / "storage" / "staged").iterdir())


def test_a_sort_goes_on_after_its_worker_or_everything_was_killed(start: Any, data: Path) -> None:  # noqa: F811
    running, visitor = start()
    arrival = visitor.ask("POST", "/projects/tidewheel/arrivals")["id"]
    visitor.put(arrival, "plug.zip", many())
    visitor.ask("POST", f"/arrivals/{arrival}/sort")

    def under_way(answer: Any) -> bool:
        return answer["job"]["state"] == "running" and 0.05 < answer["job"]["progress"] < 0.9

    # The worker alone: the starter brings up another, which begins the sort anew.
    visitor.until(under_way, f"/arrivals/{arrival}")
    kill(*pids(running, "texelweb work"))
    visitor.until(lambda answer: attempts(data) == 2 and under_way(answer), f"/arrivals/{arrival}")
    with connect(data) as connection:
        # Nothing of it is there before all of it is.
        assert connection.execute("SELECT count(*) FROM sets_sourcefile WHERE path LIKE 'plug/%'").fetchone() == (0,)
    pull_the_plug(running, data)

    running, visitor = start()
    done = visitor.until(lambda answer: answer["state"] == "done", f"/arrivals/{arrival}")
    taken = [item["path"] for item in done["items"] if item["outcome"] == "accepted"]
    assert len(taken) == len(set(taken)) == FILES and attempts(data) == 3
    maps = visitor.ask("GET", "/projects/tidewheel/maps?limit=500")["lines"]
    assert sum(line["path"].startswith("plug/") for line in maps) == FILES
    assert not list((data / "storage").rglob(".part-*"))


def test_a_rename_is_all_or_nothing_when_the_database_dies_in_it(start: Any, data: Path) -> None:  # noqa: F811
    running, visitor = start()
    plan = visitor.ask("GET", "/projects/tidewheel/renames")
    before = {line["id"]: line["path"] for line in visitor.ask("GET", "/projects/tidewheel/maps?limit=500")["lines"]}
    assert len(plan["lines"]) > 10
    # Somebody holds one file's row, so that the rename stands still in the middle of its work.
    holder = connect(data)
    holder.execute("SELECT 1 FROM sets_sourcefile WHERE id = %s FOR UPDATE", [plan["lines"][-1]["file"]])
    address = urllib.parse.urlsplit(visitor.address)
    asking = http.client.HTTPConnection(address.hostname or "", address.port, timeout=60)
    body = json.dumps({"stamp": plan["stamp"], "files": None})
    asking.request("POST", "/api/projects/tidewheel/renames", body, visitor.headers())
    with connect(data) as watcher:
        waiting = "SELECT count(*) FROM pg_stat_activity WHERE wait_event_type = 'Lock' AND query LIKE 'UPDATE%%sourcefile%%'"
        deadline = time.monotonic() + SECONDS
        while watcher.execute(waiting).fetchone() == (0,) and time.monotonic() < deadline:
            watcher.rollback()
        assert watcher.execute(waiting).fetchone() == (1,)
    kill(database_pid(data))
    # Without its database the application stops, and says so.
    assert running.process.wait(timeout=60) == 1
    asking.close()

    _, visitor = start()
    after = {line["id"]: line["path"] for line in visitor.ask("GET", "/projects/tidewheel/maps?limit=500")["lines"]}
    again = visitor.ask("GET", "/projects/tidewheel/renames")
    assert after == before and again["acts"] == [] and again["lines"] == plan["lines"]
    renamed = visitor.ask("POST", "/projects/tidewheel/renames", json.dumps({"stamp": again["stamp"], "files": None}).encode())
    assert renamed["lines"] == [] and renamed["acts"][0]["count"] == len(plan["lines"])
