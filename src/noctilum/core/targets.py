"""Targets: the path to a figure by a day, net of what the year does, and whether one is on course.

A figure that adds up over days is told of the 28 days to a day; one that stands, as keywords in the top ten, as of the
day. Paths run in logarithms for the first, as seasons multiply, and in a straight line for the second. The formulas are
ours; docs/targets.md writes them out.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, timedelta
from functools import cached_property
from typing import Literal

import numpy as np
import numpy.typing as npt

from noctilum.core.season import HALF, SEASON, years_back
from noctilum.core.verdicts import dispersion
from noctilum.core.windows import YEAR_SHIFT, Window

Floats = npt.NDArray[np.float64]
Course = Literal["ahead", "on course", "behind", "reached", "missed", "not begun", "too few to tell"]

SPAN = 28
LEAST_HELD = 26
"""Of the 28 days of a level at most a tenth may be missing."""
MOST_YEARS = 5
WEEKS = 26
FEWEST = 30
"""A level of fewer tells no course."""
ONE_SIDED = 1.6449
"""So many deviations off the path chance leaves it in 5 of 100 cases."""
INTERVAL = 1.96
WIDEST = 0.5
"""Where chance alone makes a level half as much again, the course cannot be told."""


@dataclass(frozen=True)
class Daily:
    """A figure by day from a day on: NaN where it is not held; shape (days,)."""

    first: date
    counts: Floats

    @property
    def last(self) -> date:
        """The last day there is a place for."""
        return self.first + timedelta(self.counts.size - 1)

    @cached_property
    def last_held(self) -> date | None:
        """The last day that is held."""
        held = np.flatnonzero(np.isfinite(self.counts))
        return self.first + timedelta(int(held[-1])) if held.size else None

    @cached_property
    def _running(self) -> tuple[Floats, Floats]:
        held = np.isfinite(self.counts)
        sums = np.concatenate(([0.0], np.cumsum(np.where(held, self.counts, 0.0))))
        return sums, np.concatenate(([0.0], np.cumsum(held)))

    def level(self, last: date) -> float | None:
        """Sum the 28 days to a day, as if all were held; None where more than a tenth of them is not.

        >>> Daily(date(2026, 1, 1), np.full(40, 3.0)).level(date(2026, 1, 28))
        84.0
        """
        end = (last - self.first).days + 1
        if end < SPAN or end > self.counts.size:
            return None
        sums, held = self._running
        days = held[end] - held[end - SPAN]
        return None if days < LEAST_HELD else float((sums[end] - sums[end - SPAN]) / days * SPAN)

    def weekly(self, last: date, weeks: int = WEEKS) -> Floats:
        """Sum each whole week of so many to a day, those wholly held; shape (weeks held,)."""
        end = (last - self.first).days + 1
        parts = [self.counts[end - 7 * (n + 1) : end - 7 * n] for n in range(weeks) if end - 7 * (n + 1) >= 0]
        return np.array([part.sum() for part in parts if part.size == 7 and np.isfinite(part).all()])


def together(parts: Sequence[Daily]) -> Daily:
    """Add up a figure of several sites: a day is held where it is held of all that had begun by then.

    >>> both = together([Daily(date(2026, 1, 1), np.ones(3)), Daily(date(2026, 1, 2), np.ones(3))])
    >>> both.first, both.counts.tolist()
    (datetime.date(2026, 1, 1), [1.0, 2.0, 2.0, nan])
    """
    first, last = min(part.first for part in parts), max(part.last for part in parts)
    counts = np.zeros((last - first).days + 1)
    for part in parts:
        at = (part.first - first).days
        counts[at : at + part.counts.size] += part.counts
        counts[at + part.counts.size :] = np.nan
    return Daily(first, counts)


Holidays = Mapping[str, Sequence[date]]


@dataclass(frozen=True)
class Season:
    """What earlier years say of a level beside the base: its ln ratio, and the variance of that. years: how many."""

    log: float
    variance: float
    years: int


@dataclass(frozen=True)
class Aim:
    """What is to be reached. starts: the first day of the way; by: its last; value: the level, or the standing."""

    starts: date
    by: date
    value: float

    @property
    def base_last(self) -> date:
        """The day before the way, on which the base stands."""
        return self.starts - timedelta(1)

    def share(self, day: date) -> float:
        """Say how much of the way lies behind on a day, 0 to 1."""
        return min(1.0, max(0.0, (day - self.base_last).days / max(1, (self.by - self.base_last).days)))


@dataclass(frozen=True)
class Point:
    """One day of the way: the figure, the path with what chance may do to it, and what the year alone would bring."""

    day: date
    now: float | None
    path: float
    low: float | None
    high: float | None
    alone: float | None


@dataclass(frozen=True)
class Way:
    """A target read. gap: now over the path, less 1. asked: what is to be gained beyond the year's own change.

    ends: where it ends when nothing changes but the year, with its 95% interval.
    """

    base: float
    years: int
    course: Course
    now: float | None
    on: date | None
    path: float | None
    gap: float | None
    asked: float | None
    ends: float | None
    ends_low: float | None
    ends_high: float | None
    points: tuple[Point, ...]


@dataclass(frozen=True, eq=False)
class _Levels:
    """Levels of a figure that adds up, with what its year does and how widely it scatters."""

    daily: Daily
    aim: Aim
    holidays: Holidays
    base: float
    phi: float
    _seasons: dict[date, Season] = field(default_factory=dict, init=False, repr=False)

    def season(self, last: date) -> Season:
        """Say what the years before did from the base to a level."""
        if last not in self._seasons:
            self._seasons[last] = self._season(last)
        return self._seasons[last]

    def _season(self, last: date) -> Season:
        past = (last - self.aim.base_last).days
        folded = last - timedelta(YEAR_SHIFT * max(0, (past - 1) // YEAR_SHIFT))
        now, before = _span(folded), _span(self.aim.base_last)
        logs, noise = [], 0.0
        for back in range(1, MOST_YEARS + 1):
            shift, _ = years_back(now, before, back, self.holidays)
            pair = [self.daily.level(window.last - shift) for window in (now, before)]
            if pair[0] is None or pair[1] is None:
                break
            a, b = max(pair[0], HALF), max(pair[1], HALF)
            logs.append(float(np.log(a / b)))
            noise += self.phi * (1 / a + 1 / b)
        if not logs:
            return Season(0.0, 0.0, 0)
        years = len(logs)
        stray = SEASON.omega**2 if years == 1 else max(SEASON.least_omega**2, float(np.var(logs, ddof=1)))
        apart = 1 - _shared(folded, self.aim.base_last)
        return Season(float(np.mean(logs)), (noise / years**2 + stray) * apart, years)

    def path(self, day: date, end: Season) -> float:
        """Give the path: the base, moved by the year, and by that share of what is asked that lies behind."""
        asked = np.log(self.aim.value / self.base) - end.log
        return float(self.base * np.exp(self.season(day).log + self.aim.share(day) * asked))

    def variance(self, day: date, end: Season) -> float:
        """Give the variance of ln(level / path) when one goes along the path.

        φ/(path) of the level, φ/(base) of the base as far as the path still hangs on it, and what the years before
        leave open of its season and of that of the end.
        """
        left = 1 - self.aim.share(day)
        path = self.path(day, end)
        own = self.phi / (path + HALF) + left**2 * self.phi / (self.base + HALF)
        apart = 1 - _shared(day, self.aim.by)
        return own + (self.season(day).variance + (1 - left) ** 2 * end.variance) * apart

    def ends(self, day: date, level: float, end: Season) -> tuple[float, float, float]:
        """Say where a level ends when nothing changes but the year, with its 95% interval."""
        here = self.season(day)
        middle = float(level * np.exp(end.log - here.log))
        apart = 1 - _shared(day, self.aim.by)
        own = self.phi * (1 / (level + HALF) + apart / (middle + HALF))
        deviation = float(np.sqrt(own + (here.variance + end.variance) * apart))
        return middle, middle * float(np.exp(-INTERVAL * deviation)), middle * float(np.exp(INTERVAL * deviation))


def way(daily: Daily, aim: Aim, holidays: Holidays) -> Way | None:
    """Read a target of a figure that adds up over days; None where the 28 days before its start are not held.

    path(d) = base · e^{season(d)} · (value / (base · e^{season(by)}))^{share of the way}, season the mean over earlier
    years of the ln ratio of the same 28 days to those of the base. Ahead or behind from 1.645 deviations on.
    """
    base = daily.level(aim.base_last)
    if base is None:
        return None
    phi, _ = dispersion(daily.weekly(aim.base_last)[None, :])
    levels = _Levels(daily, aim, holidays, max(base, HALF), float(phi[0]))
    end = levels.season(aim.by)
    on, now = _newest(daily, aim)
    asked = float(aim.value / (levels.base * np.exp(end.log)) - 1)
    points = _points(levels, end, on)
    if now is None:
        return Way(base, end.years, "not begun", None, None, None, None, asked, *_unmoved(levels, end), points)
    path, deviation = levels.path(on, end), float(np.sqrt(levels.variance(on, end)))
    gap = now / path - 1
    few = min(now, path) < FEWEST or deviation > np.log(1 + WIDEST)
    if on >= aim.by:
        course: Course = _ended(now, aim)
    else:
        course = "too few to tell" if few else _course(float(np.log((now + HALF) / (path + HALF))) / deviation)
    ends = levels.ends(on, now, end)
    return Way(base, end.years, course, now, on, path, gap, asked, *ends, points)


def _newest(daily: Daily, aim: Aim) -> tuple[date, float | None]:
    """Give the last day of the way whose level is known, with it; without one the day before the way."""
    day = min(daily.last_held or aim.base_last, aim.by)
    while day >= aim.starts:
        if (level := daily.level(day)) is not None:
            return day, level
        day -= timedelta(1)
    return aim.base_last, None


def _unmoved(levels: _Levels, end: Season) -> tuple[float, float, float]:
    return levels.ends(levels.aim.base_last, levels.base, end)


def _ended(now: float, aim: Aim) -> Course:
    return "reached" if now >= aim.value * (1 - 1e-9) else "missed"


def _course(z: float) -> Course:
    return "ahead" if z > ONE_SIDED else "behind" if z < -ONE_SIDED else "on course"


def _points(levels: _Levels, end: Season, on: date) -> tuple[Point, ...]:
    def point(day: date) -> Point:
        path = levels.path(day, end)
        wide = float(np.exp(ONE_SIDED * np.sqrt(levels.variance(day, end))))
        now = levels.daily.level(day) if day <= on else None
        here = levels.season(day)
        alone = levels.base * float(np.exp(here.log)) if here.years else None
        return Point(day, now, path, path / wide, path * wide, alone)

    return tuple(point(day) for day in _week_ends(levels.aim))


def standing_way(standing: Callable[[date], float | None], aim: Aim, last: date) -> Way | None:
    """Read a target of a figure that stands, as of days; None where none is known on the day before its start.

    standing: what stood on a day, None where unknown. path(d) = base + (value − base) · share of the way; off it from
    more than a whole one on. last: the last day there is anything of.
    """
    base = standing(aim.base_last)
    if base is None:
        return None
    on = min(last, aim.by)
    now = standing(on) if on >= aim.starts else None

    def path(day: date) -> float:
        return base + (aim.value - base) * aim.share(day)

    points = tuple(
        Point(day, standing(day) if day <= on else None, path(day), None, None, None) for day in _week_ends(aim)
    )
    if now is None:
        return Way(base, 0, "not begun", None, None, None, None, None, None, None, None, points)
    if on >= aim.by:
        course: Course = _ended(now, aim)
    else:
        course = "behind" if now < np.floor(path(on)) else "ahead" if now > np.ceil(path(on)) else "on course"
    gap = now / path(on) - 1 if path(on) else None
    return Way(base, 0, course, now, on, path(on), gap, None, None, None, None, points)


def _week_ends(aim: Aim) -> tuple[date, ...]:
    """Give the day before the way, every seventh day from there, and the last."""
    days = (aim.by - aim.base_last).days
    return (*(aim.base_last + timedelta(n) for n in range(0, days, 7)), aim.by)


def _span(last: date) -> Window:
    return Window(last - timedelta(SPAN - 1), last)


def _shared(one: date, other: date) -> float:
    """Say how much of the 28 days to one day lies in those to another, 0 to 1."""
    return max(0.0, 1 - abs((one - other).days) / SPAN)
