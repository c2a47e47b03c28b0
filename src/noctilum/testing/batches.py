"""Made-up batches of a day, for tests."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date

import numpy as np

from noctilum.core.batch import Coded, DayBatch
from noctilum.core.days import DayState
from noctilum.history import DayEntry

Row = tuple[str, str, str, str, int, int, int]
"""Query, page, country, device, clicks, impressions, position sum."""


def pair_batch(day: date, rows: Sequence[Row]) -> DayBatch:
    """Build a batch of grain pair from plain rows."""
    columns = list(zip(*rows, strict=True)) or [()] * 7
    names = ("query", "page", "country", "device")
    dims = {name: Coded.of(columns[n]) for n, name in enumerate(names)}
    dims["kind"] = Coded.of(["web"] * len(rows))
    clicks, shown, sums = (np.asarray(columns[n], dtype=np.int64) for n in (4, 5, 6))
    return DayBatch("pair", day, dims, clicks, shown, sums)


def entry(batch: DayBatch, state: DayState = DayState.FINAL, revision: str = "1") -> DayEntry:
    """Wrap a batch for the history."""
    return DayEntry(batch.dataset, batch.day, state, revision, batch, "2026-03-20T09:00:00+00:00", "test")
