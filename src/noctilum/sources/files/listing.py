"""Lists of what stood: a row from its beginning to its end, turned into what began and ended on each day."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date
from typing import Any

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from noctilum.datasets.declaring import Dataset
from noctilum.sources.files import values
from noctilum.sources.files.recognise import Recognised

Ints = npt.NDArray[np.int64]
STANDS = 0
"""The end of what has none."""
LOOKED_WITHIN = 30
"""So many days before the last look of a list, what was seen still stands: lists are not looked through in one day."""


def ends(began: Ints, column: Callable[[str], Any], found: Recognised, faults: values.Faults) -> Ints:
    """Say on which day each row was no longer there, STANDS for those that are; shape (rows,), ordinals.

    A day it ended on, or else the day after it was last seen, where that is over LOOKED_WITHIN days before the newest
    day anything in the list was seen on.
    """
    ended = _days(column("ended"), began, found, faults)
    seen = _days(column("last_seen"), began, found, faults)
    left = (seen > STANDS) & (seen < found.newest - LOOKED_WITHIN)
    told = np.where(ended > STANDS, ended, np.where(left, seen + 1, STANDS))
    early = (told > STANDS) & (told < began)
    faults.note(early, lambda row: f"it ended on {date.fromordinal(int(told[row]))}, before it began")
    # what came and went within a day was there that day
    return np.where((told > STANDS) & (told == began), told + 1, told)


def _days(column: Any, began: Ints, found: Recognised, faults: values.Faults) -> Ints:
    """Read days where they are written, STANDS where nothing is."""
    if column is None:
        return np.full(began.size, STANDS, dtype=np.int64)
    blank = pc.is_in(pc.utf8_lower(values.trimmed(column)), value_set=pa.array(sorted(values.EMPTY)))
    filled = pc.if_else(blank, pa.scalar(date.fromordinal(1).replace(year=2000).isoformat()), column)
    read = values.days(filled, found.dates, False, faults)
    return np.where(blank.to_numpy(zero_copy_only=False), STANDS, read)


def turns(kept: Dataset, began: Ints, ended: Ints, keep: npt.NDArray[np.bool_]) -> tuple[Ints, Ints, dict[str, Ints]]:
    """Make a row of every beginning and of every end: which row each is of, its day, and what it counts."""
    assert kept.states is not None
    first, second = kept.states
    begins = np.flatnonzero(keep)
    over = np.flatnonzero(keep & (ended > STANDS))
    days = np.concatenate([began[begins], ended[over]])
    starts = np.concatenate([np.ones(begins.size, dtype=np.int64), np.zeros(over.size, dtype=np.int64)])
    return np.concatenate([begins, over]), days, {first: starts, second: 1 - starts}
