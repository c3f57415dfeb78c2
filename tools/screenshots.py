"""Refresh docs/screenshots from a running application with fresh demo data: .venv/bin/python tools/screenshots.py ADDRESS.

Start it with an empty FAIRTEXEL_DELIVERIES, so that no picture shows a path of the machine."""

from __future__ import annotations

import sys
import tempfile
from pathlib import Path

from playwright.sync_api import Browser, Page, expect, sync_playwright

FOLDER = Path(__file__).resolve().parents[1] / "docs" / "screenshots"
FLAGS = ["--no-sandbox", "--disable-background-networking", "--disable-component-update", "--disable-sync", "--no-first-run"]
# WebGL in software, where there is no GPU.
FLAGS.append("--enable-unsafe-swiftshader")
# Waits are for a machine that is busy with other work.
expect.set_options(timeout=30_000)


def main() -> int:
    """Take one picture of each main view, at 1280 × 800."""
    if len(sys.argv) != 2:
        print(__doc__, file=sys.stderr)
        return 2
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
        day, evening = open_page(browser, "light"), open_page(browser, "dark")
        for page in (day, evening):
            sign_in(page)
        shoot(day, "projects")
        take_board_and_sets(day)
        take_arrivals(day)
        take_looking(day)
        take_rules(day)
        take_depot(day)
        take_evening(evening)
        take_targets(day)
        take_dressing(day)
        take_studio(day)
        browser.close()
    return 0


def open_page(browser: Browser, scheme: str) -> Page:
    """A window of the usual size, on the day or the evening sheet."""
    context = browser.new_context(
        viewport={"width": 1280, "height": 800},
        color_scheme=scheme,  # type: ignore[arg-type]
        base_url=sys.argv[1],
    )
    page = context.new_page()
    page.goto("/sign-in")
    expect(page.get_by_role("heading", name="Sign in")).to_be_visible()
    return page


def sign_in(page: Page) -> None:
    """Sign in as the demo's lead."""
    page.get_by_label("Name").fill("lead")
    page.get_by_label("Password").fill("thistledown")
    page.get_by_role("button", name="Sign in").click()
    expect(page.get_by_role("heading", name="Projects")).to_be_visible()


def open_set(page: Page, name: str) -> None:
    """Go to a set by its name in the list of sets."""
    page.get_by_role("navigation", name="Project").get_by_role("link", name=name).click()
    expect(page.get_by_role("heading", name=name)).to_be_visible()


def build(page: Page) -> None:
    """Build the set that is open."""
    page.get_by_role("button", name="Build", exact=True).click()
    expect(page.get_by_text("✓ current")).to_be_visible(timeout=60_000)


def take_board_and_sets(page: Page) -> None:
    """A ledger and its outputs."""
    page.goto("/projects/glasshouse-nine")
    for name in ("copper_mister", "fern_planter", "T_LatticePane"):
        open_set(page, name)
        build(page)
    open_set(page, "copper_mister")
    page.keyboard.press("j")
    page.keyboard.press("j")
    page.hover('[data-property="metallic"]')
    shoot(page, "ledger")
    page.get_by_role("region", name="Outputs").scroll_into_view_if_needed()
    page.get_by_role("region", name="Outputs").evaluate("part => part.scrollIntoView()")


def take_studio(page: Page) -> None:
    """The board with rows that are chosen after work on others, the project's people, and its record."""
    page.goto("/projects/tidewheel")
    page.get_by_role("button", name="Build what is not built").click()
    work = page.get_by_role("region", name="Work on many sets")
    expect(work).to_contain_text("built", timeout=120_000)
    for name in ("Sailcloth", "T_SlipwayPlanks", "Tarred Rope Coil"):
        page.get_by_label(f"Choose {name}").check()
    page.mouse.move(640, 790)
    shoot(page, "board")
    page.get_by_role("link", name="Project and people").click()
    page.get_by_label("For whom the invitation is").fill("Kestrel, props")
    page.get_by_role("button", name="Make an invitation").click()
    expect(page.locator("output")).to_be_visible()
    shoot(page, "project")


def take_targets(page: Page) -> None:
    """A target being written, with one cell open, and a packed file about to be repacked."""
    page.goto("/projects/glasshouse-nine/targets/ground-layers")
    page.get_by_role("button", name="Write the next version").click()
    expect(page.get_by_role("button", name="Discard")).to_be_visible()
    colour = page.get_by_role("group", name="Channels of Colour, height in alpha")
    colour.locator(".cell").nth(3).click()
    page.wait_for_load_state("networkidle")
    shoot(page, "target")
    page.get_by_role("button", name="Discard").click()
    page.get_by_role("button", name="Discard it").click()
    page.goto("/projects/glasshouse-nine/repack")
    with tempfile.TemporaryDirectory() as folder:
        packed = Path(folder) / "copper_mister_ARM.png"
        packed.write_bytes(file_of(page, "copper_mister_ARM.png"))
        page.get_by_label("A packed file").set_input_files(packed)
        expect(page.get_by_text("all colours")).to_be_visible()
        page.wait_for_load_state("networkidle")
        shoot(page, "repack")


def file_of(page: Page, name: str) -> bytes:
    """A source file of the first project, by its name."""
    lines = page.request.get(f"/api/projects/glasshouse-nine/maps?q={name}").json()["lines"]
    return page.request.get(f"/api/files/{lines[0]['id']}/picture").body()


def take_arrivals(page: Page) -> None:
    """Arrivals: what became of a drop of which one file was refused, questions about endings, and the table of endings."""
    page.goto("/projects/tidewheel/arrivals")
    with tempfile.TemporaryDirectory() as folder:
        broken = Path(folder) / "net_float_BaseColor.png"
        broken.write_text("an export that went wrong")
        page.locator("[data-choose=files]").set_input_files(broken)
        expect(page.get_by_text("Export it as PNG")).to_be_visible()
    page.goto("/projects/tidewheel/arrivals")
    expect(page.get_by_text("files end in").first).to_be_visible()
    shoot(page, "arrivals")
    page.keyboard.press("e")
    expect(page.get_by_role("table", name="How files end")).to_be_visible()
    shoot(page, "endings")


def take_looking(page: Page) -> None:
    """All maps with what one of them says, and a normal map under its curl, lit both ways."""
    page.goto("/projects/glasshouse-nine/maps")
    page.get_by_role("option", name="copper_mister_Normal").click()
    page.get_by_role("button", name="Show lit, read as −Y").click()
    shoot(page, "maps")
    page.goto("/projects/tidewheel")
    open_set(page, "Tarred Rope Coil")
    page.get_by_role("link", name="Look closely").click()
    page.get_by_role("combobox", name="Picture A").click()
    page.get_by_role("option", name="Normal OpenGL").click()
    page.get_by_role("button", name="Show curl, read as +Y").click()
    expect(page.locator("main canvas").first).to_have_attribute("data-settled", "true")
    page.mouse.move(420, 300)
    expect(page.get_by_role("region", name="Under the pointer")).to_contain_text("from upright")
    shoot(page, "look")


def take_rules(page: Page) -> None:
    """House rules with the tester, and what they would rename."""
    page.goto("/projects/tidewheel/rules")
    expect(page.get_by_role("region", name="Try names")).to_contain_text("The rules")
    shoot(page, "rules")
    page.goto("/projects/tidewheel/checks")
    expect(page.get_by_text("Base colour too dark")).to_be_visible()
    shoot(page, "checks")
    page.goto("/projects/tidewheel/renames")
    expect(page.get_by_role("button", name="Rename")).to_be_visible()
    shoot(page, "renames")


def take_depot(page: Page) -> None:
    """What the depot offers, signed in to."""
    page.goto("/projects/glasshouse-nine/depot")
    page.get_by_label("Key to the depot").fill("thistledown-depot")
    page.get_by_role("button", name="Sign in to the depot").click()
    expect(page.get_by_role("button", name="Take it").first).to_be_visible()
    shoot(page, "depot")


def take_evening(page: Page) -> None:
    """A model whose parts wear sets, on the evening sheet."""
    page.goto("/projects/glasshouse-nine/models")
    page.get_by_role("link", name="planting_bay").click()
    resting = page.locator(".stage canvas[data-ready=true][data-resting=true]")
    expect(resting).to_be_visible(timeout=60_000)
    page.wait_for_timeout(4000)
    expect(resting).to_be_visible(timeout=60_000)
    shoot(page, "model")


def take_dressing(day: Page) -> None:
    """Proofs, a variant, the master's sheet, and a delivery with its receipt."""
    day.goto("/projects/glasshouse-nine")
    open_set(day, "T_VaultDoor")
    day.get_by_role("button", name="Prove", exact=True).click()
    proofs = day.get_by_role("region", name="Proofs")
    expect(proofs.get_by_text("✓ up to date")).to_be_visible(timeout=120_000)
    proofs.get_by_role("button", name="gn_t_vault_door_n.png after").click()
    proofs.evaluate("part => part.scrollIntoView()")
    day.wait_for_timeout(800)
    shoot(day, "proofs")
    # Nothing of it is proved: it is shown from its sources.
    day.goto("/projects/tidewheel/masters")
    day.get_by_role("link", name="Quay").click()
    rests = day.locator("canvas[data-ready=true][data-resting=true]")
    expect(rests).to_be_visible(timeout=60_000)
    shoot(day, "variant")
    day.goto("/projects/glasshouse-nine/masters/two-layer-ground")
    day.get_by_role("button", name="Write the next version").click()
    expect(rests).to_be_visible(timeout=60_000)
    rows = day.locator("[data-strand]")
    rows.nth(6).focus()
    # Rows are pictured a moment after the sheet was tried.
    expect(day.locator(".tile[style*='base64']").first).to_be_visible(timeout=60_000)
    shoot(day, "master")
    day.get_by_role("button", name="Discard").click()
    day.get_by_role("button", name="Discard it").click()
    day.goto("/projects/glasshouse-nine/deliveries")
    # The demo world has been delivered from.
    expect(day.get_by_text("✓ read as it was meant")).to_be_visible(timeout=120_000)
    shoot(day, "delivery")


def shoot(page: Page, name: str) -> None:
    """Take a picture when nothing is being fetched any more."""
    page.wait_for_load_state("networkidle")
    page.evaluate("document.fonts.ready")
    shown = "[...document.images].filter(image => image.offsetParent && image.getBoundingClientRect().top < innerHeight)"
    page.evaluate(f"Promise.all({shown}.map(image => image.decode().catch(() => null)))")
    page.screenshot(path=FOLDER / f"{name}.png", animations="disabled")


if __name__ == "__main__":
    sys.exit(main())
