"""Two people at one set, and one person in two browsers."""

from __future__ import annotations

from collections.abc import Callable

from playwright.sync_api import Browser, Locator, Page, expect

from tests.browser.conftest import give_session


def row(page: Page, key: str) -> Locator:
    return page.locator(f"[data-property={key}]")


def elsewhere(browser: Browser, site: str, name: str) -> Page:
    """Another browser with a session of its own."""
    page = browser.new_context(base_url=site, viewport={"width": 1280, "height": 800}).new_page()
    give_session(page, name)
    return page


def test_whoever_was_slower_is_told_and_may_still_have_it_their_way(
    enter: Callable[[str], Page], browser: Browser, site: str
) -> None:
    mine, theirs = enter("lead"), elsewhere(browser, site, "artist")
    # What others do is seen within two seconds: a page that nobody tells of it stands for one that was a moment too slow.
    mine.route("**/pulse*", lambda route: route.abort())
    mine.goto("/projects/tidewheel")
    mine.get_by_role("navigation", name="Project").get_by_role("link", name="Sailcloth").click()
    mine.wait_for_url("**/sets/*")
    theirs.goto(mine.url)
    for page in (mine, theirs):
        expect(row(page, "base_colour")).to_be_visible()

    # They clear a row, and I do not see it yet when I clear another.
    row(theirs, "roughness").click()
    theirs.get_by_role("button", name="Clear this row").click()
    expect(row(theirs, "roughness")).to_contain_text("nothing yet")
    row(mine, "normal").click()
    mine.get_by_role("button", name="Clear this row").click()
    said = mine.get_by_role("alertdialog", name="Somebody else was quicker")
    expect(said).to_contain_text("artist")
    expect(row(mine, "roughness")).to_contain_text("nothing yet")
    expect(row(mine, "normal")).not_to_contain_text("nothing yet")
    said.get_by_role("button", name="Make my change all the same").click()
    expect(row(mine, "normal")).to_contain_text("nothing yet")

    # Undo is of one's own last step, whatever the other one has done since; both are seen by both.
    theirs.get_by_role("button", name="Undo", exact=True).click()
    expect(row(theirs, "roughness")).not_to_contain_text("nothing yet")
    expect(row(theirs, "normal")).to_contain_text("nothing yet")
    mine.unroute("**/pulse*")
    expect(row(mine, "roughness")).not_to_contain_text("nothing yet")
    mine.get_by_role("button", name="Undo", exact=True).click()
    expect(row(theirs, "normal")).not_to_contain_text("nothing yet")
    theirs.context.close()


def test_signing_out_everywhere_ends_the_other_browser_too(enter: Callable[[str], Page], browser: Browser, site: str) -> None:
    here, there = enter("guest"), elsewhere(browser, site, "guest")
    there.goto("/projects/glasshouse-nine")
    expect(there.get_by_role("navigation", name="Project")).to_be_visible()
    here.goto("/account")
    here.get_by_role("button", name="Sign out everywhere").click()
    here.get_by_role("alertdialog").get_by_role("button", name="Sign out everywhere").click()
    expect(here.get_by_role("heading", name="Sign in")).to_be_visible()
    # It asks by itself now and then, and may be at the door already.
    there.goto("/projects/glasshouse-nine/maps")
    expect(there.get_by_role("heading", name="Sign in")).to_be_visible()
    there.context.close()
