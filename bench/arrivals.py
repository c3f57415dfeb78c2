"""A thousand files of one zip, brought into a running application: how long until all are sorted, how long answers of its
pages take meanwhile, and how that compares with a general library that only decodes the same files, one after the other."""

from __future__ import annotations

import io
import sys
import time
import zipfile
from typing import Any

import numpy as np
from PIL import Image as Pillow
from playwright.sync_api import APIRequestContext, sync_playwright

from texeldemo.export import levels, normal_levels, pack
from texeldemo.tidewheel import barnacle_stone

SETS, EDGE = 250, 256
PAUSE = 0.25
PROJECT = "tidewheel"


def thousand() -> bytes:
    """250 sets of four maps at 256², each a little different from every other."""
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
                Pillow.fromarray(np.roll(pixels, number, axis=1)).save(file, "PNG", compress_level=1)
                archive.writestr(f"stoneb_{number:03d}/stone_{chr(97 + number % 26)}{number:03d}_{word}_1k.png", file.getvalue())
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
    if len(sys.argv) != 2:
        print(__doc__, file=sys.stderr)
        return 2
    with sync_playwright() as playwright:
        site = playwright.request.new_context(base_url=sys.argv[1], timeout=120_000)
        measure(site)
    return 0


def measure(site: APIRequestContext) -> None:
    """Sign in, send the zip, and ask for the board until all is sorted."""

    def ask(method: str, path: str, **options: Any) -> Any:
        token = next((entry["value"] for entry in site.storage_state()["cookies"] if entry["name"] == "csrftoken"), "")
        answer = site.fetch(f"/api{path}", method=method, headers={"X-CSRFToken": token, "Referer": sys.argv[1]}, **options)
        if not answer.ok:
            raise SystemExit(f"{path}: {answer.status} {answer.text()[:200]}")
        return answer.json()

    body = thousand()
    ask("GET", "/session")
    ask("POST", "/session", data={"name": "lead", "password": "thistledown"})
    arrival = ask("POST", f"/projects/{PROJECT}/arrivals")["id"]
    begun = time.perf_counter()
    form = {"path": "thousand.zip", "file": {"name": "upload", "mimeType": "application/zip", "buffer": body}}
    ask("POST", f"/arrivals/{arrival}/files", multipart=form)
    sent = time.perf_counter()
    ask("POST", f"/arrivals/{arrival}/sort")
    waits: list[float] = []
    while not waits or any(job["state"] in ("queued", "running") for job in ask("GET", f"/projects/{PROJECT}/jobs")):
        asked = time.perf_counter()
        ask("GET", f"/projects/{PROJECT}/board")
        waits.append(time.perf_counter() - asked)
        time.sleep(PAUSE)
    done = time.perf_counter()
    taken = sum(item["outcome"] == "accepted" for item in ask("GET", f"/arrivals/{arrival}")["items"])
    ratio = (done - sent) / decoded(body)
    print(f"{taken} of {SETS * 4} files taken, {len(body) / 1e6:.0f} MB")
    print(f"uploaded in {sent - begun:.1f} s, sorted in {done - sent:.1f} s: {ratio:.1f} x Pillow's decoding alone")
    print(f"the board answered {len(waits)} times meanwhile: median {np.median(waits):.2f} s, worst {max(waits):.2f} s")


if __name__ == "__main__":
    sys.exit(main())
