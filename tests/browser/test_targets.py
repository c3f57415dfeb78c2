"""A target made in the editor from nothing, tried, published, built for a dropped folder, delivered; then its second version."""

from __future__ import annotations

import io
import re
import zipfile
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from PIL import Image as Pillow
from playwright.sync_api import Page, expect

from tests.browser.conftest import drop
from texelcore.pixels.image import Image
from texelcore.pixels.strips import of_image
from texelcore.pixels.write import write

SOON = 60_000
rng = np.random.default_rng(41)
EDGE = 64
MAPS = {
    "LockWheel_BaseColor.png": rng.integers(0, 256, (EDGE, EDGE, 3), dtype=np.uint8),
    "LockWheel_Roughness.png": rng.integers(0, 256, (EDGE, EDGE), dtype=np.uint8),
    "LockWheel_AO.png": rng.integers(0, 256, (EDGE, EDGE), dtype=np.uint8),
    "LockWheel_Height.png": rng.integers(0, 256, (EDGE, EDGE), dtype=np.uint8),
    "LockWheel_mask01.png": rng.integers(0, 256, (EDGE, EDGE), dtype=np.uint8),
}


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    place = tmp_path / "lock wheel"
    place.mkdir()
    for name, data in MAPS.items():
        write(of_image(Image.of(data)), "png", "linear", place / name)
    return place


def fill(page: Page, output: str, *said: str) -> None:
    """Type into the cells of an output, one after another."""
    cells = page.get_by_role("group", name=f"Channels of {output}")
    for place, text in enumerate(said):
        cells.locator(".cell").nth(place).focus()
        page.keyboard.type(text)
        page.keyboard.press("Enter")
        expect(cells.locator("input.typed, .cell[aria-busy=true]")).to_have_count(0)


def choose(page: Page, box: str, option: str) -> None:
    """Choose from a list, and wait until it is closed: the next one may have the same words."""
    page.get_by_role("combobox", name=box).click()
    page.get_by_role("option", name=option).click()
    expect(page.get_by_role("listbox")).to_have_count(0)


def kept(page: Page) -> None:
    """Wait until the draft as it stands is the server's."""
    expect(page.get_by_role("status").filter(has_text="Draft kept")).to_be_visible(timeout=SOON)


def delivered(page: Page, target: str) -> dict[str, np.ndarray]:
    """Deliver the set for a target, and give the pictures of the delivery by their names."""
    page.get_by_role("link", name="Deliveries").click()
    choose(page, "Target of the delivery", target)
    page.get_by_role("button", name=re.compile("^Deliver 1 set")).click()
    shown = page.get_by_role("link", name="Download")
    expect(shown).to_be_visible(timeout=SOON)
    with page.expect_download() as download:
        shown.click()
    with zipfile.ZipFile(io.BytesIO(Path(download.value.path()).read_bytes())) as bundle:
        return {
            name.rsplit("/", 1)[-1]: np.asarray(Pillow.open(bundle.open(name)))
            for name in bundle.namelist()
            if name.endswith(".png")
        }


def write_from_nothing(page: Page) -> None:
    """A draft with three outputs, by keyboard, and with one mistake on the way."""
    page.get_by_role("link", name="Targets", exact=True).click()
    page.get_by_role("button", name="New target").click()
    page.get_by_role("textbox", name="Name").fill("Sluice engine")
    page.keyboard.press("Enter")
    choose(page, "The set that it is shown on", "LockWheel")
    page.get_by_role("button", name="Add an output").click()
    page.get_by_role("article", name="Output 1").locator("button.name").click()
    settings = page.get_by_role("region", name="What Output 1 is written and stored as")
    # By keyboard: what a trial tells of the output moves what lies below it, and a click that begins before may end beside.
    for group, choice in (("Channels", "RGBA"), ("Container", "as built")):
        button = settings.get_by_role("group", name=group).get_by_role("button", name=choice)
        button.press("Enter")
        expect(button).to_have_attribute("aria-pressed", "true")
    settings.get_by_role("textbox", name="Suffix").fill("pack")
    settings.get_by_role("textbox", name="Suffix").press("Tab")
    fill(page, "Output 1", "r", "1-o", "h", "mask")
    expect(page.get_by_text("LockWheel_pack.png".lower().replace("lockwheel", "lock_wheel"))).to_be_visible()
    # What means nothing is said at its cell, and changes nothing.
    cells = page.get_by_role("group", name="Channels of Output 1")
    cells.locator(".cell").nth(0).focus()
    page.keyboard.type("shine")
    page.keyboard.press("Enter")
    expect(cells.get_by_role("alert")).to_contain_text("is no surface property")
    expect(cells.locator(".cell").nth(0)).to_contain_text("roughness")
    for number in (2, 3):
        page.get_by_role("button", name="Add an output").click()
        fill(page, f"Output {number}", "c" if number == 2 else "0.5", *(("m",) if number == 3 else ()))
    expect(page.get_by_role("group", name="Channels of Output 2").locator(".cell").nth(2)).to_contain_text("base colour blue")
    # One step back and forth.
    page.get_by_role("button", name="Undo", exact=True).last.click()
    page.get_by_role("button", name="Redo", exact=True).last.click()
    kept(page)


def publish(page: Page, note: str) -> None:
    page.get_by_role("button", name="Publish…").click()
    page.get_by_role("textbox", name="What is new in it").fill(note)
    page.get_by_role("button", name="Publish", exact=True).click()
    expect(page.get_by_text(note).first).to_be_visible()


def test_a_target_from_nothing_to_its_second_version(enter: Callable[[str], Page], folder: Path) -> None:
    page = enter("lead")
    page.get_by_text("Tidewheel").click()
    expect(page.get_by_role("heading", name="What keeps us from delivering")).to_be_visible()
    drop(page, folder)
    expect(page.get_by_role("link", name=re.compile("^LockWheel")).first).to_be_visible(timeout=SOON)
    write_from_nothing(page)

    # Tried on sets before it is published: everything is new.
    trial = page.get_by_role("region", name="Try it on sets")
    trial.get_by_role("button", name="LockWheel").click()
    trial.get_by_role("button", name="Try it", exact=True).click()
    expect(trial.get_by_text("new").first).to_be_visible(timeout=SOON)

    publish(page, "The sluice’s own layout")

    page.get_by_role("link", name="Targets", exact=True).click()
    choose(page, "Take another target", "Sluice engine")
    mine = page.get_by_role("region", name="Targets of this project")
    expect(mine.get_by_text("Sluice engine")).to_be_visible()

    # The set is shown, proved and delivered for it.
    choose(page, "Shown for", "Sluice engine")
    page.get_by_role("link", name=re.compile("^LockWheel")).first.click()
    page.get_by_role("button", name="Prove").click()
    expect(page.get_by_role("button", name="Deliver")).to_be_visible(timeout=SOON)
    pack = delivered(page, "Sluice engine")["lock_wheel_pack.png"]
    wanted = [MAPS[f"LockWheel_{name}.png"] for name in ("Roughness", "AO", "Height", "mask01")]
    wanted[1] = 255 - wanted[1]
    assert np.array_equal(pack, np.stack(wanted, -1))

    # A second version: offered, compared, taken, taken back.
    page.get_by_role("link", name="Targets", exact=True).click()
    mine.get_by_role("link", name="Sluice engine").click()
    page.get_by_role("button", name="Write the next version").click()
    expect(page.get_by_role("button", name="Discard")).to_be_visible()
    fill(page, "Output 1", "1-r")
    kept(page)
    choose(page, "Compare with a version", "Compare with v1")
    expect(page.get_by_role("row", name=re.compile("Channel R.*roughness.*1 − roughness.*built again"))).to_be_visible()
    publish(page, "Smoothness in red")
    page.get_by_role("link", name="Targets", exact=True).click()
    expect(mine.get_by_text("v2 is out")).to_be_visible()
    mine.get_by_role("button", name="What would change").click()
    expect(mine.get_by_text("1 built again").or_(mine.get_by_text(re.compile(r"\d+ built again")))).to_be_visible(timeout=SOON)
    mine.get_by_role("button", name="Take version 2").click()
    expect(mine.get_by_text("v2 is out")).to_have_count(0)
    page.get_by_role("banner").get_by_role("button", name=re.compile("^Undo")).click()
    expect(mine.get_by_text("v2 is out")).to_be_visible()


def test_a_packed_file_is_repacked_on_its_page(enter: Callable[[str], Page], tmp_path: Path) -> None:
    pixels = rng.integers(0, 256, (EDGE, EDGE, 3), dtype=np.uint8)
    source = tmp_path / "gate_packed.png"
    Pillow.fromarray(pixels).save(source)
    page = enter("artist")
    page.get_by_text("Tidewheel").click()
    page.get_by_role("link", name="Repack").click()
    page.get_by_label("A packed file").set_input_files(source)
    page.get_by_role("group", name="What it holds").get_by_role("button", name="in pairs").click()
    page.get_by_role("textbox", name="Pairs of channel and property").fill("R=occlusion,G=roughness,B=metallic")
    page.get_by_role("textbox", name="Pairs of channel and property").press("Tab")
    page.get_by_role("group", name="What it becomes").get_by_role("button", name="in pairs").click()
    page.get_by_role("textbox", name="Pairs of the result").fill("R=metallic,G=smoothness,B=occlusion")
    page.get_by_role("textbox", name="Pairs of the result").press("Tab")
    expect(page.get_by_text("R metallic · G roughness · B occlusion")).to_be_visible(timeout=SOON)
    with page.expect_download() as download:
        page.get_by_role("button", name="Repack and download").click()
    found = np.asarray(Pillow.open(download.value.path()))
    assert np.array_equal(found, np.stack([pixels[..., 2], 255 - pixels[..., 1], pixels[..., 0]], -1))
