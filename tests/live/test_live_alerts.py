"""Alerts as somebody works with them: looked for, read, seen to, on the command line and in the console."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect
from tests.running import Live

BLOG, SKERRY = "blog.hivewright.example", "skerryferries.example"


def test_a_deleted_page_calls_out_on_its_first_complete_day_and_not_before(live: Live):
    told = live.cli("alarms", SKERRY, "--on", "2026-02-28").stdout
    assert "/freight/livestock has not been shown since 28 February 2026" in told and "page gone" in told
    assert "Nothing calls out" in live.cli("alarms", SKERRY, "--on", "2026-02-27", "--rule", "page gone").stdout
    silent = live.cli("silent", SKERRY, "page").stdout
    assert "/freight/livestock" in silent
    assert "were to be expected" in live.cli("slump", SKERRY).stdout
    assert "Quillon" in live.cli("feeds", SKERRY).stdout


def test_alerts_are_looked_for_read_and_seen_to(live: Live, page: Page):
    looked = live.cli("alerts", BLOG, "--look")
    assert looked.returncode == 0, looked.stderr
    # its day is told to within one, by what is held when it is looked for
    assert "counting broke" in looked.stdout and re.search("Counting stopped on [2-4] March 2026", looked.stdout)
    assert "Das Zählen endete am" in live.cli("alerts", BLOG, "--language", "de").stdout
    page.goto(f"{live.url}/alerts?site={BLOG}")
    row = page.get_by_role("row").filter(has_text="Counting stopped on")
    expect(row).to_contain_text("almost certain")
    row.get_by_role("button", name="Seen").click()
    expect(row).to_contain_text("seen")
    row.get_by_role("button", name="Mute: counting broke").click()
    row.get_by_role("button", name="Mute", exact=True).click()
    expect(row.get_by_role("textbox", name="Reason")).to_be_focused()
    row.get_by_role("textbox", name="Reason").fill("The old blog is not counted any more.")
    row.get_by_role("button", name="Mute", exact=True).click()
    expect(row).to_have_count(0)
    page.get_by_role("button", name="Muted").click()
    muted = page.get_by_role("row").filter(has_text="The old blog is not counted any more.")
    muted.get_by_role("button", name="Let it call again").click()
    page.get_by_role("button", name="Calling").click()
    expect(page.get_by_role("row").filter(has_text="Counting stopped on")).to_be_visible()
    with live.client() as noctilum:
        (found,) = [each for each in noctilum.alerts(BLOG) if each.rule == "counting broke"]
        assert noctilum.see_to_alert(found.id, "acknowledged").by
    refused = live.cli("alerts", "--snooze", str(found.id))
    assert refused.returncode and "until a day" in refused.stderr
    later = live.cli("alerts", BLOG, "--snooze", str(found.id), "--until", "2026-04-01", "--state", "snoozed")
    assert "snoozed until 2026-04-01" in later.stdout
    assert "counting broke" in live.cli("alerts", BLOG, "--reopen", str(found.id)).stdout
    assert live.cli("alerts", "--acknowledge", "99999").returncode


def test_a_fleet_that_did_not_move_at_once_is_said_to_be_quiet(live: Live):
    told = live.cli("fleet")
    assert told.returncode == 0 and "No day since" in told.stdout
    with live.client() as noctilum:
        found = noctilum.fleet()
    assert found.events == [] and found.sites > 3
