"""Sites of which files brought one grain only, from the command line to the console."""

import csv
import re
from datetime import date, timedelta

import pytest
from playwright.sync_api import expect
from tests.running import Live

from noctilum.client import Noctilum
from noctilum.client.errors import ProblemFault
from noctilum.wire.imports import AskImport
from noctilum.wire.setup import NewClient, NewFileSource, NewSite

LAST = date(2026, 3, 15)
DAYS = [LAST - timedelta(n) for n in range(56)]
QUERIES = ("rope walk", "rope walk tickets", "lamp oil")


def rows(columns):
    """56 days of what an agency might have kept; columns name it."""
    for n, day in enumerate(DAYS):
        told = {"clicks": 20 + n % 7, "impressions": 400 + n, "position": "4.5"}
        if columns == "totals":
            yield {"day": day, **told}
        for k, query in enumerate(QUERIES if columns != "totals" else ()):
            page = {"page": f"/halls/{k}"} if columns == "pairs" else {}
            yield {"day": day, "query": query, **page, **told}


@pytest.fixture(scope="module")
def brought(live: Live, tmp_path_factory) -> dict[str, str]:
    """A site each that has only totals, only queries, only queries by page."""
    folder = tmp_path_factory.mktemp("brought")
    with live.client() as noctilum:
        key = noctilum.add_client(NewClient(name="Sheets Alone")).key
        return {columns: bring(noctilum, key, columns, folder) for columns in ("totals", "queries", "pairs")}


def bring(noctilum: Noctilum, client: str, columns: str, folder) -> str:
    host = f"{columns}.sheets.example"
    noctilum.add_site(client, NewSite(host=host))
    source = noctilum.add_file_source(host, NewFileSource(label="kept sheets"))
    path = folder / f"{columns}.csv"
    found = list(rows(columns))
    with path.open("w", newline="") as stream:
        writer = csv.DictWriter(stream, list(found[0]))
        writer.writeheader()
        writer.writerows(found)
    job = noctilum.start_import(source.id, AskImport(uploads=[noctilum.upload(path).id]))
    assert [*noctilum.follow(job)][-1].state == "done"
    return host


def test_queries_alone_have_totals_of_their_own_and_say_so(live, brought):
    with live.client() as noctilum:
        line = noctilum.timeline(brought["queries"])
        found = noctilum.breakdown(brought["queries"], "query")
        assert noctilum.drivers(brought["queries"]).unlisted == 0
    assert line.now.clicks == found.total.now.clicks == sum(row.now.clicks for row in found.rows)
    assert found.unlisted is None
    assert "no totals are held: their queries are summed instead" in " ".join(c.text for c in line.cautions)


@pytest.mark.parametrize(
    ("held", "words", "lacking"),
    [
        ("totals", ("breakdown", "query"), "queries"),
        ("totals", ("fading", "page"), "pages"),
        ("totals", ("within-reach",), "queries by page"),
        ("queries", ("breakdown", "page"), "pages"),
        ("queries", ("overlap",), "queries by page"),
        ("queries", ("life", "page", "/halls/0"), "pages"),
    ],
)
def test_what_no_file_brought_is_refused_with_the_remedy(live, brought, held, words, lacking):
    command, *more = words
    done = live.cli(command, brought[held], *more)
    assert done.returncode == 4
    assert f"grain-not-held: No {lacking} of this site are held." in done.stderr
    assert "import files that list them" in done.stderr


@pytest.mark.parametrize("held", ["totals", "queries", "pairs"])
def test_a_report_and_the_portfolio_take_what_there_is(live, brought, held, tmp_path):
    made = tmp_path / "report.html"
    assert live.cli("report", brought[held], "--to", str(made)).returncode == 0
    text = made.read_text()
    assert ("Top queries" in text) and ("Clicks from search" in text)
    with live.client() as noctilum:
        (row,) = [each for each in noctilum.portfolio().rows if each.host == brought[held]]
    assert (row.attention == "waiting", row.now is None) == (False, False)
    assert row.now.clicks == sum(20 + n % 7 for n in range(28)) * (1 if held == "totals" else len(QUERIES))


def test_the_ledger_shows_the_grain_that_is_held(live, brought):
    with live.client() as noctilum:
        assert {held: noctilum.ledger(host).grain for held, host in brought.items()} == {
            "totals": "site",
            "queries": "query",
            "pairs": "pair",
        }
        assert noctilum.ledger(brought["queries"]).held == len(DAYS)
        with pytest.raises(ProblemFault, match="grain-not-held"):
            noctilum.fading(brought["totals"], "query")


def test_the_console_reads_totals_alone_and_says_what_is_missing(page, live, brought):
    page.goto(f"{live.url}/sites/{brought['totals']}/overview")
    expect(page.get_by_role("img", name="Clicks, impressions")).to_be_visible()
    expect(page.get_by_text("No queries of this site are held.").first).to_be_visible()
    expect(page.get_by_text("No pages of this site are held.").first).to_be_visible()
    expect(page.get_by_role("alert")).to_have_count(0)
    page.goto(f"{live.url}/sites/{brought['pairs']}/queries")
    expect(page.get_by_text("their queries by page are summed instead")).to_be_visible()
    page.goto(f"{live.url}/sites/{brought['pairs']}/held")
    expect(page.get_by_label("Counted for")).to_have_value("pair")


def test_a_site_that_is_not_there_is_said_to_be_so_once(page, live):
    page.goto(f"{live.url}/sites/nowhere.example/places")
    expect(page.get_by_role("heading", name="There is no site nowhere.example")).to_be_visible()
    expect(page.get_by_text("There is no site")).to_have_count(1)
    page.get_by_role("main").get_by_role("link", name="All clients").click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("a look")


def test_a_storyline_is_stepped_as_one_likes_and_the_address_keeps_it(page, live):
    page.goto(f"{live.url}/sites/skerryferries.example/overview?window=P84D&against=none")
    story = page.locator("section", has=page.get_by_role("heading", name="Storyline"))
    steps = story.get_by_label("Steps of the storyline")
    expect(steps).to_have_value("day")
    steps.select_option("week")
    expect(page.get_by_role("img", name="by week")).to_be_visible()
    story.get_by_label("First day of a week").select_option("Sunday")
    expect(page).to_have_url(re.compile("by=week&weeks=sunday"))
    story.get_by_role("button", name="Show as table").click()
    table = story.get_by_role("region", name="Storyline as a table")
    with live.client() as noctilum:
        found = noctilum.timeline(
            "skerryferries.example", window="P84D", against="none", by="week", week_starts="sunday"
        )
    assert {point.start.weekday() for point in found.points[1:]} == {6}
    expect(table.locator("tbody tr")).to_have_count(len(found.points))
    expect(table.get_by_role("row").nth(1)).to_contain_text(f"{found.points[0].held} days of it")
    page.reload()
    expect(steps).to_have_value("week")
    steps.select_option("month")
    expect(page.get_by_role("img", name="by month")).to_be_visible()


def test_what_moved_most_comes_with_its_verdict(page, live):
    page.goto(f"{live.url}/sites/skerryferries.example/overview")
    fallers = page.get_by_role("table").filter(has=page.get_by_role("columnheader", name="Fallers"))
    with live.client() as noctilum:
        found = noctilum.fading("skerryferries.example", "page")
    for mover in found.fallers[:3]:
        expect(fallers.get_by_role("row").filter(has_text=mover.key).first).to_contain_text(mover.verdict)
    told = live.cli("fading", "skerryferries.example", "--movers").stdout
    assert all(mover.key[:40] in told for mover in (*found.fallers, *found.risers))
    assert [m.change.clicks for m in found.risers] == sorted((m.change.clicks for m in found.risers), reverse=True)
