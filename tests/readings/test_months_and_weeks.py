"""Months with gaps, parts of weeks, windows not held: figures told apart from plain sums over the days."""

from contextlib import closing
from datetime import date, timedelta
from itertools import combinations
from statistics import median

import pytest
from tests.readings.oracle import SITE
from tests.readings.test_effect import FIRST, _entry, make

from noctilum.core.batch import Coded
from noctilum.core.errors import Nonsense
from noctilum.core.verdicts import VERDICTS
from noctilum.core.windows import month_end, shift_months
from noctilum.history import History, Question
from noctilum.readings.drivers import drivers
from noctilum.readings.fading import fading
from noctilum.readings.frame import Asked
from noctilum.readings.holding import holding

DAYS = 430
LAST = FIRST + timedelta(DAYS - 1)
MAY = date(2024, 5, 1)


def judged(history, **asked):
    found = fading(holding(history, (1,)), Asked(SITE, **asked), "page", VERDICTS)
    return {row.key: row for row in found.rows}


def daily(history, page):
    """Clicks by day of one page, of the days that are held."""
    number = history.all_texts("page").index(page)
    found = history.read(Question("page", FIRST, LAST, ("page", "day")))
    mine = found.keys[0] == number
    days = [date.fromordinal(n) for n in found.keys[1][mine].tolist()]
    return dict(zip(days, found.clicks[mine].tolist(), strict=True))


def by_month(history, page, last, least_share=0.9):
    """Clicks a held day of the twelve months before the day after last; None where over a tenth is not held."""
    clicks = daily(history, page)
    this = (last + timedelta(1)).replace(day=1)
    months = []
    for first in (shift_months(this, -n) for n in range(12, 0, -1)):
        days = [first + timedelta(n) for n in range((month_end(first) - first).days + 1)]
        held = [clicks[day] for day in days if day in clicks]
        months.append(sum(held) / len(held) if len(held) >= least_share * len(days) else None)
    return months


def plain_slope(months):
    known = [(n, value) for n, value in enumerate(months) if value is not None]
    return median((v1 - v0) / (n1 - n0) for (n0, v0), (n1, v1) in combinations(known, 2))


def days_of_may(many):
    return tuple(MAY + timedelta(n) for n in range(many))


@pytest.mark.parametrize(
    "lost",
    [
        (),
        (MAY + timedelta(3),),
        tuple(MAY + timedelta(n) for n in range(31)),
        tuple(MAY + timedelta(n) for n in range(4)),
    ],
    ids=["whole", "one day", "a month", "over a tenth of one"],
)
def test_slope_and_months_down_go_by_held_days_and_leave_gaps_where_they_are(tmp_path, lost):
    with closing(make(tmp_path, DAYS, lambda page, day: 2.0 - (day - FIRST).days / 400, lost=lost)) as history:
        rows = judged(history)
        for page, row in rows.items():
            months = by_month(history, page, LAST)
            assert (months.count(None) == 1) == (len(lost) > 1)
            assert row.slope == pytest.approx(plain_slope(months), abs=1e-4)


def test_february_is_no_fall_where_every_day_is_alike(tmp_path):
    def flat(_page, day):
        return 1.0

    with closing(make(tmp_path, 425, flat, mean=4000.0, steady=True)) as history:
        window = "2025-02-01/2025-02-28"
        rows = judged(history, window=window)
        for page, row in rows.items():
            months = by_month(history, page, date(2025, 2, 28))
            falls = 0
            while falls < 11 and months[-1 - falls] < months[-2 - falls]:
                falls += 1
            assert row.months_down == falls
            assert abs(row.slope) < 20


def test_a_part_of_a_week_at_the_end_is_a_gap_not_a_cliff(tmp_path):
    with closing(make(tmp_path, DAYS, steady=True)) as history:
        whole = judged(history, window="P28D")["/a"].weeks
        part = judged(history, window="P30D")["/a"].weeks
    assert None not in whole
    assert part[-1] is None
    assert None not in part[:-1]


def test_where_no_change_is_given_nothing_is_told_of_beyond_the_site(tmp_path):
    gap = tuple(LAST - timedelta(n) for n in range(3, 12))
    with closing(make(tmp_path, DAYS, lost=gap)) as history:
        rows = judged(history)
    assert rows
    assert all(row.change is None and row.beyond_site is None for row in rows.values())


def test_the_window_that_lacks_days_is_named_by_itself(tmp_path):
    days = [FIRST + timedelta(n) for n in range(28)]
    queries = {"query": Coded.of(["ferry", "boat"])}
    with closing(History(tmp_path / "1.db", create=True)) as history:
        lacking = days[-4]
        entries = [_entry("site", day, {}, 9) for day in days]
        history.put_days(1, [*entries, *(_entry("query", day, queries, [3, 4]) for day in days if day != lacking)])
        asked = Asked(SITE, f"{days[-7]}/{days[-1]}")
        with pytest.raises(Nonsense, match=f"only 6 of 7 days from {days[-7]} to {days[-1]}"):
            drivers(holding(history, (1,)), asked, 20)
