"""Alerts as somebody works with them: looked for, read, seen to, on the command line and in the console."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, expect
from tests.running import Live

from noctilum.wire.breaks import RULES

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


def test_rules_are_listed_switched_narrowed_added_and_brought_back(live: Live):
    every = live.cli("alert-rules")
    assert every.returncode == 0 and "page gone" in every.stdout and "days >= 1" in every.stdout
    off = live.cli("alert-rules", "--off", "odd day")
    assert re.search(r"odd day +off", off.stdout), off.stdout
    narrow = live.cli("alert-rules", "--change", "odd day", "--sites", BLOG, "--lasting", "2")
    assert re.search(rf"odd day +off .*{BLOG} +2", narrow.stdout), narrow.stdout
    assert re.search(r"odd day +on", live.cli("alert-rules", "--on", "odd day").stdout)
    own = ("--add", "channel fell", "--reading", "visits", "--ask", "by=channel", "--window", "P28D", "--about", "key")
    added = live.cli("alert-rules", *own, "--condition", "sessions >= 100 and sessions_relative <= -20%")
    assert re.search(r"channel fell +on +visits", added.stdout), added.stderr
    refused = live.cli("alert-rules", "--add", "other", "--reading", "visits", "--condition", "sessoins > 1")
    assert refused.returncode != 0 and "sessoins" in refused.stderr
    called = live.cli("alarms", BLOG, "--rule", "channel fell")
    assert called.returncode == 0 and "channel fell" in called.stdout, called.stderr
    for name in ("odd day", "channel fell"):
        assert live.cli("alert-rules", "--drop", name).returncode == 0
    with live.client() as noctilum:
        assert noctilum.alert_rules() == [] and len(noctilum.shipped_alert_rules()) == len(RULES)


@pytest.mark.browser
def test_a_rule_is_switched_off_in_the_console_and_brought_back(live: Live, page: Page):
    page.goto(f"{live.url}/alerts")
    page.get_by_text(f"{len(RULES)} rules are asked every night").click()
    page.get_by_role("button", name="Switch off: odd day").click()
    page.get_by_text(f"{len(RULES) - 1} rules are asked every night").wait_for()
    page.get_by_role("button", name="As it ships: odd day").click()
    page.get_by_text(f"{len(RULES)} rules are asked every night").wait_for()
    form = page.get_by_role("form", name="A rule of one’s own")
    for label, text in (("Rule", "mine"), ("Reading", "fading"), ("Calls out where", "clocks > 1")):
        form.get_by_label(label).fill(text)
    form.get_by_role("button", name="Keep").click()
    expect(form.get_by_role("alert").first).to_contain_text("clocks")
    form.get_by_label("Calls out where").fill("clicks > 900")
    form.get_by_role("button", name="Keep").click()
    page.get_by_role("button", name="Take away: mine").click()
    page.get_by_text(f"{len(RULES)} rules are asked every night").wait_for()


@pytest.mark.browser
def test_a_digest_is_chosen_in_the_console(live: Live, page: Page):
    page.goto(f"{live.url}/alerts")
    page.get_by_text("By mail: no digest").click()
    form = page.get_by_role("form", name="A digest by mail")
    form.get_by_label("A digest").click()
    page.get_by_role("option", name="every week").click()
    form.get_by_label("At", exact=True).fill("06:30")
    form.get_by_label("Time zone").fill("Europe/Oslo")
    form.get_by_role("button", name="Keep").click()
    page.get_by_text(re.compile("By mail: the next digest from ")).wait_for()
    with live.client() as noctilum:
        found = noctilum.digest()
        assert (found.every, found.at, found.time_zone, found.weekday) == ("week", "06:30", "Europe/Oslo", "monday")
    assert live.cli("alerts", "--digest", "off").stdout == "no digest is mailed\n"


def test_another_program_is_told_in_the_console_tried_and_taken_away(live: Live, page: Page):
    page.goto(f"{live.url}/alerts")
    page.get_by_text("Other programs: none is told").click()
    form = page.get_by_role("form", name="Another program to be told")
    form.get_by_label("Address").fill("http://127.0.0.1:9/told")
    form.get_by_label("Quiet from").fill("20:00")
    form.get_by_role("button", name="Tell it").click()
    expect(form.get_by_text("a beginning and an end")).to_be_visible()
    form.get_by_label("Quiet to").fill("07:00")
    form.get_by_label("Time zone").fill("Europe/London")
    form.get_by_label("What it is for").fill("The desk")
    form.get_by_label("An alert is over").uncheck()
    form.get_by_role("button", name="Tell it").click()
    expect(form.get_by_role("status")).to_contain_text("shown this once")
    row = page.get_by_role("row").filter(has_text="The desk")
    expect(row).to_contain_text("20:00 to 07:00, Europe/London")
    expect(row).not_to_contain_text("is over")
    row.get_by_role("button", name="Try The desk").click()
    expect(row).to_contain_text("does not answer", timeout=30_000)
    page.on("dialog", lambda asked: asked.accept())
    row.get_by_role("button", name="Take away: The desk").click()
    expect(row).to_have_count(0)
    with live.client() as noctilum:
        assert noctilum.webhooks() == []
