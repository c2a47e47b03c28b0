"""The day ledger: for each source, dataset and day what is held, since when, and what it was made from."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date
from typing import Any

from sqlalchemy import Connection, Row, Select, select
from sqlalchemy.dialects.sqlite import insert

from noctilum.core.days import DayState, over_sources
from noctilum.core.measures import Sums
from noctilum.core.reconcile import NOTHING_PROMISED, Promised
from noctilum.history import schema


@dataclass(frozen=True)
class LedgerRow:
    """Record one day of one dataset from one source.

    taken_at: UTC, ISO 8601. origin: the pull or file it was made from. digest: of the logical rows.
    lines: rows as read, repeats: those among them dropped as repeated. promised: what the provider
    says it adds up to. flag: a code when the day is doubted, remark: why it is doubted or lost.
    """

    source: int
    dataset: str
    day: date
    state: DayState
    revision: str | None
    taken_at: str
    origin: str
    rows: int
    sums: Sums
    digest: str
    lines: int = 0
    repeats: int = 0
    promised: Promised = NOTHING_PROMISED
    flag: str | None = None
    remark: str | None = None


def write_rows(connection: Connection, rows: Iterable[LedgerRow]) -> None:
    """Insert or replace ledger rows."""
    values = [_values(row) for row in rows]
    if values:
        connection.execute(insert(schema.ledger).prefix_with("OR REPLACE"), values)


def _values(row: LedgerRow) -> dict[str, object]:
    return {
        "source": row.source,
        "dataset": row.dataset,
        "day": row.day.toordinal(),
        "state": row.state.value,
        "revision": row.revision,
        "taken_at": row.taken_at,
        "origin": row.origin,
        "rows": row.rows,
        "clicks": row.sums.clicks,
        "impressions": row.sums.impressions,
        "position_milli": row.sums.position_milli,
        "digest": row.digest,
        "lines": row.lines,
        "repeats": row.repeats,
        "promised_rows": row.promised.rows,
        "promised_clicks": row.promised.clicks,
        "promised_impressions": row.promised.impressions,
        "flag": row.flag,
        "remark": row.remark,
    }


def read_rows(
    connection: Connection,
    *,
    sources: Sequence[int] | None = None,
    dataset: str | None = None,
    first: date | None = None,
    last: date | None = None,
) -> list[LedgerRow]:
    """Read ledger rows, ordered by dataset, source and day."""
    t = schema.ledger
    question = select(t).order_by(t.c.dataset, t.c.source, t.c.day)
    return [_row(found) for found in connection.execute(narrowed(question, t, sources, dataset, first, last))]


def narrowed(
    question: Select[Any],
    table: Any,
    sources: Sequence[int] | None,
    dataset: str | None,
    first: date | None,
    last: date | None,
) -> Select[Any]:
    """Narrow a question about a table with source, dataset and day."""
    if sources is not None:
        question = question.where(table.c.source.in_(sources))
    if dataset is not None:
        question = question.where(table.c.dataset == dataset)
    if first is not None:
        question = question.where(table.c.day >= first.toordinal())
    if last is not None:
        question = question.where(table.c.day <= last.toordinal())
    return question


def _row(found: Row[Any]) -> LedgerRow:
    return LedgerRow(
        found.source,
        found.dataset,
        date.fromordinal(found.day),
        DayState(found.state),
        found.revision,
        found.taken_at,
        found.origin,
        found.rows,
        Sums(found.clicks, found.impressions, found.position_milli),
        found.digest,
        found.lines,
        found.repeats,
        Promised(found.promised_rows, found.promised_clicks, found.promised_impressions),
        found.flag,
        found.remark,
    )


def read_states(connection: Connection, sources: Sequence[int], dataset: str) -> dict[date, DayState]:
    """Read each day's state; over several sources the least settled of them stands for the day (over_sources)."""
    t = schema.ledger
    question = select(t.c.source, t.c.day, t.c.state).where(t.c.source.in_(sources), t.c.dataset == dataset)
    by_source: dict[int, dict[date, DayState]] = {}
    for source, day, name in connection.execute(question):
        by_source.setdefault(source, {})[date.fromordinal(day)] = DayState(name)
    if len(by_source) == 1:
        (only,) = by_source.values()
        return only
    return over_sources(list(by_source.values()))
