"""A lead writes a master with two layers from nothing, by keyboard, and an artist dresses a set with it."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
from PIL import Image as Pillow
from playwright.sync_api import Locator, Page, expect

from tests.browser.conftest import change, sets_of
from tests.browser.test_stage import seen

MASTERS = "/projects/glasshouse-nine/masters"


def row(page: Page, operation: str, *inputs: str) -> None:
    """A row under the one that is at hand: its operation, then its chips one after the other; “” leaves one as it is."""
    page.keyboard.press("Enter")
    expect(page.get_by_role("combobox", name="Operation")).to_be_focused()
    page.keyboard.type(operation)
    expect(page.get_by_role("option").first).to_be_visible()
    page.keyboard.press("Enter")
    for typed in inputs:
        page.keyboard.press("Tab")
        if typed:
            page.keyboard.type(typed)
            page.keyboard.press("Enter")
            expect(page.locator("[data-strand] input")).to_have_count(0)


def begin(page: Page) -> Locator:
    """A master from nothing with two layers, and the base colour of each; gives the side of its page."""
    page.goto(MASTERS)
    page.get_by_role("button", name="New master…").click()
    page.get_by_role("textbox", name="Name").fill("Two coats")
    page.keyboard.press("Enter")
    expect(page.get_by_role("textbox", name="Title of the master")).to_have_value("Two coats")
    side = page.get_by_role("complementary")
    side.get_by_role("button", name="Add a texture").press("Enter")
    side.get_by_role("button", name="Add a layer").press("Enter")
    side.get_by_role("button", name="Add a texture").press("Enter")
    expect(side.get_by_role("button", name="Name of the texture: layer 2 base colour map")).to_be_visible()
    return side


def publish(page: Page) -> None:
    expect(page.get_by_text("Draft kept")).to_be_visible()
    page.get_by_role("button", name="Publish…").click()
    page.get_by_role("textbox", name="What is new in it").fill("Two coats by paint")
    page.get_by_role("button", name="Publish v1").click()
    expect(page.get_by_text("Two coats v1 is published")).to_be_visible()


def fold_last_two(page: Page, side: Locator) -> None:
    """The last two of four rows become a block, which looks as they did, and is kept for the studio."""
    rows = page.locator("[data-strand]")
    rows.nth(2).focus()
    page.keyboard.press("p")
    expect(page.get_by_text("second coat holds")).to_have_count(0)
    lit = seen(page)
    rows.nth(3).focus()
    page.keyboard.press("Shift+ArrowUp")
    expect(page.get_by_text("2 rows chosen")).to_be_visible()
    page.keyboard.press("b")
    page.get_by_role("dialog").get_by_label("Name").fill("Coat over coat")
    # What is compared is the sheet with its block, not the picture from before.
    with page.expect_response(lambda answer: answer.url.endswith("/masters/try")):
        page.keyboard.press("Enter")
    expect(rows).to_have_count(3)
    expect(side.get_by_role("button", name="What gives Base colour: coat over coat: mix")).to_be_visible()
    assert np.abs(lit - seen(page)).mean() < 1
    rows.nth(2).focus()
    page.keyboard.press("o")
    page.get_by_role("button", name="Keep it for the studio").click()
    page.get_by_role("button", name="Keep it", exact=True).click()
    expect(rows.nth(2)).to_contain_text("Coat over coat v1")


def test_a_two_layer_master_is_written_by_keyboard_and_worn(enter: Callable[[str], Page]) -> None:
    page = enter("lead")
    side = begin(page)
    # The first row is begun from the empty sheet, each other under the one before.
    rows = page.locator("[data-strand]")
    page.get_by_role("button", name="Add a row").focus()
    row(page, "read")
    expect(rows.first).to_have_attribute("data-strand", "read")
    rows.nth(0).focus()
    row(page, "read")
    rows.nth(1).focus()
    row(page, "red", "vertex colour")
    rows.nth(2).focus()
    row(page, "mix", "read", "read 2", "red")
    expect(rows).to_have_count(4)
    expect(page.get_by_role("button", name="share of mix: red")).to_be_visible()
    # A mistake is said at its chip, and taken back.
    page.get_by_role("button", name="share of mix: red").press("Backspace")
    page.keyboard.type("read")
    page.keyboard.press("Enter")
    expect(page.get_by_role("alert").first).to_contain_text("takes a number for share, but gets a colour")
    rows.nth(3).focus()
    page.keyboard.press("Control+z")
    expect(page.get_by_role("alert")).to_have_count(0)
    # The surface takes the last row; what is seen is the first layer where nothing is painted, the second where it is red.
    side.locator(".p-select:has([aria-label='Give another property'])").click()
    page.get_by_role("option", name="Base colour").click()
    expect(side.get_by_role("button", name="What gives Base colour: mix")).to_be_visible()
    lit = seen(page)
    rows.nth(2).focus()
    page.keyboard.press("p")
    expect(page.get_by_text("red holds 0 to 1")).to_be_visible()
    painted = seen(page)
    assert np.abs(lit - painted).mean() > 4
    # Renaming a row renames its chips.
    page.keyboard.press("F2")
    page.keyboard.type("second coat")
    page.keyboard.press("Enter")
    expect(page.get_by_role("button", name="share of mix: second coat")).to_be_visible()
    fold_last_two(page, side)
    publish(page)
    # An artist takes it: a set in each layer, and the second layer's set is another.
    artist = enter("artist")
    sets = list(sets_of(artist, "glasshouse-nine").values())
    made = change(artist, "POST", f"/sets/{sets[0]}/variants", {"master": "two-coats"})
    artist.goto(f"/projects/glasshouse-nine/variants/{made['id']}")
    layers = artist.get_by_role("region", name="Layers")
    expect(layers.get_by_text("It takes no set")).to_be_visible()
    layers.locator(".p-select:has([aria-label='The set of Layer 2'])").click()
    artist.get_by_role("option").nth(2).click()
    expect(layers.get_by_text("It takes no set")).to_have_count(0)
    # Whoever is no lead looks at the sheet, and cannot write it.
    artist.goto(f"{MASTERS}/two-coats")
    expect(artist.get_by_role("heading", name="Two coats")).to_be_visible()
    expect(artist.get_by_role("button", name="Write the next version")).to_have_count(0)
    artist.goto(f"{MASTERS}/two-coats/draft")
    expect(artist.get_by_text("Two coats is not being written.")).to_be_visible()


def test_two_hundred_rows_stand_and_what_moves_by_time_moves_while_it_runs(enter: Callable[[str], Page]) -> None:
    page = enter("lead")
    made = change(page, "POST", "/masters", {"title": "Long stream"})
    flowing = {"operation": "scroll", "inputs": {"uv": "uv", "seconds": "time", "across": 0.3}}
    read = {"operation": "read", "inputs": {"texture": "colour map", "place": "row 0"}}
    # Each row adds a little of one half to what stands above it.
    mixed = [{"operation": "mix", "inputs": {"a": f"row {at}", "b": 0.5, "share": 0.001}} for at in range(1, 199)]
    rows = [{"name": f"row {at}", "group": f"part {at // 20 + 1}", **row} for at, row in enumerate([flowing, read, *mixed])]
    document = made["draft"]["document"] | {
        "layers": [{"name": "base", "label": "Base"}],
        "textures": [{"name": "colour map", "property": "base_colour", "layer": "base"}],
        "strands": rows,
        "surface": {"base_colour": "row 199"},
    }
    change(page, "PUT", f"/masters/{made['name']}/draft", {"document": document, "seen": made["draft"]["edit"]})
    page.goto(f"{MASTERS}/{made['name']}/draft")
    expect(page.locator("[data-strand]")).to_have_count(200)
    expect(page.get_by_text("200 strands")).to_be_visible()
    still = seen(page)
    page.get_by_role("button", name="Let time run").click()
    # It is drawn again and again, until time stops.
    drawn = page.get_by_role("region", name="Stage").locator("canvas")
    begun = int(drawn.get_attribute("data-frames") or 0)
    page.wait_for_function(
        "(begun) => Number(document.querySelector('.stage canvas').dataset.frames) > begun + 5", arg=begun, timeout=90_000
    )
    page.get_by_role("button", name="Stop time").click()
    assert np.abs(seen(page) - still).mean() > 1
    change(page, "DELETE", f"/masters/{made['name']}")


def test_a_free_texture_takes_a_file_of_no_set(enter: Callable[[str], Page], tmp_path: Path) -> None:
    page = enter("artist")
    Pillow.fromarray(np.random.default_rng(5).integers(0, 256, (32, 32, 3), np.uint8)).save(tmp_path / "splotches.png")
    page.goto("/projects/glasshouse-nine/arrivals")
    page.locator("[data-choose=files]").set_input_files(tmp_path / "splotches.png")
    expect(page.get_by_role("heading", name="splotches.png stands alone")).to_be_visible(timeout=60_000)
    variants = page.request.get("/api/projects/glasshouse-nine/variants").json()
    (number,) = (variant["id"] for variant in variants if variant["name"] == "Worn vault paint")
    page.goto(f"/projects/glasshouse-nine/variants/{number}")
    layer = page.locator("[data-layer='wear mask']")
    layer.get_by_role("combobox", name="The set of Wear mask").click()
    page.get_by_role("searchbox").fill("splot")
    page.get_by_role("option", name="splotches.png").click()
    # It is a set of three masks now; the first of them is read.
    expect(layer.get_by_role("combobox", name="The set of Wear mask")).to_have_text("splotches")
    layer.get_by_role("combobox", name="What Wear mask reads of its set").click()
    expect(page.get_by_role("option")).to_have_count(4)
    page.get_by_role("option", name="mask g").click()
    expect(layer.get_by_role("combobox", name="What Wear mask reads of its set")).to_have_text("mask g")
    layer.get_by_role("link", name="Open splotches, the set of Wear mask").click()
    expect(page.get_by_text("No surface of its own")).to_be_visible()
    expect(page.get_by_role("region", name="Ledger").get_by_text("Mask r")).to_be_visible()
    # It is called what it shows; the variant reads it under that name.
    page.locator("[data-property='mask.g']").click()
    page.get_by_role("textbox", name="name").fill("flaked paint")
    page.keyboard.press("Enter")
    expect(page.locator("[data-property='mask.flaked paint']")).to_have_attribute("aria-selected", "true")
    page.go_back()
    expect(layer.get_by_role("combobox", name="What Wear mask reads of its set")).to_have_text("mask flaked paint")
    page.go_forward()
    page.get_by_role("button", name="Remove this set").click()
    expect(page.get_by_text("splotches is removed")).to_be_visible()
    # Only what is in sight of a long list is drawn: searched for, it would be.
    page.get_by_role("textbox", name="Search the sets").fill("splotches")
    expect(page.get_by_text("No set of that name.")).to_be_visible()
