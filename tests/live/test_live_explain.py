"""The readings that explain, asked of the running service through its client, its CLI and HTTP."""

import json

import pytest
from tests.running import Live

from noctilum.client import to_rows
from noctilum.client.errors import ProblemFault

SITE = "skerryferries.example"


@pytest.fixture
def client(live: Live):
    with live.client() as found:
        yield found


def test_a_part_of_the_change_names_the_queries_that_make_it(live):
    with live.client() as noctilum:
        whole = noctilum.drivers(SITE, most=200)
        for part in ("demand", "rank", "appeal", "entered", "left"):
            found = noctilum.drivers(SITE, most=200, driver=part)
            sizes = [abs(getattr(row, part)) for row in found.movers]
            assert sizes == sorted(sizes, reverse=True)
            assert all(sizes)
            assert getattr(found, part) == getattr(whole, part)
            if len(found.movers) < 200:
                assert sum(getattr(row, part) for row in found.movers) == pytest.approx(getattr(whole, part), abs=0.01)
        refused = live.get(f"/sites/{SITE}/drivers?driver=unlisted")
    assert refused.status_code == 400


def test_a_report_is_narrowed_by_a_filter_in_every_block(live):
    with live.client() as noctilum:
        text = noctilum.report(SITE, format="html", filter='path starts "/timetables/"').decode()
        clicks = noctilum.timeline(SITE, filter='path starts "/timetables/"').now.clicks
    assert f"The site drew {clicks:,} clicks" in text
    assert "Only what passes: path starts &#34;/timetables/&#34;" in text
    assert "/freight/" not in text.split("<body>")[1].replace("Freight section moved", "")
    assert "/timetables/ronsay" in text


def test_a_crossing_by_month_is_the_timeline_taken_apart(live):
    with live.client() as noctilum:
        months = noctilum.timeline(SITE, window="P84D", against="none", by="month")
        crossed = noctilum.cross(SITE, "device", "month", window="P84D")
        mobile = noctilum.timeline(SITE, window="P84D", against="none", by="month", device="mobile")
        words = noctilum.cross(SITE, "query", "month", window="P84D", limit=3)
        first = noctilum.timeline(SITE, window="P84D", against="none", by="month", query=words.rows[0].key)
    assert crossed.columns == [f"{point.start:%Y-%m}" for point in months.points]
    assert [cell.clicks for cell in crossed.total] == [point.clicks for point in months.points]
    row = next(row for row in crossed.rows if row.key == "mobile")
    assert [cell.impressions for cell in row.cells] == [point.impressions for point in mobile.points]
    assert [cell.impressions for cell in words.rows[0].cells] == [point.impressions or 0 for point in first.points]
    assert words.rows[0].total.impressions >= words.rows[1].total.impressions


def test_the_profile_of_a_week_adds_up_to_the_window(live):
    with live.client() as noctilum:
        week = noctilum.weekdays(SITE, window="P84D", against="none")
        line = noctilum.timeline(SITE, window="P84D", against="none")
    assert [row.weekday for row in week.rows] == list(range(7))
    assert sum(row.days for row in week.rows) == line.window.counted
    assert sum(row.now.clicks for row in week.rows) == line.now.clicks
    assert sum(row.now.impressions for row in week.rows) == line.now.impressions
    mondays = [point.clicks for point in line.points if point.start.weekday() == 0 and point.clicks is not None]
    assert week.rows[0].now.clicks == sum(mondays)
    assert week.rows[0].clicks_a_day == pytest.approx(sum(mondays) / len(mondays), abs=0.001)


def test_mobile_and_desktop_have_the_figures_of_the_filtered_breakdowns(live):
    with live.client() as noctilum:
        gap = noctilum.device_gap(SITE, limit=5)
        for row in gap.rows:
            for device, mine in (("mobile", row.mobile), ("desktop", row.desktop)):
                found = noctilum.breakdown(SITE, "query", device=device, find=row.query, against="none", limit=500)
                assert next(each.now for each in found.rows if each.key == row.query) == mine
            assert (row.gap > 0) == (row.worse == "mobile")
    assert gap.matching > 5


def test_what_is_passed_over_is_missing_what_the_curve_expects(live):
    with live.client() as noctilum:
        found = noctilum.unclicked(SITE, window="P90D", limit=1000)
    assert found.missing == pytest.approx(sum(row.missing for row in found.rows), abs=0.01 * max(1, found.matching))
    assert all(row.figures.clicks <= row.expected / 2 for row in found.rows)
    assert not any("skerry" in row.query for row in found.rows)


def test_the_deleted_page_tops_the_fading_list_with_left(client):
    found = client.fading(SITE)
    top = found.rows[0]
    assert (top.key, top.verdict, top.gone) == ("/freight/livestock", "fading", True)
    assert top.reason == f"left: last shown on {top.last_shown:%-d %B %Y}"
    assert found.net == pytest.approx(found.gained + found.lost)
    assert sum(each.change for each in found.verdicts) == pytest.approx(found.net, abs=0.01)
    parts = ("demand", "rank", "appeal", "entered", "left", "unlisted")
    for row in found.rows:
        assert sum(getattr(row, part) for part in parts) == pytest.approx(row.change.clicks, abs=0.01)


def test_every_page_has_one_verdict(client):
    listed = client.fading(SITE, limit=500).rows
    assert [row.beyond_season for row in listed] == sorted(row.beyond_season for row in listed)
    assert all(row.beyond_site >= row.change.clicks - 0.001 for row in listed)
    counts = {each.verdict: each.rows for each in client.fading(SITE).verdicts}
    for verdict, rows in counts.items():
        assert client.fading(SITE, verdict=[verdict], limit=1).matching == rows
    every = client.fading(SITE, verdict=list(counts), limit=500)
    assert every.matching == sum(counts.values()) == len(client.breakdown(SITE, "page", limit=500).rows)


def test_a_window_hardly_held_can_tell_nothing(client):
    found = client.fading(SITE, against="year")
    assert {each.verdict for each in found.verdicts if each.rows} == {"too few to tell"}
    assert any(c.code == "comparison-not-held" for c in found.cautions)


def test_a_filter_narrows_every_reading_alike(client):
    text = 'page starts "/timetables/" and not brand'
    line = client.timeline(SITE, filter=text)
    for dimension in ("query", "page", "country", "device"):
        found = client.breakdown(SITE, dimension, filter=text, limit=1000)
        assert found.total.now == line.now
        assert found.unlisted is None
        assert found.filter_text == text
    drivers = client.drivers(SITE, filter=text)
    assert (drivers.now, drivers.before) == (line.now, line.before)
    assert client.fading(SITE, "query", filter=text, verdict=["holding"]).matching >= 0


def test_filters_on_one_dimension_and_across_agree(client):
    """The same rows, asked so that ids are looked for, and so that every row is tried."""
    pushed = client.breakdown(SITE, "country", filter="device is mobile and query has ferry")
    tried = client.breakdown(SITE, "country", filter="not (device is not mobile or not query has ferry)")
    assert [row.model_dump() for row in pushed.rows] == [row.model_dump() for row in tried.rows]
    assert pushed.total == tried.total


@pytest.mark.parametrize("text", ["device is tablet", "device is mobile and country in (GB, NO)", 'page starts "/i"'])
@pytest.mark.parametrize("dimension", ["query", "page", "country"])
def test_rows_rest_outside_and_unlisted_are_the_total_under_any_filter(client, text, dimension):
    found = client.breakdown(SITE, dimension, filter=f"{text} and clicks >= 3", limit=4)
    parts = [row.now for row in found.rows]
    parts += [part.now for part in (found.rest, found.outside, found.unlisted) if part]
    for name in ("clicks", "impressions"):
        assert sum(getattr(part, name) for part in parts) == getattr(found.total.now, name)
    assert all(row.now.clicks >= 3 for row in found.rows)


def test_brand_and_not_brand_are_all_listed_queries(client):
    whole = client.breakdown(SITE, "query")
    parts = [client.breakdown(SITE, "query", filter=text).total.now for text in ("brand", "not brand")]
    assert sum(part.clicks for part in parts) == whole.total.now.clicks - whole.unlisted.now.clicks


def test_merged_windows_are_the_merge_of_readings(client):
    halves = [client.breakdown(SITE, "query", window=w, against="none", limit=1000) for w in ("2026-01", "2026-02")]
    both = client.breakdown(SITE, "query", window="2026-01-01/2026-02-28", against="none", limit=1000)
    merged: dict[str, int] = {}
    for half in halves:
        for row in half.rows:
            merged[row.key] = merged.get(row.key, 0) + row.now.impressions
    assert {row.key: row.now.impressions for row in both.rows} == merged


def test_what_is_within_reach_is_summed_by_page(client):
    found = client.within_reach(SITE, limit=1000)
    assert found.gain == pytest.approx(sum(row.gain for row in found.rows), abs=0.5)
    by_page: dict[str, float] = {}
    for row in found.rows:
        assert 3.5 < row.figures.position <= 20.5
        assert "skerry ferries" not in row.query
        by_page[row.page] = by_page.get(row.page, 0.0) + row.gain
    for page in found.pages:
        assert page.gain == pytest.approx(by_page[page.page], abs=0.1)
    rates = [point.rate for point in found.curve]
    assert rates == sorted(rates, reverse=True)


def test_overlap_shares_and_turns_hold_together(client):
    found = client.overlap(SITE, limit=20)
    assert found.rows
    for row in found.rows:
        assert len(row.pages) >= 2
        assert sum(page.share for page in row.pages) <= 1 + 1e-9
        assert sum(page.days_led for page in row.pages) <= row.days_seen
        assert row.switches < row.days_seen
        assert row.earns_more in {page.page for page in row.pages}


def test_clusters_hold_every_listed_query_once(client):
    found = client.clusters(SITE, page="/timetables/ronsay", limit=1000)
    assert sum(row.size for row in found.rows) == found.queries
    listed = client.breakdown(SITE, "query", page="/timetables/ronsay")
    assert sum(row.now.impressions for row in found.rows) == (
        listed.total.now.impressions - listed.unlisted.now.impressions
    )


def test_quarters_and_weeks_add_up_to_the_days(client):
    days = client.timeline(SITE, window="2026-01-01/2026-02-28", against="none")
    for given in ({"by": "quarter"}, {"by": "week", "week_starts": "sunday"}):
        wide = client.timeline(SITE, window="2026-01-01/2026-02-28", against="none", **given)
        assert sum(point.clicks for point in wide.points) == days.now.clicks
    sundays = client.timeline(SITE, window="2026-02-01/2026-02-28", by="week", week_starts="sunday").points
    assert [point.start.isoweekday() for point in sundays] == [7, 7, 7, 7]


@pytest.mark.parametrize(
    ("text", "where", "remedy"),
    [
        ("quary has x", "filter, columns 1 to 5", "did you mean query?"),
        ("brand or clicks > 3", "filter", "join the two with and"),
        ('set "Nowhere"', "filter", "one of German pages"),
        ("query matches /(/", "filter", ""),
    ],
)
def test_a_filter_at_fault_is_told_with_its_place(client, text, where, remedy):
    with pytest.raises(ProblemFault) as caught:
        client.breakdown(SITE, "query", filter=text)
    assert caught.value.status in (400, 404)
    assert caught.value.problem.where == where
    assert remedy in caught.value.problem.remedy


@pytest.mark.parametrize(
    "words",
    [
        ("fading", SITE),
        ("fading", SITE, "query", "--verdict", "rising", "--filter", "not brand"),
        ("within-reach", SITE),
        ("within-reach", SITE, "--table", "page"),
        ("overlap", SITE),
        ("clusters", SITE),
        ("odd-days", SITE, "--window", "P84D"),
        ("cross", SITE, "page", "device"),
        ("cross", SITE, "query", "band", "--measure", "position"),
        ("bands", SITE, "--window", "P3M"),
    ],
)
def test_every_reading_comes_as_table_json_and_csv(live: Live, words):
    table, plain, rows = (live.cli(*words, "--output", kind) for kind in ("table", "json", "csv"))
    assert [done.returncode for done in (table, plain, rows)] == [0, 0, 0], table.stderr + plain.stderr + rows.stderr
    assert SITE in table.stdout
    found = json.loads(plain.stdout)
    assert found["site"] == SITE
    if found.get("rows", found.get("months")) and "--table" not in words:
        assert len(rows.stdout.splitlines()) > 1


def test_the_cli_puts_carets_under_a_filters_fault(live: Live):
    done = live.cli("drivers", SITE, "--filter", "not brnd")
    assert done.returncode == 2
    assert done.stderr.splitlines()[:2] == ["not brnd", "    ^^^^"]
    assert "did you mean brand?" in done.stderr


def test_plain_rows_of_a_verdict_keep_both_sides(client):
    (first, *_) = to_rows(client.fading(SITE, limit=1))
    assert first["clicks"] - first["clicks_before"] == first["clicks_change"]


@pytest.mark.parametrize("columns", ["device", "country", "band", "month", "kind"])
@pytest.mark.parametrize("rows", ["query", "page"])
def test_the_cells_of_a_crossing_add_up(client, rows, columns):
    found = client.cross(SITE, rows, columns, window="2026-01-10/2026-02-20", limit=1000)
    whole = client.breakdown(SITE, rows, window="2026-01-10/2026-02-20", against="none", limit=1000)
    shown = {row.key: row.now for row in whole.rows}
    listed = {row.key: row.total.impressions for row in found.rows}
    for row in found.rows:
        assert sum(cell.clicks for cell in row.cells) == row.total.clicks
    if columns != "band" or rows == "query":
        assert listed == {key: now.impressions for key, now in shown.items()}
    assert sum(cell.impressions for cell in found.total) == sum(listed.values())
    assert len(found.columns) == len(found.total) <= 13


def test_a_querys_band_is_that_of_its_average_place(client):
    found = client.cross(SITE, "query", "band", limit=200)
    rows = {row.key: row.band for row in client.breakdown(SITE, "query", limit=200, sort="impressions").rows}
    for row in found.rows:
        (band,) = [name for name, cell in zip(found.columns, row.cells, strict=True) if cell.impressions]
        assert band == rows[row.key]


@pytest.mark.parametrize("columns", ["month", "device", "country", "band"])
def test_saved_sets_are_crossed_as_filters_of_their_own(client, columns):
    found = client.cross(SITE, "set", columns, window="P84D", filter="country is NO")
    assert {"Timetables", "Long tail"} <= {row.key for row in found.rows}
    whole = client.timeline(SITE, window="P84D", against="none", filter="country is NO")
    if columns != "band":
        assert sum(cell.clicks for cell in found.total) == whole.now.clicks
    for row in found.rows:
        alone = client.timeline(SITE, window="P84D", against="none", filter=f'country is NO and set "{row.key}"')
        if columns != "band":
            assert row.total.clicks == alone.now.clicks
        for name, cell in zip(found.columns, row.cells, strict=True):
            if columns in ("device", "country"):
                asked = f'{columns} is {name} and country is NO and set "{row.key}"'
                assert cell.clicks == client.timeline(SITE, window="P84D", against="none", filter=asked).now.clicks
    assert [caution.code for caution in found.cautions].count("sets-overlap") == 1


@pytest.mark.parametrize("of", ["query", "page"])
def test_queries_and_pages_are_counted_by_band_with_those_that_came_and_went(client, of):
    found = client.bands(SITE, of=of, window="2025-12-01/2026-03-10")
    february = client.breakdown(SITE, of, window="2026-02", against="none", limit=1)
    assert found.months[2].shown == february.matching
    assert [month.partial for month in found.months] == [False, False, False, True]
    assert [month.new is None for month in found.months] == [True, False, False, True]
    for before, month in zip(found.months, found.months[1:], strict=False):
        assert sum(month.counts) == month.shown
        if month.new is not None:
            assert month.shown == before.shown + month.new - month.lost


@pytest.mark.parametrize(("window", "against"), [("2026-02", "before"), ("2026-Q1", "2025-12"), ("P28D", "P35D")])
def test_windows_of_other_length_have_drivers_that_add_up(client, window, against):
    try:
        found = client.drivers(SITE, window=window, against=against, most=200)
    except ProblemFault as why:
        assert window == "2026-Q1" and "are held" in str(why)
        return
    parts = ("demand", "rank", "appeal", "entered", "left", "unlisted")
    assert found.change.basis == "scaled"
    assert found.times == pytest.approx(found.window.counted / found.against.counted)
    assert sum(getattr(found, part) for part in parts) == pytest.approx(found.change.clicks, abs=1e-4)
    assert found.change.clicks == pytest.approx(found.now.clicks - found.before.clicks * found.times, abs=1e-4)
    (uneven,) = [caution for caution in found.cautions if caution.code == "uneven-windows"]
    assert f"{found.window.counted} held days against {found.against.counted}" in uneven.text
    rows = client.breakdown(SITE, "query", window=window, against=against, sort="change", limit=30).rows
    assert [row.change.clicks for row in rows] == sorted(row.change.clicks for row in rows)
    fell = client.breakdown(SITE, "query", window=window, against=against, filter="change in clicks < -10", limit=100)
    assert all(row.change.clicks < -10 for row in fell.rows)


def test_a_crossing_with_itself_is_refused(client):
    with pytest.raises(ProblemFault, match="crossed-with-itself"):
        client.cross(SITE, "page", "page")
