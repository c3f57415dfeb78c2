"""Bringing in by hand: questions by keyboard, rules and renames, the depot, the account, and looking down to the texel."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
from PIL import Image as Pillow
from playwright.sync_api import Page, expect

from tests.browser.conftest import DEPOT_KEY, drop, open_from_the_side
from tests.browser.test_main_path import SOON
from tests.core.test_direction import height, normal_map
from texeldemo.crate import export_crate


def test_open_questions_are_settled_by_keyboard_and_taken_back(enter: Callable[[str], Page]) -> None:
    page = enter("lead")
    page.goto("/projects/tidewheel/arrivals")
    asked = page.get_by_role("region", name="Open questions")
    # Endings come first; the name that lies is the third.
    expect(asked.get_by_role("article").first).to_contain_text("files end in")
    page.keyboard.press("j")
    page.keyboard.press("j")
    first = asked.get_by_role("article").nth(2)
    expect(first).to_contain_text("Which way does green point in Tarred Rope Coil")
    expect(first).to_contain_text("fit together only as −Y")
    # Both readings, lit, and their curl: the pictures are there.
    expect(first.get_by_role("img")).to_have_count(4)
    assert first.get_by_role("img").first.evaluate("image => image.decode().then(() => image.naturalWidth)") == 128
    count = asked.get_by_role("article").count()
    page.keyboard.press("Enter")
    expect(asked.get_by_role("article")).to_have_count(count - 1)
    expect(asked).to_contain_text("−Y, as the pixels say")
    page.get_by_role("navigation", name="Project").get_by_role("link", name="Tarred Rope Coil").click()
    expect(page.locator('[data-property="normal"]')).to_contain_text("reads −Y")
    page.go_back()
    expect(asked.get_by_role("article")).to_have_count(count - 1)
    page.keyboard.press("u")
    expect(asked.get_by_role("article")).to_have_count(count)


def test_a_hundred_maps_in_an_unknown_style_take_four_answers(enter: Callable[[str], Page], tmp_path: Path) -> None:
    export_crate(tmp_path / "attic", 128, times=3)
    sent = sum(path.is_file() for path in tmp_path.rglob("*"))
    assert sent > 100
    page = enter("artist")
    page.goto("/projects/glasshouse-nine/arrivals")
    before = page.request.get("/api/projects/glasshouse-nine/board", max_retries=3).json()
    asked = page.get_by_role("region", name="Open questions")
    expect(page.get_by_role("button", name="Choose a folder")).to_be_visible()
    drop(page, tmp_path / "attic")
    expect(asked).to_contain_text("15 files end in “xs”", timeout=4 * SOON)
    # The table of endings says at a look what this studio called its maps.
    page.keyboard.press("e")
    table = page.get_by_role("table", name="How files end")
    expect(table.get_by_role("row", name="xs")).to_contain_text("Specular colour or strength, as prepared")
    expect(table.get_by_role("row", name="dn")).to_contain_text("Pixels that are directions make them normal maps")
    page.keyboard.press("e")
    for about in ("15 files end in “xs”", "9 files end in “gw”", "15 pictures stand alone", "6 pictures stand alone"):
        now = asked.get_by_role("article", name=about)
        expect(now).to_be_visible()
        while now.get_attribute("aria-current") != "true":
            page.keyboard.press("j")
        page.keyboard.press("1")
        expect(now).to_have_count(0)
    after = page.request.get("/api/projects/glasshouse-nine/board", max_retries=3).json()
    assert after["project"]["open_files"] == before["project"]["open_files"]
    # 51 surfaces with a name, three in folders of their own, a hull of two tiles, and a pipe.
    assert len(after["sets"]) - len(before["sets"]) == 3 * 17 + 3 + 2
    open_from_the_side(page, "2wheel01")
    expect(page.locator('[data-property="specular"]')).to_contain_text("2wheel01_xs.tga")


def test_rules_are_tried_kept_and_rename_what_breaks_them(enter: Callable[[str], Page]) -> None:
    page = enter("lead")
    page.goto("/projects/glasshouse-nine/rules")
    expect(page.get_by_text("none written yet")).to_be_visible()
    tester = page.get_by_role("region", name="Try names")
    page.get_by_label("Name", exact=True).fill("gn_{set}_{property}")
    tester.get_by_label("Names to try").fill("gn_fern_planter_roughness.png\nFern_rgh.png")
    expect(tester.get_by_text("holds", exact=True)).to_be_visible()
    expect(tester).to_contain_text("gn_fern_roughness")
    page.get_by_label("Name", exact=True).fill("{set}")
    expect(tester.get_by_role("alert")).to_contain_text("needs {set} and {property}")
    page.get_by_label("Name", exact=True).fill("gn_{set}_{property}")
    page.get_by_role("button", name="Save").click()
    expect(page.get_by_text("version 1", exact=True)).to_be_visible()

    page.get_by_role("link", name="What these rules would rename").click()
    expect(page.get_by_text("fern_planter/gn_fern_planter_basecolor.png")).to_be_visible()
    with page.expect_download() as download:
        page.get_by_role("link", name="CSV of the mapping").click()
    assert "gn_fern_planter_basecolor.png" in Path(download.value.path()).read_text()
    page.get_by_role("checkbox").first.uncheck()
    page.get_by_role("button", name="Rename").click()
    done = page.get_by_role("region", name="Done before")
    expect(done.get_by_role("button", name="Undo", exact=True)).to_be_visible()
    expect(page.get_by_role("checkbox")).to_have_count(1)
    page.goto("/projects/glasshouse-nine/maps")
    page.get_by_label("Search the maps").fill("gn_t_vault_door")
    expect(page.get_by_role("option", name="gn_t_vault_door_basecolor.tga")).to_be_visible()
    page.goto("/projects/glasshouse-nine/renames")
    done.get_by_role("button", name="Undo", exact=True).click()
    expect(done).to_contain_text("undone")


def test_a_material_is_taken_from_the_depot(enter: Callable[[str], Page]) -> None:
    page = enter("artist")
    page.goto("/projects/glasshouse-nine/depot")
    expect(page.get_by_role("article")).to_have_count(6)
    page.get_by_label("Search the depot").fill("celadon")
    expect(page.get_by_role("article")).to_have_count(1)
    page.get_by_label("Key to the depot").fill("wrong")
    page.get_by_role("button", name="Sign in to the depot").click()
    expect(page.get_by_text("opens nothing at the depot")).to_be_visible()
    page.get_by_label("Key to the depot").fill(DEPOT_KEY)
    page.get_by_role("button", name="Sign in to the depot").click()
    page.get_by_role("group", name="Size").get_by_role("button", name="512").click()
    page.get_by_role("button", name="Take it").click()
    open_from_the_side(page, "crackled_glaze")
    origin = page.get_by_role("region", name="Origin")
    expect(origin).to_contain_text("From the depot")
    expect(origin).to_contain_text("Open Hand")


def test_pictures_are_looked_at_down_to_the_texel(enter: Callable[[str], Page], tmp_path: Path) -> None:
    normal = normal_map(height("brick"), 8, "-Y")
    colour = np.zeros((512, 512, 3), np.uint8)
    colour[:, :256] = (200, 40, 40)
    for name, pixels in {"wharf_BaseColor.png": colour, "wharf_Normal.png": normal}.items():
        Pillow.fromarray(pixels).save(tmp_path / name)
    page = enter("artist")
    page.goto("/projects/tidewheel/arrivals")
    page.locator("[data-choose=files]").set_input_files([tmp_path / "wharf_BaseColor.png", tmp_path / "wharf_Normal.png"])
    page.get_by_role("region", name="Upload history").get_by_role("link", name="wharf").click(timeout=SOON)
    page.get_by_role("link", name="Look closely").click()
    table = page.locator("main canvas").first
    expect(table).to_have_attribute("data-settled", "true")

    def shown(x: float, y: float) -> list[int]:
        """The colour at a share of the table, as the screen has it once all is drawn."""
        expect(table).to_have_attribute("data-settled", "true")
        return list(
            table.evaluate(
                """(canvas, [x, y]) => {
                  const flat = document.createElement('canvas');
                  flat.width = flat.height = 1;
                  const context = flat.getContext('2d');
                  context.drawImage(canvas, -Math.floor(x * canvas.width), -Math.floor(y * canvas.height));
                  return [...context.getImageData(0, 0, 1, 1).data.slice(0, 3)];
                }""",
                [x, y],
            )
        )

    assert shown(0.4, 0.5) == [200, 40, 40] and shown(0.6, 0.5) == [0, 0, 0]
    # Beside the picture lies the neutral well.
    assert shown(0.01, 0.5) == [119, 119, 119]
    page.keyboard.press("c")
    expect(page.get_by_role("button", name="clipping")).to_have_attribute("aria-pressed", "true")
    assert shown(0.6, 0.5) != [0, 0, 0]
    page.keyboard.press("c")
    # Half a stop more of linear light: 200 becomes less than √2 times as much on the screen.
    page.keyboard.press(".")
    expect(page.get_by_text("+0.5 stops")).to_be_visible()
    assert 225 <= shown(0.4, 0.5)[0] <= 240
    page.keyboard.press(",")
    box = table.bounding_box()
    assert box
    page.mouse.move(box["x"] + box["width"] * 0.4, box["y"] + box["height"] * 0.5)
    under = page.get_by_role("region", name="Under the pointer")
    expect(under).to_contain_text("R 200")
    # sRGB 200 is 0.578 in linear light (IEC 61966-2-1).
    expect(under).to_contain_text("base colour (0.578, 0.021, 0.021) linear")
    for _ in range(30):
        page.mouse.wheel(0, -400)
    expect(page.get_by_role("button", name="64×")).to_be_visible()
    page.keyboard.press("0")

    page.get_by_role("combobox", name="Picture B").click()
    page.get_by_role("option", name="wharf_Normal.png").click()
    expect(page.get_by_role("button", name="wipe")).to_have_attribute("aria-pressed", "true")
    page.keyboard.press("d")
    expect(page.get_by_label("Difference times")).to_be_visible()
    expect(page.get_by_label("The surface on the stage.")).to_be_visible()


def test_a_token_is_made_shown_once_and_revoked(enter: Callable[[str], Page]) -> None:
    page = enter("artist")
    page.get_by_role("link", name="artist").click()
    page.get_by_label("Name of the token").fill("export folder")
    page.get_by_role("button", name="Make a token").click()
    tokens = page.get_by_role("region", name="Access tokens")
    expect(tokens).to_contain_text("shown once")
    assert tokens.locator("output").inner_text().startswith("fxt_")
    page.reload()
    expect(tokens).to_contain_text("never used")
    expect(tokens.locator("output")).to_have_count(0)
    tokens.get_by_role("button", name="Revoke").click()
    page.get_by_role("alertdialog").get_by_role("button", name="Revoke").click()
    expect(tokens).to_contain_text("None yet")
