"""Pages at three sizes with sixty sets: nothing is printed over another's text, and nothing is wider than its page."""

from __future__ import annotations

from collections.abc import Callable

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import change, sets_of

SETS = 60
SLUG = "tidewheel"
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


@pytest.fixture
def crowded(enter: Callable[[str], Page]) -> Page:
    page = enter("lead")
    have = sets_of(page, SLUG)
    for number in range(len(have), SETS):
        change(page, "POST", f"/projects/{SLUG}/sets", {"name": f"SM_Harbour_Warehouse_Wall_{number:03}_Weathered_Planks"})
    return page


MORE = [pytest.param(*size, marks=pytest.mark.soak) for size in ((1280, 800), (2560, 1440))]


@pytest.mark.parametrize(("width", "height"), [(1024, 768), (640, 400), *MORE])
def test_nothing_is_printed_over_anything(crowded: Page, width: int, height: int) -> None:
    page = crowded
    # 640 × 400 is what a window of 1280 × 800 has at twice the size.
    page.set_viewport_size({"width": width, "height": height})
    set_id = sets_of(page, SLUG)["Sailcloth"]
    home = f"/projects/{SLUG}"
    for path in (
        *("/", "/account", home, f"{home}/arrivals", f"{home}/arrivals?view=endings", f"{home}/maps", f"{home}/depot"),
        *(f"{home}/masters", f"{home}/masters/solid-surface", f"{home}/rules", f"{home}/checks", f"{home}/renames"),
        *(f"{home}/tolerances", f"{home}/deliveries", f"{home}/sets/{set_id}", f"{home}/sets/{set_id}/look"),
    ):
        page.goto(path)
        expect(page.locator("main h1").first).to_be_visible()
        page.wait_for_load_state("networkidle")
        assert page.evaluate(OVERPRINTED) == [], path
