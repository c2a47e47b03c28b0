"""The same windows in earlier years: what the year alone would have done to rows, and to their site."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, timedelta
from typing import Literal

import numpy as np

from noctilum.core.days import completeness, pair_days
from noctilum.core.season import Pair, SiteJudged, Year, judge_site
from noctilum.core.verdicts import RULE
from noctilum.core.windows import YEAR_SHIFT, Window
from noctilum.readings.frame import Frame, grain_of
from noctilum.readings.rows_of import Floats, Ints, spread, weeks_before
from noctilum.wire import readings as wire

MOST_YEARS = 5
LONGEST_OUTSIDE = 56
"""Windows of up to eight weeks are also compared just outside last year's."""
A_YEAR_APART = range(350, 380)
"""Windows so many days apart, or twice as many, are of the same time of the year: nothing is to be taken out."""


def takes_a_season_out(of: Frame) -> bool:
    """Say whether the windows are of different times of the year."""
    if of.against is None:
        return False
    apart = abs((of.window.first - of.against.first).days)
    return not any(apart // n in A_YEAR_APART for n in (1, 2, 3))


def now_of(of: Frame, now: Ints, before: Ints) -> Pair:
    """Give the windows asked about, of rows whose clicks are known."""
    days = max(1, len(of.now_days)), max(1, len(of.before_days))
    return Pair(now, before, *days, _site(of, of.window, of.now_days, now), _site_before(of, before))


def _site_before(of: Frame, before: Ints) -> int:
    return _site(of, of.against, of.before_days, before) if of.against else 0


def years_of(of: Frame, grain: str, item: str, ids: Ints) -> list[Year]:
    """Read the windows of every earlier year that is held, for these rows; none where the year is no matter."""
    if not takes_a_season_out(of) or of.against is None:
        return []
    found: list[Year] = []
    for back in range(1, MOST_YEARS + 1):
        shift = timedelta(YEAR_SHIFT * back)
        pair = _pair(of, grain, item, ids, _moved(of.window, -shift), _moved(of.against, -shift))
        if pair is None:
            break
        found.append(Year(pair, _outside(of, grain, item, ids, shift)))
    return found


def _moved(window: Window, by: timedelta) -> Window:
    return Window(window.first + by, window.last + by)


def _outside(of: Frame, grain: str, item: str, ids: Ints, shift: timedelta) -> Pair | None:
    """Read the windows just outside those of a year, where the two lie side by side."""
    assert of.against is not None
    length = timedelta(len(of.window))
    beside = of.against.last + timedelta(1) == of.window.first and len(of.against) == len(of.window)
    if not beside or len(of.window) > LONGEST_OUTSIDE:
        return None
    return _pair(of, grain, item, ids, _moved(of.window, length - shift), _moved(of.against, -length - shift))


def _pair(of: Frame, grain: str, item: str, ids: Ints, now: Window, before: Window) -> Pair | None:
    """Read two windows; None where over a tenth of the days of either is not held."""
    states = of.held.states
    if now.last > of.held.complete_through or not all(completeness(w, states).enough for w in (now, before)):
        return None
    paired = pair_days(now, before, states)
    rows = [_rows(of, grain, item, ids, window, days) for window, days in ((now, paired.now), (before, paired.before))]
    sites = [_site(of, now, paired.now, rows[0]), _site(of, before, paired.before, rows[1])]
    return Pair(rows[0], rows[1], max(1, len(paired.now)), max(1, len(paired.before)), *sites)


def _rows(of: Frame, grain: str, item: str, ids: Ints, window: Window, days: Sequence[date]) -> Ints:
    out = frozenset(window.days()) - frozenset(days)
    found = of.read_days(grain, (item,), window, out, measures=("clicks",))
    return np.rint(spread(found, ids, np.zeros(len(found), dtype=np.int64), 1)[:, 0]).astype(np.int64)


def _site(of: Frame, window: Window, days: Sequence[date], rows: Ints) -> int:
    """Give the clicks of the whole site; under a filter on queries, those of the rows."""
    if "query" in of.dims:
        return int(rows.sum())
    out = frozenset(window.days()) - frozenset(days)
    return of.read_days(grain_of(of.dims), (), window, out).sums.clicks


SURE, ALIKE = 0.05, 1.2
"""How unlikely a change of the whole must be by chance to have fallen or risen; by what factor it may else differ."""


def whole(of: Frame) -> SiteJudged | None:
    """Judge the whole of what a frame reads, net of the year; None where nothing can be compared or no year is held."""
    if of.against is None or not of.comparable or not takes_a_season_out(of):
        return None
    nothing = np.zeros(0, dtype=np.int64)
    years: list[Year] = []
    for back in range(1, MOST_YEARS + 1):
        shift = timedelta(YEAR_SHIFT * back)
        pair = _whole_pair(of, _moved(of.window, -shift), _moved(of.against, -shift))
        if pair is None:
            break
        years.append(Year(pair))
    now = _sum(of, of.window, of.now_days), _sum(of, of.against, of.before_days)
    asked = Pair(nothing, nothing, max(1, len(of.now_days)), max(1, len(of.before_days)), *now)
    return judge_site(asked, weeks_of(of), years)


def _whole_pair(of: Frame, now: Window, before: Window) -> Pair | None:
    states, nothing = of.held.states, np.zeros(0, dtype=np.int64)
    if now.last > of.held.complete_through or not all(completeness(w, states).enough for w in (now, before)):
        return None
    paired = pair_days(now, before, states)
    sums = _sum(of, now, paired.now), _sum(of, before, paired.before)
    return Pair(nothing, nothing, max(1, len(paired.now)), max(1, len(paired.before)), *sums)


def _sum(of: Frame, window: Window, days: Sequence[date]) -> int:
    out = frozenset(window.days()) - frozenset(days)
    return of.read_days(grain_of(of.dims), (), window, out).sums.clicks


def weeks_of(of: Frame) -> Floats:
    """Give the clicks of the whole weeks, wholly held, before the window."""
    span, held = weeks_before(of, RULE.weeks)
    kept = np.flatnonzero(held[: RULE.weeks])
    total = of.read_days(grain_of(of.dims), ("day",), span)
    at = (total.keys[0] - span.first.toordinal()) // 7
    summed = np.bincount(at, weights=total.clicks, minlength=RULE.weeks)
    return np.asarray(summed[kept], dtype=np.float64)


def told(judged: SiteJudged | None) -> wire.Season:
    """Write what the year alone would have done, and what is left of the change."""
    if judged is None:
        return wire.Season(basis="counted", years=0, change=None, expected=None, beyond=None, verdict=None)
    if not judged.by_years:
        change = float(np.expm1(judged.own))
        return wire.Season(basis="site", years=0, change=change, expected=None, beyond=None, verdict=None)
    alike = abs(judged.own - judged.expected) <= np.log(ALIKE)
    sure: Literal["fell", "rose"] = "fell" if judged.z < 0 else "rose"
    return wire.Season(
        basis="years",
        years=judged.by_years,
        change=float(np.expm1(judged.own)),
        expected=float(np.expm1(judged.expected)),
        beyond=judged.beyond,
        verdict=sure if judged.p <= SURE else "as every year" if alike else "too few to tell",
    )
