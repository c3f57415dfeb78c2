"""Nothing typed is lost: not by an outage, a reload, the end of a session, or a second tab."""

from __future__ import annotations

from collections.abc import Callable

from playwright.sync_api import Locator, Page, Route, expect

from tests.browser.conftest import change, sets_of

AWAY = "<html><body><h1>502 Bad Gateway</h1></body></html>"


def take_server_away(page: Page) -> Callable[[], None]:
    """Let a proxy answer in the server's place; gives what brings it back."""

    def answer(route: Route) -> None:
        route.fulfill(status=502, content_type="text/html", body=AWAY)

    page.route("**/api/**", answer)
    return lambda: page.unroute("**/api/**", answer)


def variant_of(page: Page, name: str) -> int:
    page.goto("/projects/tidewheel")
    made = change(page, "POST", f"/sets/{sets_of(page, 'tidewheel')[name]}/variants", {"master": "solid-surface"})
    page.goto(f"/projects/tidewheel/variants/{made['id']}")
    expect(value(page, "Tiling")).to_be_visible()
    return int(made["id"])


def value(page: Page, label: str) -> Locator:
    return page.get_by_role("spinbutton", name=f"{label}, value")


def unsaved(page: Page, words: str) -> Locator:
    return page.get_by_role("banner").get_by_role("button", name=words)


def all_saved(page: Page) -> None:
    """Nothing waits in the browser any more, and nothing is said to."""
    expect(page.locator("[data-waiting='0']")).to_be_attached()
    expect(unsaved(page, "not saved yet")).to_have_count(0)


def test_a_variant_edited_while_the_server_is_away_is_kept_over_a_reload(enter: Callable[[str], Page]) -> None:
    page = enter("artist")
    variant = variant_of(page, "barnacle_stone")
    back = take_server_away(page)
    value(page, "Tiling").fill("2,5")
    value(page, "Tiling").press("Enter")
    value(page, "Brightness").fill("1/4 + 1")
    value(page, "Brightness").press("Tab")
    expect(unsaved(page, "2 changes not saved yet")).to_be_visible()
    expect(value(page, "Tiling")).to_have_value("2.5")
    # A proxy's answer is no reason to ask for a password: the page waits for the server, and goes on by itself.
    page.reload()
    expect(page.get_by_role("heading", name="Waiting for the server")).to_be_visible()
    expect(page.get_by_label("Password")).to_have_count(0)
    back()
    expect(value(page, "Brightness")).to_have_value("1.25")
    expect(value(page, "Tiling")).to_have_value("2.5")
    all_saved(page)
    saved = page.request.get(f"/api/variants/{variant}").json()["values"]
    assert saved == {"tiling": 2.5, "brightness": 1.25}
    # Also after the reload each is a step of its own.
    page.get_by_role("button", name="Undo", exact=True).click()
    expect(value(page, "Brightness")).to_have_value("1")
    page.keyboard.press("u")
    expect(value(page, "Tiling")).to_have_value("1")
    page.keyboard.press("Shift+U")
    expect(value(page, "Tiling")).to_have_value("2.5")


def test_a_session_that_ends_asks_for_the_password_over_the_page(enter: Callable[[str], Page]) -> None:
    page = enter("artist")
    variant = variant_of(page, "Sailcloth")
    where = page.url
    # The page would notice by itself, and ask before anything is typed.
    page.route("**/pulse*", lambda route: route.abort())
    page.context.clear_cookies(name="sessionid")
    value(page, "Tiling").fill("3")
    value(page, "Tiling").press("Enter")
    over = page.get_by_role("dialog", name="Sign in again")
    expect(over).to_contain_text("Password of artist")
    over.get_by_label("Password").fill("wrong")
    over.get_by_role("button", name="Sign in and go on").click()
    expect(over.get_by_role("alert")).to_contain_text("Name or password is wrong.")
    over.get_by_label("Password").fill("thistledown")
    over.get_by_role("button", name="Sign in and go on").click()
    expect(over).to_be_hidden()
    assert page.url == where
    expect(value(page, "Tiling")).to_have_value("3")
    all_saved(page)
    assert page.request.get(f"/api/variants/{variant}").json()["values"] == {"tiling": 3}


def test_two_tabs_on_one_set_see_each_other_and_undo_in_one_order(enter: Callable[[str], Page]) -> None:
    first = enter("artist")
    first.goto(f"/projects/tidewheel/sets/{sets_of(first, 'tidewheel')['T_SlipwayPlanks']}")
    second = first.context.new_page()
    second.goto(first.url)
    rows = [page.locator("[data-property=roughness]") for page in (first, second)]
    for row in rows:
        expect(row).not_to_contain_text("nothing yet")
    rows[0].click()
    first.get_by_role("button", name="Clear this row").click()
    expect(rows[1]).to_contain_text("nothing yet")
    second.locator("[data-property=normal]").click()
    second.get_by_role("button", name="Clear this row").click()
    expect(first.locator("[data-property=normal]")).to_contain_text("nothing yet")
    # One person's steps stand in one order, whatever tab they were taken in; any of them can be taken back by itself.
    first.get_by_role("button", name="Steps").click()
    steps = first.get_by_role("dialog").get_by_role("listitem")
    expect(steps.nth(0)).to_contain_text("Normal cleared")
    first.get_by_role("button", name="Undo: Roughness cleared (T_SlipwayPlanks)").click()
    expect(rows[1]).not_to_contain_text("nothing yet")
    first.keyboard.press("Escape")
    second.keyboard.press("u")
    expect(first.locator("[data-property=normal]")).not_to_contain_text("nothing yet")


def test_what_is_removed_comes_back_and_what_is_not_saved_is_not_left_in_silence(enter: Callable[[str], Page]) -> None:
    page = enter("lead")
    name = "Tarred Rope Coil"
    page.goto(f"/projects/tidewheel/sets/{sets_of(page, 'tidewheel')[name]}")
    page.get_by_role("button", name="Remove this set").click()
    page.wait_for_url("**/projects/tidewheel")
    in_list = page.get_by_role("navigation", name="Project").get_by_role("link", name=name)
    expect(in_list).to_have_count(0)
    page.get_by_role("button", name="Steps").click()
    page.get_by_role("button", name=f"Bring back: Removed ({name})").click()
    expect(in_list).to_have_count(1)
    page.keyboard.press("Escape")

    page.get_by_role("link", name="Tolerances").click()
    limit = page.get_by_role("spinbutton", name="Mean normal error at most (°)")
    limit.fill("2,5")
    limit.press("Enter")
    page.get_by_role("link", name="House rules").click()
    asked = page.get_by_role("alertdialog", name="Leave without saving?")
    asked.get_by_role("button", name="Stay").click()
    expect(limit).to_have_value("2.5")
    page.get_by_role("link", name="House rules").click()
    asked.get_by_role("button", name="Leave").click()
    expect(page.get_by_role("heading", name="House rules")).to_be_visible()
    page.get_by_role("link", name="Tolerances").click()
    expect(limit).to_have_value("2.5")
    page.get_by_role("button", name="Discard changes").click()
    expect(limit).to_have_value("2")
