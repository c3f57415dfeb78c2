"""A guest looks and cannot build; nobody sees a project that is not theirs."""

from __future__ import annotations

from collections.abc import Callable

from playwright.sync_api import Page, expect

from tests.browser.conftest import open_from_the_side


def test_a_guest_looks_and_cannot_build(enter: Callable[[str], Page]) -> None:
    page = enter("guest")
    expect(page.get_by_text("Glasshouse Nine")).to_be_visible()
    expect(page.get_by_text("Tidewheel")).to_have_count(0)
    page.get_by_text("Glasshouse Nine").click()
    open_from_the_side(page, "fern_planter")
    expect(page.get_by_role("grid", name="Ledger")).to_contain_text("fern_planter_BaseColor.png")
    for name in ("Build", "Undo", "Clear this row"):
        expect(page.get_by_role("button", name=name, exact=True)).to_have_count(0)
    page.keyboard.press("b")
    page.get_by_role("navigation", name="Project").get_by_role("link", name="Arrivals").click()
    expect(page.get_by_text("takes the role artist")).to_be_visible()
    expect(page.get_by_role("button", name="Choose files")).to_have_count(0)
    # Asked for behind the page's back, the server refuses all the same.
    answer = page.evaluate(
        """async () => {
            const board = await (await fetch('/api/projects/glasshouse-nine/board')).json();
            const token = document.cookie.match(/csrftoken=([^;]+)/)[1];
            const asked = await fetch(`/api/sets/${board.sets[0].id}/builds`, {
                method: 'POST',
                headers: { 'X-CSRFToken': token, 'Content-Type': 'application/json' },
                body: JSON.stringify({ target: 'orbit-desktop' }),
            });
            return [asked.status, (await asked.json()).problem];
        }"""
    )
    assert answer[0] == 403 and "artist" in answer[1]


def test_nobody_sees_a_project_that_is_not_theirs(enter: Callable[[str], Page]) -> None:
    page = enter("guest")
    page.goto("/projects/tidewheel")
    expect(page.get_by_role("heading", name="Not here")).to_be_visible()
    expect(page.get_by_text("Sailcloth")).to_have_count(0)
    page.get_by_role("button", name="Sign out").click()
    expect(page.get_by_role("heading", name="Sign in")).to_be_visible()
    page.goto("/projects/glasshouse-nine")
    expect(page.get_by_role("heading", name="Sign in")).to_be_visible()


def test_the_form_says_what_is_wrong_and_lets_the_right_password_in(page: Page) -> None:
    page.goto("/")
    page.get_by_label("Name").fill("guest")
    page.get_by_label("Password").fill("no")
    page.get_by_role("button", name="Sign in").click()
    expect(page.get_by_role("alert")).to_contain_text("Name or password is wrong")
    page.get_by_label("Password").fill("thistledown")
    page.get_by_role("button", name="Sign in").click()
    expect(page.get_by_role("heading", name="Projects")).to_be_visible()
