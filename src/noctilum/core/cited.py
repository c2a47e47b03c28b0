"""Who is cited: how much the domains that a feature of a result page leads to change from lookup to lookup."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]


def volatility(keyword: Ints, day: Ints, domain: Ints) -> tuple[Ints, Floats]:
    """Give how much the set of domains of each keyword changes from one day with it to the next, 0 to 1.

    keyword, day, domain: a row for each domain led to, of shape (rows,). Returns (keywords, volatility), both of shape
    (keywords,): the mean of 1 − |A ∩ B| / |A ∪ B| (Jaccard 1901) over days that follow each other; NaN where there is
    but one. A day on which the feature led nowhere is none.

    >>> keyword, day, domain = np.array([0, 0, 0, 0, 1]), np.array([1, 1, 2, 2, 1]), np.array([7, 8, 8, 9, 7])
    >>> volatility(keyword, day, domain)
    (array([0, 1]), array([0.66666667,        nan]))
    """
    if not keyword.size:
        return np.zeros(0, dtype=np.int64), np.zeros(0)
    first, wide = int(day.min()), int(domain.max()) + 1
    span = int(day.max()) - first + 1
    rows = _runs(np.sort((keyword.astype(np.int64) * span + day - first) * wide + domain))[0]
    days, begins, at = _runs(rows // wide)
    sizes = np.diff(np.append(begins, rows.size))
    names, of_day, of = _runs(days // span)
    follows = np.ones(days.size, dtype=bool)
    follows[of_day] = False
    again = follows[at] & _within((days[at - 1]) * wide + rows % wide, rows)
    both = np.bincount(at, weights=again, minlength=days.size)
    apart = 1 - both / (sizes + np.concatenate([[0], sizes[:-1]]) - both)
    times = np.bincount(of, weights=follows, minlength=names.size)
    total = np.bincount(of, weights=np.where(follows, apart, 0.0), minlength=names.size)
    return names, np.where(times > 0, total / np.maximum(times, 1), np.nan)


def _runs(rising: Ints) -> tuple[Ints, Ints, Ints]:
    """Give the values of sorted rows, where each begins, and which of them each row is."""
    begins = np.flatnonzero(np.concatenate([[True], rising[1:] != rising[:-1]]))
    at = np.repeat(np.arange(begins.size), np.diff(np.append(begins, rising.size)))
    return rising[begins], begins, at


def _within(wanted: Ints, rising: Ints) -> npt.NDArray[np.bool_]:
    """Say which of some values are among sorted ones."""
    place = np.minimum(np.searchsorted(rising, wanted), rising.size - 1)
    found: npt.NDArray[np.bool_] = rising[place] == wanted
    return found
