"""How smoothly the board of a project scrolls, with the lit picture of each set beside its row.

bench/scroll ADDRESS PROJECT

Run against a started application; `bench/load` brings its project to a thousand sets. Pictures that were never drawn are
drawn by the server while the list scrolls: the first way down has them all to wait for, the second finds them kept.
"""

from __future__ import annotations

import argparse
import json

from playwright.sync_api import sync_playwright
from stage import FLAGS, quantile, sign_in

# One wheel's notch, and how many of them go down the list.
NOTCH, NOTCHES = 240, 120
WATCH = """() => {
  window.gaps = [];
  let last = performance.now();
  const next = (now) => { window.gaps.push(now - last); last = now; requestAnimationFrame(next); };
  requestAnimationFrame(next);
}"""


def main() -> None:
    """Measure, and print a line of JSON for each way down."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("address")
    parser.add_argument("project")
    asked = parser.parse_args()
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        sign_in(page, asked.address)
        page.goto(f"{asked.address}/projects/{asked.project}")
        page.locator(".rows [role=row]").first.wait_for(timeout=120_000)
        page.mouse.move(640, 500)
        for way in ("first", "second"):
            page.evaluate(WATCH)
            for _ in range(NOTCHES):
                page.mouse.wheel(0, NOTCH)
                page.wait_for_timeout(30)
            gaps = page.evaluate("window.gaps")
            over = [gap for gap in gaps if gap > 100]
            print(
                json.dumps(
                    {
                        "way down": way,
                        "frames": len(gaps),
                        "ms between two, half": round(quantile(gaps, 0.5), 1),
                        "nineteen of twenty": round(quantile(gaps, 0.95), 1),
                        "longest": round(max(gaps)),
                        "longer than 100": len(over),
                        "rows that stand in the page": page.locator(".rows [role=row]").count(),
                    }
                )
            )
            for _ in range(NOTCHES):
                page.mouse.wheel(0, -NOTCH)
        browser.close()


if __name__ == "__main__":
    main()
