"""Visits and what they bring: the stand-in's rows, added up here and nowhere else, against what is kept and read."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterator
from datetime import date, timedelta
from functools import partial

import numpy as np
import pyarrow.parquet as pq
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError
from tests.conftest import HIVE, NOW, SMALL, TODAY
from tests.served import Held, answered, asked_of, connected, feed
from tests.served import pulled as pull_again

from noctilum.actions import export_jobs, presenters, queue, sets, setup
from noctilum.actions.imports import import_files
from noctilum.core.errors import Nonsense, NotThere
from noctilum.core.outcomes import shared_out
from noctilum.history import Question
from noctilum.standins.search_model import model_of
from noctilum.standins.visits_feed import create_app
from noctilum.standins.visits_model import STREAMS, Visit, visits_of
from noctilum.wire import noted
from noctilum.wire import setup as wire
from noctilum.wire.operating import AskExport
from noctilum.wire.worth import PageValue

STREAM = "visits-hivewright-blog"
HELD = Held(((create_app, STREAM),))
FIRST, LAST = date(2026, 1, 19), date(2026, 2, 15)
WINDOW = f"{FIRST}/{LAST}"
DAYS = [FIRST + timedelta(n) for n in range(28)]


@pytest.fixture(scope="module")
def visits_feed() -> Iterator[str]:
    with feed(create_app) as url:
        yield url


@pytest.fixture
def site(install, held, visits_feed):
    return HELD.now_at(install, visits_feed)


def organic(day: date) -> list[Visit]:
    return [each for each in visits_of(STREAM, TODAY, day) if each.channel == "organic"]


def conversions(visit: Visit) -> int:
    return sum(times for _, times, _ in visit.reached)


def expected(
    days: list[date], worth: Callable[[str], float] | None = None, country: str = ""
) -> tuple[dict[str, list[float]], list[float], list[float]]:
    """What each query gets, what is unlisted, and all of it, from plain rows: sessions, and conversions or worth."""
    shares: dict[str, list[float]] = defaultdict(lambda: [0.0, 0.0])
    unlisted, whole = [0.0, 0.0], [0.0, 0.0]
    for day in days:
        grains = model_of(SMALL, TODAY).day(day)
        clicks: dict[str, int] = defaultdict(int)
        texts = grains["page"].texts
        for page, of, count in zip(texts["page"], texts["country"], grains["page"].clicks, strict=True):
            clicks[page] += count if country in ("", of) else 0
        pairs: dict[tuple[str, str], int] = defaultdict(int)
        texts = grains["pair"].texts
        columns = (texts["page"], texts["query"], texts["country"], grains["pair"].clicks)
        for page, query, of, count in zip(*columns, strict=True):
            pairs[page, query] += count if country in ("", of) else 0
        came: dict[str, list[float]] = defaultdict(lambda: [0.0, 0.0])
        for each in organic(day):
            if country in ("", each.country):
                came[each.page][0] += each.sessions
                came[each.page][1] += each.sessions * worth(each.page) if worth else conversions(each)
        for page, amounts in came.items():
            left = [float(amount) for amount in amounts]
            for (on, query), count in pairs.items():
                if on == page and clicks[page]:
                    for n, amount in enumerate(amounts):
                        shares[query][n] += amount * count / clicks[page]
                        left[n] -= amount * count / clicks[page]
            for n in (0, 1):
                unlisted[n] += left[n]
                whole[n] += amounts[n]
    return {query: each for query, each in shares.items() if sum(each)}, unlisted, whole


def test_every_sum_of_visits_is_the_feeds_to_the_unit(install, site):
    history = install.history(1)
    for n in range(3, 180, 3):
        day = TODAY - timedelta(n)
        rows = visits_of(STREAM, TODAY, day)
        found = history.read(Question("visits", day, day, ("channel",), measures=("sessions", "engaged", "revenue")))
        assert found.totals == {
            "sessions": sum(each.sessions for each in rows),
            "engaged": sum(each.engaged for each in rows),
            "revenue": sum(worth for each in rows for _, _, worth in each.reached),
        }, day
        goals = history.read(Question("goals", day, day, ("goal",), measures=("conversions",)))
        assert goals.totals["conversions"] == sum(map(conversions, rows))


def test_users_are_given_for_a_day_and_never_added_up(install, site):
    by_day = answered(install, site, "visitors", by="day", window=WINDOW, channel="organic", against="none", limit=100)
    for row in by_day.rows:
        sessions = sum(each.sessions for each in organic(date.fromisoformat(row.key)))
        assert (row.now.sessions, row.now.users) == (sessions, max(1, round(sessions * 0.87)))
    whole = answered(install, site, "visitors", window=WINDOW)
    assert whole.total.now.sessions > 0 and whole.total.now.users is None
    assert {row.now.users for row in whole.rows} == {None}


@pytest.mark.parametrize("window", ["2026-02-02/2026-02-08", "2026-02", "2025-12"])
def test_users_of_a_week_or_month_are_those_the_feed_counted_of_it(install, site, visits_feed, window):
    found = answered(install, site, "visitors", window=window, against="before")
    first = found.window.first
    grain = "week-visitors" if len(window) > 7 else "month-visitors"
    told = {row["channel"]: row for row in asked_of(visits_feed, f"/properties/{STREAM}/days/{first}/{grain}")}
    by_day = answered(install, site, "visitors", by="day", window=window, against="none", limit=100)
    for row in found.rows:
        assert (row.now.sessions, row.now.users) == (told[row.key]["sessions"], told[row.key]["users"])
        assert row.now.users < row.now.sessions
    assert found.total.now.users is None and len(by_day.rows) == found.window.days
    assert found.rows[0].before.users is not None
    days = sum(row.now.users for row in answered(install, site, "visitors", by="day", window=window, against="none",
                                                 channel="organic", limit=100).rows)  # fmt: skip
    assert told["organic"]["users"] < days


def test_a_week_or_month_that_is_not_whole_has_no_users_and_pulling_again_brings_nothing(install, site, visits_feed):
    held = install.history(1)
    weeks, months = (sorted(held.states([2], f"{span}-visitors")) for span in ("week", "month"))
    assert all(day.weekday() == 0 for day in weeks) and all(day.day == 1 for day in months)
    assert weeks[-1] == date(2026, 3, 9) and months[-1] == date(2026, 2, 1)
    assert answered(install, site, "visitors", window="2026-03-16/2026-03-18").total.now.users is None
    again = pull_again(install, 2)
    assert (again.days, again.failed) == (0, ())


def test_outcomes_are_shared_out_as_plain_rows_say_and_nothing_gets_lost(install, site):
    shares, unlisted, whole = expected(DAYS)
    found = answered(install, site, "outcomes", window=WINDOW, limit=1000)
    assert {row.key for row in found.rows} == set(shares) and found.days == 28
    for row in found.rows:
        assert (row.sessions, row.conversions) == pytest.approx(tuple(shares[row.key]), abs=1e-5), row.key
    assert (found.unlisted.sessions, found.unlisted.conversions) == pytest.approx(tuple(unlisted), abs=1e-5)
    assert (found.total.sessions, found.total.conversions) == pytest.approx(tuple(whole), abs=1e-5)
    assert found.listed == pytest.approx(1 - unlisted[0] / whole[0])
    pages = answered(install, site, "outcomes", by="page", window=WINDOW, limit=1000)
    assert pages.total == found.total and pages.unlisted.sessions == 0
    by_page = {row.key: row.sessions for row in pages.rows}
    assert by_page == {
        page: sum(each.sessions for day in DAYS for each in organic(day) if each.page == page) for page in by_page
    }


@pytest.mark.parametrize("rule", ["brand", "not brand", 'query has "honey"', "words >= 3", 'query is "never seen"'])
def test_what_a_filter_leaves_out_is_a_row_of_its_own_and_totals_stay(install, site, rule):
    whole = answered(install, site, "outcomes", window=WINDOW, limit=1000)
    some = answered(install, site, "outcomes", window=WINDOW, limit=1000, filter=rule)
    assert some.total == whole.total and some.unlisted == whole.unlisted
    parts = [sum(row.sessions for row in some.rows), some.rest.sessions, some.unlisted.sessions]
    assert sum(parts) == pytest.approx(whole.total.sessions, abs=1e-4)
    known = {row.key: row.conversions for row in whole.rows}
    assert all(row.conversions == known[row.key] for row in some.rows)


def test_what_is_not_known_is_no_zero(install, site, visits_feed):
    wickham = setup.add_site(install, "hivewright", wire.NewSite(host="wickhamtools.example"), NOW)
    with pytest.raises(NotThere, match="no source connected"):
        answered(install, wickham, "outcomes")
    connected(install, wickham, visits_feed, "visits-wickham")
    found = answered(install, wickham, "visits", window="all", against="none")
    assert found.window.days == 20 and found.total.now.sessions > 2000 and found.total.now.conversions is None
    early = answered(install, HIVE, "outcomes", window="2025-06-01/2025-06-28")
    assert early.days == 0 and "visits are held since 20 September 2025" in early.sentences[0].text
    with pytest.raises(Nonsense, match="narrowed by query, page, country, device alone"):
        answered(install, HIVE, "outcomes", kind="web")
    with pytest.raises(Nonsense, match="Visits have no queries"):
        answered(install, HIVE, "outcomes", filter='query has "honey" or device is "mobile"')
    with pytest.raises(Nonsense, match="impressions"):
        answered(install, HIVE, "outcomes", filter="impressions > 3")


def test_outcomes_of_a_country_are_of_its_clicks_and_its_visits_alone(install, site):
    shares, unlisted, whole = expected(DAYS, country="GB")
    found = answered(install, site, "outcomes", window=WINDOW, limit=1000, filter='country is "GB"')
    assert {row.key: row.sessions for row in found.rows} == {
        query: pytest.approx(each[0], abs=1e-5) for query, each in shares.items()
    }
    assert (found.total.sessions, found.unlisted.sessions) == pytest.approx((whole[0], unlisted[0]), abs=1e-5)
    abroad = answered(install, site, "outcomes", window=WINDOW, limit=1000, filter='country is not "GB"')
    every = answered(install, site, "outcomes", window=WINDOW)
    assert found.total.sessions + abroad.total.sessions == every.total.sessions
    either = answered(install, site, "outcomes", window=WINDOW, filter='country is "GB" or page has "/"')
    assert either.total == every.total


def test_rows_are_taken_by_what_came_of_them(install, site):
    whole = answered(install, site, "outcomes", window=WINDOW, limit=1000)
    some = answered(install, site, "outcomes", window=WINDOW, limit=1000, filter="sessions >= 20 and conversions > 0.5")
    wanted = [row.key for row in whole.rows if row.sessions >= 20 and row.conversions > 0.5]
    assert [row.key for row in some.rows] == wanted and 0 < len(wanted) < len(whole.rows)
    assert some.total == whole.total


RATES = {"/diary": 3.0, "/recipes/mead": 14.5 * 2.0 / 1000, "": 0.4}


def rate(page: str) -> float:
    """What a session on a page is worth by the values below."""
    return RATES["/diary" if page.startswith("/diary") else "/recipes/mead" if page == "/recipes/mead" else ""]


@pytest.fixture
def valued(install, site, monkeypatch):
    """A site without goals that says what its pages earn: by two sets of pages, and on all others."""
    monkeypatch.setattr("noctilum.readings.outcomes.known_since", lambda *_: None)
    for name, rule in (
        ("Diary", 'path starts "/diary"'),
        ("Mead", 'path is "/recipes/mead"'),
        ("Honey", 'query has "honey"'),
    ):
        item = "query" if name == "Honey" else "page"
        sets.added(install, noted.NewSet(name=name, item=item, rule=rule, client="hivewright"), NOW)
    change(
        install,
        PageValue(set="Diary", amount=3.0),
        PageValue(set="Mead", per="thousand views", amount=14.5, views=2.0),
        PageValue(amount=0.4),
    )
    return site


def change(install, *values: PageValue) -> None:
    setup.change_site(install, HIVE, wire.SiteChange(values=list(values), session_value=9.0))


def test_values_by_sets_of_pages_are_shared_out_as_plain_rows_say(install, valued):
    shares, _, whole = expected(DAYS, rate)
    found = answered(install, valued, "outcomes", window=WINDOW, limit=1000)
    assert {row.key: row.value for row in found.rows} == {
        query: pytest.approx(each[1], abs=1e-5) for query, each in shares.items()
    }
    assert found.value == pytest.approx(whole[1], abs=1e-5) and found.valued == 1
    for by in ("page", "country", "device"):
        rows = answered(install, valued, "outcomes", by=by, window=WINDOW, limit=1000).rows
        assert sum(row.value for row in rows) == pytest.approx(whole[1], abs=1e-4), by
    for row in answered(install, valued, "outcomes", by="page", window=WINDOW, limit=1000).rows:
        assert row.value == pytest.approx(row.sessions * rate(row.key)), row.key
    assert sum(each.sessions for each in found.values) == whole[0]
    said = [each.text for each in found.sentences]
    assert any(text.startswith("Diary: 3") for text in said)
    assert any("14.50 per thousand page views, of which a session has 2" in text for text in said)
    assert any(text.startswith("All other pages: 0.4") for text in said)


def test_a_value_counts_for_its_pages_alone_and_says_of_how_many_sessions(install, valued):
    setup.change_site(install, HIVE, wire.SiteChange(session_value=0, values=[PageValue(set="Diary", amount=3.0)]))
    found = answered(install, valued, "outcomes", by="page", window=WINDOW, limit=1000)
    assert {row.key.startswith("/diary"): row.value is None for row in found.rows} == {True: False, False: True}
    posts = sum(row.sessions for row in found.rows if row.key.startswith("/diary"))
    assert found.value == pytest.approx(3 * posts) and found.valued == pytest.approx(posts / found.total.sessions)
    assert any("of the sessions are on pages that were given a value" in each.text for each in found.sentences)
    number = next(each.id for each in sets.list_sets(install) if each.name == "Diary")
    sets.drop_set(install, number)
    gone = answered(install, valued, "outcomes", by="page", window=WINDOW)
    assert gone.value is None and gone.values[0].gone
    assert "no longer there" in gone.sentences[-1].text or "no longer there" in gone.sentences[-2].text


@pytest.mark.parametrize(
    ("values", "said"),
    [
        ([PageValue(set="Honey", amount=1)], "no saved set of pages"),
        ([PageValue(set="Never", amount=1)], "no saved set of pages"),
        ([PageValue(amount=1), PageValue(amount=2)], "given two values"),
    ],
)
def test_a_value_that_has_no_pages_is_refused_and_nothing_changes(install, valued, values, said):
    before = presenters.site(install, HIVE).values
    with pytest.raises(Nonsense, match=said):
        change(install, *values)
    assert presenters.site(install, HIVE).values == before and len(before) == 3


def test_an_amount_per_thousand_views_needs_the_views_of_a_session():
    for wrong in ({"per": "thousand views"}, {"views": 2.0}, {"amount": -1.0}, {"amount": float("nan")}):
        with pytest.raises(ValidationError):
            PageValue.model_validate({"amount": 1.0, **wrong})


def test_a_goal_that_was_never_counted_leaves_outcomes_unknown(install, site, monkeypatch):
    stream = STREAMS[STREAM]
    monkeypatch.setattr("noctilum.readings.outcomes.known_since", lambda *_: None)
    found = answered(install, site, "outcomes", window=WINDOW)
    assert found.total.conversions is None and found.total.revenue is None and found.total.sessions > 0
    assert {(row.conversions, row.rate) for row in found.rows} == {(None, None)} and stream.goals
    assert found.sentences[1].text.startswith("No goal was ever counted here")


CELLS = st.lists(
    st.tuples(st.integers(0, 4), st.integers(0, 3), st.integers(0, 500)), max_size=14, unique_by=lambda c: c[:2]
)
PAIRS = st.lists(
    st.tuples(st.integers(0, 4), st.integers(0, 3), st.integers(0, 5), st.integers(0, 90)),
    max_size=30,
    unique_by=lambda pair: pair[:3],
)


@given(came=CELLS, clicked=CELLS, pairs=PAIRS)
def test_totals_are_conserved_whatever_is_listed(came, clicked, pairs):
    def columns(rows, width):
        return tuple(np.array([row[n] for row in rows], dtype=np.int64) for n in range(width))

    page, day, amount = columns(came, 3)
    found = shared_out((page, day), {"sessions": amount}, columns(clicked, 3), columns(pairs, 4))
    assert found.figures["sessions"].sum() + found.unlisted["sessions"] == pytest.approx(amount.sum(), abs=1e-6)
    assert (found.figures["sessions"] >= 0).all() and found.unlisted["sessions"] >= -1e-9


def test_counting_that_stopped_is_found_with_its_day_and_is_quiet_before(install, site):
    quiet = answered(install, site, "counting", window="2026-02-09/2026-02-28")
    assert quiet.rows == [] and quiet.looked_at > 3 and quiet.days_before > 20
    assert quiet.sentences[0].text.startswith("Visits follow clicks as before")
    found = answered(install, site, "counting", window="2026-02-16/2026-03-15")
    (row,) = found.rows
    assert (row.level, row.key, row.verdict) == ("site", HIVE, "stopped")
    assert abs((row.since - (TODAY - timedelta(17))).days) <= 1
    plain = [day for n in range(17) if (day := row.since + timedelta(n)) <= date(2026, 3, 15)]
    assert row.sessions == sum(each.sessions for day in plain for each in organic(day))
    assert row.sessions < 0.1 * row.expected < 0.1 * row.clicks
    assert "Counting stopped on" in found.sentences[0].text


def test_a_page_that_one_feed_lacks_is_said_with_the_feed(install, site, visits_feed):
    connected(install, HIVE, visits_feed, "visits-wickham")
    found = answered(install, site, "counting", window="2026-03-02/2026-03-15")
    lacking = {row.page: row.lacking for row in found.lacking}
    assert lacking["/hire"] == "no clicks held"


@pytest.mark.parametrize(
    ("what", "by"), [("outcomes", "query"), ("visits", "city"), ("goals", "goal"), ("counting", "")]
)
def test_what_is_read_of_visits_is_exported_and_read_by_others(install, site, what, by, tmp_path):
    asking = AskExport(what=what, by=by, format="parquet", where={})
    job = export_jobs.queue_export(install, HIVE, asking, NOW)
    done = export_jobs.run(install, job, queue.get(install, job).arguments, lambda _: True, NOW)
    rows = pq.read_table(export_jobs.product(install, job)).to_pylist()
    assert len(rows) == done["rows"] > 0
    if what == "goals":
        assert [row["goal"] for row in rows] == ["newsletter"]


def test_visits_come_from_a_file_with_other_headings(install, site, tmp_path):
    number = setup.add_file_source(install, HIVE, wire.NewFileSource(label="By hand", kind="visits"), NOW)
    path = tmp_path / "besuche.csv"
    path.write_text(
        "Datum;Zielseite;Channel;Sitzungen;Engagierte Sitzungen;Neue Nutzer;Konversionen;Umsatz\n"
        "01.02.2025;/honey;mail;12;7;5;2;31,50\n02.02.2025;/honey;mail;8;4;3;0;-4,25\n"
    )
    import_files(install, number, [path], lambda: NOW)
    found = answered(
        install, site, "visits", by="channel", window="2025-02-01/2025-02-02", against="none", source=number
    )
    (row,) = found.rows
    assert (row.key, row.now.sessions, row.now.conversions, row.now.revenue) == ("mail", 20, 2, 27.25)
    bad = tmp_path / "bad.csv"
    bad.write_text(
        "day,page,channel,sessions,engaged sessions,new users,conversions,revenue\n2025-02-03,/,mail,-2,0,0,1.5,0\n"
    )
    refused = import_files(install, number, [bad], lambda: NOW)
    assert (refused.days, refused.rejected) == (0, 1)


@pytest.mark.parametrize("by", ["query", "page", "brand", "cluster", "country", "device"])
def test_all_of_it_is_there_by_whatever_it_is_put_together(install, site, by):
    found = answered(install, site, "outcomes", by=by, window=WINDOW, limit=1000)
    whole = answered(install, site, "outcomes", window=WINDOW, limit=1000)
    assert found.total == whole.total
    assert found.matching == len(found.rows) > 0
    for name in ("sessions", "conversions"):
        rows = sum(getattr(row, name) for row in found.rows)
        parts = rows + getattr(found.rest, name) + getattr(found.unlisted, name)
        assert parts == pytest.approx(getattr(found.total, name), abs=1e-3)


def test_brand_and_generic_are_told_by_the_sites_own_words(install, site):
    setup.change_site(install, site, wire.SiteChange(brand_terms="mead"))
    by_query = answered(install, site, "outcomes", window=WINDOW, limit=1000)
    found = {row.key: row for row in answered(install, site, "outcomes", by="brand", window=WINDOW).rows}
    branded = [row for row in by_query.rows if "mead" in row.key.split()]
    assert branded and set(found) == {"brand", "generic"}
    assert found["brand"].sessions == pytest.approx(sum(row.sessions for row in branded), abs=1e-3)
    assert found["brand"].clicks == sum(row.clicks for row in branded)


def test_sets_of_queries_and_of_pages_are_added_up_and_may_overlap(install, site):
    save = partial(sets.added, install, now=NOW)
    save(noted.NewSet(name="Honey", item="query", rule="query has honey"))
    save(noted.NewSet(name="Diaries", item="page", rule='page starts "/diary/"'))
    by_query = answered(install, site, "outcomes", window=WINDOW, limit=1000)
    by_page = answered(install, site, "outcomes", by="page", window=WINDOW, limit=1000)
    found = answered(install, site, "outcomes", by="set", window=WINDOW)
    told = {row.key: row.sessions for row in found.rows}
    assert told["Honey"] == pytest.approx(sum(r.sessions for r in by_query.rows if "honey" in r.key), abs=1e-3)
    assert told["Diaries"] == pytest.approx(sum(r.sessions for r in by_page.rows if r.key.startswith("/diary/")))
    assert "sets-overlap" in {each.code for each in found.cautions}
    assert answered(install, site, "outcomes", by="set", window=WINDOW, query="honey bread").rest.sessions > 0


def test_without_goals_a_sessions_value_makes_an_estimate_that_says_so(install, pulled, visits_feed):
    connected(install, HIVE, visits_feed, "visits-wickham")
    window = f"{TODAY - timedelta(19)}/{TODAY - timedelta(6)}"
    assert answered(install, HIVE, "outcomes", by="page", window=window).value is None
    setup.change_site(install, HIVE, wire.SiteChange(session_value=0.8))
    found = answered(install, HIVE, "outcomes", by="page", window=window)
    assert found.total.conversions is None and found.session_value == 0.8
    assert found.rows and found.value == pytest.approx(found.total.sessions * 0.8, abs=0.006)
    for row in found.rows:
        assert row.conversions is None and row.value == pytest.approx(row.sessions * 0.8, abs=0.006)
    assert any("an estimate" in each.text for each in found.sentences)
    setup.change_site(install, HIVE, wire.SiteChange(session_value=0))
    assert answered(install, HIVE, "outcomes", by="page", window=window).value is None


def test_a_sessions_value_gives_way_to_goals_that_are_counted(install, site):
    setup.change_site(install, site, wire.SiteChange(session_value=0.8))
    found = answered(install, site, "outcomes", window=WINDOW)
    assert found.total.conversions is not None and found.value is None
    assert all(row.value is None for row in found.rows)


def test_a_place_more_is_worth_what_the_sites_curve_and_its_clicks_say(install, site):
    found = answered(install, site, "outcomes", window=WINDOW, limit=1000)
    curves = {each.device: each.rates for each in answered(install, site, "within-reach").curves}
    seen = 0
    for row in found.rows:
        by_device: dict[str, list[float]] = defaultdict(lambda: [0.0, 0.0, 0.0])
        for day in DAYS:
            rows = model_of(SMALL, TODAY).day(day)["query"]
            for n, query in enumerate(rows.texts["query"]):
                if query == row.key:
                    shown, milli = int(rows.impressions[n]), int(rows.position_sum[n])
                    mine = by_device[rows.texts["device"][n]]
                    mine[0], mine[1], mine[2] = mine[0] + shown, mine[1] + int(rows.clicks[n]), mine[2] + milli
        shown, clicks = (sum(each[n] for each in by_device.values()) for n in (0, 1))
        if row.position is None or not shown:
            continue

        def rate(at: float, shares=by_device, whole=shown) -> float:
            """The site's own rate at a place, its devices weighed as the query was shown on them."""
            known = {device: np.interp(max(at, 1.0), range(1, 21), curves[device]) for device in shares}
            return sum(known[device] * each[0] / whole for device, each in shares.items())

        if row.position > 20:
            continue
        now, up = rate(row.position), rate(row.position - 1)
        appeal = min(1.5, max(0.5, (clicks + 200 * now) / ((shown + 200) * now)))
        assert row.gain == pytest.approx(shown * (up - now) * appeal, rel=1e-4, abs=1e-4), row.key
        if row.clicks:
            assert row.gain_conversions == pytest.approx(row.gain * row.conversions / row.clicks, abs=1e-4)
            assert row.gain_value == pytest.approx(row.gain * row.revenue / row.clicks, abs=1e-3)
        seen += 1
    assert seen > 20
    pages = answered(install, site, "outcomes", by="page", window=WINDOW)
    assert {row.gain for row in pages.rows} == {None} and found.rows[0].gain is not None
