"""Made-up batches of a day, for tests."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import date

import numpy as np

from noctilum.core.batch import Coded, DayBatch, Ints, batch_of
from noctilum.core.days import DayState
from noctilum.datasets import DATASETS
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
    return search_day("pair", day, dims, clicks, shown, sums)


def search_day(
    grain: str, day: date, dims: Mapping[str, Coded], clicks: Ints, impressions: Ints, position_sum: Ints
) -> DayBatch:
    """Build a batch of a search dataset from its columns as they are stored."""
    values = {"clicks": clicks, "impressions": impressions, "position_sum": position_sum}
    return DayBatch(DATASETS[grain], day, dims, values)


def search_batch(
    grain: str,
    day: date,
    dims: Mapping[str, Sequence[str]],
    clicks: Sequence[int],
    impressions: Sequence[int],
    position: Sequence[float],
) -> DayBatch:
    """Build a batch of a search dataset from plain columns; position holds average places."""
    told = {"clicks": clicks, "impressions": impressions, "position": position}
    return batch_of(DATASETS[grain], day, dims, told)


def entry(batch: DayBatch, state: DayState = DayState.FINAL, revision: str = "1") -> DayEntry:
    """Wrap a batch for the history."""
    return DayEntry(batch.dataset, batch.day, state, revision, batch, "2026-03-20T09:00:00+00:00", "test")
