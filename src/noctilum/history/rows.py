"""Rows in the shape they are stored in: ids, days and measures as integer columns."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from noctilum.core.batch import DayBatch
from noctilum.core.digest import Hashes, rows_digests
from noctilum.datasets.declaring import MILLI, Dataset, Measure

Ints = npt.NDArray[np.int64]
Mask = npt.NDArray[np.bool_]


@dataclass(frozen=True)
class Rows:
    """Hold rows of one dataset: columns by name ("day" is the proleptic ordinal), shape (rows,).

    Weighted measures are sums of value × weight × scale.
    """

    kept: Dataset
    columns: Mapping[str, Ints]
    scale: int = 1

    def __len__(self) -> int:
        return int(next(iter(self.columns.values())).size)

    def taken(self, keep: Mask | npt.NDArray[np.intp]) -> Rows:
        """Keep only some rows."""
        return Rows(self.kept, {name: values[keep] for name, values in self.columns.items()}, self.scale)

    def at_scale(self, scale: int) -> Rows:
        """Write weighted sums at a finer scale (1 → 1000)."""
        if scale == self.scale:
            return self
        finer = {name: self.columns[name] * (scale // self.scale) for name in self.kept.weighted & {*self.columns}}
        return Rows(self.kept, {**self.columns, **finer}, scale)

    def figure(self, measure: Measure) -> Ints:
        """Give a measure as it is tallied: weighted ones in thousandths."""
        values = self.columns[measure.stored_as]
        return values * (MILLI // self.scale) if measure.weight else values

    @property
    def figures(self) -> dict[str, int]:
        """Add up every measure that adds up within a day, by the name it is tallied as."""
        return {each.tallied_as: int(self.figure(each).sum()) for each in self.kept.written_down}


def no_rows(kept: Dataset) -> Rows:
    """Give no rows at all."""
    none = np.zeros(0, dtype=np.int64)
    return Rows(kept, dict.fromkeys((*kept.dims, "day", *kept.stored), none))


def rows_of(batch: DayBatch, ids: Mapping[str, Ints]) -> Rows:
    """Turn a batch into rows; ids maps each dimension to the term ids of the batch's texts."""
    columns: dict[str, Ints] = {name: ids[name][column.codes] for name, column in batch.dims.items()}
    columns["day"] = np.full(len(batch), batch.day.toordinal(), dtype=np.int64)
    return Rows(batch.kept, columns | dict(batch.values), batch.scale)


def joined(parts: Sequence[Rows]) -> Rows:
    """Join rows one after the other, at the finest scale among them."""
    if len(parts) == 1:
        return parts[0]
    scale = max(part.scale for part in parts)
    fitted = [part.at_scale(scale) for part in parts]
    columns = {name: np.concatenate([part.columns[name] for part in fitted]) for name in fitted[0].columns}
    return Rows(fitted[0].kept, columns, scale)


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


def digest_of(rows: Rows, hashes: Mapping[str, Hashes]) -> str:
    """Digest rows by what they say: term texts (through hashes by id), day and measures as they are tallied."""
    (digest,) = digests_of([rows], hashes)
    return digest


def digests_of(parts: Sequence[Rows], hashes: Mapping[str, Hashes]) -> list[str]:
    """Digest several parts of one dataset's rows, each by itself, all in one go."""
    rows = joined(parts)
    columns = [hashes[name][rows.columns[name]] for name in rows.kept.dims]
    columns += [rows.columns["day"].astype(np.uint64)]
    columns += [rows.figure(measure).astype(np.uint64) for measure in rows.kept.measures]
    return rows_digests(columns, [len(part) for part in parts])
