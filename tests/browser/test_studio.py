"""A studio of one's own, from nobody to two dozen sets: first lead, invitation, folders, work in bulk, and the record."""

from __future__ import annotations

import re
from pathlib import Path

import numpy as np
from PIL import Image as Pillow
from playwright.sync_api import Browser, Page, expect

from tests.browser.conftest import drop
from tests.browser.test_main_path import SOON

PASSWORD = "a heron by the mill"
SETS = 24
EDGE = 256


def paint(folder: Path) -> None:
    """Two dozen sets of three maps in two folders; the one called hollow has no base colour."""
    rng = np.random.default_rng(40)
    for number in range(SETS):
        home = folder / ("mill" if number % 2 else "lock")
        home.mkdir(parents=True, exist_ok=True)
        name = "hollow" if number == 7 else f"plank_{number:02}"
        kinds = {"albedo": 3, "rough": 1, "ao": 1} if number != 7 else {"rough": 1, "ao": 1}
        for kind, channels in kinds.items():
            small = rng.integers(40, 220, (EDGE // 8, EDGE // 8, channels), dtype=np.uint8)
            large = np.kron(small, np.ones((8, 8, 1), np.uint8))
            Pillow.fromarray(large.squeeze()).save(home / f"{name}_{kind}.png")


def fill_in(page: Page, name: str) -> None:
    page.get_by_label("Your name here").fill(name)
    page.get_by_label(re.compile("^Password")).fill(PASSWORD)
    page.get_by_label("The same again").fill(PASSWORD)


def test_a_studio_is_set_up_and_two_dozen_sets_are_worked_on_together(empty_site: str, browser: Browser, tmp_path: Path) -> None:
    paint(tmp_path / "exports")

    def window() -> Page:
        return browser.new_context(base_url=empty_site, viewport={"width": 1280, "height": 800}).new_page()

    first, second = window(), window()
    set_up(first)
    join(first, second, window())
    bring_in(second, tmp_path / "exports")
    arrange(second)
    build_all(second)
    # The first sees it in an open page, without asking.
    first.get_by_role("navigation", name="Project").get_by_role("link", name="Board").click()
    first.get_by_label("Find sets on the board").fill("plank_00")
    line = first.get_by_role("row", name=re.compile("plank_00"))
    expect(line.get_by_label("holds")).to_have_count(5)
    read_record(first)


def set_up(page: Page) -> None:
    """The first lead's account and the first project."""
    # Whatever address is asked for, somebody has to be the first.
    page.goto("/projects/nothing")
    expect(page.get_by_role("heading", name="A studio of your own")).to_be_visible()
    fill_in(page, "wren")
    page.get_by_role("button", name="Begin").click()
    page.get_by_label("Title").fill("Heron Lock")
    page.get_by_role("button", name="Make the project").click()
    expect(page.get_by_role("heading", name="Arrivals")).to_be_visible()


def join(page: Page, second: Page, third: Page) -> None:
    """A link brings a second person in, and works once."""
    page.get_by_role("link", name="Project and people").click()
    page.get_by_label("For whom the invitation is").fill("Kestrel")
    page.get_by_role("button", name="Make an invitation").click()
    link = page.locator("output").inner_text()
    second.goto(link)
    expect(second.get_by_role("heading", name="Join Heron Lock")).to_be_visible()
    fill_in(second, "kestrel")
    second.get_by_role("button", name="Make an account and come in").click()
    expect(second.get_by_role("heading", name="What keeps us from delivering")).to_be_visible()
    third.goto(link)
    expect(third.get_by_role("alert")).to_contain_text("does not work")
    expect(page.get_by_role("region", name="People")).to_contain_text("kestrel")


def bring_in(second: Page, exports: Path) -> None:
    """A dropped folder becomes sets in folders of the same names."""
    drop(second, exports)
    expect(second.get_by_role("heading", name="Arrivals")).to_be_visible()
    second.get_by_role("navigation", name="Project").get_by_role("link", name="Board").click()
    expect(second.get_by_text(f"{SETS} sets:")).to_be_visible(timeout=4 * SOON)
    board = second.get_by_role("grid", name="Board")
    expect(board.get_by_role("row", name="Folder exports/lock, 12 sets")).to_be_visible()


def arrange(second: Page) -> None:
    """All of one folder are chosen by one click and moved to a new one; one undo takes it back, and redo does it again."""
    board = second.get_by_role("grid", name="Board")
    second.keyboard.press("Shift+N")
    second.get_by_role("dialog").get_by_label("Name").fill("done")
    second.keyboard.press("Enter")
    expect(board.get_by_role("row", name="Folder done, 0 sets")).to_be_attached()
    second.get_by_label("Find sets on the board").fill("lock")
    second.get_by_label("Choose all sets that are shown").click()
    expect(second.get_by_text("12 sets chosen")).to_be_visible()
    second.keyboard.press("m")
    dialog = second.get_by_role("dialog", name="Move to a folder: 12 sets")
    dialog.get_by_label("Folder").click()
    second.get_by_role("option", name="done").click()
    dialog.get_by_role("button", name="Move 12 sets").click()
    expect(second.get_by_text("12 sets moved.")).to_be_visible()
    second.get_by_role("button", name="Choose none").click()
    second.get_by_label("Find sets on the board").fill("")
    moved = board.get_by_role("row", name="Folder done, 12 sets")
    expect(moved).to_be_visible()
    second.get_by_role("button", name="Undo", exact=True).click()
    expect(board.get_by_role("row", name="Folder exports/lock, 12 sets")).to_be_visible()
    second.get_by_role("button", name="Redo", exact=True).click()
    expect(moved).to_be_visible()


def build_all(second: Page) -> None:
    """All are built as one job, which is cancelled, goes on, and says what did not work."""
    second.get_by_label("Choose all sets that are shown").click()
    expect(second.get_by_text(f"{SETS} sets chosen")).to_be_visible()
    second.get_by_role("toolbar").get_by_role("button", name="Build").click()
    work = second.get_by_role("region", name="Work on many sets")
    expect(work).to_contain_text(re.compile(rf"\(\d+ of {SETS}\)"), timeout=SOON)
    work.get_by_role("button", name="Cancel").click()
    expect(work).to_contain_text("cancelled", timeout=SOON)
    expect(work).to_contain_text("not begun")
    work.get_by_role("button", name="Go on with the rest").click()
    expect(work).to_contain_text("23 built, 1 did not work", timeout=4 * SOON)
    expect(work.get_by_role("link", name="hollow")).to_be_visible()
    expect(work).to_contain_text("ase colour")


def read_record(page: Page) -> None:
    """Who did what stands on record, with the way back."""
    page.get_by_role("navigation", name="Project").get_by_role("link", name="Record").click()
    record = page.get_by_role("main")
    expect(record).to_contain_text("Built for")
    page.get_by_label("Kind of deed").click()
    page.get_by_role("option", name="people and projects").click()
    expect(record).to_contain_text("kestrel came in as artist of Heron Lock, invited by wren")
    expect(record).not_to_contain_text("Built for")
    page.get_by_label("Kind of deed").click()
    page.get_by_role("option", name="sets and models", exact=True).click()
    expect(record.get_by_role("button", name=re.compile("^Undo: Moved to done")).first).to_be_visible()
    page.get_by_label("Kind of deed").click()
    page.get_by_role("option", name="arrivals and files").click()
    expect(record).to_contain_text(f"; {SETS} new sets")
