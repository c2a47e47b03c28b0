"""The same windows in earlier years: what the year alone would have done to rows, and to their site."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from functools import lru_cache
from typing import Literal, Protocol

import numpy as np

from noctilum.core.days import HELD, DayState, completeness, pair_days
from noctilum.core.season import Pair, SiteJudged, Year, band, judge_site, years_back
from noctilum.core.verdicts import RULE, dispersion
from noctilum.core.windows import Window
from noctilum.history import History, Question
from noctilum.readings.frame import Frame, grain_of
from noctilum.readings.grains import read
from noctilum.readings.rows_of import Floats, Ints, spread, weeks_before
from noctilum.wire import readings as wire

NO_ROWS: Ints = np.zeros(0, dtype=np.int64)
MOST_YEARS = 5
LONGEST_OUTSIDE = 56
"""Windows of up to eight weeks are also compared just outside last year's."""
A_YEAR_APART = range(350, 380)
"""Windows so many days apart, or twice as many, are of the same time of the year: nothing is to be taken out."""


def takes_a_season_out(of: Frame) -> bool:
    """Say whether the windows can be compared and are of different times of the year."""
    if of.against is None or not of.comparable:
        return False
    apart = abs((of.window.first - of.against.first).days)
    return not any(apart // n in A_YEAR_APART for n in (1, 2, 3))


def now_of(of: Frame, now: Ints, before: Ints) -> Pair:
    """Give the windows asked about, of rows whose clicks are known."""
    assert of.against is not None
    days = max(1, len(of.now_days)), max(1, len(of.before_days))
    return Pair(now, before, *days, _sum(of, of.window, of.now_days), _sum(of, of.against, of.before_days))


class Counted(Protocol):
    """Counts of some rows over any window, with which days of it are held."""

    @property
    def states(self) -> Mapping[date, DayState]:
        """The state of every day that is held."""

    @property
    def complete_through(self) -> date:
        """The last day up to which it is complete."""

    def rows(self, window: Window, days: Sequence[date]) -> Ints:
        """Count each row over some days of a window."""

    def whole(self, window: Window, days: Sequence[date]) -> int:
        """Count the whole that the rows are of."""


@dataclass(frozen=True)
class ClicksOf:
    """Clicks of rows as a frame reads them; of none where only the whole is asked for."""

    of: Frame
    grain: str
    item: str
    ids: Ints

    @property
    def states(self) -> Mapping[date, DayState]:
        """As the frame holds them."""
        return self.of.held.states

    @property
    def complete_through(self) -> date:
        """As the frame holds them."""
        return self.of.held.complete_through

    def rows(self, window: Window, days: Sequence[date]) -> Ints:
        """Count each row's clicks."""
        if not self.ids.size:
            return NO_ROWS
        out = frozenset(window.days()) - frozenset(days)
        found = self.of.read_days(self.grain, (self.item,), window, out, measures=("clicks",))
        return np.rint(spread(found, self.ids, np.zeros(len(found), dtype=np.int64), 1)[:, 0]).astype(np.int64)

    def whole(self, window: Window, days: Sequence[date]) -> int:
        """Count all clicks of the frame."""
        return _sum(self.of, window, days)


def years_of(of: Frame, grain: str = "", item: str = "", ids: Ints = NO_ROWS) -> list[Year]:
    """Read the clicks of these rows in every earlier year that is held; none where the year is no matter."""
    return years_counted(of, ClicksOf(of, grain, item, ids), outside=bool(ids.size))


def years_counted(of: Frame, counted: Counted, *, outside: bool = True) -> list[Year]:
    """Read the windows of every earlier year that is held, of anything counted. outside: those beside them as well."""
    found: list[Year] = []
    for shift, now, before in _earlier(of):
        pair = _pair(counted, now, before)
        if pair is None:
            break
        found.append(Year(pair, _outside(of, counted, shift) if outside else None))
    return found


def _earlier(of: Frame) -> Iterator[tuple[timedelta, Window, Window]]:
    """Give both windows of every earlier year, nearest first, with how far back they lie; none without a season."""
    if of.against is None or not takes_a_season_out(of):
        return
    for back in range(1, MOST_YEARS + 1):
        shift, _ = years_back(of.window, of.against, back, of.held.words.holidays)
        yield shift, _moved(of.window, -shift), _moved(of.against, -shift)


def laid_by(of: Frame) -> str | None:
    """Name the moving holiday by whose days the year before is laid beside this one; None where it is laid by date."""
    if of.against is None or not takes_a_season_out(of):
        return None
    return years_back(of.window, of.against, 1, of.held.words.holidays)[1]


def _moved(window: Window, by: timedelta) -> Window:
    return Window(window.first + by, window.last + by)


def _outside(of: Frame, counted: Counted, shift: timedelta) -> Pair | None:
    """Read the windows just outside those of a year, where the two lie side by side."""
    assert of.against is not None
    length = timedelta(len(of.window))
    beside = of.against.last + timedelta(1) == of.window.first and len(of.against) == len(of.window)
    if not beside or len(of.window) > LONGEST_OUTSIDE:
        return None
    return _pair(counted, _moved(of.window, length - shift), _moved(of.against, -length - shift))


def _pair(counted: Counted, now: Window, before: Window) -> Pair | None:
    """Read two windows; None where over a tenth of the days of either is not held."""
    states = counted.states
    if now.last > counted.complete_through or not all(completeness(w, states).enough for w in (now, before)):
        return None
    paired = pair_days(now, before, states)
    sides = ((now, paired.now), (before, paired.before))
    rows = [counted.rows(window, days) for window, days in sides]
    wholes = [counted.whole(window, days) for window, days in sides]
    return Pair(rows[0], rows[1], max(1, len(paired.now)), max(1, len(paired.before)), wholes[0], wholes[1])


DEVIATIONS = 2.0
"""How far the band of what is to be expected reaches either way."""
SURE, ALIKE = 0.05, 1.1
"""How unlikely a change of the whole must be by chance to have fallen or risen; by what factor it may else differ."""


def whole(of: Frame) -> SiteJudged | None:
    """Judge the whole of what a frame reads, net of the year; None where nothing can be compared or no year is held."""
    if not takes_a_season_out(of):
        return None
    return judge_site(now_of(of, NO_ROWS, NO_ROWS), weeks_of(of), years_of(of))


@lru_cache(maxsize=64)
def _site_days(history: History, _generation: int, sources: tuple[int, ...], first: date, last: date) -> Floats:
    """Give a site's clicks of every day, shape (days,); kept while the store's generation is the same."""
    found = read(history, Question("site", first, last, ("day",), {}, frozenset(), sources, ("clicks",)))
    clicks = np.zeros((last - first).days + 1)
    clicks[found.keys[0] - first.toordinal()] += found.clicks
    return clicks


def _days_of(of: Frame, window: Window) -> Floats:
    """Give the clicks of each day of a window of what a frame reads; those of a whole site are kept."""
    held = of.held
    if of.dims or of.narrow.ids != {} or of.narrow.rest is not None:
        found = of.read_days(grain_of(of.dims), ("day",), window, measures=("clicks",))
        clicks = np.zeros(len(window))
        clicks[found.keys[0] - window.first.toordinal()] += found.clicks
        return clicks
    first, last = held.first_held, max(held.complete_through, of.window.last)
    known = _site_days(held.history, held.history.generation, held.sources, first, last)
    clicks, start = np.zeros(len(window)), (window.first - first).days
    low, high = max(0, start), min(known.size, start + len(window))
    clicks[low - start : max(low, high) - start] = known[low : max(low, high)]
    return clicks


def _sum(of: Frame, window: Window, days: Sequence[date]) -> int:
    """Give the clicks of the whole of what a frame reads."""
    if not of.dims:
        counted = [(day - window.first).days for day in days]
        return int(_days_of(of, window)[counted].sum())
    out = frozenset(window.days()) - frozenset(days)
    return of.read_days(grain_of(of.dims), (), window, out).sums.clicks


def weeks_of(of: Frame) -> Floats:
    """Give the clicks of the whole weeks, wholly held, before the window."""
    span, held = weeks_before(of, RULE.weeks)
    kept = np.flatnonzero(held[: RULE.weeks])
    daily = _days_of(of, Window(span.first, span.first + timedelta(7 * RULE.weeks - 1)))
    return np.asarray(daily.reshape(RULE.weeks, 7).sum(axis=1)[kept], dtype=np.float64)


def told(judged: SiteJudged | None, by: str | None = None) -> wire.Season:
    """Write what the year alone would have done, and what is left of the change. by: as of laid_by."""
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
        by=by,
    )


def expectations(of: Frame, points: Sequence[wire.Point]) -> list[wire.Expectation]:
    """Say of each step what earlier years let expect of its clicks, two deviations either way; none without a year."""
    daily, levels = [], []
    for _, now, before in _earlier(of):
        if not all(completeness(w, of.held.states).enough for w in (now, before)):
            break
        held = [day for day in before.days() if of.held.states.get(day) in HELD]
        levels.append(_sum(of, before, held) / len(held))
        daily.append(_by_day(of, Window(now.first - timedelta(7), now.last + timedelta(7))))
    if not daily or of.against is None:
        return []
    phi, _ = dispersion(weeks_of(of)[None, :])
    level = _sum(of, of.against, of.before_days) / max(1, len(of.before_days))
    weeks: Literal[1, 3] = 1 if laid_by(of) else 3
    expected, variance = band(daily, levels, level, float(phi[0]), weeks=weeks)
    return [_expectation(of, point, expected, variance) for point in points]


def _by_day(of: Frame, window: Window) -> Floats:
    """Give the clicks of each day of a window; NaN where it is not held."""
    held = np.array([of.held.states.get(day) in HELD for day in window.days()])
    return np.where(held, _days_of(of, window), np.nan)


def _expectation(of: Frame, point: wire.Point, expected: Floats, variance: Floats) -> wire.Expectation:
    first = (point.start - of.window.first).days
    part = slice(first, first + (point.end - point.start).days + 1)
    middle, deviation = float(expected[part].sum()), float(np.sqrt(variance[part].sum()))
    if not np.isfinite(middle):
        return wire.Expectation(start=point.start, low=None, middle=None, high=None)
    low, high = max(0.0, middle - DEVIATIONS * deviation), middle + DEVIATIONS * deviation
    return wire.Expectation(start=point.start, low=round(low, 2), middle=round(middle, 2), high=round(high, 2))
