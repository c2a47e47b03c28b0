"""Ranks of keywords by day: how the terms of a site stood on every day of some windows, over all places and devices."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date, timedelta
from functools import cached_property

import numpy as np
import numpy.typing as npt

from noctilum.core.rank_work import RankMove, moved_beside
from noctilum.core.windows import Window
from noctilum.datasets.lookups import KIND
from noctilum.readings.rank_rows import Looked, looked
from noctilum.readings.site_access import SiteAccess

Floats = npt.NDArray[np.float64]
MOST_EARLIER = 6
"""So many earlier pairs of windows tell how far keywords go by chance."""


@dataclass(frozen=True)
class DailyRanks:
    """The terms of a site that were ever looked up, in order; owner: of which each look is, (looks,)."""

    looked: Looked
    terms: tuple[str, ...]
    owner: npt.NDArray[np.int64]

    @classmethod
    def of(cls, found: Looked) -> DailyRanks:
        """Put looks together by their term."""
        terms = sorted({name[0] for name in found.names})
        place = {term: n for n, term in enumerate(terms)}
        return cls(found, tuple(terms), np.array([place[name[0]] for name in found.names], dtype=np.int64))

    @cached_property
    def first(self) -> date:
        """The first day on which anything was looked up."""
        return date.fromordinal(int(self.looked.day.min()))

    @cached_property
    def table(self) -> Floats:
        """Each term's rank by day from the first on, (terms, days), as of over: added up once for every window."""
        looks, first = self.looked, self.first.toordinal()
        days = int(looks.day.max()) - first + 1
        found = np.isfinite(looks.rank)
        beyond = float(looks.rank[found].max()) + 1 if found.any() else 1.0
        cell = self.owner[looks.look] * days + (looks.day - first)
        size = len(self.terms) * days
        times = np.bincount(cell, minlength=size)
        total = np.bincount(cell, weights=np.where(found, looks.rank, beyond), minlength=size)
        told: Floats = np.where(times > 0, total / np.maximum(times, 1), np.nan).reshape(-1, days)
        return told

    def over(self, window: Window) -> Floats:
        """Give each term's rank by day, (terms, days): NaN where not looked up, of several looks their average.

        What was looked for and not found stands one place beyond the deepest that was ever found.
        """
        known = self.table
        at = np.arange(len(window)) + (window.first - self.first).days
        inside = (at >= 0) & (at < known.shape[1])
        found: Floats = np.where(inside, known[:, np.where(inside, at, 0)], np.nan)
        return found

    def moved(self, term: str, before: Window, after: Window) -> RankMove | None:
        """Say how a term's rank moved beside the others; None where it was not looked up often enough."""
        if term not in self.terms:
            return None
        earlier = [(self.over(b), self.over(a)) for b, a in self._earlier(before, after)]
        return moved_beside(self.over(before), self.over(after), self.terms.index(term), earlier)

    def _earlier(self, before: Window, after: Window) -> Iterator[tuple[Window, Window]]:
        """Give pairs of windows as far apart, one before the other, as far back as anything was looked up."""
        step = after.last - before.first + timedelta(1)
        for n in range(1, MOST_EARLIER + 1):
            pair = [Window(each.first - n * step, each.last - n * step) for each in (before, after)]
            if pair[0].first < self.first:
                return
            yield pair[0], pair[1]


def daily_ranks(site: SiteAccess) -> DailyRanks | None:
    """Read the ranks of a site; None where no keyword was looked up yet."""
    found = site.sources_of(KIND)
    if not found:
        return None
    looks = looked(site.history, found)
    return DailyRanks.of(looks) if looks.names else None
