"""Readings by what results looked like: on the days they are held, beside the provider's own total."""

from contextlib import closing
from datetime import date, timedelta

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.readings.oracle import SITE, WORDS, of_figures

from noctilum.core.batch import Coded
from noctilum.core.days import DayState
from noctilum.core.errors import Nonsense, NotThere
from noctilum.history import DayEntry, History
from noctilum.readings import drivers as drivers_of
from noctilum.readings import fading as fadings
from noctilum.readings.breakdown import Page, breakdown
from noctilum.readings.clusters import cluster
from noctilum.readings.cross import cross
from noctilum.readings.frame import Asked
from noctilum.readings.holding import holding
from noctilum.readings.overlap import overlap
from noctilum.readings.reach import reach
from noctilum.readings.timeline import timeline
from noctilum.testing.batches import search_day

FIRST, DAYS, KNOWN_FROM = date(2026, 1, 5), 70, 14
LAST = FIRST + timedelta(DAYS - 1)
COUNTRIES, DEVICES, LOOKS = ("NO", "SE"), ("mobile", "desktop"), ("times at a glance", "questions below", "picture")
laws = settings(deadline=None, max_examples=30)


def entry(grain, day, rows, state=DayState.FINAL):
    """rows: (look or query or nothing, country, device) → (clicks, impressions, places)."""
    names = ("country", "device") if grain == "site" else (grain, "country", "device")
    dims = {name: Coded.of([key[n] for key in rows]) for n, name in enumerate(names)}
    columns = [[sums[n] for sums in rows.values()] for n in range(3)]
    batch = search_day(grain, day, dims | {"kind": Coded.of(["web"] * len(rows))}, *map(_ints, columns))
    return DayEntry(grain, day, state, "1", batch, "2026-03-20T09:00:00+00:00", "test")


def _ints(values):
    return np.array(values, dtype=np.int64)


def site_rows(n):
    return {(c, d): (20 + n % 7 + len(d), 400 + 3 * n, 2000 + n) for c in COUNTRIES for d in DEVICES}


def look_rows(n, looks=LOOKS):
    return {(k, c, d): (2 + n % 3, 50 + n % 5, 150 + n) for k in looks for c in COUNTRIES for d in DEVICES}


def query_rows(n):
    return {("ronsay ferry", c, d): (9 + n % 4, 200 + n, 800 + n) for c in COUNTRIES for d in DEVICES}


@pytest.fixture(scope="module")
def held(tmp_path_factory):
    history = History(tmp_path_factory.mktemp("looks") / "1.db", create=True)
    days = [(n, FIRST + timedelta(n)) for n in range(DAYS)]
    history.put_days(1, [entry("site", day, site_rows(n)) for n, day in days])
    history.put_days(1, [entry("query", day, query_rows(n)) for n, day in days])
    history.put_days(1, [entry("look", day, look_rows(n)) for n, day in days if n >= KNOWN_FROM])
    history.compact(date(2026, 3, 1))
    yield holding(history, (1,), WORDS)
    history.close()


def asked(window="P28D", against="before", text=""):
    return Asked(SITE, window, against, filter=text)


FILTERS = st.sampled_from(
    [
        "",
        "country is NO",
        "device is mobile",
        "country is SE and not device is mobile",
        "look has i",
        "not look is picture",
    ]
)
WINDOWS = st.tuples(st.integers(KNOWN_FROM, DAYS - 1), st.integers(1, 40)).map(
    lambda at: f"{FIRST + timedelta(at[0])}/{min(LAST, FIRST + timedelta(at[0] + at[1]))}"
)


@laws
@given(FILTERS, WINDOWS, st.integers(1, 4))
def test_looks_and_what_looked_like_any_other_add_up_to_the_total_of_the_site(held, text, window, limit):
    found = breakdown(held, asked(window, "none", text), "look", Page(limit=limit))
    whole = timeline(held, asked(window, "none", text), "day").now
    assert (found.unlisted is None) == ("look" in text)
    parts = [*(row.now for row in found.rows), *(part.now for part in (found.rest, found.unlisted) if part)]
    added = tuple(map(sum, zip(*map(of_figures, parts), strict=True)))
    assert added == of_figures(found.total.now) == of_figures(whole)


@laws
@given(st.sampled_from(LOOKS), WINDOWS)
def test_one_look_over_time_is_its_row(held, look, window):
    row = next(r for r in breakdown(held, asked(window, "none"), "look", Page()).rows if r.key == look)
    line = timeline(held, asked(window, "none", f'look is "{look}"'), "day")
    assert of_figures(line.now) == of_figures(row.now)
    assert sum(point.clicks for point in line.points) == row.now.clicks


@laws
@given(st.sampled_from(["country", "device", "month"]), FILTERS, WINDOWS)
def test_a_crossing_of_looks_adds_up_to_their_rows(held, columns, text, window):
    found = cross(held, asked(window, "none", text), "look", columns)
    rows = {row.key: row.now for row in breakdown(held, asked(window, "none", text), "look", Page()).rows}
    assert {row.key: sum(cell.clicks for cell in row.cells) for row in found.rows} == {
        key: now.clicks for key, now in rows.items()
    }


def test_looks_are_read_on_the_days_they_are_held_and_the_reading_says_so(held):
    found = breakdown(held, asked("P63D"), "look", Page())
    assert found.first_held == FIRST + timedelta(KNOWN_FROM)
    assert (found.window.days, found.window.held) == (63, DAYS - KNOWN_FROM)
    assert "window-not-full" in {caution.code for caution in found.cautions}
    assert all(row.change is None for row in found.rows)
    assert breakdown(held, asked("P63D"), "country", Page()).window.held == 63


def test_looks_that_share_impressions_add_up_to_themselves(tmp_path):
    with closing(History(tmp_path / "1.db", create=True)) as history:
        history.put_days(1, [entry("site", FIRST, {("NO", "mobile"): (5, 100, 300)})])
        shared = {(look, "NO", "mobile"): (4, 80, 240) for look in LOOKS}
        history.put_days(1, [entry("look", FIRST, shared)])
        found = breakdown(holding(history, (1,)), asked("all", "none"), "look", Page())
    assert found.unlisted is None
    assert found.total.now.impressions == 240


def test_a_source_that_counts_no_looks_is_no_part_of_the_total(tmp_path):
    with closing(History(tmp_path / "1.db", create=True)) as history:
        history.put_days(1, [entry("site", FIRST, site_rows(1)), entry("look", FIRST, look_rows(1))])
        history.put_days(2, [entry("site", FIRST, site_rows(9))])
        found = breakdown(holding(history, (1, 2)), asked("all", "none"), "look", Page())
    assert found.total.now.clicks == sum(clicks for clicks, _, _ in site_rows(1).values())


def test_a_day_whose_looks_are_not_had_of_every_source_that_counts_them_is_missing(tmp_path):
    days = [FIRST + timedelta(n) for n in range(4)]
    with closing(History(tmp_path / "1.db", create=True)) as history:
        for source in (1, 2):
            history.put_days(source, [entry("site", day, site_rows(1)) for day in days])
            had = days if source == 1 else [*days[:2], days[3]]
            history.put_days(source, [entry("look", day, look_rows(1)) for day in had])
        found = timeline(holding(history, (1, 2)), asked("all", "none", "look is picture"), "day")
    assert [point.state for point in found.points] == ["final", "final", "missing", "final"]
    a_day = sum(clicks for (look, *_), (clicks, _, _) in look_rows(1).items() if look == "picture")
    assert found.now.clicks == 2 * 3 * a_day


READINGS = {
    "breakdown by query": lambda held, q: breakdown(held, q, "query", Page()),
    "drivers": drivers_of.drivers,
    "fading": lambda held, q: fadings.fading(held, q, "query"),
    "reach": reach,
    "overlap": overlap,
    "clusters": cluster,
    "bands of looks": lambda held, q: cross(held, q, "look", "band"),
    "looks of a query": lambda held, q: breakdown(held, Asked(SITE, where={"query": "x"}), "look", Page()),
}


@pytest.mark.parametrize("name", READINGS)
def test_no_reading_gives_figures_of_looks_and_queries_at_once(held, name):
    with pytest.raises(Nonsense, match="Looks are counted without queries and pages") as caught:
        READINGS[name](held, asked(text="look is picture"))
    assert "leave one out" in caught.value.remedy


def test_a_site_of_which_no_look_is_held_says_what_would_fill_it(tmp_path):
    with closing(History(tmp_path / "1.db", create=True)) as history:
        history.put_days(1, [entry("site", FIRST, site_rows(1))])
        with pytest.raises(NotThere, match="tells what its results looked like") as caught:
            breakdown(holding(history, (1,)), asked("all", "none"), "look", Page())
    assert "look column" in caught.value.remedy
