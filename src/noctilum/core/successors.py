"""Heirs: the page that took the queries of one that is gone, as where a page was moved to another address."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from noctilum.core.table import Grouped

Ints = npt.NDArray[np.int64]
SHARE = 0.5
"""A page is an heir from half of what the page that is gone was shown a day for these queries (ours)."""


def heir(gone: int, before: Grouped, since: Grouped, days_before: int, days_since: int) -> int | None:
    """Find the page that gained most impressions a day on the queries of one that is gone; None where none took half.

    before, since: grouped by (query, page), over so many days with the page and after it. Only what is more
    than a page had for those queries before counts, so that one that always shared them is none.
    """
    mine = before.keys[1] == gone
    queries = np.unique(before.keys[0][mine])
    had = float(before.impressions[mine].sum()) / max(1, days_before)
    if had <= 0:
        return None
    now, once = (_by_page(side, queries, gone) for side in (since, before))
    gains = {page: n / max(1, days_since) - once.get(page, 0) / max(1, days_before) for page, n in now.items()}
    best = max(gains, key=lambda page: (gains[page], -page), default=None)
    return best if best is not None and gains[best] >= SHARE * had else None


def _by_page(side: Grouped, queries: Ints, gone: int) -> dict[int, int]:
    """Add up the impressions of some queries by page, but for the one that is gone."""
    of = np.isin(side.keys[0], queries) & (side.keys[1] != gone)
    pages, place = np.unique(side.keys[1][of], return_inverse=True)
    sums = np.bincount(place, weights=side.impressions[of], minlength=pages.size)
    return dict(zip(pages.tolist(), sums.astype(np.int64).tolist(), strict=True))
