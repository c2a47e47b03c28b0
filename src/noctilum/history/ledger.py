"""The day ledger: for each source, dataset and day what is held and since when."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date

from sqlalchemy import Connection, select
from sqlalchemy.dialects.sqlite import insert

from noctilum.core.days import DayState
from noctilum.core.measures import Sums
from noctilum.history import schema


@dataclass(frozen=True)
class LedgerRow:
    """Record one day of one dataset from one source.

    taken_at: UTC, ISO 8601. origin: the pull or file it was made from. digest: of the logical rows.
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
    if sources is not None:
        question = question.where(t.c.source.in_(sources))
    if dataset is not None:
        question = question.where(t.c.dataset == dataset)
    if first is not None:
        question = question.where(t.c.day >= first.toordinal())
    if last is not None:
        question = question.where(t.c.day <= last.toordinal())
    return [_row(found) for found in connection.execute(question)]


def _row(found: Sequence[object]) -> LedgerRow:
    (
        source,
        dataset,
        day,
        state,
        revision,
        taken_at,
        origin,
        rows,
        clicks,
        impressions,
        milli,
        digest,
    ) = found
    return LedgerRow(
        int(str(source)),
        str(dataset),
        date.fromordinal(int(str(day))),
        DayState(str(state)),
        None if revision is None else str(revision),
        str(taken_at),
        str(origin),
        int(str(rows)),
        Sums(int(str(clicks)), int(str(impressions)), int(str(milli))),
        str(digest),
    )


def read_states(connection: Connection, sources: Sequence[int], dataset: str) -> dict[date, DayState]:
    """Read each day's state over several sources: the least settled of them stands for the day."""
    t = schema.ledger
    question = select(t.c.day, t.c.state).where(t.c.source.in_(sources), t.c.dataset == dataset)
    worst = [DayState.FINAL, DayState.EMPTY, DayState.PROVISIONAL, DayState.MISSING]
    states: dict[int, DayState] = {}
    for day, name in connection.execute(question):
        state = DayState(name)
        if day not in states or worst.index(state) > worst.index(states[day]):
            states[day] = state
    return {date.fromordinal(day): state for day, state in states.items()}
