"""The spool: typed rows of an import on disk by month, so that days can be put whole in bounded memory."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date
from pathlib import Path
from types import TracebackType
from typing import Any

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from noctilum.core.batch import Coded, DayBatch, stored
from noctilum.core.windows import month_start
from noctilum.datasets.declaring import Dataset
from noctilum.sources.files.reading import Typed

Ints = npt.NDArray[np.int64]
DAY, FILE, LINE = "_day", "_file", "_line"
"""Columns beside those of the dataset, named so that they can be no dimension or measure."""
MOST_ROWS_AT_ONCE = 200_000
"""Rows taken up together; a month with more is taken a few days at a time, and at least one."""


@dataclass(frozen=True)
class SpooledDay:
    """One day as spooled. file, line: where each row came from, shape (rows,)."""

    batch: DayBatch
    file: npt.NDArray[np.int16]
    line: Ints


class Spool:
    """Hold the rows of one import by month. Use it as a context; its folder is emptied at the end."""

    def __init__(self, folder: Path, kept: Dataset) -> None:
        self.folder, self.kept = folder, kept
        self._sinks: dict[date, tuple[Any, Any]] = {}
        self._rows: dict[date, int] = {}
        texts = [(name, pa.string()) for name in kept.dims]
        told = [(m.name, pa.float64() if m.has_decimals else pa.int64()) for m in kept.measures]
        self._schema = pa.schema([*texts, (DAY, pa.int32()), *told, (FILE, pa.int16()), (LINE, pa.int64())])

    def __enter__(self) -> Spool:
        self.folder.mkdir(parents=True, exist_ok=True)
        return self

    def __exit__(self, kind: type[BaseException] | None, why: BaseException | None, at: TracebackType | None) -> None:
        self._close()
        for path in self.folder.glob("*.arrow"):
            path.unlink()
        if not any(self.folder.iterdir()):
            self.folder.rmdir()

    def add(self, rows: Typed, file: int) -> None:
        """Add typed rows of a file."""
        if not rows.days.size:
            return
        table = self._table(rows, file)
        months = np.array([month_start(date.fromordinal(d)).toordinal() for d in np.unique(rows.days).tolist()])
        starts = np.unique(months)
        place = np.searchsorted(starts, rows.days, side="right") - 1
        for at, start in enumerate(starts.tolist()):
            part = table if starts.size == 1 else table.filter(pa.array(place == at))
            self._write(date.fromordinal(start), part)

    def _table(self, rows: Typed, file: int) -> Any:
        columns = [*(rows.dims[name] for name in self.kept.dims), pa.array(rows.days.astype(np.int32))]
        columns += [pa.array(rows.figures[measure.name]) for measure in self.kept.measures]
        columns += [pa.array(np.full(rows.days.size, file, dtype=np.int16)), pa.array(rows.lines)]
        return pa.table(columns, schema=self._schema)

    def _write(self, month: date, part: Any) -> None:
        if month not in self._sinks:
            stream = pa.OSFile(str(self.folder / f"{month:%Y-%m}.arrow"), "wb")
            options = pa.ipc.IpcWriteOptions(compression="lz4")
            self._sinks[month] = (pa.ipc.new_stream(stream, self._schema, options=options), stream)
        self._sinks[month][0].write_table(part)
        self._rows[month] = self._rows.get(month, 0) + part.num_rows

    def _close(self) -> None:
        for writer, stream in self._sinks.values():
            writer.close()
            stream.close()
        self._sinks.clear()

    @property
    def months(self) -> list[date]:
        """The months that have rows, oldest first."""
        return sorted(self._rows)

    def days(self, month: date) -> Iterator[list[SpooledDay]]:
        """Give a month's days, oldest first, in runs that fit into memory together."""
        self._close()
        path = self.folder / f"{month:%Y-%m}.arrow"
        for first, last in _runs(_rows_a_day(path), MOST_ROWS_AT_ONCE):
            yield self._split(_read(path, first, last))

    def _split(self, table: Any) -> list[SpooledDay]:
        days = table.column(DAY).to_numpy()
        order = np.argsort(days, kind="stable")
        days = days[order]
        coded = {name: _coded(table.column(name), order) for name in self.kept.dims}
        figures = {m.name: table.column(m.name).to_numpy()[order] for m in self.kept.measures}
        file, line = (table.column(name).to_numpy()[order] for name in (FILE, LINE))
        starts = np.flatnonzero(np.concatenate([[True], days[1:] != days[:-1]]))
        found = []
        for start, end in zip(starts.tolist(), [*starts[1:].tolist(), days.size], strict=True):
            part = slice(start, end)
            values, scale = stored(self.kept, {name: column[part] for name, column in figures.items()})
            dims = {name: Coded(column.codes[part], column.texts) for name, column in coded.items()}
            day = date.fromordinal(int(days[start]))
            found.append(SpooledDay(DayBatch(self.kept, day, dims, values, scale), file[part], line[part]))
        return found


def _read(path: Path, first: int, last: int) -> Any:
    """Read the rows of a run of days."""
    with pa.OSFile(str(path)) as stream:
        reader = pa.ipc.open_stream(stream)
        batches = [
            batch.filter(pc.and_(pc.greater_equal(batch.column(DAY), first), pc.less_equal(batch.column(DAY), last)))
            for batch in reader
        ]
        return pa.Table.from_batches(batches, schema=reader.schema).combine_chunks()


def _rows_a_day(path: Path) -> dict[int, int]:
    counts: dict[int, int] = {}
    with pa.OSFile(str(path)) as stream:
        for batch in pa.ipc.open_stream(stream):
            for found in pc.value_counts(batch.column(DAY)).to_pylist():
                counts[found["values"]] = counts.get(found["values"], 0) + found["counts"]
    return counts


def _runs(counts: dict[int, int], most: int) -> list[tuple[int, int]]:
    """Cut days into runs of at most so many rows, each of one day at least.

    >>> _runs({1: 5, 2: 5, 3: 9, 4: 1}, 10)
    [(1, 2), (3, 4)]
    """
    runs: list[tuple[int, int]] = []
    rows = 0
    for day in sorted(counts):
        if runs and rows + counts[day] <= most:
            runs[-1] = (runs[-1][0], day)
            rows += counts[day]
        else:
            runs.append((day, day))
            rows = counts[day]
    return runs


def _coded(column: Any, order: Any) -> Coded:
    found = pc.dictionary_encode(column.combine_chunks())
    if isinstance(found, pa.ChunkedArray):
        found = found.combine_chunks()
    return Coded(found.indices.to_numpy()[order].astype(np.int32), tuple(found.dictionary.to_pylist()))
