"""Targets as people work with them: on the command line, in the client, in a report, and set in the console."""

from __future__ import annotations

import re
from datetime import timedelta

import pytest
from playwright.sync_api import Page, expect
from tests.conftest import TODAY
from tests.running import Live

from noctilum.client.errors import ProblemFault
from noctilum.wire.alert_rules import NewAlertRule
from noctilum.wire.reports import NewReport

SITE = "skerryferries.example"


@pytest.fixture(autouse=True)
def as_before(live: Live):
    with live.client() as noctilum:
        known = {each.id for each in noctilum.targets()}
    yield
    with live.client() as noctilum:
        for each in noctilum.targets():
            if each.id not in known:
                noctilum.drop_target(each.id)


def test_a_target_is_set_read_changed_and_dropped_on_the_command_line(live: Live):
    by, starts = str(TODAY + timedelta(70)), str(TODAY - timedelta(50))
    made = live.cli("targets", SITE, "--add", "Far off", "--value", "90000", "--starts", starts, "--by", by)
    assert made.returncode == 0 and "Far off" in made.stdout, made.stderr
    with live.client() as noctilum:
        (kept,) = [each for each in noctilum.targets(SITE) if each.name == "Far off"]
        read = noctilum.target(SITE, kept.id)
        timeline = noctilum.timeline(SITE, window=f"{TODAY - timedelta(78)}/{TODAY - timedelta(51)}")
        assert read.course == "behind" and read.base == pytest.approx(timeline.now.clicks, rel=0.01)
        (row,) = [each for each in noctilum.course(SITE).rows if each.number == kept.id]
        assert (row.now, row.path, row.gap) == (read.now, read.path, read.gap)
    told = live.cli("target", SITE, str(kept.id)).stdout
    assert "It is behind" in told and "no year is held" in told and by in told
    assert "zurück" in live.get(f"/sites/{SITE}/targets/{kept.id}?language=de").json()["sentences"][0]["text"]
    changed = live.cli("targets", SITE, "--change", str(kept.id), "--value", "95000", "--name", "Farther off")
    assert "95,000" in changed.stdout and "Farther off" in changed.stdout
    assert "Farther off" not in live.cli("targets", SITE, "--drop", str(kept.id)).stdout


@pytest.mark.parametrize(
    ("said", "why"),
    [
        (("--value", "5"), "--by"),
        (("--value", "5", "--by", str(TODAY + timedelta(1))), "7 to 1098 days"),
        (("--value", "5", "--by", "2026-09-01", "--filter", "clicks > 3"), "rows as they were counted"),
        (("--value", "5", "--by", "2026-09-01", "--filter", 'set "Nowhere"'), "no set 'Nowhere'"),
        (("--value", "5", "--by", "2026-09-01", "--metric", "top10", "--filter", "brand"), "narrowed by a tag"),
    ],
)
def test_what_cannot_be_a_target_is_refused_with_what_to_do(live: Live, said, why):
    refused = live.cli("targets", SITE, "--add", "Refused", *said)
    assert refused.returncode and why in refused.stderr
    with live.client() as noctilum:
        assert not [each for each in noctilum.targets(SITE) if each.name == "Refused"]


def test_two_who_change_one_at_once_are_told(live: Live):
    with live.client() as noctilum:
        kept = noctilum.targets(SITE)[0]
        noctilum.change_target(kept.id, seen=kept, value=kept.value + 1)
        with pytest.raises(ProblemFault):
            noctilum.change_target(kept.id, seen=kept, value=5)
        noctilum.change_target(kept.id, value=kept.value)


def test_a_report_has_the_targets_and_a_rule_may_call_out_on_them(live: Live):
    with live.client() as noctilum:
        report = noctilum.add_report(NewReport(site=SITE, name="With targets", template="Monthly search report"))
        draft = noctilum.draft(report.id)
        text = noctilum.edition_file(draft.id, "html").decode()
        assert re.search(r"Clicks by Easter.*behind", text, re.S)
        noctilum.drop_report(report.id)
        named = {"name": "off course", "reading": "course", "condition": 'course is "behind"', "key": "name"}
        rule = noctilum.add_alert_rule(NewAlertRule.model_validate(named))
        try:
            told = live.cli("alarms", SITE, "--rule", "off course").stdout
            assert "Clicks by Easter" in told
        finally:
            noctilum.drop_alert_rule(rule.id)


@pytest.mark.browser
def test_a_target_is_set_in_the_console_and_its_way_drawn(live: Live, page: Page):
    page.goto(f"{live.url}/sites/{SITE}/targets")
    expect(page.get_by_role("img", name=re.compile("beside its path"))).to_be_visible()
    form = page.get_by_role("region", name="Set one")
    form.get_by_label("Name").fill("Ranks of the year")
    form.get_by_label("Figure", exact=True).click()
    page.get_by_role("option", name="Keywords in the top 10").click()
    expect(form.get_by_label("Only keywords with this tag")).to_be_visible()
    form.get_by_label("To reach").fill("40")
    form.get_by_label("To be reached by").fill("2026-12-31")
    form.get_by_label("First day of the way").fill("2026-02-01")
    form.get_by_role("button", name="Set it").click()
    page.get_by_role("button", name="Ranks of the year", exact=True).click()
    one = page.get_by_role("region", name="Ranks of the year")
    expect(one.get_by_text("where the path has")).to_be_visible()
    one.get_by_text("The same as a table").click()
    expect(one.get_by_role("columnheader", name="path")).to_be_visible()
    page.goto(f"{live.url}/sites/{SITE}")
    expect(page.get_by_role("link", name="Ranks of the year")).to_be_visible()
    page.get_by_role("link", name="Ranks of the year").click()
    page.once("dialog", lambda asked: asked.accept())
    page.get_by_role("button", name="Delete: Ranks of the year").click()
    expect(page.get_by_role("button", name="Ranks of the year", exact=True)).to_have_count(0)
