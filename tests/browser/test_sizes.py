"""Every page with sixty sets, by day and in the evening: axe-core finds nothing, no key acts while somebody types, and at no
size is anything printed over another's text or wider than its page."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import change, sets_of
from tests.conftest import EXPLORE

SETS = 60
SLUG = "tidewheel"
AXE = Path(__file__).parents[2] / "web/node_modules/axe-core/axe.min.js"
VIOLATIONS = """async () => (await axe.run(document, { resultTypes: ['violations'] })).violations.flatMap(
  ({ id, nodes }) => nodes.map(({ target, failureSummary }) => `${id}: ${target.join(' ')} ${failureSummary}`))"""
# Boxes of text that lie over those of another element, by a pixel more than a line's own slack; what is meant to lie over others
# (a curtain, a dialog, a picture's labels), and what scrolling has hidden, are no text that anybody reads there.
OVERPRINTED = """() => {
  const seen = [];
  const walker = document.createTreeWalker(document.querySelector('#app'), NodeFilter.SHOW_TEXT);
  for (let node = walker.nextNode(); node; node = walker.nextNode()) {
    const parent = node.parentElement;
    if (!node.textContent.trim() || !parent.checkVisibility({ opacityProperty: true, visibilityProperty: true })) continue;
    if (parent.closest('.unseen, .hidden, [aria-hidden=true], .p-virtualscroller, .note')) continue;
    const range = document.createRange();
    range.selectNodeContents(node);
    for (const box of range.getClientRects()) {
      if (box.width < 3 || box.height < 3) continue;
      const x = Math.min(innerWidth - 1, Math.max(0, box.x + box.width / 2)), y = box.y + box.height / 2;
      if (y < 0 || y > innerHeight || box.x > innerWidth) continue;
      // Cut off by something around it: it is not seen there.
      let clipped = false;
      let [left, right, top, bottom] = [box.left, box.right, box.top, box.bottom];
      for (let up = parent; up; up = up.parentElement) {
        if (getComputedStyle(up).overflow === 'visible') continue;
        const around = up.getBoundingClientRect();
        [left, right] = [Math.max(left, around.left), Math.min(right, around.right)];
        [top, bottom] = [Math.max(top, around.top), Math.min(bottom, around.bottom)];
      }
      clipped = right - left < 3 || bottom - top < 6;
      if (!clipped) seen.push({ parent, left, right, top, bottom, text: node.textContent.trim().slice(0, 40) });
    }
  }
  const over = [];
  for (let i = 0; i < seen.length; i++) for (let j = i + 1; j < seen.length; j++) {
    const [a, b] = [seen[i], seen[j]];
    if (a.parent === b.parent) continue;
    const across = Math.min(a.right, b.right) - Math.max(a.left, b.left);
    const down = Math.min(a.bottom, b.bottom) - Math.max(a.top, b.top);
    if (across > 2 && down > 4) over.push(`${a.text} | ${b.text}`);
  }
  const whole = document.documentElement.scrollWidth;
  const wide = whole > innerWidth ? [`the page is ${whole} wide`] : [];
  return [...over, ...wide];
}"""


# Every key in every widget that takes text: which of them made the page go elsewhere or open something.
TYPED = """async () => {
  const keys = [...'abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789/?[]'];
  const kinds = 'input:not([type=checkbox], [type=radio], [type=range], [type=color], [type=file]), textarea, [data-takes-text]';
  const fields = [...document.querySelectorAll(kinds)].filter((field) => field.checkVisibility() && !field.disabled);
  const address = location.href;
  for (const field of fields) {
    field.focus({ preventScroll: true });
    for (const key of keys) field.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true }));
    await new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done)));
    if (location.href !== address || document.querySelector('[role=dialog]')) return [`typed: ${field.outerHTML.slice(0, 120)}`];
    // What was begun is left as it was.
    document.activeElement.dispatchEvent(new KeyboardEvent('keydown', { key: 'Escape', bubbles: true }));
    document.activeElement.blur();
  }
  return [];
}"""
# Until what is laid out anew, and what watches sizes and moves rows by them, has stood still for some frames.
SETTLED = """() => new Promise((done) => {
  document.querySelector('main').scrollTo(0, 0);
  let [last, same, left] = ['', 0, 200];
  const look = () => {
    const moved = [...document.querySelectorAll('[style*=translate]')];
    const now = moved.map(({ style, offsetHeight }) => `${style.transform} ${offsetHeight}`).join();
    same = now === last ? same + 1 : 0;
    last = now;
    if (same > 5 || !left--) done();
    else requestAnimationFrame(look);
  };
  look();
})"""


@pytest.fixture
def crowded(enter: Callable[[str], Page]) -> Page:
    page = enter("lead")
    have = sets_of(page, SLUG)
    for number in range(len(have), SETS):
        change(page, "POST", f"/projects/{SLUG}/sets", {"name": f"SM_Harbour_Warehouse_Wall_{number:03}_Weathered_Planks"})
    return page


@pytest.fixture
def drafts(crowded: Page) -> Iterator[tuple[str, ...]]:
    """The pages of a draft of a master and of a target."""
    kinds = ("/masters/solid-surface", "/targets/orbit-desktop")
    for kind in kinds:
        change(crowded, "POST", f"{kind}/draft")
    yield (f"{kinds[0]}/draft"[1:], kinds[1][1:])
    for kind in kinds:
        change(crowded, "DELETE", f"{kind}/draft")


# 640 × 400 is what a window of 1280 × 800 has at twice the size.
SIZES = ((1024, 768), (640, 400))
MORE = ((1280, 800), (2560, 1440))


@pytest.mark.parametrize("sheet", ["day", "evening"])
def test_every_page_is_read_by_eye_and_ear(crowded: Page, drafts: tuple[str, ...], sheet: str) -> None:
    page = crowded
    page.evaluate("(sheet) => localStorage.setItem('fair-texel-sheet', sheet)", sheet)
    set_id = sets_of(page, SLUG)["Sailcloth"]
    variants = page.request.get(f"/api/projects/{SLUG}/variants").json()
    variant = variants[0] if variants else change(page, "POST", f"/sets/{set_id}/variants", {"master": "solid-surface"})
    home = f"/projects/{SLUG}"
    paths = [
        *("/", "/account", home, f"{home}/arrivals", f"{home}/arrivals?view=endings", f"{home}/arrivals?view=came"),
        *(f"{home}/maps", f"{home}/depot", f"{home}/rules", f"{home}/checks", f"{home}/renames", f"{home}/tolerances"),
        *(f"{home}/masters", f"{home}/masters/solid-surface", f"{home}/deliveries", *(f"{home}/{draft}" for draft in drafts)),
        *(f"{home}/targets", f"{home}/repack", f"{home}/models", f"{home}/project", f"{home}/record", "/studio"),
        *(f"{home}/sets/{set_id}", f"{home}/sets/{set_id}/look", f"{home}/variants/{variant['id']}"),
    ]
    found: dict[str, Any] = {}
    deeds: list[str] = []
    # Half of them by day and half in the evening; all in both lights, and at more sizes, when there is time.
    for path in paths if EXPLORE else paths[["day", "evening"].index(sheet) :: 2]:
        page.set_viewport_size({"width": 1280, "height": 800})
        page.goto(path)
        expect(page.locator("main h1").first).to_be_visible()
        page.wait_for_load_state("networkidle")
        page.evaluate(AXE.read_text())
        found[path] = page.evaluate(VIOLATIONS)
        page.on(
            "request",
            note := lambda request: deeds.append(request.url) if request.method != "GET" and "/try" not in request.url else None,
        )
        found[path] += page.evaluate(TYPED)
        page.remove_listener("request", note)
        for width, height in (*SIZES, *MORE) if EXPLORE else SIZES:
            page.set_viewport_size({"width": width, "height": height})
            page.evaluate(SETTLED)
            found[path] += [f"at {width} × {height}: {line}" for line in page.evaluate(OVERPRINTED)]
    assert {path: said for path, said in found.items() if said} == {} and deeds == []
