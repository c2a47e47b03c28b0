"""Overlap: two or more pages of one site sharing a query."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from noctilum.core.table import Grouped

Ints = npt.NDArray[np.int64]
SHARE = 0.10
"""A page shares a query from a tenth of its impressions on (ours)."""


def sharing(pairs: Grouped, share: float = SHARE) -> npt.NDArray[np.bool_]:
    """Say which (query, page) groups belong to a query that at least two pages share; shape (groups,)."""
    query = pairs.keys[0]
    if not query.size:
        return np.zeros(0, dtype=bool)
    _, places = np.unique(query, return_inverse=True)
    total = np.bincount(places, weights=pairs.impressions)
    large = (pairs.impressions >= share * total[places]) & (pairs.impressions > 0)
    pages = np.bincount(places, weights=large)
    found: npt.NDArray[np.bool_] = large & (pages[places] >= 2)
    return found


def leaders(daily: Grouped) -> tuple[Ints, Ints, Ints]:
    """Find each query's leading page of each day. daily is grouped by (query, day, page).

    Returns (query, day, page), one row a query and day, days in order. The page with most impressions leads,
    then the one with more clicks, then the one known longer.
    """
    query, day, page = daily.keys
    order = np.lexsort((page, -daily.clicks, -daily.impressions, day, query))
    q, d, p = query[order], day[order], page[order]
    first = np.ones(q.size, dtype=bool)
    first[1:] = (q[1:] != q[:-1]) | (d[1:] != d[:-1])
    return q[first], d[first], p[first]


def switches(query: Ints, page: Ints) -> dict[int, tuple[int, int]]:
    """Count per query (days seen, days on which another page led than the day before it was seen)."""
    if not query.size:
        return {}
    changed = np.zeros(query.size, dtype=np.int64)
    changed[1:] = (query[1:] == query[:-1]) & (page[1:] != page[:-1])
    distinct, places = np.unique(query, return_inverse=True)
    days = np.bincount(places)
    turned = np.bincount(places, weights=changed).astype(np.int64)
    return {int(q): (int(n), int(c)) for q, n, c in zip(distinct, days, turned, strict=True)}
