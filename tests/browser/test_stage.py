"""The stage by mouse and keyboard: a model of four parts, its light, wrong readings beside the right one, and pictures of it."""

from __future__ import annotations

import io
from collections.abc import Callable
from pathlib import Path

import numpy as np
import OpenImageIO as oiio
import pytest
from PIL import Image as Pillow
from playwright.sync_api import Locator, Page, expect

from tests.browser.conftest import until_ready
from texeldemo.meshes import bay


def canvas(page: Page) -> Locator:
    """The stage once it rests: what it shows is drawn in full then."""
    found = page.get_by_role("region", name="Stage").locator("canvas[data-ready=true][data-resting=true]")
    expect(found).to_be_visible(timeout=90_000)
    return found


def seen(page: Page) -> np.ndarray:
    """What the stage shows at rest, (H, W, 3) from 0 to 255. A picture during which another frame was drawn, since something
    arrived that had been asked for, may show that frame while it is still coarse: it is taken again."""
    for _ in range(20):
        frames = canvas(page).get_attribute("data-frames")
        body = canvas(page).screenshot(animations="disabled")
        if canvas(page).get_attribute("data-frames") == frames:
            return np.asarray(Pillow.open(io.BytesIO(body)).convert("RGB"), float)
    raise AssertionError("the stage does not come to rest")


def choose(page: Page, label: str, text: str) -> None:
    page.locator(f".p-select:has([aria-label='{label}'])").first.click()
    page.get_by_role("option", name=text, exact=True).click()
    expect(page.get_by_role("option")).to_have_count(0)


def test_a_model_of_four_parts_wears_four_sets(enter: Callable[[str], Page], tmp_path: Path) -> None:
    page = enter("lead")
    page.get_by_text("Tidewheel").click()
    page.get_by_role("link", name="Models", exact=True).click()
    expect(page.get_by_text("No model yet.")).to_be_visible()
    place = tmp_path / "mill.glb"
    # The names of the bay's parts are of the other game: nothing is guessed for them here.
    place.write_bytes(bay())
    page.locator("[data-choose=model]").set_input_files(place)
    expect(page.get_by_role("heading", name="mill", exact=True)).to_be_visible()
    expect(page.get_by_text("Without a set or a variant: fern planter, bed, window and lamp.")).to_be_visible()
    expect(page.get_by_text("4 parts, 1,828 triangles")).to_be_visible()
    bare = seen(page)
    sets = {"fern planter": "barnacle_stone", "bed": "tarred_rope_coil", "window": "sailcloth"}
    options = page.locator(".p-select:has([aria-label='What fern planter wears'])")
    options.click()
    names = [name for name in page.get_by_role("option").all_inner_texts() if name != "Nothing"]
    page.keyboard.press("Escape")
    expect(page.get_by_role("option")).to_have_count(0)
    for part, wish in sets.items():
        plain = "".join(letter for letter in wish if letter.isalpha())
        name = next(name for name in names if plain in "".join(filter(str.isalpha, name.lower())))
        choose(page, f"What {part} wears", name)
    # One part is left, and is named.
    expect(page.get_by_text("Without a set or a variant: lamp.")).to_be_visible()
    dressed = seen(page)
    changed = np.abs(dressed - bare).max(-1) > 12
    assert 0.1 < changed.mean() < 0.9
    # What was put on last goes off again by undo.
    page.keyboard.press("u")
    expect(page.get_by_text("Without a set or a variant: window and lamp.")).to_be_visible()
    page.get_by_role("button", name="alone").first.click()
    alone = seen(page)
    grey = np.abs(alone - 119).max(-1) < 2
    assert grey.mean() > (np.abs(dressed - 119).max(-1) < 2).mean() + 0.05


@pytest.fixture
def door(enter: Callable[[str], Page]) -> Page:
    page = enter("artist")
    page.get_by_text("Glasshouse Nine").click()
    page.get_by_role("link", name="T_VaultDoor").first.click()
    expect(page.get_by_role("heading", name="T_VaultDoor", exact=True)).to_be_visible()
    page.goto(page.url.split("?")[0] + "/look?lit=yes")
    return page


def test_light_turns_and_wrong_readings_stand_beside_the_right_one(door: Page) -> None:
    page = door
    first = seen(page)
    slider = page.get_by_label("Direction of the light")
    slider.fill("120")
    turned = seen(page)
    assert np.abs(turned - first).mean() > 3
    choose(page, "Environment", "Overcast sky")
    even = seen(page)
    assert np.abs(even - turned).mean() > 3
    choose(page, "What stands beside it", "Read as if sRGB")
    expect(page.get_by_text("as meant")).to_be_visible()
    both = seen(page)
    middle = both.shape[1] // 2
    left, right = both[40:-40, 4 : middle - 4], both[40:-40, middle + 4 : 2 * middle - 4]
    # A roughness that is read as sRGB is too low: it shines, and there is more between light and dark.
    assert np.abs(left[:, : right.shape[1]] - right[:, : left.shape[1]]).mean() > 1
    # A saved picture has both beside each other, as the stage has.
    with page.expect_download(timeout=120_000) as download:
        page.get_by_role("button", name="Save a PNG").click(timeout=120_000)
    saved = np.asarray(Pillow.open(download.value.path()).convert("RGB").resize((both.shape[1], both.shape[0])), float)
    assert np.abs(saved - both).mean() < 4
    choose(page, "How two stand together", "Difference")
    apart = seen(page)
    assert apart.mean() > 0.5 and (apart[:30, :30] == 0).all()
    choose(page, "What stands beside it", "Nothing beside it")
    choose(page, "What is shown", "Roughness")
    grey = seen(page)
    assert np.abs(grey[..., 0] - grey[..., 1]).max() < 3
    # Nothing is drawn while nothing changes.
    frames = "() => document.querySelector('.stage canvas').dataset.frames"
    before = page.evaluate(frames)
    page.evaluate(
        """() => new Promise((done) => {
          let left = 20;
          const next = () => (left-- ? requestAnimationFrame(next) : done());
          next();
        })"""
    )
    assert page.evaluate(frames) == before
    # A GPU whose driver starts anew takes all away: it is said, and all comes again as it was.
    driver = page.evaluate_handle(
        "document.querySelector('.stage canvas').getContext('webgl2').getExtension('WEBGL_lose_context')"
    )
    driver.evaluate("driver => driver.loseContext()")
    expect(page.get_by_text("The stage cannot show this: the GPU was taken away from it")).to_be_visible()
    driver.evaluate("driver => driver.restoreContext()")
    assert np.abs(seen(page) - grey).max() < 3


def test_a_picture_and_a_link_keep_the_view(door: Page) -> None:
    page = door
    canvas(page).focus()
    page.keyboard.press("5")
    page.get_by_role("button", name="More").click()
    choose(page, "Shape", "Cube")
    page.get_by_role("spinbutton", name="Width of the picture").or_(page.get_by_label("Width of the picture")).first.fill("700")
    page.keyboard.press("Tab")
    page.get_by_label("with nothing behind").check()
    canvas(page)
    with page.expect_download(timeout=120_000) as download:
        page.get_by_role("button", name="Save a PNG").click(timeout=120_000)
    picture = np.asarray(Pillow.open(download.value.path()))
    assert picture.shape[1:] == (700, 4)
    assert picture[0, 0, 3] == 0 and picture[picture.shape[0] // 2, 350, 3] == 255
    page.context.grant_permissions(["clipboard-read", "clipboard-write"])
    page.get_by_role("button", name="Copy a link to this view").click()
    link = page.evaluate("() => navigator.clipboard.readText()")
    before = seen(page)
    choose(page, "Shape", "Sphere")
    canvas(page).focus()
    page.keyboard.press("1")
    page.goto(link)
    again = seen(page)
    height = min(before.shape[0], again.shape[0])
    assert before.shape[1] == again.shape[1] and height > 150
    # The page has one row of tools more or less: what is compared is how the picture's middle looks.
    middles = [view[view.shape[0] // 2 - 40 : view.shape[0] // 2 + 40, 200:340] for view in (before, again)]
    assert np.abs(middles[0].mean((0, 1)) - middles[1].mean((0, 1))).max() < 12


def test_a_turntable_and_a_contact_sheet_are_kept(door: Page) -> None:
    page = door
    canvas(page)
    page.get_by_role("button", name="More").click()
    with page.expect_download(timeout=300_000) as download:
        page.get_by_role("button", name="Record a turntable").click()
    assert download.value.suggested_filename == "T_VaultDoor turntable.webm"
    film = Path(download.value.path()).read_bytes()
    # Matroska's and so WebM's first bytes (RFC 9559, EBML header).
    assert film[:4] == b"\x1a\x45\xdf\xa3" and len(film) > 20_000
    page.goto("/projects/glasshouse-nine")
    page.get_by_label("Choose all sets that are shown").check()
    with page.expect_download(timeout=300_000) as download:
        page.get_by_role("button", name="Contact sheet").click()
    sheet = np.asarray(Pillow.open(download.value.path()).convert("RGB"), float)
    assert sheet.shape[1] == 24 + 3 * 280
    # Each place holds a picture: something other than the grey of the well.
    for row in range(2):
        for column in range(3):
            top, left = 24 + 34 + row * 314, 24 + column * 280
            assert np.abs(sheet[top + 64 : top + 192, left + 64 : left + 192] - 119).mean() > 8


HIDDEN = """(() => {
  const get = HTMLCanvasElement.prototype.getContext;
  HTMLCanvasElement.prototype.getContext = function (kind, ...rest) {
    return kind.startsWith('webgl') ? null : get.call(this, kind, ...rest);
  };
})()"""
NO_BLOCKS = """(() => {
  const get = WebGL2RenderingContext.prototype.getExtension;
  WebGL2RenderingContext.prototype.getExtension = function (name) {
    return name.includes('compress') ? null : get.call(this, name);
  };
})()"""


def test_without_webgl_the_servers_picture_is_shown(door: Page) -> None:
    page = door
    page.add_init_script(HIDDEN)
    page.reload()
    expect(page.get_by_text("The stage cannot show this: this browser offers no WebGL 2.")).to_be_visible()
    picture = page.get_by_alt_text("The set lit, as the server drew it")
    expect(picture).to_be_visible()
    assert picture.evaluate("image => image.decode().then(() => image.naturalWidth)") == 128


def test_without_blocks_they_are_shown_decoded_and_said_so(door: Page) -> None:
    """What stands beside its sources as it is built: the blocks themselves, or what they decode to."""
    page = door
    number = page.url.split("/sets/")[1].split("/")[0]
    token = next(cookie["value"] for cookie in page.context.cookies() if cookie["name"] == "csrftoken")
    target = page.request.get(f"/api/sets/{number}").json()["target"]["name"]
    asked = page.request.post(f"/api/sets/{number}/proofs", data={"target": target}, headers={"X-CSRFToken": token})
    assert asked.ok, asked.text()
    until_ready(page, f"/sets/{number}/surface?seen=built&target={target}")
    seen_by = []
    for script in ("", NO_BLOCKS):
        page.add_init_script(script)
        page.reload()
        page.locator(".p-select:has([aria-label='What stands beside it'])").click()
        page.get_by_role("option", name="As built for").first.click()
        notice = page.get_by_text("This browser does not take these blocks: they are shown as decoded")
        expect(page.locator("[aria-label='How two stand together']").first).to_be_visible()
        both = seen(page)
        expect(notice).to_have_count(1 if script else 0)
        seen_by.append(both)
    # Decoded they are what the GPU makes of them. A line of words makes the stage a little lower: what is compared is the middle.
    middles = []
    for both in seen_by:
        row, column = both.shape[0] // 2, both.shape[1] * 3 // 4
        middles.append(both[row - 30 : row + 30, column - 30 : column + 30].mean((0, 1)))
    assert np.abs(middles[0] - middles[1]).max() < 6


def test_two_sets_stand_beside_each_other_in_the_studios_own_light(enter: Callable[[str], Page], tmp_path: Path) -> None:
    page = enter("lead")
    page.get_by_text("Glasshouse Nine").click()
    page.get_by_role("link", name="copper_mister").first.click()
    expect(page.get_by_role("heading", name="copper_mister", exact=True)).to_be_visible()
    page.goto(page.url.split("?")[0] + "/look?lit=yes")
    workshop = seen(page)
    place = tmp_path / "garden.hdr"
    spec = oiio.ImageSpec(256, 128, 3, "float")
    out = oiio.ImageOutput.create(str(place))
    light = np.full((128, 256, 3), (0.02, 0.02, 0.6), np.float32)
    assert out.open(str(place), spec) and out.write_image(light)
    out.close()
    page.locator("[data-choose=environment]").set_input_files(place)
    expect(page.locator(".p-select:has([aria-label='Environment'])")).to_contain_text("garden")
    blue = seen(page)
    middle = (slice(blue.shape[0] // 3, blue.shape[0] // 2), slice(blue.shape[1] // 2 - 40, blue.shape[1] // 2 + 40))
    assert blue[middle][..., 2].mean() > 1.3 * blue[middle][..., 0].mean()
    assert workshop[middle][..., 0].mean() > workshop[middle][..., 2].mean()
    choose(page, "What stands beside it", "moss_bed")
    expect(page.locator(".said.second")).to_have_text("moss_bed")
    choose(page, "How two stand together", "Swap with space")
    first = seen(page)
    assert np.abs(first[middle] - blue[middle]).mean() < 2
    canvas(page).focus()
    page.keyboard.press(" ")
    expect(page.locator(".said.first")).to_have_count(0)
    second = seen(page)
    assert np.abs(second[middle] - first[middle]).mean() > 3
    # The light is the studio's now: another person has it in the list, and this one finds it where it was.
    page.reload()
    expect(page.locator(".p-select:has([aria-label='Environment'])")).to_contain_text("garden")
    page.get_by_role("button", name="More").click()
    page.get_by_role("button", name="Remove the environment garden").click()
    page.get_by_role("button", name="Remove", exact=True).click()
    expect(page.locator(".p-select:has([aria-label='Environment'])")).not_to_contain_text("garden")
