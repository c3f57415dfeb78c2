"""What a frame of the stage costs its script, how coarse it gets to keep up, and what a drag and a large model take.

    bench/stage ADDRESS [--model FILE.glb]

Run against a started application with its demo; figures are of this machine, without a GPU where it has none.
"""

from __future__ import annotations

import argparse
import json
import time
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

FLAGS = ["--no-sandbox", "--disable-background-networking", "--disable-component-update", "--disable-sync", "--no-first-run"]
FLAGS += ["--enable-unsafe-swiftshader"]
USUAL = {
    **{"shape": "sphere", "environment": "workshop", "light": 0, "object": 0, "speed": 40, "exposure": 0, "toned": True},
    **{"behind": "well", "field": 30, "density": 512, "relief": "flat", "depth": 0.02, "mid": 0.5},
}
WATCH = """() => new Promise((done) => {
  const canvas = document.querySelector('.stage canvas');
  const script = [], times = [];
  let left = 60;
  const next = (now) => {
    times.push(now);
    script.push(Number(canvas.dataset.script));
    if (left--) requestAnimationFrame(next); else done({ script, times });
  };
  requestAnimationFrame(next);
})"""
DRAG = """() => new Promise((done) => {
  const slider = document.querySelector('.side input[type=range]') ?? document.querySelector('input[type=range]');
  const took = [];
  let at = 0;
  const [low, high] = [Number(slider.min), Number(slider.max)];
  const next = () => {
    const began = performance.now();
    slider.value = String(low + ((high - low) * at) / 60);
    slider.dispatchEvent(new Event('input', { bubbles: true }));
    took.push(performance.now() - began);
    if (at++ < 60) requestAnimationFrame(next); else done(took);
  };
  next();
})"""


def sign_in(page: Page, address: str) -> None:
    """Sign in as the lead, who likes the stage as it comes."""
    asking = page.context.request
    asking.get(f"{address}/api/session")
    token = next(cookie["value"] for cookie in page.context.cookies() if cookie["name"] == "csrftoken")
    headers = {"X-CSRFToken": token, "Referer": address}
    asking.post(f"{address}/api/session", data={"name": "lead", "password": "thistledown"}, headers=headers)
    token = next(cookie["value"] for cookie in page.context.cookies() if cookie["name"] == "csrftoken")
    headers = {"X-CSRFToken": token, "Referer": address}
    # As it is liked by somebody who never said: a displaced shape has a hundred times as many points.
    asking.put(f"{address}/api/account/stage", data=USUAL, headers=headers)


def quantile(values: list[float], share: float) -> float:
    """The value that a share of all lies below."""
    return sorted(values)[min(len(values) - 1, int(share * len(values)))]


def rest(page: Page) -> None:
    """Wait until the stage has drawn in full."""
    page.locator("canvas[data-ready=true][data-resting=true]").first.wait_for(timeout=120_000)


def main() -> None:
    """Measure, and print a line of JSON for each figure."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("address")
    parser.add_argument("--model", type=Path)
    asked = parser.parse_args()
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        sign_in(page, asked.address)
        page.goto(f"{asked.address}/projects/glasshouse-nine/sets/1/look?lit=yes")
        rest(page)
        page.get_by_role("button", name="Turn the light").click()
        page.wait_for_timeout(3000)
        seen = page.evaluate(WATCH)
        gaps = [after - before for before, after in zip(seen["times"], seen["times"][1:], strict=False)]
        print(
            json.dumps({"frame script ms, half and nine in ten": [quantile(seen["script"], 0.5), quantile(seen["script"], 0.9)]})
        )
        print(json.dumps({"frames a second while the light turns": round(1000 * len(gaps) / sum(gaps), 1)}))
        page.get_by_role("button", name="Hold the light").click()
        rest(page)
        took = page.evaluate(DRAG)
        print(json.dumps({"drag ms, half and the longest": [quantile(took, 0.5), max(took)]}))
        if asked.model:
            page.goto(f"{asked.address}/projects/glasshouse-nine/models")
            page.get_by_role("button", name="Bring in a model").wait_for()
            began = time.perf_counter()
            page.locator("[data-choose=model]").set_input_files(asked.model)
            page.get_by_text("triangles").first.wait_for(timeout=120_000)
            print(
                json.dumps(
                    {"seconds until a model is open": round(time.perf_counter() - began, 2), "bytes": asked.model.stat().st_size}
                )
            )
        browser.close()


if __name__ == "__main__":
    main()
