"""The place is kept: what is chosen stands in the address, and reload and back return to it."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any

import pytest
from playwright.sync_api import Locator, Page, expect

from tests.browser.conftest import sets_of

PROJECT = "/projects/tidewheel"
# A page's title, what its address says in the end, and a check that all that was chosen is so.
Place = tuple[str, str, Callable[[], None]]


def chosen_row(page: Page) -> Locator:
    return page.get_by_role("grid", name="Ledger").locator("[aria-selected=true]")


def on_the_set(page: Page) -> Place:
    page.goto(f"{PROJECT}/sets/{sets_of(page, 'tidewheel')['Sailcloth']}")
    page.locator("[data-property=normal]").click()
    page.get_by_role("region", name="Picture").get_by_role("button", name="G", exact=True).click()

    def holds() -> None:
        expect(chosen_row(page)).to_contain_text("Normal")
        green = page.get_by_role("region", name="Picture").get_by_role("button", name="G", exact=True)
        expect(green).to_have_attribute("aria-pressed", "true")

    return "Sailcloth · Tidewheel", "channel=G", holds


def on_the_table(page: Page) -> Place:
    page.goto(f"{PROJECT}/sets/{sets_of(page, 'tidewheel')['Sailcloth']}?row=normal")
    expect(chosen_row(page)).to_contain_text("Normal")
    page.get_by_role("link", name="Look closely").click()
    # It opens the map of the chosen row.
    expect(page.get_by_role("combobox", name="Picture A")).to_contain_text("SailclothNormalGL.tif")
    page.keyboard.press("m")
    for _ in range(3):
        page.keyboard.press(",")
    page.keyboard.press("+")
    zoom = page.get_by_title("One screen pixel a texel (Z)")
    expect(page.get_by_title("Back to no change")).to_have_text("−1.5 stops")
    shown = zoom.inner_text()

    def holds() -> None:
        expect(page.get_by_role("combobox", name="Picture A")).to_contain_text("SailclothNormalGL.tif")
        expect(page.get_by_title("Back to no change")).to_have_text("−1.5 stops")
        expect(page.get_by_role("button", name="2×2")).to_have_attribute("aria-pressed", "true")
        expect(zoom).to_have_text(shown)

    return "Sailcloth, maps closely · Tidewheel", "at=", holds


def on_the_maps(page: Page) -> Place:
    page.goto(f"{PROJECT}/maps")
    page.get_by_role("textbox", name="Search the maps").fill("rock")
    option = page.get_by_role("option").filter(has_text="rock").nth(2)
    expect(page.get_by_role("option").filter(has_not_text="rock")).to_have_count(0)
    option.click()
    name = option.locator(".file").inner_text()

    def holds() -> None:
        expect(page.get_by_role("textbox", name="Search the maps")).to_have_value("rock")
        expect(page.locator("[role=option][aria-selected=true]")).to_contain_text(name)

    return "Maps · Tidewheel", "file=", holds


def on_the_depot(page: Page) -> Place:
    page.goto(f"{PROJECT}/depot?q=plaster")

    def holds() -> None:
        expect(page.get_by_role("textbox", name="Search the depot")).to_have_value("plaster")

    return "Depot · Tidewheel", "q=plaster", holds


def on_arrivals(page: Page) -> Place:
    page.goto(f"{PROJECT}/arrivals")
    page.get_by_role("navigation", name="Views").get_by_role("button", name="Endings").click()

    def holds() -> None:
        expect(page.get_by_role("heading", name="Endings")).to_be_visible()

    return "Arrivals · Tidewheel", "view=endings", holds


def on_a_master(page: Page) -> Place:
    page.goto(f"{PROJECT}/masters/solid-surface")
    page.get_by_role("button", name="Tiling").click()

    def holds() -> None:
        expect(page.get_by_text("Values may be 0.01 to 1000")).to_be_visible()

    return "solid-surface · Tidewheel", "parameter=tiling", holds


MORE = [pytest.param(there, marks=pytest.mark.soak) for there in (on_the_maps, on_the_depot, on_arrivals)]


@pytest.mark.parametrize("there", [on_the_set, on_the_table, on_a_master, *MORE])
def test_reload_and_back_return_to_the_place(enter: Callable[[str], Page], there: Any) -> None:
    page = enter("lead")
    title, chosen, holds = there(page)
    expect(page).to_have_title(f"{title} · Fair Texel")
    holds()
    page.wait_for_url(re.compile(chosen))
    page.reload()
    holds()
    page.get_by_role("navigation", name="Project").get_by_role("link", name="Tolerances").click()
    expect(page.get_by_role("heading", name="House tolerances")).to_be_visible()
    page.go_back()
    holds()


def test_how_far_a_page_was_scrolled_is_found_again(enter: Callable[[str], Page]) -> None:
    page = enter("lead")
    page.goto(f"{PROJECT}/sets/{sets_of(page, 'tidewheel')['Sailcloth']}")
    remove = page.get_by_role("button", name="Remove this set")
    remove.scroll_into_view_if_needed()
    expect(remove).to_be_in_viewport()
    page.reload()
    expect(remove).to_be_in_viewport()
    page.get_by_role("navigation", name="Project").get_by_role("link", name="Tolerances").click()
    expect(page.get_by_role("heading", name="House tolerances")).to_be_visible()
    page.go_back()
    expect(remove).to_be_in_viewport()
    # Who comes by a link begins at the top.
    page.get_by_role("navigation", name="Project").get_by_role("link", name="Tolerances").click()
    page.get_by_role("navigation", name="Project").get_by_role("link", name="Sailcloth").click()
    expect(page.get_by_role("heading", name="Sailcloth", level=1)).to_be_in_viewport()
