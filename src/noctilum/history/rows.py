"""Rows in the shape they are stored in: ids, days and measures as integer columns."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from noctilum.core.batch import DayBatch
from noctilum.core.digest import Hashes, rows_digest

Ints = npt.NDArray[np.int64]
Mask = npt.NDArray[np.bool_]
MEASURES = ("clicks", "impressions", "position_sum")


@dataclass(frozen=True)
class Rows:
    """Hold rows of one dataset: columns by name ("day" is the proleptic ordinal), shape (rows,).

    position_sum is in places × scale.
    """

    columns: Mapping[str, Ints]
    scale: int = 1

    def __len__(self) -> int:
        return int(self.columns["clicks"].size)

    def taken(self, keep: Mask | npt.NDArray[np.intp]) -> Rows:
        """Keep only some rows."""
        return Rows({name: values[keep] for name, values in self.columns.items()}, self.scale)

    def at_scale(self, scale: int) -> Rows:
        """Write position sums at a finer scale (1 → 1000)."""
        if scale == self.scale:
            return self
        changed = dict(self.columns)
        changed["position_sum"] = changed["position_sum"] * (scale // self.scale)
        return Rows(changed, scale)


def rows_of(batch: DayBatch, ids: Mapping[str, Ints]) -> Rows:
    """Turn a batch into rows; ids maps each dimension to the term ids of the batch's texts."""
    columns: dict[str, Ints] = {name: ids[name][column.codes] for name, column in batch.dims.items()}
    columns["day"] = np.full(len(batch), batch.day.toordinal(), dtype=np.int64)
    columns |= {
        "clicks": batch.clicks,
        "impressions": batch.impressions,
        "position_sum": batch.position_sum,
    }
    return Rows(columns, batch.position_scale)


def joined(parts: Sequence[Rows]) -> Rows:
    """Join rows one after the other, at the finest scale among them."""
    scale = max(part.scale for part in parts)
    if len(parts) == 1:
        return parts[0]
    fitted = [part.at_scale(scale) for part in parts]
    return Rows(
        {name: np.concatenate([part.columns[name] for part in fitted]) for name in fitted[0].columns},
        scale,
    )


def sorted_rows(rows: Rows, dims: Sequence[str]) -> Rows:
    """Sort rows by the first dimension, then day, then the other dimensions where they fit 63 bits."""
    composite = np.zeros(len(rows), dtype=np.int64)
    room = 1 << 62
    for name in (dims[0], "day", *dims[1:]):
        values = rows.columns[name]
        low = int(values.min()) if values.size else 0
        width = int(values.max()) - low + 1 if values.size else 1
        if width > room:
            break
        room //= width
        composite = composite * width + (values - low)
    return rows.taken(np.argsort(composite))


def digest_of(rows: Rows, dims: Iterable[str], hashes: Mapping[str, Hashes]) -> str:
    """Digest rows by what they say: term texts (through hashes by id), day and measures in thousandths."""
    columns = [hashes[name][rows.columns[name]] for name in dims]
    milli = rows.columns["position_sum"] * (1000 // rows.scale)
    for values in (
        rows.columns["day"],
        rows.columns["clicks"],
        rows.columns["impressions"],
        milli,
    ):
        columns.append(values.astype(np.uint64))
    return rows_digest(columns)
