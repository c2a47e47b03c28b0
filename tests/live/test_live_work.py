"""The worklist as people work with it: by keys in the console, on the command line, in the client and a calendar."""

from __future__ import annotations

import re
from datetime import timedelta

import httpx
import pytest
from icalendar import Calendar
from playwright.sync_api import Page, expect
from tests.conftest import TODAY
from tests.running import Live

from noctilum.client.errors import ProblemFault
from noctilum.wire.work import ManyWork, NewWork

SITE, SKERRY, RANKED = "hivewright.example", "skerryferries.example", "umbrapoint.example"
GUIDES = ("/guides/swarm-control", "/guides/varroa-treatment", "/guides/winter-hive")


@pytest.fixture(autouse=True)
def nothing_left(live: Live):
    yield
    with live.client() as noctilum:
        for each in noctilum.work():
            noctilum.drop_work(each.id)


def test_refreshed_guides_came_back_and_a_page_left_alone_did_not(live: Live):
    day = TODAY - timedelta(48)
    with live.client() as noctilum:
        taken = noctilum.take_work(ManyWork(site=SITE, todo="Refresh it", kind="refresh", keys=[*GUIDES, "/shop/wax"]))
        for item in taken.added:
            noctilum.change_work(item.id, state="done", done_on=day)
        found = noctilum.worked(SITE)
        told = {row.key: row.verdict for row in found.rows}
        assert {told[page] for page in GUIDES} == {"better"} and told["/shop/wax"] != "better"
        assert any(each.text == "Of 4 refreshed, 3 came back." for each in found.sentences)
        noted = {note.page for note in noctilum.notes(SITE) if note.first == day and note.origin == "worklist"}
        assert noted == {*GUIDES, "/shop/wax"}
    said = live.cli("worked", SITE, "--only", "better").stdout
    assert all(page in said for page in GUIDES) and "/shop/wax" not in said
    german = live.get(f"/sites/{SITE}/worked?language=de").json()
    assert any(each["text"] == "Von 4 aufgefrischten kamen 3 zurück." for each in german["sentences"])


def test_a_keyword_is_read_on_its_rank_beside_the_others(live: Live):
    day = TODAY - timedelta(34)
    with live.client() as noctilum:
        term = noctilum.keywords(RANKED)[0].term
        item = noctilum.take_work(ManyWork(site=RANKED, todo="Link to it", of="keyword", keys=[term])).added[0]
        noctilum.change_work(item.id, state="done", done_on=day)
        (row,) = noctilum.worked(RANKED).rows
    assert (row.read_on, row.verdict) == ("rank", "no effect can be shown")
    assert row.rank_before is not None and row.rank_now is not None
    said = live.cli("worked", RANKED).stdout
    assert "rank before" in said and term in said


def test_an_item_goes_from_the_command_line_to_a_calendar(live: Live, tmp_path):
    done = live.cli(
        *("work", SITE, "--add", "Let one page answer it", "--query", "bee smoker", "hive tool"),
        *("--why", "two pages overlap", "--due", "2026-04-01", "--owner", "ines@tallowlane.example"),
    )
    assert done.returncode == 0 and "bee smoker" in done.stdout and "2026-04-01" in done.stdout
    again = live.cli("work", SITE, "--add", "Let one page answer it", "--query", "bee smoker")
    assert "on the list already" in again.stderr
    with live.client() as noctilum:
        first, second = sorted(noctilum.work(SITE), key=lambda each: each.id)
    assert "overdue" not in done.stdout and first.baseline is not None and first.baseline.clicks > 0
    assert live.cli("work", SITE, "--done", str(first.id), "--on", "2026-03-02").returncode == 0
    refused = live.cli("work", SITE, "--drop", str(second.id))
    assert refused.returncode and "with a reason" in refused.stderr
    assert live.cli("work", SITE, "--drop", str(second.id), "--reason", "nobody asks").returncode == 0
    assert "Nothing of the kind" in live.cli("work", SITE).stdout
    path = tmp_path / "work.ics"
    live.cli("work", SITE, "--state", "all", "--ics", str(path))
    states = {str(each["summary"]): str(each["status"]) for each in Calendar.from_ical(path.read_bytes()).walk("VTODO")}
    assert states == {
        "Let one page answer it (bee smoker)": "COMPLETED",
        "Let one page answer it (hive tool)": "CANCELLED",
    }


def test_a_calendar_reads_ones_open_items_without_signing_in(live: Live):
    with live.client() as noctilum:
        noctilum.add_work(NewWork(site=SITE, of="site", todo="Mine", owner="ines@tallowlane.example"))
        address = noctilum.calendar_address()
        answer = httpx.get(address, timeout=30)
        assert answer.status_code == 200 and answer.headers["content-type"].startswith("text/calendar")
        assert [str(each["summary"]) for each in Calendar.from_ical(answer.content).walk("VTODO")] == [f"Mine ({SITE})"]
        noctilum.calendar_address()
        assert httpx.get(address, timeout=30).status_code == 404


def test_what_somebody_else_changed_meanwhile_is_not_overwritten(live: Live):
    with live.client() as noctilum:
        seen = noctilum.add_work(NewWork(site=SITE, of="page", key="/shop/wax", todo="Refresh it"))
        noctilum.change_work(seen.id, state="doing")
        with pytest.raises(ProblemFault) as caught:
            noctilum.change_work(seen.id, seen=seen, state="dropped", reason="x")
        assert caught.value.code == "changed-meanwhile"


@pytest.mark.browser
def test_a_finding_becomes_work_with_one_key_and_the_work_is_done_in_the_list(live: Live, page: Page):
    page.goto(f"{live.url}/sites/{SITE}/pages")
    rows = page.locator("tr[data-key]")
    expect(rows.first).to_be_visible()
    keys = [rows.nth(n).get_attribute("data-key") for n in range(3)]
    for key in ("j", "x", "j", "j", "x", "w"):
        page.keyboard.press(key)
    dialog = page.get_by_role("dialog", name="Put on the worklist")
    expect(dialog.get_by_label("What to do")).to_be_focused()
    expect(dialog).to_contain_text("2 rows of this view")
    page.keyboard.type("Refresh it")
    dialog.get_by_role("button", name="Put on the list").click()
    expect(page.get_by_text("2 items put on the worklist.")).to_be_visible()
    page.get_by_role("status").get_by_role("link", name="Worklist").click()
    expect(page.get_by_role("heading", name="2 items to do")).to_be_visible()
    page.get_by_role("button", name=f"Begin: {keys[0]}", exact=True).click()
    expect(page.locator(f'tr[data-key="{keys[0]}"]')).to_contain_text("in hand")
    page.get_by_role("button", name=f"Done: {keys[0]}", exact=True).click()
    page.get_by_label("On", exact=True).fill("2026-02-02")
    page.get_by_role("button", name="Done", exact=True).last.click()
    expect(page.get_by_role("heading", name="1 item to do")).to_be_visible()
    page.get_by_role("group", name="Which items").get_by_role("button", name="Done").click()
    expect(page.get_by_role("row").filter(has_text=re.compile("done (2 Feb|Feb 2)"))).to_contain_text(keys[0])
    with live.client() as noctilum:
        (done,) = noctilum.work(SITE, state="done")
        assert (done.key, str(done.done_on), done.todo) == (keys[0], "2026-02-02", "Refresh it")
        (left,) = noctilum.work(SITE, state="open")
        assert left.key == keys[2]


@pytest.mark.browser
def test_an_idea_is_tracked_with_one_key(live: Live, page: Page):
    page.goto(f"{live.url}/sites/{SITE}/read/ideas?rows_word=hive&rows_only=new")
    row = page.locator("tr[data-key]").first
    expect(row).to_be_visible()
    term = row.get_attribute("data-key")
    page.keyboard.press("j")
    page.keyboard.press("t")
    expect(page.get_by_text("1 keyword is tracked now.")).to_be_visible()
    expect(page.locator(f'tr[data-key="{term}"]')).to_have_count(0)
    with live.client() as noctilum:
        (kept,) = [each for each in noctilum.keywords(SITE) if each.term == term]
        noctilum.drop_keyword(kept.id)


@pytest.fixture
def no_trials(live: Live):
    with live.client() as noctilum:
        known = {each.id for each in noctilum.trials()}
        yield
        for each in noctilum.trials():
            if each.id not in known:
                noctilum.drop_trial(each.id)


def test_a_trial_is_planned_and_read_on_the_command_line(live: Live, no_trials):
    site, pages = SITE, GUIDES
    could = live.cli("trial-plan", site, *pages)
    assert could.returncode == 0 and "in four of five cases" in could.stdout
    starts = str(TODAY - timedelta(47))
    added = live.cli(
        *("trials", site, "--add", "Other titles", "--treated", *pages, "--starts", starts),
        *("--what", "a question in the title"),
    )
    assert added.returncode == 0 and "Other titles" in added.stdout
    with live.client() as noctilum:
        (kept,) = [each for each in noctilum.trials(site) if each.name == "Other titles"]
    said = live.cli("trial", site, str(kept.id)).stdout
    assert "against the control" in said and "2026-02-01  after" in said
    noted = live.cli("trials", site, "--log", str(kept.id), "both went live", "--on", starts)
    assert noted.returncode == 0
    with live.client() as noctilum:
        (kept,) = [each for each in noctilum.trials(site) if each.name == "Other titles"]
        assert [(str(line.day), line.text) for line in kept.log] == [(starts, "both went live")]
        found = noctilum.trial(site, kept.id)
        assert found.state == "read" and found.low < found.effect < found.high and found.effect > 0.3
    refused = live.cli("trials", site, "--add", "x", "--treated", "/a", "--control", "/a", "--starts", starts)
    assert refused.returncode and "treated and control at once" in refused.stderr


@pytest.mark.browser
def test_a_trial_is_planned_in_the_console_with_the_controls_it_suggests(live: Live, page: Page, no_trials):
    page.goto(f"{live.url}/sites/northloft.example/trials")
    form = page.get_by_role("region", name="Plan one")
    form.get_by_label("Name").fill("Longer halls")
    form.get_by_label("Treated, one a line").fill("/collections/rope")
    form.get_by_role("button", name="What could it show?").click()
    expect(form.get_by_text("in four of five cases")).to_be_visible()
    take = form.get_by_role("button", name="Take these as the control")
    expect(take.or_(form.get_by_text("Nothing moves alike"))).to_be_visible()
    if take.is_visible():
        take.click()
    form.get_by_label("First day with the change").fill("2026-04-01")
    form.get_by_role("button", name="Plan", exact=True).click()
    page.get_by_role("button", name="Longer halls", exact=True).click()
    planned = page.get_by_role("region", name="Longer halls")
    expect(planned.get_by_text("It begins on")).to_be_visible()
    expect(planned.get_by_role("img", name=re.compile("Treated clicks"))).to_be_visible()
    page.once("dialog", lambda asked: asked.accept())
    planned.get_by_role("button", name="Delete: Longer halls").click()
    expect(planned).to_have_count(0)
