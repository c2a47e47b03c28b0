"""Counts of rows by day over any window, read by calendar months.

What a window needs of a month is what the next window needs of it too, and a month that was asked for is kept until
the store changes: weeks before a window and earlier years of it cost little once a few of them were read.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, timedelta

import numpy as np
import numpy.typing as npt

from noctilum.core.days import HELD, DayState
from noctilum.core.table import Grouped
from noctilum.core.verdicts import RULE
from noctilum.core.windows import Window, month_end
from noctilum.readings.frame import Frame
from noctilum.readings.rows_of import Floats, Ints, weeks_before

Mask = npt.NDArray[np.bool_]


@dataclass(frozen=True, eq=False)
class ByDay:
    """One figure of rows by day. read: gives a window's, by row and day."""

    read: Callable[[Window], Grouped]
    figure: str
    _months_read: dict[date, Grouped] = field(default_factory=dict, init=False, repr=False)
    _windows_read: dict[tuple[Window, frozenset[date] | None], tuple[Ints, Ints, Ints]] = field(
        default_factory=dict, init=False, repr=False
    )

    def over(self, window: Window, days: frozenset[date] | None = None) -> tuple[Ints, Ints, Ints]:
        """Give (rows, days as ordinals, counts) over a window, or over some days of it; each of shape (groups,)."""
        asked = window, days
        if asked not in self._windows_read:
            self._windows_read[asked] = self._over(window, days)
        return self._windows_read[asked]

    def _over(self, window: Window, days: frozenset[date] | None) -> tuple[Ints, Ints, Ints]:
        wanted = np.ones(len(window), dtype=bool)
        if days is not None:
            wanted[:] = [day in days for day in window.days()]
        parts = [self._part(first, window.first.toordinal(), wanted) for first in _months(window)]
        rows, on, counts = (np.concatenate(each) for each in zip(*parts, strict=True))
        return rows, on, counts

    def counted(self, rows: Ints, window: Window, days: frozenset[date]) -> Ints:
        """Count each row, (rows,), over some days of a window. rows: ascending."""
        found, _, counts = self.over(window, days)
        at, known = _placed(rows, found)
        summed = np.bincount(at[known], weights=counts[known], minlength=rows.size)
        return np.rint(summed).astype(np.int64)

    def weekly(self, rows: Ints, first: date, weeks: int) -> Floats:
        """Count each row, (rows, weeks), over weeks from a day on. rows: ascending."""
        found, on, counts = self.over(Window(first, first + timedelta(7 * weeks - 1)))
        at, known = _placed(rows, found)
        cell = at[known] * weeks + (on[known] - first.toordinal()) // 7
        summed = np.bincount(cell, weights=counts[known], minlength=rows.size * weeks)
        return summed.astype(np.float64).reshape(rows.size, weeks)

    def _part(self, month: date, first: int, wanted: Mask) -> tuple[Ints, Ints, Ints]:
        found = self._month(month)
        rows, days = found.keys
        inside = (days >= first) & (days < first + wanted.size)
        inside[inside] = wanted[days[inside] - first]
        return rows[inside], days[inside], found.figures[self.figure][inside]

    def _month(self, first: date) -> Grouped:
        if first not in self._months_read:
            self._months_read[first] = self.read(Window(first, month_end(first)))
        return self._months_read[first]


def _months(window: Window) -> Iterator[date]:
    """Give the first day of every calendar month that a window touches."""
    month = window.first.replace(day=1)
    while month <= window.last:
        yield month
        month = month_end(month) + timedelta(1)


def _placed(rows: Ints, found: Ints) -> tuple[Ints, Mask]:
    """Say where each of the rows found stands among ascending rows, and which of them stand there at all."""
    place = np.full(int(max(rows.max(initial=-1), found.max(initial=-1))) + 1, -1, dtype=np.int64)
    place[rows] = np.arange(rows.size)
    at = place[found]
    return at, at >= 0


@dataclass(frozen=True, eq=False)
class CountsByDay:
    """Counts of some rows, ascending, with the days they are held on: as earlier years are read of them."""

    by_day: ByDay
    ids: Ints
    states: Mapping[date, DayState]
    complete_through: date

    def rows(self, window: Window, days: Sequence[date]) -> Ints:
        """Count each row over some days of a window, (rows,)."""
        return self.by_day.counted(self.ids, window, frozenset(days))

    def whole(self, window: Window, days: Sequence[date]) -> int:
        """Count all rows together, these and others."""
        return int(self.by_day.over(window, frozenset(days))[2].sum())

    def weeks(self, of: Frame, counts: Ints) -> Floats:
        """Give each whole week held before a frame's window, (rows, weeks); zeros for rows too small to be judged.

        counts: of both windows together, (rows,).
        """
        span, whole = weeks_before(of, RULE.weeks)
        weeks = [n for n in range(RULE.weeks) if whole[n] and self._holds(span.first + timedelta(7 * n), 7)]
        enough = counts >= RULE.fewest
        if not (enough.any() and weeks):
            return np.zeros((self.ids.size, len(weeks)))
        return np.where(enough[:, None], self.by_day.weekly(self.ids, span.first, RULE.weeks)[:, weeks], 0.0)

    def _holds(self, first: date, days: int) -> bool:
        return all(self.states.get(first + timedelta(n)) in HELD for n in range(days))
