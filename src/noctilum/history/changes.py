"""The change log: each time a day that was final came out differently, with its figures before and after."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from typing import Any

from sqlalchemy import Connection, Row, insert, select

from noctilum.core.days import HELD, DayState
from noctilum.core.measures import Sums
from noctilum.history import schema
from noctilum.history.ledger import LedgerRow, figure_columns, figures_in, narrowed


@dataclass(frozen=True)
class Side:
    """What a day was before, or is after, a change."""

    state: DayState
    revision: str | None
    rows: int
    figures: Mapping[str, int]

    @property
    def sums(self) -> Sums:
        """The sums of a day of a search dataset."""
        return Sums.of(self.figures)


@dataclass(frozen=True)
class DayChange:
    """Record one change of a final day. kind: "revised" (same source said otherwise), "removed"."""

    id: int
    source: int
    dataset: str
    day: date
    at: str
    kind: str
    origin: str
    was: Side
    now: Side


_NOTED = insert(schema.change)


def note_changes(connection: Connection, before: Mapping[date, LedgerRow], lines: Sequence[LedgerRow]) -> None:
    """Log every line that says otherwise than the final or empty day before it."""
    values = [_values(was, now) for now in lines if (was := before.get(now.day)) and _differs(was, now)]
    if values:
        connection.execute(_NOTED, values)


def _differs(was: LedgerRow, now: LedgerRow) -> bool:
    return was.state in HELD and (was.digest != now.digest or now.state not in HELD)


def _values(was: LedgerRow, now: LedgerRow) -> dict[str, object]:
    sides = {f"was_{name}": value for name, value in _side(was).items()}
    sides |= {f"now_{name}": value for name, value in _side(now).items()}
    kind = "revised" if now.state in (*HELD, DayState.PROVISIONAL) else "removed"
    head = {"source": now.source, "dataset": now.dataset, "day": now.day.toordinal()}
    return head | {"at": now.taken_at, "kind": kind, "origin": now.origin} | sides


def _side(row: LedgerRow) -> dict[str, object]:
    return {
        "state": row.state.value,
        "revision": row.revision,
        "rows": row.rows,
        **figure_columns(row.figures),
    }


def read_changes(
    connection: Connection,
    *,
    sources: Sequence[int] | None = None,
    dataset: str | None = None,
    first: date | None = None,
    last: date | None = None,
) -> list[DayChange]:
    """Read the change log, newest change first."""
    t = schema.change
    question = narrowed(select(t).order_by(t.c.id.desc()), t, sources, dataset, first, last)
    return [
        DayChange(
            row.id,
            row.source,
            row.dataset,
            date.fromordinal(row.day),
            row.at,
            row.kind,
            row.origin,
            _read_side(row, "was"),
            _read_side(row, "now"),
        )
        for row in connection.execute(question)
    ]


def _read_side(row: Row[Any], side: str) -> Side:
    state, revision, rows, *sums, others = (getattr(row, f"{side}_{name}") for name, _ in schema.SIDE)
    return Side(DayState(state), revision, rows, figures_in(row.dataset, sums, others))
