"""Readings net of what the year does: told apart from plain rows, on a history of whole years made up here."""

import sqlite3
from contextlib import closing
from datetime import date, timedelta
from math import pi, sin

import numpy as np
import pytest
from tests.conftest import NOW

from noctilum.actions import setup
from noctilum.actions.report import document, plain_body
from noctilum.core.verdicts import VERDICTS
from noctilum.core.windows import Window
from noctilum.history import History
from noctilum.readings.drivers import drivers
from noctilum.readings.fading import fading
from noctilum.readings.frame import Asked
from noctilum.readings.holding import holding
from noctilum.readings.narrow import Words
from noctilum.readings.portfolio import SiteOf, row
from noctilum.readings.rows_of import Slice
from noctilum.readings.timeline import timeline
from noctilum.records.models import Source
from noctilum.reports import blocks
from noctilum.reports.build import build
from noctilum.reports.document import Look
from noctilum.reports.render import render_html
from noctilum.testing.batches import entry, search_batch
from noctilum.wire.reports import BlockSpec
from noctilum.wire.setup import NewClient, NewSite
from noctilum.words.reasons import reason
from noctilum.words.speech import Speech
from noctilum.words.tell import drivers as say_drivers
from noctilum.words.tell import fading as say_fading
from noctilum.words.tell import timeline as say_timeline
from noctilum.words.tell import told

LAST = date(2025, 10, 28)
GONE = LAST - timedelta(20)
PAGES = [f"/p{n:02}" for n in range(30)]
AUTUMN = Asked("site", window="P28D", against="before")


def clicks_of(page: int, day: date, draw: np.random.Generator) -> int:
    """Make up a day's clicks: a year's wave of 40% for all, that falls most steeply in the middle of October."""
    turned = (day - date(2023, 10, 14)).days / 364
    mean = (12 + page) * (1 - 0.4 * sin(2 * pi * turned))
    return 0 if page == 7 and day > GONE else int(draw.poisson(mean))


def made(folder, days: int, clicks_of=clicks_of, last=LAST) -> tuple[History, dict[date, list[int]]]:
    """Put days of pages and of their totals into a history; gives the plain clicks of each page too."""
    history = History(folder / "site.db", create=True)
    draw, plain, entries = np.random.default_rng(5), {}, []
    for day in (last - timedelta(n) for n in range(days - 1, -1, -1)):
        clicks = plain[day] = [clicks_of(page, day, draw) for page in range(len(PAGES))]
        small = {"country": ["NO"], "device": ["mobile"], "kind": ["web"]}
        dims = {"page": PAGES, **{name: value * len(PAGES) for name, value in small.items()}}
        shown = [10 * each + 1 for each in clicks]
        pages = search_batch("page", day, dims, clicks, shown, [4.0] * len(PAGES))
        dims = {"query": [f"query {n}" for n in range(len(PAGES))], **{n: v * len(PAGES) for n, v in small.items()}}
        queries = search_batch("query", day, dims, clicks, shown, [4.0] * len(PAGES))
        site = search_batch("site", day, small, [sum(clicks)], [sum(shown)], [4.0])
        entries += [entry(pages), entry(queries), entry(site)]
    history.put_days(1, entries)
    return history, plain


@pytest.fixture(scope="module")
def years(tmp_path_factory):
    history, plain = made(tmp_path_factory.mktemp("years"), 364 * 2 + 120)
    yield holding(history, (1,)), plain
    history.close()


def total(plain, last: date, days: int = 28) -> int:
    return sum(sum(plain[last - timedelta(n)]) for n in range(days))


def test_the_expected_change_is_that_of_the_same_windows_in_earlier_years(years):
    held, plain = years
    found = timeline(held, AUTUMN)
    ratios = [
        total(plain, LAST - timedelta(364 * back)) / total(plain, LAST - timedelta(364 * back + 28)) for back in (1, 2)
    ]
    assert found.season.years == 2
    assert found.season.expected == pytest.approx(float(np.exp(np.mean(np.log(ratios)))) - 1, abs=1e-3)
    assert found.season.change == pytest.approx(found.change.clicks_ratio, abs=1e-3)
    assert found.season.verdict == "as every year"
    assert found.change.clicks_ratio < -0.15


def test_only_the_page_that_is_gone_is_fading_and_as_counted_most_are(years):
    held, _ = years
    net = fading(held, AUTUMN, "page", VERDICTS, Slice(limit=100))
    assert [each.key for each in net.rows if each.verdict == "fading"] == ["/p07"]
    assert net.rows[0].key == "/p07"
    counted = fading(held, AUTUMN, "page", VERDICTS, Slice(limit=100), season=False)
    assert sum(each.verdict == "fading" for each in counted.rows) > 10
    assert counted.season.basis == "counted"
    assert all(each.expected is None for each in counted.rows)
    said = told(net, "en", say_fading)
    assert any(sentence.text.startswith("As every year at this time") for sentence in said.sentences)
    assert "beyond its season" in said.sentences[-1].text


def test_rows_say_what_the_year_would_have_left_of_them(years):
    held, _ = years
    for each in fading(held, AUTUMN, "page", VERDICTS, Slice(limit=100)).rows:
        left = each.now.clicks - each.before.clicks * (1 + each.expected)
        assert each.beyond_season == pytest.approx(left, abs=0.01) or each.beyond_season == 0


def test_the_portfolio_lets_an_autumn_be(years):
    held, _ = years
    found = row(SiteOf("site", "site.example", "client", "Client"), held)
    assert found.attention in ("quiet", "keep an eye on")
    assert "a tenth" not in found.why
    assert found.expected < -0.15
    assert abs(found.beyond_season) < 0.1 * found.now.clicks


def test_windows_of_the_same_time_of_the_year_have_no_season_to_take_out(years):
    held, _ = years
    found = fading(held, Asked("site", window="P28D", against="year"), "page")
    assert found.season.basis == "counted"
    assert timeline(held, Asked("site", window="P28D", against="year")).season.expected is None


def test_with_less_than_a_year_falls_are_set_beside_the_site(tmp_path):
    history, _ = made(tmp_path, 300)
    net = fading(holding(history, (1,)), AUTUMN, "page", VERDICTS, Slice(limit=100))
    history.close()
    assert (net.season.basis, net.season.expected) == ("site", None)
    assert [each.key for each in net.rows if each.verdict == "fading"] == ["/p07"]
    said = told(net, "de", say_fading).sentences
    assert any("Saison ist nicht herausgerechnet" in sentence.text for sentence in said)


def test_demand_is_split_in_season_and_what_is_beyond_it_and_all_parts_add_up(years):
    held, plain = years
    for window in ("P28D", "P7D", "2025-09-01/2025-10-12"):
        found = drivers(held, Asked("site", window=window, against="before"))
        parts = (found.season, found.demand_beyond, found.rank, found.appeal, found.entered, found.left, found.unlisted)
        assert sum(parts) == pytest.approx(found.change.clicks, abs=1e-5)
    found = drivers(held, AUTUMN)
    before = total(plain, LAST - timedelta(28))  # every query is listed, in both windows
    assert found.season == pytest.approx(before * timeline(held, AUTUMN).season.expected, rel=1e-4)
    assert abs(found.season) > 5 * abs(found.demand_beyond + found.left)


def test_the_band_is_what_earlier_years_let_expect_of_each_day_and_holds_most_days(years):
    held, plain = years
    found = timeline(held, AUTUMN)
    by_day = {day: sum(clicks) for day, clicks in plain.items()}
    level = total(plain, LAST - timedelta(28)) / 28
    for point, each in zip(found.points, found.expected, strict=True):
        shares = []
        for back in (1, 2):
            then = point.start - timedelta(364 * back)
            around = [by_day[then + timedelta(n)] for n in (-7, 0, 7)]
            shares.append(np.mean(around) / (total(plain, LAST - timedelta(364 * back + 28)) / 28))
        assert (each.start, each.middle) == (point.start, pytest.approx(level * np.mean(shares), abs=0.01))
    inside = [e.low <= p.clicks <= e.high for p, e in zip(found.points, found.expected, strict=True)]
    assert sum(inside) >= 0.85 * len(inside)
    weeks = timeline(held, AUTUMN, "week")
    days = {each.start: each.middle for each in found.expected}
    for each, point in zip(weeks.expected, weeks.points, strict=True):
        mine = [middle for day, middle in days.items() if point.start <= day <= point.end]
        assert each.middle == pytest.approx(sum(mine), abs=0.1)
        assert each.low < each.middle < each.high


EASTERS = (date(2024, 3, 31), date(2025, 4, 20))


def by_easter(page: int, day: date, draw: np.random.Generator) -> int:
    """Make up a site that is as it is all the year, and twice as strong in the days around Easter."""
    near = any(abs((day - easter).days) <= 4 for easter in EASTERS)
    return int(draw.poisson((12 + page) * (2.0 if near else 1.0)))


def test_a_holiday_that_moves_is_set_beside_itself_where_it_is_noted(tmp_path):
    last = date(2025, 4, 26)
    history, plain = made(tmp_path, 364 + 120, by_easter, last)
    asked = Asked("site", window="P14D", against="before")
    unaware = timeline(holding(history, (1,)), asked).season
    assert (unaware.verdict, unaware.by) == ("rose", None)
    held = holding(history, (1,), Words(holidays={"Easter": EASTERS}))
    aware = timeline(held, asked)
    apart = EASTERS[1] - EASTERS[0]
    then = [total(plain, last - apart - timedelta(back), 14) for back in (0, 14)]
    assert aware.season.expected == pytest.approx(then[0] / then[1] - 1, abs=1e-3)
    assert (aware.season.verdict, aware.season.by) == ("as every year", "Easter")
    assert sum(e.low <= p.clicks <= e.high for p, e in zip(aware.points, aware.expected, strict=True)) >= 12
    found = fading(held, asked, "page", VERDICTS, Slice(limit=100))
    assert {each.verdict for each in found.rows} <= {"holding", "slipping"}
    assert "laid beside it by Easter" in " ".join(each.text for each in told(aware, "en", say_timeline).sentences)
    history.close()


def test_without_an_earlier_year_there_is_no_band(tmp_path):
    history, _ = made(tmp_path, 200)
    assert timeline(holding(history, (1,)), AUTUMN).expected == []
    history.close()


def test_all_that_knows_the_year_can_be_read_as_counted(years):
    held, _ = years
    line = timeline(held, AUTUMN, season=False)
    assert (line.season.basis, line.season.verdict, line.expected) == ("counted", None, [])
    assert (line.now, line.change) == (timeline(held, AUTUMN).now, timeline(held, AUTUMN).change)
    split, net = drivers(held, AUTUMN, season=False), drivers(held, AUTUMN)
    assert (split.season, split.demand_beyond) == (None, None)
    assert list(split.ladder) == ["demand", "rank", "appeal", "entered", "left", "unlisted"]
    assert list(net.ladder)[:2] == ["season", "demand_beyond"]
    for found in (split, net):
        assert sum(found.ladder.values()) == pytest.approx(found.change.clicks, abs=1e-5)
    assert "fewer people searched (" in told(split, "en", say_drivers).sentences[1].text
    assert "fewer people search at this time every year (" in told(net, "en", say_drivers).sentences[1].text


def test_a_report_names_the_page_that_lost_most_beyond_its_season_and_the_season_among_the_parts(years):
    held, _ = years
    asked = {"timeline": lambda: timeline(held, AUTUMN), "drivers": lambda: drivers(held, AUTUMN)}
    net = fading(held, AUTUMN, "page", page=Slice(limit=1))

    def take(ask, _spec):
        return () if ask.reading == blocks.NOTES else asked[ask.reading]()

    look = Look("Tallow Lane", "#0F4C6E", "#875200", "en", "Tallow Lane")
    made = build(
        look,
        "site",
        LAST,
        [blocks.wanted(BlockSpec(kind=name)) for name in ("storyline", "drivers")],
        take,
        Window(LAST, LAST),
        lambda: net,
    )
    assert "as every year at this time" in made.title
    assert f"The page /p07 lost most beyond its season: {abs(net.rows[0].beyond_season):,.0f} clicks." in made.summary
    text = render_html(made)
    assert "<td>Season</td>" in text and "<td>Demand beyond season</td>" in text and "<td>Demand</td>" not in text


def test_a_report_can_be_made_as_counted(years, install):
    client = setup.add_client(install, NewClient(name="Client"), NOW)
    key = setup.add_site(install, client, NewSite(host="site.example"), NOW)
    with install.records.begin() as db:
        blank = {"kind": "search", "connector": "open-feed", "url": "-", "account": "-", "sealed_secret": b""}
        db.add(Source(site_id=1, label="-", property="-", engine="-", time_zone="UTC", created_at=NOW, **blank))
    install.history(1, create=True).close()
    with (
        closing(sqlite3.connect(years[0].history.path)) as kept,
        closing(sqlite3.connect(install.history_path(1))) as to,
    ):
        kept.backup(to)
    asked = Asked(key, window="P28D", against="before")
    net, counted = (document(install, key, plain_body(asked, season=season), NOW) for season in (True, False))
    assert "as every year at this time" in net.title
    fell = abs(timeline(years[0], AUTUMN).change.clicks_ratio)
    assert counted.title == f"Clicks from search fell by {fell:.1%}"
    assert "beyond its season" in net.summary[-1]
    assert not any("season" in said or "every year" in said for said in counted.summary)
    assert counted.line.expected == []


@pytest.mark.parametrize(("rose", "expected", "beyond"), [(12, 0.52, -20.0), (-12, -0.52, 20.0)])
def test_a_row_that_rose_less_than_its_season_says_so_and_not_why_it_rose(years, rose, expected, beyond):
    row = next(each for each in fading(years[0], AUTUMN, "page", VERDICTS).rows if each.key != "/p07")
    change = row.change.model_copy(update={"clicks": rose, "clicks_ratio": rose / 100})
    against = row.model_copy(update={"change": change, "expected": expected, "beyond_season": beyond})
    sign = "+" if rose > 0 else "−"
    assert reason(against, Speech("en")) == f"{sign}12.0% where {sign}52.0% was to be expected"
    along = against.model_copy(update={"beyond_season": -beyond})
    assert "expected" not in reason(along, Speech("en"))
