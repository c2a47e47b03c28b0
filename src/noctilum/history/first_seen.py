"""The first day each term was seen: months are asked by their rollups, and only what is new is looked up by day."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date

import numpy as np
import numpy.typing as npt
from sqlalchemy import Connection

from noctilum.datasets import DATASETS
from noctilum.datasets.declaring import Dataset
from noctilum.history import segments as seg
from noctilum.history import terms
from noctilum.history.block_scan import BlockFilter, scan_segments

Ints = npt.NDArray[np.int64]
NEVER = date.max.toordinal()
"""Stands for the first day of a term without any row of a day."""


def first_days(connection: Connection, dim: str, sources: Sequence[int] | None) -> Ints:
    """Find the first day with a row of each term, over every grain of days that has it; ordinals, shape (terms,).

    Months known only as totals have no days and say nothing here.
    """
    first = np.full(terms.count(connection, dim), NEVER, dtype=np.int64)
    for kept in (DATASETS[name] for name in DATASETS.daily):
        if dim not in kept.dims:
            continue
        for segment in seg.find(connection, kept.name, sources, 0, NEVER):
            _look(connection, kept, segment, dim, first)
    return first


def _look(connection: Connection, kept: Dataset, segment: seg.Segment, dim: str, first: Ints) -> None:
    """Take note of the terms that a segment has earlier than was known."""
    wanted = _may_be_earlier(connection, kept, segment, dim, first)
    if not wanted.size:
        return
    block_filter = BlockFilter((dim, "day"), {dim: tuple(wanted.tolist())})
    for rows in scan_segments(connection, kept, [segment], block_filter, None):
        np.minimum.at(first, rows.columns[dim], rows.columns["day"])


def _may_be_earlier(connection: Connection, kept: Dataset, segment: seg.Segment, dim: str, first: Ints) -> Ints:
    if segment.level == seg.MONTH and kept.rollups.get(dim) == (dim,):
        (present,) = [rolled.keys[0] for _, rolled in seg.read_rollups(connection, kept, [segment.id], dim)]
        return present[first[present] > segment.first_day]
    return np.flatnonzero(first > segment.first_day)
