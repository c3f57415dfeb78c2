"""How soon a master of many strands stands on its page, and how soon a variant's parameter reaches the stage.

    bench/sheet ADDRESS PROJECT [--strands N]

Run against a started application with its demo. Adds a draft to the studio, and discards it at the end.
"""

from __future__ import annotations

import argparse
import json
from typing import Any

from playwright.sync_api import Page, sync_playwright
from stage import FLAGS, quantile, rest, sign_in

# From the click on a master's draft until all its rows stand, then until the server has said what it costs.
OPEN = """([strands, path]) => new Promise((done) => {
  const began = performance.now();
  let rows = 0;
  const look = () => {
    const now = performance.now() - began;
    if (!rows && document.querySelectorAll('[data-strand]').length >= strands) rows = now;
    if (rows && document.querySelector('p.count')?.textContent.includes('steps')) done({ rows, cost: now });
    else requestAnimationFrame(look);
  };
  document.querySelector(`a[href$="${path}"]`).click();
  requestAnimationFrame(look);
})"""
# Frames and milliseconds from a parameter's input to the first drawing after it.
MOVE = """() => new Promise((done) => {
  const drawing = WebGL2RenderingContext.prototype;
  const drawn = drawing.drawElements;
  let frame = 0, asked = null, left = 12, last = 0;
  const found = [];
  drawing.drawElements = function (...how) {
    if (asked) {
      found.push({ frames: frame - asked.frame, ms: performance.now() - asked.at });
      asked = null;
    }
    last = performance.now();
    return drawn.apply(this, how);
  };
  const slider = document.querySelector('[data-parameter] [role=slider]');
  const next = () => {
    frame++;
    if (!asked && performance.now() - last > 300) {
      if (!left--) {
        drawing.drawElements = drawn;
        done(found);
        return;
      }
      asked = { frame, at: performance.now() };
      const code = left % 2 ? 'ArrowRight' : 'ArrowLeft';
      slider.dispatchEvent(new KeyboardEvent('keydown', { code, key: code, bubbles: true }));
    }
    requestAnimationFrame(next);
  };
  requestAnimationFrame(next);
})"""


def sheet_of(title: str, strands: int) -> dict[str, Any]:
    """A master's document with a chain of strands over one map."""
    first = [{"name": "colour", "operation": "read", "inputs": {"texture": "colour map", "place": "uv"}}]
    rows = [
        {
            "name": f"step {at}",
            "operation": "mix",
            "inputs": {"a": f"step {at - 1}" if at > 1 else "colour", "b": 0.5, "share": "much"},
        }
        for at in range(1, strands)
    ]
    return {
        "title": title,
        "summary": "",
        "layers": [{"name": "base", "label": "Base"}],
        "parameters": [{"name": "much", "label": "Much", "group": "", "kind": "number", "default": 0.01}],
        "textures": [{"name": "colour map", "property": "base_colour", "layer": "base"}],
        "strands": [{"group": f"group {at // 20 + 1}", **row} for at, row in enumerate([*first, *rows])],
        "surface": {"base_colour": f"step {strands - 1}"},
    }


def ask(page: Page, address: str, method: str, path: str, body: Any = None) -> Any:
    """Ask the application as the page's user."""
    token = next(cookie["value"] for cookie in page.context.cookies() if cookie["name"] == "csrftoken")
    answer = page.request.fetch(
        f"{address}/api{path}", method=method, data=body, headers={"X-CSRFToken": token, "Referer": address}
    )
    assert answer.ok, answer.text()
    return answer.json() if answer.text() else None


def main() -> None:
    """Measure, and print a line of JSON for each figure."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("address")
    parser.add_argument("project")
    parser.add_argument("--strands", type=int, default=200)
    asked = parser.parse_args()
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        sign_in(page, asked.address)
        made = ask(page, asked.address, "POST", "/masters", {"title": "Measured"})
        draft = f"/masters/{made['name']}/draft"
        document = made["draft"]["document"] | sheet_of("Measured", asked.strands)
        ask(page, asked.address, "PUT", draft, {"document": document, "seen": made["draft"]["edit"]})
        for way in ("first", "second", "third"):
            page.goto(f"{asked.address}/projects/{asked.project}/masters")
            page.locator(f'a[href$="{draft}"]').first.wait_for(timeout=60_000)
            page.wait_for_timeout(1500)
            figures = page.evaluate(OPEN, [asked.strands, draft])
            print(json.dumps({"strands": asked.strands, "way": way} | {f"ms to {key}": round(ms) for key, ms in figures.items()}))
        ask(page, asked.address, "DELETE", f"/masters/{made['name']}")
        (line, *_) = ask(page, asked.address, "GET", f"/projects/{asked.project}/variants")
        variant = ask(page, asked.address, "GET", f"/variants/{line['id']}")
        ask(page, asked.address, "POST", f"/sets/{variant['set_id']}/proofs", {"target": variant["target"]["name"]})
        page.goto(f"{asked.address}/projects/{asked.project}/variants/{variant['id']}")
        rest(page)
        moved = page.evaluate(MOVE)
        frames, times = ([entry[key] for entry in moved] for key in ("frames", "ms"))
        print(
            json.dumps(
                {
                    "parameter to picture, frames": max(frames),
                    "ms, half": round(quantile(times, 0.5), 1),
                    "most": round(max(times), 1),
                }
            )
        )
        browser.close()


if __name__ == "__main__":
    main()
