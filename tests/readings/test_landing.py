"""Landing pages: clicks beside visits from plain rows of both stand-ins, and what fell told apart."""

from __future__ import annotations

from collections import Counter
from datetime import date, timedelta

import numpy as np
import pytest
from tests.conftest import HIVE, SMALL, TODAY
from tests.served import Held, answered, connected, feed

from noctilum.core.errors import Nonsense, NotThere
from noctilum.core.landing import TOLD, told_apart
from noctilum.core.verdicts import VERDICTS, judge
from noctilum.standins.search_model import model_of
from noctilum.standins.visits_feed import create_app
from noctilum.standins.visits_model import STREAMS, visits_of

NUMBER = "visits-hivewright-blog"
HELD = Held(((create_app, NUMBER),))
STOPPED = TODAY + timedelta(STREAMS[NUMBER].silent[0][1])
"""The day on which the counting code fell out of the blog."""
QUIET = f"{STOPPED - timedelta(21)}/{STOPPED - timedelta(1)}"
BROKEN = f"{STOPPED}/{STOPPED + timedelta(11)}"


@pytest.fixture(scope="module")
def visits_feed():
    with feed(create_app) as url:
        yield url


@pytest.fixture
def site(install, held, visits_feed):
    return HELD.now_at(install, visits_feed)


def counted(first: date, last: date) -> tuple[Counter[str], Counter[str]]:
    clicks: Counter[str] = Counter()
    sessions: Counter[str] = Counter()
    for n in range((last - first).days + 1):
        day = first + timedelta(n)
        rows = model_of(SMALL, TODAY).day(day)["page"]
        for page, count in zip(rows.texts["page"], rows.clicks, strict=True):
            clicks[page] += count
        for visit in visits_of(NUMBER, TODAY, day):
            if visit.channel == "organic":
                sessions[visit.page] += visit.sessions
    return clicks, sessions


def test_both_are_those_of_plain_rows_in_both_windows(install, site):
    found = answered(install, site, "landing", window=QUIET, only="all", limit=1000)
    now = counted(found.window.first, found.window.last)
    before = counted(found.against.first, found.against.last)
    assert found.days == found.days_before == 21 and len(found.rows) == 6
    for row in found.rows:
        assert (row.clicks, row.sessions) == (now[0][row.page], now[1][row.page])
        assert (row.clicks_before, row.sessions_before) == (before[0][row.page], before[1][row.page])
        assert row.per_click == pytest.approx(row.sessions / row.clicks, abs=1e-4)
    for each in found.counts:
        mine = [row for row in found.rows if row.told == each.told]
        assert each.pages == len(mine)
        assert each.sessions == pytest.approx(sum(row.sessions - row.sessions_before for row in mine))


def test_nothing_is_broken_where_nothing_happened(install, site):
    found = answered(install, site, "landing", window=QUIET, only="all", limit=1000)
    assert "counting broke" not in {row.told for row in found.rows}
    assert "visits fell" not in {row.told for row in found.rows}


def test_a_tag_that_fell_out_is_told_from_a_fall(install, site):
    found = answered(install, site, "landing", window=BROKEN, only="counting")
    assert found.rows and all(row.told == "counting broke" for row in found.rows)
    assert all(row.sessions < 0.3 * row.sessions_before for row in found.rows)
    every = answered(install, site, "landing", window=BROKEN, only="all", limit=100)
    assert not {row.told for row in every.rows} & {"clicks fell", "visits fell"}
    assert any("only the counting broke" in each.text for each in found.sentences)


def test_it_needs_two_windows_and_both_feeds(install, pulled, visits_feed):
    with pytest.raises(NotThere):
        answered(install, HIVE, "landing")
    connected(install, HIVE, visits_feed, NUMBER)
    with pytest.raises(Nonsense):
        answered(install, HIVE, "landing", against="none")
    empty = answered(install, HIVE, "landing", window="2025-11-01/2025-11-07")
    assert empty.rows == [] or all(row.told == "too few to tell" for row in empty.rows)


def test_simulated_falls_are_told_apart():
    """Pages with 400 clicks a window: nothing, clicks down 40%, visits lost 30% on the way, counting stopped."""
    draw = np.random.default_rng(5)
    pages, right = 120, Counter()
    truth = ("level", "clicks fell", "visits fell", "counting broke")
    kind = np.arange(pages) % 4
    weekly = draw.poisson(100, (pages, 26)).astype(float)
    clicks_before, clicks_now = draw.poisson(400, pages), draw.poisson(np.where(kind == 1, 240, 400))
    came = np.choose(kind, [0.93, 0.93, 0.65, 0.04])
    sessions_before, sessions_now = draw.binomial(clicks_before, 0.93), draw.binomial(clicks_now, came)
    weekly_sessions = draw.binomial(weekly.astype(int), 0.93).astype(float)
    clicks = judge(clicks_now, clicks_before, weekly, 28, 28).verdict
    sessions = judge(sessions_now, sessions_before, weekly_sessions, 28, 28).verdict
    for n in range(pages):
        ratio = (sessions_now[n] / clicks_now[n]) / (sessions_before[n] / clicks_before[n])
        told = told_apart(VERDICTS[clicks[n]], VERDICTS[sessions[n]], float(ratio))
        right[truth[kind[n]]] += told == truth[kind[n]]
        if kind[n] == 0:
            assert told != "counting broke"
    assert right["counting broke"] == 30 and right["clicks fell"] >= 28 and right["visits fell"] >= 25
    assert right["level"] >= 28


def test_every_pair_of_verdicts_is_told():
    for clicks in VERDICTS:
        for sessions in VERDICTS:
            for ratio in (None, 0.1, 1.0):
                assert told_apart(clicks, sessions, ratio) in TOLD
