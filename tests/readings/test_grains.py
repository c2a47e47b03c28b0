"""Readings of days that are held at some grains only: finer rows stand in for totals, nothing stands in for rows."""

from contextlib import closing
from datetime import timedelta

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.readings.oracle import (
    DAYS,
    FIRST,
    GRAINS,
    LAST_HELD,
    SITE,
    WORDS,
    add,
    add_by,
    batch_of,
    counted,
    of_figures,
    rows_of_day,
    span,
    windows,
    written,
)

from noctilum.core.days import DayState
from noctilum.core.errors import Nonsense, NotThere
from noctilum.history import DayEntry, History
from noctilum.readings.breakdown import Page, breakdown
from noctilum.readings.clusters import cluster
from noctilum.readings.cross import band_counts, cross
from noctilum.readings.device_gap import device_gap
from noctilum.readings.drivers import drivers
from noctilum.readings.fading import fading
from noctilum.readings.frame import Asked
from noctilum.readings.holding import holding
from noctilum.readings.ledger import ledger
from noctilum.readings.life import life
from noctilum.readings.odd import odd
from noctilum.readings.overlap import overlap
from noctilum.readings.portfolio import SiteOf, row
from noctilum.readings.reach import reach
from noctilum.readings.timeline import timeline
from noctilum.readings.unclicked import unclicked
from noctilum.readings.weekdays import weekdays
from noctilum.words.tell import told as told_in

INSTEAD = {
    "site": ("site", "page", "query", "pair"),
    "query": ("query", "pair"),
    "page": ("page", "pair"),
    "pair": ("pair",),
}
laws = settings(deadline=None, max_examples=25)
EVERY = span(FIRST, LAST_HELD)


class Patchy:
    """A site of one source, each day of which is held at grains of its own, and its plain rows."""

    def __init__(self, folder, seed, kept):
        rng = np.random.default_rng(seed)
        self.kept = {day: kept(rng, n) for n, day in enumerate(EVERY)}
        self.rows = {day: rows_of_day(rng, 1, day) for day in EVERY}
        self.history = History(folder / f"{seed}.db", create=True)
        order = list(EVERY)
        rng.shuffle(order)
        for start in range(0, DAYS, 40):
            self.history.put_days(1, [e for day in order[start : start + 40] for e in self._entries(day)])
        self.history.compact(EVERY[60])

    def _entries(self, day):
        for grain in sorted(self.kept[day]):
            batch = batch_of(grain, day, GRAINS[grain], [row for row in self.rows[day] if counted(row, grain)])
            yield DayEntry(grain, day, DayState.FINAL, "1", batch, "2026-03-20T09:00:00+00:00", "test")

    @property
    def held(self):
        return holding(self.history, (1,), WORDS)

    def rows_at(self, grain, day):
        """The day's rows at a grain, or at the first that stands in for it; None when none is held."""
        found = next((each for each in INSTEAD[grain] if each in self.kept[day]), None)
        return None if found is None else [row for row in self.rows[day] if counted(row, found)]

    def days(self, grain, window):
        return [day for day in span(*window) if day in self.kept and self.rows_at(grain, day) is not None]

    def sums(self, grain, days):
        return add(row for day in days for row in self.rows_at(grain, day))


def any_grains(rng, _n):
    return frozenset(grain for grain in GRAINS if rng.random() < 0.5)


@pytest.fixture(scope="module", params=[11, 12, 13])
def patchy(request, tmp_path_factory):
    found = Patchy(tmp_path_factory.mktemp("patchy"), request.param, any_grains)
    with closing(found.history):
        yield found


def only(folder, *grains, late=0, early=()):
    """A site held at some grains from a day on, before it at others."""
    return Patchy(folder, 7, lambda _rng, n: frozenset(grains if n >= late else early))


def asked(window="P28D", against="before", text=""):
    return Asked(SITE, window, against, filter=text)


@laws
@given(windows())
def test_a_timeline_takes_each_day_from_the_coarsest_grain_held(patchy, window):
    found = timeline(patchy.held, asked(written(window), "none"))
    days = patchy.days("site", window)
    assert of_figures(found.now) == patchy.sums("site", days)
    drawn = {point.start: point.clicks for point in found.points if point.clicks is not None}
    assert drawn == {day: patchy.sums("site", [day])[0] for day in days}


@laws
@given(windows(), st.sampled_from(["query", "page"]))
def test_a_breakdown_counts_the_days_whose_rows_are_held_and_adds_up_on_them(patchy, window, dimension):
    found = breakdown(patchy.held, asked(written(window), "none"), dimension, Page(limit=100))
    days = patchy.days(dimension, window)
    rows = [row for day in days for row in patchy.rows_at(dimension, day)]
    assert {row.key: of_figures(row.now) for row in found.rows} == {
        key: sums for (key,), sums in add_by(rows, dimension).items()
    }
    assert found.window.counted == len(days)
    if dimension == "query":
        unlisted = of_figures(found.unlisted.now) if found.unlisted else (0, 0, 0)
        listed = tuple(sum(of_figures(row.now)[n] for row in found.rows) for n in range(3))
        assert tuple(a + b for a, b in zip(listed, unlisted, strict=True)) == patchy.sums("site", days)
        assert of_figures(found.total.now) == patchy.sums("site", days)


@laws
@given(windows(), st.sampled_from(["country is NO", "device is mobile", 'path starts "/timetables/"']))
def test_filters_hold_for_rows_that_stand_in(patchy, window, text):
    passes = {"c": lambda r: r.country == "NO", "d": lambda r: r.device == "mobile", "p": lambda r: "/timet" in r.page}
    grain = "page" if text.startswith("path") else "site"
    found = timeline(patchy.held, asked(written(window), "none", text))
    rows = (row for day in patchy.days(grain, window) for row in patchy.rows_at(grain, day))
    assert of_figures(found.now) == add(row for row in rows if passes[text[0]](row))


def test_rows_that_stand_in_are_counted_and_told(patchy):
    found = timeline(patchy.held, asked("all", "none"))
    told = {c.facts["by"]: c.facts["days"] for c in found.cautions if c.code == "stood-in"}
    first = {day: next(g for g in INSTEAD["site"] if g in kept) for day, kept in patchy.kept.items() if kept}
    assert told == {g: list(first.values()).count(g) for g in ("page", "query", "pair") if g in first.values()}


def test_a_site_of_queries_by_page_alone_can_be_read_in_every_way(tmp_path):
    site = only(tmp_path, "pair")
    held = site.held
    readings = [
        timeline(held, asked()),
        breakdown(held, asked(), "query", Page()),
        breakdown(held, asked(), "page", Page()),
        breakdown(held, asked(), "country", Page()),
        drivers(held, asked()),
        fading(held, asked(), "page"),
        fading(held, asked(), "query"),
        reach(held, asked()),
        overlap(held, asked()),
        cluster(held, asked()),
        unclicked(held, asked()),
        device_gap(held, asked()),
        weekdays(held, asked("P84D")),
        odd(held, asked("P84D")),
        cross(held, asked(), "query", "device"),
        cross(held, asked(), "page", "band"),
        band_counts(held, asked("P84D")),
    ]
    for reading in readings:
        (told,) = [caution for caution in reading.cautions if caution.code == "stood-in"]
        assert (told.facts["grain"], told.facts["by"]) == ("site", "pair")
    assert readings[1].unlisted is None
    assert readings[1].total.now.clicks == readings[0].now.clicks == sum(row.now.clicks for row in readings[1].rows)
    parts = readings[4]
    split = sum((parts.demand, parts.rank, parts.appeal, parts.entered, parts.left, parts.unlisted))
    assert split == pytest.approx(parts.change.clicks) and parts.unlisted == pytest.approx(0)
    assert any(sum(curve.evidence) for curve in parts.curve)
    assert life(held, SITE, "query", "boat").days_held == len(EVERY)
    assert row(SiteOf(SITE, SITE, "skerry", "Skerry Ferries"), held).now.clicks == readings[0].now.clicks
    assert ledger(site.history, SITE, 1, None, None, None, LAST_HELD).grain == "pair"
    site.history.close()


def test_a_site_of_totals_alone_says_that_no_rows_are_held(tmp_path):
    site = only(tmp_path, "site")
    held = site.held
    assert timeline(held, asked()).now.clicks == site.sums("site", EVERY[-28:])[0]
    for ask in (
        lambda: breakdown(held, asked(), "query", Page()),
        lambda: breakdown(held, asked(), "page", Page()),
        lambda: drivers(held, asked()),
        lambda: fading(held, asked(), "page"),
        lambda: overlap(held, asked()),
        lambda: timeline(held, asked(text="query has ferry")),
        lambda: life(held, SITE, "page", "/"),
    ):
        with pytest.raises(NotThere, match=r"No (queries|pages|queries by page) of this site are held"):
            ask()
    assert row(SiteOf(SITE, SITE, "skerry", "Skerry Ferries"), held).driver is None
    site.history.close()


def test_totals_older_than_the_rows_are_compared_with_no_rows(tmp_path):
    site = only(tmp_path, "site", "query", "page", "pair", late=70, early=("site",))
    since = EVERY[70]
    whole = asked(f"{since}/{since + timedelta(27)}")
    line = timeline(site.held, whole)
    assert line.change is not None and line.before.clicks == site.sums("site", EVERY[42:70])[0]
    found = breakdown(site.held, whole, "query", Page())
    assert found.rows and all(each.change is None for each in found.rows)
    assert found.total.change is None and of_figures(found.total.before) == (0, 0, 0)
    assert {"days": 28, "grain": "query"} in [c.facts for c in found.cautions if c.code == "rows-not-held"]
    judged = fading(site.held, whole, "page")
    assert judged.rows == [] and judged.net is None
    assert {each.verdict for each in judged.verdicts if each.rows} == {"too few to tell"}
    assert not any("gained" in sentence.text for sentence in judged.sentences)
    with pytest.raises(Nonsense, match="queries of only 0 of 28 days"):
        drivers(site.held, whole)
    site.history.close()


def test_pages_are_judged_without_reasons_where_their_queries_are_not_held(tmp_path):
    site = only(tmp_path, "site", "page", "pair", late=100, early=("site", "page"))
    judged = fading(site.held, asked(), "page", ("fading", "slipping", "holding", "rising", "too few to tell"))
    assert judged.rows and judged.net is not None
    assert all(not each.split and each.change is not None for each in judged.rows)
    site.history.close()


def test_a_source_without_rows_is_left_out_of_them_and_named(tmp_path):
    site = only(tmp_path, "site", "query", "page", "pair")
    other = [
        DayEntry("site", day, DayState.FINAL, "1", batch_of("site", day, GRAINS["site"], rows), "t", "test")
        for day, rows in site.rows.items()
    ]
    site.history.put_days(2, other)
    both = holding(site.history, (1, 2), WORDS)
    found = breakdown(both, asked(), "query", Page())
    assert found.total.now.clicks == site.sums("site", EVERY[-28:])[0]
    assert timeline(both, asked()).now.clicks > found.total.now.clicks
    assert {"sources": 1, "grain": "query"} in [c.facts for c in found.cautions if c.code == "sources-left-out"]
    site.history.close()


def test_a_page_that_was_moved_names_where_its_queries_went(tmp_path):
    site = only(tmp_path, "site", "query", "page", "pair")
    moved = LAST_HELD - timedelta(10)
    for day, rows in site.rows.items():
        if day > moved:
            site.rows[day] = [each._replace(page="/timetables/new") if each.page == "/" else each for each in rows]
    site.history.put_days(1, [entry for day in EVERY if day > moved for entry in site._entries(day)])
    verdicts = ("fading", "slipping", "holding", "too few to tell")
    found = {row.key: row for row in fading(site.held, asked("P10D"), "page", verdicts).rows}
    assert (found["/"].gone, found["/"].heir) == (True, "/timetables/new")
    assert all(row.heir is None for key, row in found.items() if key != "/")
    told = told_in(fading(site.held, asked("P10D"), "page", verdicts), "de")
    assert "/timetables/new" in next(row.reason for row in told.rows if row.key == "/")
    site.history.close()
