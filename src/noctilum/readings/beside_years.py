"""Clicks and organic sessions of pages over any window in which both are held: as the years before are read."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from functools import cache
from typing import Literal

import numpy as np

from noctilum.core.days import DayState
from noctilum.core.table import Grouped
from noctilum.core.windows import Window
from noctilum.datasets.visits import ORGANIC
from noctilum.readings.both import Both
from noctilum.readings.rows_of import Ints

COUNTED: Mapping[str, Literal["page", "visits"]] = {"clicks": "page", "sessions": "visits"}
"""What is counted of a page, by the grain that tells it."""


def read_beside(
    both: Both,
    name: str,
    by: tuple[str, ...],
    window: Window,
    days: Sequence[date] | None = None,
    pages: Ints | None = None,
) -> Grouped:
    """Ask for the clicks or the organic sessions of pages, all or some, over a window, or over some days of it."""
    only: dict[str, tuple[int, ...]] = {} if pages is None else {"page": tuple(pages.tolist())}
    if name == "sessions":
        organic = both.of.held.history.term_id("channel", ORGANIC)
        only["channel"] = () if organic is None else (organic,)
    return both.read(COUNTED[name], by, (name,), window=window, days=days, **only)


@dataclass(frozen=True, eq=False)
class CountsBeside:
    """Clicks or sessions of pages: counted where both are held, so that neither stands alone."""

    both: Both
    name: str
    pages: Ints

    @property
    def states(self) -> Mapping[date, DayState]:
        """The states of days that both are held of."""
        return self.both.states

    @property
    def complete_through(self) -> date:
        """The last day up to which both are complete."""
        return min(self.both.of.held.complete_through, self.both.visits.complete_through)

    @cache  # noqa: B019  it lives as long as one question
    def _by_page(self, window: Window, days: tuple[date, ...]) -> Grouped:
        return read_beside(self.both, self.name, ("page",), window, days)

    def rows(self, window: Window, days: Sequence[date]) -> Ints:
        """Count each page over some days of a window, (pages,)."""
        found = self._by_page(window, tuple(days))
        known = np.isin(found.keys[0], self.pages)
        at = np.searchsorted(self.pages, found.keys[0][known])
        counted = np.bincount(at, weights=found.figures[self.name][known], minlength=self.pages.size)
        return np.rint(counted).astype(np.int64)

    def whole(self, window: Window, days: Sequence[date]) -> int:
        """Count all pages together."""
        return int(self._by_page(window, tuple(days)).figures[self.name].sum())
