"""The whole slice by mouse and keyboard: drop a folder, see the ledger, fix it, build, download, hold against the sources."""

from __future__ import annotations

import io
import json
import zipfile
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from PIL import Image as Pillow
from playwright.sync_api import Locator, Page, expect

from tests.browser.conftest import drop
from texelcore.pixels.image import Image
from texelcore.pixels.strips import of_image
from texelcore.pixels.write import write

# Sorting starts processes of its own, which takes its time on a busy machine.
SOON = 30_000
rng = np.random.default_rng(77)
BASE = rng.integers(0, 256, (64, 64, 3), dtype=np.uint8)
# Directions that are nearly upright and come from no height: neither their name nor their pixels say which way green points.
NORMAL = np.clip(rng.normal((128, 128, 253), 2, (64, 64, 3)), 0, 255).astype(np.uint8)
GLOSS = rng.integers(0, 256, (64, 64), dtype=np.uint8)
ODD = rng.integers(0, 256, (64, 64, 3), dtype=np.uint8)


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    place = tmp_path / "seed drawer"
    place.mkdir()
    for name, data in {
        "SeedDrawer_BaseColor.png": BASE,
        "SeedDrawer_Normal.png": NORMAL,
        "SeedDrawer_Gloss.png": GLOSS,
        "export 7.png": ODD,
    }.items():
        write(of_image(Image.of(data)), "png", "linear", place / name)
    (place / "broken_BaseColor.png").write_text("words")
    return place


def row(page: Page, key: str) -> Locator:
    return page.locator(f'[data-property="{key}"]')


def test_from_a_dropped_folder_to_verified_bytes(enter: Callable[[str], Page], folder: Path) -> None:
    page = enter("artist")
    page.get_by_text("Glasshouse Nine").click()
    expect(page.get_by_role("heading", name="What keeps us from delivering")).to_be_visible()

    drop(page, folder)
    came = page.get_by_role("region", name="Upload history")
    expect(came.get_by_text("broken_BaseColor.png")).to_be_visible(timeout=SOON)
    expect(came.get_by_text("Export it as PNG")).to_be_visible()

    # What was not recognised is asked about; here it is assigned by hand, one channel of it.
    expect(page.get_by_role("region", name="Open questions")).to_contain_text("What is export 7.png?")
    page.get_by_role("button", name="Assign 1 file to a set").click()
    page.get_by_role("combobox", name="Property").click()
    page.get_by_role("option", name="Metallic").click()
    page.get_by_role("group", name="Channel").get_by_role("button", name="B").click()
    page.get_by_role("combobox", name="Set").click()
    page.get_by_role("option", name="SeedDrawer").click()
    page.get_by_role("button", name="Assign").click()
    expect(page.get_by_role("region", name="Belongs to no set")).to_have_count(0)

    came.get_by_role("link", name="SeedDrawer").first.click()
    expect(page.get_by_role("heading", name="SeedDrawer")).to_be_visible()
    expect(row(page, "roughness")).to_contain_text("inverted: gloss to roughness")
    expect(row(page, "metallic")).to_contain_text("export 7.png")
    expect(row(page, "base_colour")).to_contain_text("gn_seed_drawer_c.png")

    # The name did not say the direction: a person does, and the ledger says at once what follows.
    findings = page.get_by_role("region", name="Findings")
    expect(findings).to_contain_text("+Y is assumed")
    findings.get_by_role("button", name="Show").first.click()
    page.get_by_role("group", name="Normal direction").get_by_role("button", name="−Y").click()
    expect(row(page, "normal")).to_contain_text("green flipped: reads −Y, target wants +Y")
    expect(findings).not_to_contain_text("assumed")

    page.get_by_role("button", name="Build").click()
    outputs = page.get_by_role("region", name="Outputs")
    expect(outputs.get_by_text("✓ current")).to_be_visible(timeout=30_000)
    with page.expect_download() as download:
        outputs.get_by_role("link", name="Download all").click()
    with zipfile.ZipFile(io.BytesIO(Path(download.value.path()).read_bytes())) as bundle:
        names = {name.rpartition("_")[2]: name for name in bundle.namelist()}
        colour, normal, packed = (np.asarray(Pillow.open(bundle.open(names[end]))) for end in ("c.png", "n.png", "orm.png"))
        manifest = json.loads(bundle.read(next(name for name in bundle.namelist() if name.endswith(".json"))))
    np.testing.assert_array_equal(colour, BASE)
    np.testing.assert_array_equal(normal, np.dstack([NORMAL[:, :, 0], 255 - NORMAL[:, :, 1], NORMAL[:, :, 2]]))
    np.testing.assert_array_equal(packed, np.dstack([np.full((64, 64), 255), 255 - GLOSS, ODD[:, :, 2]]))
    assert {entry["file"]: entry["srgb"] for entry in manifest["outputs"]}[names["orm.png"]] is False


def test_the_ledger_by_keyboard_and_by_dragging_a_channel(enter: Callable[[str], Page]) -> None:
    page = enter("lead")
    page.goto("/projects/tidewheel")
    page.get_by_role("navigation", name="Project").get_by_role("link", name="barnacle_stone").click()
    expect(row(page, "base_colour")).to_have_attribute("aria-selected", "true")
    well = page.get_by_role("region", name="Picture")
    page.keyboard.press("j")
    page.keyboard.press("j")
    expect(row(page, "normal")).to_have_attribute("aria-selected", "true")
    page.keyboard.press("3")
    expect(well.get_by_role("button", name="G", exact=True)).to_have_attribute("aria-pressed", "true")
    expect(well.get_by_role("img")).to_have_attribute("alt", "barnacle_stone_nor_gl_1k.png, G")
    page.keyboard.press("z")
    expect(well.locator("img.tile").first).to_be_visible()
    page.keyboard.press("?")
    expect(page.get_by_role("dialog", name="Keys and words")).to_be_visible()
    page.keyboard.press("Escape")
    expect(page.get_by_role("dialog", name="Keys and words")).to_have_count(0)

    # A drag by script cannot scroll on its way, as a hand can: both ends must be in sight.
    page.set_viewport_size({"width": 1280, "height": 2300})
    channel = page.locator(".file", has_text="scan 0042.png").get_by_role("button", name="Y", exact=True)
    expect(channel).to_be_in_viewport()
    expect(row(page, "metallic")).to_be_in_viewport()
    channel.drag_to(row(page, "metallic"))
    expect(row(page, "metallic")).to_contain_text("scan 0042.png")
    page.get_by_role("heading", name="Files").click()
    page.keyboard.press("u")
    expect(row(page, "metallic")).not_to_contain_text("scan 0042.png")


def test_a_zip_is_chosen_and_a_set_renamed_undone_and_shown_in_the_evening(
    enter: Callable[[str], Page], folder: Path, tmp_path: Path
) -> None:
    bundle = tmp_path / "barrels.zip"
    with zipfile.ZipFile(bundle, "w") as archive:
        for path in folder.iterdir():
            archive.write(path, f"staves/{path.name.replace('SeedDrawer', 'BarrelStave')}")
    page = enter("artist")
    page.goto("/projects/tidewheel/arrivals")
    page.locator("[data-choose=files]").set_input_files(bundle)
    came = page.get_by_role("region", name="Upload history")
    came.get_by_role("link", name="BarrelStave").click(timeout=SOON)

    # A question about the set holds its name as well, as long as the page before it is still there.
    page.get_by_role("heading", name="BarrelStave", exact=True).click()
    page.get_by_label("Name of the set").fill("Cask")
    page.keyboard.press("Enter")
    # Of a long list only what is in sight is drawn.
    page.get_by_role("textbox", name="Search the sets").fill("Cask")
    expect(page.get_by_role("navigation", name="Project").get_by_role("link", name="Cask")).to_be_visible()
    expect(row(page, "base_colour")).to_contain_text("cask_albedo.tga")
    page.get_by_role("button", name="Undo", exact=True).click()
    expect(page.get_by_role("heading", name="BarrelStave")).to_be_visible()
    page.get_by_role("button", name="Redo").click()
    expect(page.get_by_role("heading", name="Cask")).to_be_visible()

    # Another target says at once what it will do to the same row.
    expect(row(page, "roughness")).to_contain_text("gloss, as the target wants it")
    page.get_by_role("combobox", name="Target").click()
    page.get_by_role("option", name="Orbit desktop").click()
    expect(row(page, "roughness")).to_contain_text("inverted: gloss to roughness")

    page.get_by_role("button", name="Dark").click()
    page.wait_for_function("getComputedStyle(document.body).backgroundColor === 'rgb(24, 27, 32)'")
    # The well stays the same neutral grey: sRGB 119, no hue.
    assert page.locator(".well > .frame").evaluate("frame => getComputedStyle(frame).backgroundColor") == "rgb(119, 119, 119)"
    page.reload()
    expect(page.get_by_role("button", name="Light")).to_be_visible()


def test_a_build_that_cannot_be_made_says_why_before_it_is_asked_for(enter: Callable[[str], Page], tmp_path: Path) -> None:
    rough, ao = tmp_path / "keel_rough.png", tmp_path / "keel_ao.png"
    write(of_image(Image.of(GLOSS)), "png", "linear", rough)
    write(of_image(Image.of(GLOSS[:32, :32])), "png", "linear", ao)
    page = enter("lead")
    page.goto("/projects/tidewheel/arrivals")
    page.locator("[data-choose=files]").set_input_files([rough, ao])
    page.get_by_role("region", name="Upload history").get_by_role("link", name="keel").click(timeout=SOON)
    findings = page.get_by_role("region", name="Findings")
    expect(findings).to_contain_text("Base colour is missing")
    expect(page.get_by_role("button", name="Build")).to_be_disabled()
    page.get_by_role("combobox", name="Target").click()
    page.get_by_role("option", name="Orbit desktop").click()
    expect(findings).to_contain_text("keel_ao.png (32 × 32) is enlarged")
    page.get_by_role("navigation", name="Project").get_by_role("link", name="Board").click()
    page.get_by_label("Find sets on the board").fill("keel")
    expect(page.get_by_role("grid", name="Board").get_by_role("row", name="keel").get_by_label("wrong")).to_be_visible()
