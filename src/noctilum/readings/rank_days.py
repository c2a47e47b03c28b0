"""Ranks of keywords by day: how the terms of a site stood on every day of some windows, over all places and devices."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date, timedelta

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

    @property
    def beyond(self) -> float:
        """The place of what was looked for and not found: one beyond the deepest that was ever found."""
        ranks = self.looked.rank[np.isfinite(self.looked.rank)]
        return float(ranks.max()) + 1 if ranks.size else 1.0

    def over(self, window: Window) -> Floats:
        """Give each term's rank by day, (terms, days): NaN where not looked up, of several looks their average."""
        first = window.first.toordinal()
        mine = (self.looked.day >= first) & (self.looked.day <= window.last.toordinal())
        rank = self.looked.rank[mine].astype(np.float64)
        cell = self.owner[self.looked.look[mine]] * len(window) + (self.looked.day[mine] - first)
        size = len(self.terms) * len(window)
        times = np.bincount(cell, minlength=size)
        total = np.bincount(cell, weights=np.where(np.isfinite(rank), rank, self.beyond), minlength=size)
        found: Floats = np.where(times > 0, total / np.maximum(times, 1), np.nan).reshape(-1, len(window))
        return found

    def moved(self, term: str, before: Window, after: Window) -> RankMove | None:
        """Say how a term's rank moved beside the others; None where it was not looked up often enough."""
        if term not in self.terms:
            return None
        earlier = [(self.over(b), self.over(a)) for b, a in self._earlier(before, after)]
        return moved_beside(self.over(before), self.over(after), self.terms.index(term), earlier)

    def _earlier(self, before: Window, after: Window) -> Iterator[tuple[Window, Window]]:
        """Give pairs of windows as far apart, one before the other, as far back as anything was looked up."""
        first = date.fromordinal(int(self.looked.day.min()))
        step = after.last - before.first + timedelta(1)
        for n in range(1, MOST_EARLIER + 1):
            pair = [Window(each.first - n * step, each.last - n * step) for each in (before, after)]
            if pair[0].first < first:
                return
            yield pair[0], pair[1]


def daily_ranks(site: SiteAccess) -> DailyRanks | None:
    """Read the ranks of a site; None where no keyword was looked up yet."""
    found = site.sources_of(KIND)
    if not found:
        return None
    looks = looked(site.history, found)
    return DailyRanks.of(looks) if looks.names else None
