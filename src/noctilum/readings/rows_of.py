"""Rows of a reading: pages of them, and arrays per row, week or month."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, timedelta

import numpy as np
import numpy.typing as npt

from noctilum.core.days import HELD, completeness
from noctilum.core.errors import Nonsense
from noctilum.core.table import Grouped
from noctilum.core.windows import Window, month_end, shift_months
from noctilum.readings.frame import Frame

Ints = npt.NDArray[np.int64]
Floats = npt.NDArray[np.float64]


@dataclass(frozen=True)
class Slice:
    """Which of the rows found are given."""

    limit: int = 50
    offset: int = 0

    def __post_init__(self) -> None:
        if self.limit < 1 or self.offset < 0:
            raise Nonsense("page-out-of-range", "A page holds a row or more from 0 or later on.", where="limit, offset")

    def of(self, rows: npt.NDArray[np.intp]) -> npt.NDArray[np.intp]:
        """Take this part of ordered rows."""
        return rows[self.offset : self.offset + self.limit]


def spread(found: Grouped, ids: Ints, at: Ints, steps: int) -> Floats:
    """Arrange clicks as (ids, steps): found's first key is an id, at says its step; others are left out."""
    order = np.argsort(ids, kind="stable")
    place = np.minimum(np.searchsorted(ids[order], found.keys[0]), max(0, ids.size - 1))
    known = (ids[order][place] == found.keys[0]) & (at >= 0) & (at < steps) if ids.size else np.zeros(len(found), bool)
    cell = order[place[known]] * steps + at[known] if ids.size else np.zeros(0, dtype=np.int64)
    summed = np.bincount(cell, weights=found.clicks[known], minlength=ids.size * steps)
    return np.asarray(summed.reshape(ids.size, steps), dtype=np.float64)


def weeks_before(of: Frame, weeks: int) -> tuple[Window, npt.NDArray[np.bool_]]:
    """Give the weeks from so many before the window through its end, and which of them are whole and wholly held.

    The last days of a window that is not whole weeks long are a part of a week: it is not told as one.
    """
    first = of.window.first - timedelta(7 * weeks)
    span = Window(first, of.window.last)
    starts = [first + timedelta(7 * n) for n in range((len(span) + 6) // 7)]
    return span, np.array([start + timedelta(6) <= span.last and _held(of, start, 7) for start in starts])


def last_months(of: Frame, months: int) -> list[tuple[Window, int]]:
    """Give the last calendar months up to the end of the window, oldest first, each with its held days.

    Those with over a tenth of their days not held have 0: nothing is told of them.
    """
    end = of.window.last + timedelta(1)
    this = end.replace(day=1)
    starts = [shift_months(this, -n) for n in range(months, 0, -1)]
    spans = [Window(start, month_end(start)) for start in starts]
    states = [completeness(span, of.held.states) for span in spans]
    return [(span, found.held if found.enough else 0) for span, found in zip(spans, states, strict=True)]


def _held(of: Frame, first: date, days: int) -> bool:
    return all(of.held.states.get(first + timedelta(n)) in HELD for n in range(days))
