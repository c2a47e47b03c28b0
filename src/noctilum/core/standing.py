"""What stands from one day to another: links, pages in an index. Kept as beginnings and ends, told as what stands."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

Ints = npt.NDArray[np.int64]


def standing_at(keys: Ints, days: Ints, net: Ints, ends: Ints) -> tuple[Ints, Ints]:
    """Count what stands at the end of each of some days, and of how many keys any stands.

    keys, days, net: shape (rows,): of each key and day what began less what ended; a key and day may come once. ends:
    ordinals, shape (steps,). Returns two arrays of shape (steps,).

    >>> standing_at(np.array([1, 1, 2]), np.array([10, 30, 20]), np.array([2, -2, 1]), np.array([9, 10, 25, 30]))
    (array([0, 2, 3, 1]), array([0, 1, 2, 1]))
    """
    order = np.lexsort((days, keys))
    keys, days, net = keys[order], days[order], net[order]
    after = _within(keys, np.cumsum(net), net)
    there, was = after > 0, after - net > 0
    came = there.astype(np.int64) - was.astype(np.int64)
    by_day = np.argsort(days, kind="stable")
    at = np.searchsorted(days[by_day], ends, side="right")
    return _sum_before(net[by_day], at), _sum_before(came[by_day], at)


def _within(keys: Ints, running: Ints, net: Ints) -> Ints:
    """Turn a running sum over all rows into one that begins anew with each key; keys are in order."""
    if not keys.size:
        return running
    starts = np.flatnonzero(np.concatenate([[True], keys[1:] != keys[:-1]]))
    before = running[starts] - net[starts]
    return running - np.repeat(before, np.diff(starts, append=keys.size))


def _sum_before(values: Ints, at: npt.NDArray[np.intp]) -> Ints:
    return np.concatenate([[0], np.cumsum(values)])[at].astype(np.int64)
