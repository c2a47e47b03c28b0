"""The monthly check as people go through it: by keyboard alone to the signed-off report, and on the command line."""

from __future__ import annotations

import re

import httpx
import pytest
from playwright.sync_api import Page, expect
from tests.running import Live

SITE, CLIENT = "hivewright.example", "hivewright"


@pytest.fixture
def report(live: Live):
    """A report of the site that is drafted for the last whole month."""
    asked = {"headers": {"Authorization": f"Bearer {live.token}"}, "timeout": 60}
    made = httpx.post(
        f"{live.url}/api/v1/reports",
        json={"site": SITE, "template": "One page for the board", "name": "February in one page"},
        **asked,
    )
    assert made.status_code == 201, made.text
    yield made.json()["id"]
    httpx.delete(f"{live.url}/api/v1/reports/{made.json()['id']}", **asked)
    with live.client() as noctilum:
        for step in ("change", "fading", "work", "keywords", "outcomes", "commentary", "report"):
            noctilum.see_to_month(CLIENT, step, done=False)
        for each in noctilum.work():
            noctilum.drop_work(each.id)


@pytest.mark.browser
def test_a_month_is_gone_through_by_keyboard_to_the_signed_off_report(live: Live, page: Page, report: int):
    page.goto(f"{live.url}/sites/{SITE}/overview")
    page.get_by_role("heading", level=1).first.wait_for()
    keys = page.keyboard
    keys.press("g")
    keys.press("1")
    expect(page.get_by_role("heading", level=1)).to_have_text("February 2026: Hivewright")
    expect(page.get_by_role("heading", level=2)).to_have_text("What changed, and why")
    page.get_by_role("table").first.wait_for()
    keys.press("n")
    expect(page.get_by_role("heading", level=2)).to_have_text("Fading pages")
    page.locator(".main tr[data-key] th a").first.wait_for()
    keys.press("j")
    keys.press("w")
    page.get_by_role("textbox", name="What to do").wait_for()
    keys.type("Look at what left it")
    keys.press("Enter")
    expect(page.get_by_role("dialog")).to_be_hidden()
    with live.client() as noctilum:
        assert [item.todo for item in noctilum.work(SITE)] == ["Look at what left it"]
    step = page.locator("[aria-current=step]")
    keys.press("n")
    expect(step).to_contain_text("What came of the work")
    while "Commentary" not in step.inner_text():
        before = step.inner_text()
        keys.press("n")
        expect(step).not_to_have_text(before)
    page.get_by_role("button", name=re.compile("^Draft February")).wait_for()
    keys.press("d")
    field = page.get_by_label(re.compile("^Summary"))
    field.wait_for()
    keys.press("c")
    expect(field).to_be_focused()
    keys.press("Control+End")
    keys.press("Enter")
    keys.type("We refresh two guides in March.")
    keys.press("Tab")
    keys.press("Enter")
    expect(page.get_by_role("button", name="Save the summary")).to_be_disabled()
    page.evaluate("document.activeElement.blur()")
    keys.press("n")
    expect(page.get_by_role("heading", level=2).first).to_have_text("Sign the report off")
    expect(page.get_by_text("signs it off as it stands below")).to_be_visible()
    keys.press("a")
    expect(page.get_by_text("gone through, ")).to_be_visible()
    with live.client() as noctilum:
        month = noctilum.month(CLIENT)
        assert month.next is None and month.through_at is not None
        assert [(each.site, each.state) for each in month.editions] == [(SITE, "approved")]
        assert {each.by for each in month.steps if each.done} == {"ines@tallowlane.example"}
    page.goto(f"{live.url}/sites/{SITE}/monthly")
    expect(page.get_by_text("gone through, ")).to_be_visible()
    page.goto(live.url)
    expect(
        page.get_by_text(re.compile(r"Monthly check of February 2026: 1 of \d+ clients are through"))
    ).to_be_visible()


def test_months_are_read_and_noted_on_the_command_line(live: Live):
    every = live.cli("monthly")
    assert every.returncode == 0 and re.search(r"hivewright +2026-02 +0 of \d", every.stdout), every.stdout
    done = live.cli("monthly", CLIENT, "--done", "fading")
    assert re.search(r"fading +gone through +\d{4}-\d\d-\d\d +ines@tallowlane.example", done.stdout), done.stdout
    assert "gone through" not in live.cli("monthly", CLIENT, "--month", "2026-01").stdout
    undone = live.cli("monthly", CLIENT, "--undo", "fading")
    assert "gone through" not in undone.stdout
    later = live.cli("monthly", CLIENT, "--month", "2031-01")
    assert later.returncode != 0 and "still to come" in later.stderr
