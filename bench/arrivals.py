"""A thousand files of one zip, brought into a running application: how long until all are sorted, how long answers of its
pages take meanwhile, and how that compares with a general library that only decodes the same files, one after the other.

    bench/arrivals ADDRESS              a thousand files of our own
    bench/arrivals ADDRESS FOLDER...    the pictures of folders of your own, at most 10,000: how long each phase takes, and
                                        then how long one more file and one answer take in a project of that size
"""

from __future__ import annotations

import gzip
import io
import json
import sys
import time
import urllib.error
import urllib.request
import uuid
import zipfile
from collections import Counter
from collections.abc import Iterator
from http import HTTPStatus
from http.cookiejar import CookieJar
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image as Pillow

from texelcore.pixels.inspect import PICTURE_SUFFIXES
from texeldemo.export import levels, normal_levels, pack
from texeldemo.tidewheel import barnacle_stone

SETS, EDGE = 250, 256
PAUSE = 0.25
PROJECT = "tidewheel"
MOST_FILES, ZIP_FILES = 10_000, 4_000
LOOKING, PHASES = "decoding and measuring", ("taking in", "sorting into sets", "writing sets", "asking what is open")


def thousand(batch: int = 0) -> bytes:
    """250 sets of four maps at 256², each a little different from every other, of this batch and of others."""
    surface = barnacle_stone(EDGE)
    maps = {
        "diff": levels(surface.colour),
        "nor_gl": normal_levels(surface),
        "arm": pack(surface.occlusion, surface.roughness, surface.metallic),
        "disp": levels(surface.height, 65535),
    }
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as archive:
        for number in range(SETS):
            for word, pixels in maps.items():
                file = io.BytesIO()
                Pillow.fromarray(np.roll(pixels, (batch, number), axis=(0, 1))).save(file, "PNG", compress_level=1)
                name = f"{chr(97 + number % 26)}{batch or ''}{number:03d}"
                archive.writestr(f"stoneb_{name}/stone_{name}_{word}_1k.png", file.getvalue())
    return out.getvalue()


def decoded(body: bytes) -> float:
    """Seconds that Pillow takes to decode every file of the zip."""
    begun = time.perf_counter()
    with zipfile.ZipFile(io.BytesIO(body)) as archive:
        for name in archive.namelist():
            Pillow.open(io.BytesIO(archive.read(name))).load()
    return time.perf_counter() - begun


def main() -> int:
    """Measure and print."""
    if len(sys.argv) < 2:
        print(__doc__, file=sys.stderr)
        return 2
    site = Site(sys.argv[1].rstrip("/"))
    if folders := [Path(name) for name in sys.argv[2:]]:
        measure_folders(site, folders)
    else:
        measure(site)
    return 0


class Site:
    """A signed-in visitor of the running application."""

    def __init__(self, address: str) -> None:
        self.address = address
        # Bytes that the last answer took on its way.
        self.sent = 0
        # What a browser keeps: the last answer of an address, under its tag.
        self.kept: dict[str, tuple[str, bytes]] = {}
        self.cookies = CookieJar()
        self.opener = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(self.cookies))
        self.ask("GET", "/session")
        self.ask("POST", "/session", json.dumps({"name": "lead", "password": "thistledown"}).encode())

    def ask(self, method: str, path: str, body: bytes | None = None, kind: str = "application/json") -> Any:
        """Ask the API and give its JSON."""
        return json.loads(self.fetch(method, path, body, kind))

    def fetch(self, method: str, path: str, body: bytes | None = None, kind: str = "application/json") -> bytes:
        """Ask the API and give the answer's bytes, as a browser gets them: compressed where they are."""
        token = next((cookie.value for cookie in self.cookies if cookie.name == "csrftoken"), "") or ""
        headers = {"X-CSRFToken": token, "Content-Type": kind, "Accept-Encoding": "gzip"}
        if path in self.kept:
            headers["If-None-Match"] = self.kept[path][0]
        request = urllib.request.Request(f"{self.address}/api{path}", body, headers, method=method)
        try:
            with self.opener.open(request, timeout=300) as answer:
                said: bytes = answer.read()
                self.sent = len(said)
                whole = gzip.decompress(said) if answer.headers.get("Content-Encoding") == "gzip" else said
                if tag := answer.headers.get("ETag"):
                    self.kept[path] = (tag, whole)
                return whole
        except urllib.error.HTTPError as error:
            if error.code != HTTPStatus.NOT_MODIFIED:
                raise
            self.sent = 0
            return self.kept[path][1]

    def put(self, path: str, name: str, body: bytes) -> Any:
        """Send one file of an arrival, under the path that it had."""
        return self.form(path, {"path": name}, ("upload", body))

    def form(self, path: str, fields: dict[str, str], file: tuple[str, bytes] | None = None) -> Any:
        """Send a form, with a file where there is one: its name and bytes."""
        edge = uuid.uuid4().hex
        part = f'--{edge}\r\nContent-Disposition: form-data; name="'
        whole = "".join(f'{part}{name}"\r\n\r\n{value}\r\n' for name, value in fields.items()).encode()
        if file:
            whole += f'{part}file"; filename="{file[0]}"\r\n\r\n'.encode() + file[1] + b"\r\n"
        return self.ask("POST", path, whole + f"--{edge}--\r\n".encode(), f"multipart/form-data; boundary={edge}")


def measure(site: Site) -> None:
    """Send the zip, and ask for the board until all is sorted."""
    body = thousand()
    arrival = site.ask("POST", f"/projects/{PROJECT}/arrivals")["id"]
    begun = time.perf_counter()
    site.put(f"/arrivals/{arrival}/files", "thousand.zip", body)
    sent = time.perf_counter()
    site.ask("POST", f"/arrivals/{arrival}/sort")
    waits: list[float] = []
    while not waits or any(job["state"] in ("queued", "running") for job in site.ask("GET", f"/projects/{PROJECT}/jobs")):
        asked = time.perf_counter()
        site.ask("GET", f"/projects/{PROJECT}/board")
        waits.append(time.perf_counter() - asked)
        time.sleep(PAUSE)
    done = time.perf_counter()
    taken = sum(item["outcome"] == "accepted" for item in site.ask("GET", f"/arrivals/{arrival}")["items"])
    ratio = (done - sent) / decoded(body)
    print(f"{taken} of {SETS * 4} files taken, {len(body) / 1e6:.0f} MB")
    print(f"uploaded in {sent - begun:.1f} s, sorted in {done - sent:.1f} s: {ratio:.1f} x Pillow's decoding alone")
    print(f"the board answered {len(waits)} times meanwhile: median {np.median(waits):.2f} s, worst {max(waits):.2f} s")


def zips_of(folders: list[Path]) -> Iterator[bytes]:
    """The pictures of folders as zips that the application takes, each of at most 4,000 files."""
    paths = sorted(path for folder in folders for path in folder.rglob("*") if path.suffix.lower() in PICTURE_SUFFIXES)
    for first in range(0, min(len(paths), MOST_FILES), ZIP_FILES):
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as archive:
            for path in paths[first : min(first + ZIP_FILES, MOST_FILES)]:
                archive.write(path, path.as_posix())
        yield out.getvalue()


def measure_folders(site: Site, folders: list[Path]) -> None:
    """Send the pictures, time the phases of the sort, then one more file and one answer."""
    arrival = site.ask("POST", f"/projects/{PROJECT}/arrivals")["id"]
    for number, body in enumerate(zips_of(folders)):
        site.put(f"/arrivals/{arrival}/files", f"part{number}.zip", body)
    phases = sorted_in(site, arrival)
    items = Counter(item["outcome"] for item in site.ask("GET", f"/arrivals/{arrival}")["items"])
    looking = phases.pop(LOOKING)
    print(f"{items['accepted']:,} files taken; {dict(items)}")
    print(f"{LOOKING} {looking:.1f} s; " + ", ".join(f"{name} {took:.1f} s" for name, took in phases.items()))
    print(f"all that comes after decoding and measuring: {sum(phases.values()) / looking:.1%} of it")
    sets = len(site.ask("GET", f"/projects/{PROJECT}/board")["sets"])
    file = io.BytesIO()
    Pillow.fromarray(levels(barnacle_stone(EDGE).colour)).save(file, "PNG")
    arrival = site.ask("POST", f"/projects/{PROJECT}/arrivals")["id"]
    site.put(f"/arrivals/{arrival}/files", "one_more_albedo.png", file.getvalue())
    print(f"one more file into {sets:,} sets: {sum(sorted_in(site, arrival).values()):.1f} s")
    open_ones = site.ask("GET", f"/projects/{PROJECT}/questions")["open"]
    for entry in sorted(open_ones, key=lambda entry: entry["total"])[:5]:
        asked = entry["question"]
        answer = json.dumps({"answer": asked["prepared"]}).encode()
        begun = time.perf_counter()
        site.ask("POST", f"/projects/{PROJECT}/questions/{asked['key']}/answer", answer)
        print(f"an answer about {entry['total']} ({asked['text']}): {time.perf_counter() - begun:.2f} s")
    begun = time.perf_counter()
    site.ask("GET", f"/projects/{PROJECT}/endings")
    print(f"the table of endings: {time.perf_counter() - begun:.2f} s")


def sorted_in(site: Site, arrival: str) -> dict[str, float]:
    """Have an arrival sorted, and how long each phase of that took, in seconds."""
    site.ask("POST", f"/arrivals/{arrival}/sort")
    begun = time.perf_counter()
    phases: dict[str, float] = {}
    while jobs := [job for job in site.ask("GET", f"/projects/{PROJECT}/jobs") if job["state"] in ("queued", "running")]:
        name = next((name for name in PHASES if jobs[0]["doing"].startswith(name)), LOOKING)
        phases[name] = phases.get(name, 0.0) - begun + (begun := time.perf_counter())
        time.sleep(PAUSE)
    return phases


if __name__ == "__main__":
    sys.exit(main())
