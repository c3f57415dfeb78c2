"""Reached by hand: the whole chain by keyboard alone."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from playwright.sync_api import Page, TimeoutError, expect

from tests.browser.conftest import sets_of

# What has the focus, as somebody would say it: its role or tag, and its name.
FOCUS = """() => {
  const e = document.activeElement;
  return `${e.id === 'content' ? 'content' : e.getAttribute('role') ?? e.tagName.toLowerCase()}: ${
    (e.getAttribute('aria-label') ?? e.textContent ?? '').trim().slice(0, 60)}`;
}"""


def focus(page: Page) -> str:
    return str(page.evaluate(FOCUS))


def tab_to(page: Page, words: str, most: int = 10) -> None:
    """Press the tab key until what has the focus is called so; more presses than that are too many."""
    passed = []
    for _ in range(most):
        page.keyboard.press("Tab")
        passed.append(focus(page))
        if words in passed[-1]:
            return
    raise AssertionError(f"{words} is not within {most} tabs: {passed}")


def find(page: Page, words: str) -> None:
    """Go somewhere, or do something, by its name."""
    page.keyboard.press("Control+k")
    field = page.get_by_role("combobox", name="Find an action")
    expect(field).to_be_focused()
    field.press_sequentially(words)
    expect(page.get_by_role("option", selected=True)).to_contain_text(words)
    page.keyboard.press("Enter")
    expect(field).to_be_hidden()


def choose(page: Page, files: list[Path]) -> None:
    """Press the button that has the focus, and choose files. A browser on a busy machine sometimes swallows the press."""
    for last in (False, False, True):
        try:
            with page.expect_file_chooser(timeout=30_000 if last else 10_000) as chooser:
                page.keyboard.press("Enter")
        except TimeoutError:
            if last:
                raise
            continue
        chooser.value.set_files(files)
        return


def on_content(page: Page) -> None:
    page.wait_for_selector("#content:focus")


# One person's way through the whole application is one test: what is said is where the focus is at each step.
def test_the_whole_chain_by_keyboard_alone(  # noqa: PLR0915
    page: Page, picture: Callable[..., Path]
) -> None:
    files = [picture("anvil_basecolor.png", (64, 64, 3)), picture("anvil_roughness.png", (64, 64, 1), seed=2)]
    # Sign in: the first field has the focus.
    page.goto("/")
    expect(page.get_by_label("Name")).to_be_focused()
    page.keyboard.type("artist")
    page.keyboard.press("Tab")
    page.keyboard.type("thistledown")
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="Projects")).to_be_visible()
    on_content(page)
    tab_to(page, "Glasshouse Nine")
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="What keeps us from delivering")).to_be_visible()
    on_content(page)
    # The skip link is the first stop of a page that was just loaded.
    page.reload()
    expect(page.get_by_role("heading", name="What keeps us from delivering")).to_be_visible()
    tab_to(page, "Skip to the content", most=1)
    page.keyboard.press("Enter")
    on_content(page)
    tab_to(page, "row:")
    first = focus(page)
    page.keyboard.press("ArrowDown")
    assert focus(page).startswith("row:") and focus(page) != first
    page.keyboard.press("k")
    assert focus(page) == first

    # Bring files in.
    find(page, "Arrivals")
    expect(page.get_by_role("heading", name="Arrivals")).to_be_visible()
    on_content(page)
    tab_to(page, "Choose files")
    expect(page.get_by_role("button", name="Choose files")).to_be_focused()
    choose(page, files)
    nav = page.get_by_role("navigation", name="Project")
    expect(nav.get_by_role("link", name="anvil")).to_be_visible()
    assert not focus(page).startswith("body")

    # The ledger: rows are one stop, arrows choose, and letters work wherever the focus is.
    find(page, "anvil")
    expect(page.get_by_role("heading", name="anvil", level=1)).to_be_visible()
    on_content(page)
    tab_to(page, "row: Base colour")
    page.keyboard.press("ArrowDown")
    expect(page.get_by_role("grid", name="Ledger").locator("[aria-selected=true]")).to_be_focused()
    page.keyboard.press("Shift+Tab")
    page.keyboard.press("F2")
    name = page.get_by_role("textbox", name="Name of the set")
    expect(name).to_be_focused()
    page.keyboard.type("Anvil")
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="Anvil", level=1)).to_be_visible()
    assert focus(page) == "button: Rename"
    # After a list is closed, a letter is an action again and opens no list.
    tab_to(page, "combobox: Target")
    target = page.get_by_role("combobox", name="Target")
    for key, opened in (("Enter", "true"), ("Escape", "false")):
        page.keyboard.press(key)
        expect(target).to_have_attribute("aria-expanded", opened)
    page.keyboard.press("p")
    expect(page.get_by_text("✓ up to date")).to_be_visible()
    expect(page.get_by_role("listbox")).to_have_count(0)
    assert not focus(page).startswith("body")
    expect(page.locator("[role=status]").filter(has_text="done")).to_have_count(1)

    # Deliver, within ten tabs of the page's beginning.
    page.keyboard.press("Shift+D")
    expect(page.get_by_role("heading", name="Deliveries")).to_be_visible()
    on_content(page)
    tab_to(page, "button: Deliver 1 set")
    page.keyboard.press("Enter")
    expect(page.get_by_role("region", name="Receipt").or_(page.get_by_text("holds")).first).to_be_visible()
    assert not focus(page).startswith("body")

    # The list of keys opens and closes by one key.
    page.keyboard.press("?")
    help_list = page.get_by_role("dialog", name="Keys and words")
    expect(help_list).to_contain_text("Find any action by its name")
    page.keyboard.press("?")
    expect(help_list).to_be_hidden()


def test_the_table_and_the_lit_shape_are_moved_by_arrows(enter: Callable[[str], Page]) -> None:
    page = enter("artist")
    page.goto(f"/projects/tidewheel/sets/{sets_of(page, 'tidewheel')['Sailcloth']}/look")
    table = page.get_by_role("application", name="on the table")
    table.focus()
    page.keyboard.press("+")
    page.wait_for_url("**at=**")
    before = page.url
    page.keyboard.press("ArrowRight")
    page.wait_for_url(lambda url: url != before)
    # The large view is left by escape.
    page.keyboard.press("l")
    expect(table).to_be_hidden()
    page.keyboard.press("Escape")
    expect(table).to_be_visible()
