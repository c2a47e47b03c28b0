"""Bringing the files of older versions to this one's shape."""

from __future__ import annotations

from datetime import date

import numpy as np
from sqlalchemy import Connection, insert, select

from noctilum.datasets import DATASETS
from noctilum.datasets.declaring import Dataset
from noctilum.history import long_rollups, schema
from noctilum.history import segments as seg
from noctilum.history.rows import Rows


def bring_up(connection: Connection, version: int) -> None:
    """Bring a file of an older version to this one, inside the caller's transaction."""
    schema.bring_up(connection, version)
    if version < 4:
        for kept in DATASETS.values():
            make_missing_rollups(connection, kept)
    if version < 7:  # the newest that keeps more of years
        for kept in DATASETS.values():
            make_spans(connection, kept)


def make_spans(connection: Connection, kept: Dataset) -> None:
    """Make the half years and years of a dataset again, where it keeps rollups of those only."""
    if not kept.long_rollups:
        return
    s = schema.segment
    asked = select(s.c.source, s.c.first_day).where(s.c.dataset == kept.name, s.c.level == seg.MONTH)
    months = [(source, date.fromordinal(day)) for source, day in connection.execute(asked)]
    for source, month in sorted(
        {(source, month.replace(month=1 if month.month <= 6 else 7)) for source, month in months}
    ):
        long_rollups.refresh(connection, kept, source, month)


def make_missing_rollups(connection: Connection, kept: Dataset) -> None:
    """Sum the compacted months by keys that earlier versions did not keep, and their half years and years."""
    halves: set[tuple[int, date]] = set()
    for name, keys in kept.rollups.items():
        for segment in _lacking(connection, kept, name):
            parts = list(seg.read_blocks(connection, kept, [segment], dict.fromkeys((*keys, *kept.stored))))
            columns = {each: np.concatenate([part.columns[each] for part in parts]) for each in parts[0].columns}
            data = seg.rollup(Rows(kept, columns, segment.scale), keys)
            connection.execute(insert(schema.rollup), {"segment_id": segment.id, "name": name, "data": data})
            month = date.fromordinal(segment.first_day)
            halves.add((segment.source, month.replace(month=1 if month.month <= 6 else 7)))
    for source, month in sorted(halves):
        long_rollups.refresh(connection, kept, source, month)


def _lacking(connection: Connection, kept: Dataset, name: str) -> list[seg.Segment]:
    s, r = schema.segment, schema.rollup
    having = select(r.c.segment_id).where(r.c.name == name)
    asked = select(s).where(s.c.dataset == kept.name, s.c.level == seg.MONTH, s.c.id.not_in(having))
    return [seg.Segment(*row) for row in connection.execute(asked)]
