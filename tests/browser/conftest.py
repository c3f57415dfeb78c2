"""The real application for the browser: server and worker processes over a database and data folder of their own."""

from __future__ import annotations

import contextlib
import functools
import http.server
import os
import shutil
import subprocess
import sys
import threading
import time
import urllib.request
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Browser, Error, Page, expect

# tests/database.py has put the folder of tools on the path.
from postgres import free_port

from tests import once

ROOT = Path(__file__).resolve().parents[2]
DATABASE = f"browser_{os.environ.get('PYTEST_XDIST_WORKER', 'alone')}"
SECONDS = 120
# Waits are for a machine that is busy with other work; nothing waits longer than it must.
expect.set_options(timeout=30_000)
# The stage as it comes.
USUAL_LIKING = {
    **{"shape": "sphere", "environment": "workshop", "light": 0, "object": 0, "speed": 40, "exposure": 0, "toned": True},
    **{"behind": "well", "field": 30, "density": 512, "relief": "flat", "depth": 0.02, "mid": 0.5},
}
DEPOT_KEY = "browser-tests"
FLAGS = ["--no-sandbox", "--disable-background-networking", "--disable-component-update", "--disable-sync", "--no-first-run"]
# There is no GPU where tests run: WebGL is drawn in software, and pages as without one, which is quicker than by way of it.
FLAGS += ["--enable-unsafe-swiftshader", "--disable-gpu-rasterization", "--disable-gpu-compositing"]


@pytest.fixture(scope="session")
def browser_type_launch_args(browser_type_launch_args: dict[str, Any]) -> dict[str, Any]:
    return browser_type_launch_args | {"executable_path": "/usr/bin/chromium", "args": FLAGS}


@pytest.fixture(scope="session")
def browser_context_args(browser_context_args: dict[str, Any], site: str) -> dict[str, Any]:
    sizes = {"viewport": {"width": 1280, "height": 800}, "device_scale_factor": 0.5}
    return browser_context_args | sizes | {"base_url": site, "reduced_motion": "reduce"}


@pytest.fixture(scope="session")
def site(tmp_path_factory: pytest.TempPathFactory) -> Iterator[str]:
    """The address of the running application, with a small demo world."""
    template, demo = once.with_demo()
    data = tmp_path_factory.mktemp("data")
    once.copied(demo, data)
    once.make_database(DATABASE, template)
    with running(DATABASE, data) as address:
        yield address


@pytest.fixture
def empty_site(tmp_path: Path) -> Iterator[str]:
    """The address of an application in which nobody has an account yet."""
    database, data = f"{DATABASE}_empty", tmp_path / "data"
    once.make_database(database, once.migrated())
    prepare(database, data, "--empty")
    with running(database, data) as address:
        yield address


def prepare(database: str, data: Path, *options: str) -> None:
    """Put what an application begins with into a database and a data folder."""
    told = os.environ | {
        "FAIRTEXEL_DB_NAME": database,
        "FAIRTEXEL_DATA": str(data),
        "DJANGO_SETTINGS_MODULE": "texelweb.settings",
    }
    data.mkdir(exist_ok=True)
    subprocess.run([sys.executable, "-m", "texelweb", "prepare", *options], env=told, check=True, stdout=subprocess.DEVNULL)


# What running applications say of their faults.
_logs: list[Path] = []


@contextlib.contextmanager
def running(database: str, data: Path) -> Iterator[str]:
    """The application with a worker and the depot, over a database and data of its own that are prepared; gives its address."""
    port = free_port(0)
    environment = os.environ | {
        "FAIRTEXEL_DB_NAME": database,
        "FAIRTEXEL_DATA": str(data),
        "FAIRTEXEL_DEMO_SIZE": "128",
        "DJANGO_SETTINGS_MODULE": "texelweb.settings",
    }
    depot_port = free_port(0)
    environment |= {"FAIRTEXEL_DEPOT_URL": f"http://127.0.0.1:{depot_port}", "FAIRTEXEL_DEPOT_KEY": DEPOT_KEY}
    serve = ["gunicorn", "texelweb.wsgi", "--bind", f"127.0.0.1:{port}", "--threads", "6", "--log-level", "error"]
    # Connections are kept longer than any test pauses: one that is closed as it is used again is an error of its own.
    serve += ["--keep-alive", "120"]
    work = ["texelweb", "work", "--concurrency", "1"]
    depot = ["gunicorn", "texeldepot.server:app()", "--bind", f"127.0.0.1:{depot_port}", "--threads", "4"]
    log = data.parent / f"{data.name}.log"
    with log.open("w") as heard:
        processes = [
            subprocess.Popen([sys.executable, "-m", *command], env=environment, stderr=heard) for command in (serve, work, depot)
        ]
    _logs.append(log)
    address = f"http://127.0.0.1:{port}"
    try:
        _wait_until_it_answers(address)
        yield address
    finally:
        for process in processes:
            process.terminate()
        for process in processes:
            process.wait()
        _logs.remove(log)


def _wait_until_it_answers(address: str) -> None:
    deadline = time.monotonic() + SECONDS
    while time.monotonic() < deadline:
        try:
            urllib.request.urlopen(f"{address}/api/session", timeout=5)
            return
        except OSError:
            # Not there yet, or still importing.
            continue
    raise TimeoutError(f"{address} did not answer within {SECONDS} s")


@pytest.hookimpl(wrapper=True)
def pytest_runtest_makereport(item: pytest.Item) -> Iterator[None]:
    """A failure says where the page was, what stood on it and what the server said: a log holds no pictures."""
    report = yield
    if report.failed:
        report.sections += [("server", text[-6000:]) for log in _logs if (text := log.read_text(errors="replace"))]
    page: Page | None = getattr(item, "funcargs", {}).get("page")
    if page is not None and report.when == "call" and report.failed:
        with contextlib.suppress(Error):
            report.sections.append(("page", f"{page.url}\n{page.locator('body').aria_snapshot(timeout=5_000)}"))
    return report


@pytest.fixture
def enter(page: Page) -> Iterator[Callable[[str], Page]]:
    """Open the projects page as one of the demo's users. Faults that the page reports fail the test at its end."""
    faults: list[str] = []
    page.on("pageerror", lambda error: faults.append(str(error)))
    page.on("console", lambda message: faults.append(message.text) if "Content Security Policy" in message.text else None)

    def sign_in(name: str) -> Page:
        give_session(page, name)
        page.goto("/")
        expect(page.get_by_role("heading", name="Projects")).to_be_visible()
        return page

    yield sign_in
    assert faults == []


# By the address of a site and a user's name.
_sessions: dict[tuple[str, str], list[Any]] = {}


def give_session(page: Page, name: str) -> None:
    """Put the cookies of a session into the browser, without its form, which has a test of its own: those of an earlier test
    while they hold, since a password takes its time."""
    asking = page.context.request
    site = asking.get("/api/session").url
    page.context.add_cookies(_sessions.get((site, name), []))
    if asking.get("/api/session").json()["user"] != name:
        page.context.clear_cookies()
        asking.get("/api/session")
        answer = asking.post("/api/session", data={"name": name, "password": "thistledown"}, headers=_token_of(page))
        assert answer.ok, answer.text()
        _sessions[site, name] = page.context.cookies()
    # What one test likes of the stage is nobody's in the next.
    kept = asking.put("/api/account/stage", data=USUAL_LIKING, headers=_token_of(page))
    assert kept.ok, kept.text()


def _token_of(page: Page) -> dict[str, str]:
    return {"X-CSRFToken": next(cookie["value"] for cookie in page.context.cookies() if cookie["name"] == "csrftoken")}


def drop(page: Page, path: Path) -> None:
    """Drop a file or folder of this machine on the page, as the desktop would."""
    session = page.context.new_cdp_session(page)
    data = {"items": [], "files": [str(path)], "dragOperationsMask": 1}
    for kind in ("dragEnter", "dragOver", "drop"):
        session.send("Input.dispatchDragEvent", {"type": kind, "x": 640, "y": 400, "data": data})


def sets_of(page: Page, slug: str) -> dict[str, int]:
    """The ids of a project's sets, by name."""
    board = page.request.get(f"/api/projects/{slug}/board").json()
    return {entry["name"]: entry["id"] for entry in board["sets"]}


def open_from_the_side(page: Page, name: str) -> None:
    """Open a set by the list of sets. It is searched for: other tests bring sets, and of a long list only what is in sight is
    drawn."""
    search = page.get_by_role("textbox", name="Search the sets")
    search.fill(name)
    page.get_by_role("navigation", name="Project").get_by_role("link", name=name).click(timeout=60_000)
    page.wait_for_url("**/sets/*")
    search.fill("")


def change(page: Page, method: str, path: str, body: Any = None) -> Any:
    """Change something behind the page's back, as the page's user."""
    answer = page.request.fetch(f"/api{path}", method=method, data=body, headers=_token_of(page))
    assert answer.ok, answer.text()
    return answer.json() if answer.text() else None


# Predicates that are waited for are not awaited: what is asked is remembered, and looked at the next time.
_IS_READY = """(url) => {
  const asked = (window.askedUntilReady ??= {});
  if (asked[url] === undefined) {
    asked[url] = null;
    fetch(url)
      .then((answer) => answer.json())
      .then((body) => (asked[url] = body.ready || undefined), () => (asked[url] = undefined));
  }
  return asked[url];
}"""


def until_ready(page: Page, path: str) -> None:
    """Wait until what the API says of something is ready."""
    page.wait_for_function(_IS_READY, arg=f"/api{path}", timeout=180_000, polling=200)


@pytest.fixture(scope="module")
def bench_folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """What the bench serves: the stage alone, and the shipped environments. Tests may lay pictures beside it."""
    return Path(shutil.copytree(once.bench(), tmp_path_factory.mktemp("bench") / "stage"))


@pytest.fixture(scope="module")
def bench(browser: Browser, bench_folder: Path) -> Iterator[Page]:
    """A page with the stage alone."""
    server = http.server.ThreadingHTTPServer(("127.0.0.1", 0), functools.partial(Quiet, directory=str(bench_folder)))
    threading.Thread(target=server.serve_forever, daemon=True).start()
    page = browser.new_page()
    page.goto(f"http://127.0.0.1:{server.server_port}/index.html")
    yield page
    page.close()
    server.shutdown()


class Quiet(http.server.SimpleHTTPRequestHandler):
    def log_message(self, *_: Any) -> None:
        pass
