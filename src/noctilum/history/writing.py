"""Putting days into the history: interning, day segments, compaction of whole months."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date

import numpy as np
import numpy.typing as npt
from sqlalchemy import Connection, select

from noctilum.core.batch import DayBatch
from noctilum.core.days import DayState
from noctilum.core.reconcile import NOTHING_PROMISED, Promised
from noctilum.core.windows import month_end, month_start
from noctilum.datasets import DATASETS
from noctilum.datasets.declaring import Dataset
from noctilum.history import ledger, long_rollups, schema
from noctilum.history import segments as seg
from noctilum.history.changes import note_changes
from noctilum.history.ledger import LedgerRow
from noctilum.history.rows import Rows, digests_of, joined, no_rows, rows_of
from noctilum.history.terms import TermBook

Ints = npt.NDArray[np.int64]


@dataclass(frozen=True)
class DayEntry:
    """Hand over one day of one dataset. batch is None when the provider has no rows or the day is missing.

    lines, repeats, promised, flag, remark: as in the ledger row.
    """

    dataset: str
    day: date
    state: DayState
    revision: str | None
    batch: DayBatch | None
    taken_at: str
    origin: str
    lines: int = 0
    repeats: int = 0
    promised: Promised = NOTHING_PROMISED
    flag: str | None = None
    remark: str | None = None


class Writer:
    """Write entries of one source inside the caller's transaction."""

    def __init__(self, connection: Connection, books: Mapping[str, TermBook], source: int) -> None:
        self.connection, self.books, self.source = connection, books, source
        self._numbered: dict[tuple[str, int], tuple[tuple[str, ...], Ints]] = {}

    def put(self, entries: Sequence[DayEntry]) -> list[LedgerRow]:
        """Replace days whole, month by month; returns the ledger rows written."""
        written: list[LedgerRow] = []
        by_month: dict[tuple[str, date], list[DayEntry]] = {}
        for entry in entries:
            by_month.setdefault((entry.dataset, month_start(entry.day)), []).append(entry)
        for (name, month), part in by_month.items():
            written += self._put_month(DATASETS[name], month, part)
        return written

    def _put_month(self, kept: Dataset, month: date, entries: Sequence[DayEntry]) -> list[LedgerRow]:
        rows = {entry.day.toordinal(): self._rows(kept, entry) for entry in entries}
        lines = self._lines(kept, entries, [rows[entry.day.toordinal()] for entry in entries])
        note_changes(self.connection, self._known(kept, lines), lines)
        ledger.write_rows(self.connection, lines)
        held = seg.find(
            self.connection,
            kept.name,
            [self.source],
            month.toordinal(),
            month_end(month).toordinal(),
        )
        if any(s.level == seg.MONTH for s in held) or self._settled(kept, month):
            self._write_month(kept, month, held, rows)
        else:
            seg.remove(self.connection, [s for s in held if s.first_day in rows])
            seg.write_days(self.connection, kept, self.source, rows)
        return lines

    def _known(self, kept: Dataset, lines: Sequence[LedgerRow]) -> dict[date, LedgerRow]:
        first, last = min(line.day for line in lines), max(line.day for line in lines)
        return ledger.read_run(self.connection, self.source, kept.name, first, last)

    def _rows(self, kept: Dataset, entry: DayEntry) -> Rows:
        batch = entry.batch
        if batch is None or not len(batch):
            return no_rows(kept)
        return rows_of(batch, {name: self._ids(name, column.texts) for name, column in batch.dims.items()})

    def _ids(self, name: str, texts: tuple[str, ...]) -> Ints:
        """Number texts once for all the batches that share them, as the days of one file do."""
        key = (name, id(texts))
        if key not in self._numbered:
            self._numbered[key] = (texts, self.books[name].intern(self.connection, texts))
        return self._numbered[key][1]

    def _lines(self, kept: Dataset, entries: Sequence[DayEntry], rows: Sequence[Rows]) -> list[LedgerRow]:
        digests = digests_of(rows, {name: self.books[name].hashes() for name in kept.dims})
        return [self._line(kept, *day) for day in zip(entries, rows, digests, strict=True)]

    def _line(self, kept: Dataset, entry: DayEntry, rows: Rows, digest: str) -> LedgerRow:
        return LedgerRow(
            self.source,
            kept.name,
            entry.day,
            entry.state,
            entry.revision,
            entry.taken_at,
            entry.origin,
            len(rows),
            rows.figures,
            digest,
            entry.lines or len(rows),
            entry.repeats,
            entry.promised,
            entry.flag,
            entry.remark,
        )

    def _settled(self, kept: Dataset, month: date) -> bool:
        return ledger.settled(self.connection, self.source, kept.name, month, month_end(month))

    def _write_month(
        self,
        kept: Dataset,
        month: date,
        held: Sequence[seg.Segment],
        rows: Mapping[int, Rows],
    ) -> None:
        parts = [part for part in rows.values() if len(part)]
        if held:
            columns = seg.column_order(kept)
            for part in seg.read_blocks(self.connection, kept, held, columns):
                kept_rows = ~np.isin(part.columns["day"], np.fromiter(rows, dtype=np.int64))
                parts.append(part.taken(kept_rows))
        seg.remove(self.connection, held)
        if parts:
            last = month_end(month).toordinal()
            seg.write(
                self.connection,
                kept,
                self.source,
                seg.MONTH,
                month.toordinal(),
                last,
                joined(parts),
            )
        long_rollups.refresh(self.connection, kept, self.source, month)


def compact_month(connection: Connection, source: int, kept: Dataset, month: date) -> bool:
    """Join a month's day segments into one month segment, settled or not; False when there is nothing to join."""
    found = seg.find(connection, kept.name, [source], month.toordinal(), month_end(month).toordinal())
    if not any(s.level == seg.DAY for s in found):
        return False
    parts = list(seg.read_blocks(connection, kept, found, seg.column_order(kept)))
    seg.remove(connection, found)
    last = month_end(month).toordinal()
    seg.write(connection, kept, source, seg.MONTH, month.toordinal(), last, joined(parts))
    long_rollups.refresh(connection, kept, source, month)
    return True


_T = schema.segment
_LOOSE = select(_T.c.source, _T.c.dataset, _T.c.first_day).where(_T.c.level == seg.DAY)


def loose_months(connection: Connection, before: date) -> Iterable[tuple[int, str, date]]:
    """List (source, dataset, month) that still hold day segments and ended before a day."""
    found = connection.execute(_LOOSE)
    months = {(source, name, month_start(date.fromordinal(day))) for source, name, day in found}
    return sorted(found for found in months if month_end(found[2]) < before)
