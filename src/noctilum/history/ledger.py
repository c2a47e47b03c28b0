"""The day ledger: for each source, dataset and day what is held, since when, and what it was made from."""

from __future__ import annotations

import json
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from typing import Any

from sqlalchemy import Connection, Row, Select, bindparam, func, select

from noctilum.core.days import HELD, NOT_HELD, DayState, over_sources
from noctilum.core.measures import Sums
from noctilum.core.reconcile import NOTHING_PROMISED, Promised
from noctilum.datasets import DATASETS
from noctilum.history import schema
from noctilum.history.sqlite import replacing


@dataclass(frozen=True)
class LedgerRow:
    """Record one day of one dataset from one source.

    taken_at: UTC, ISO 8601. origin: the pull or file it was made from. digest: of the logical rows.
    lines: rows as read, repeats: those among them dropped as repeated. promised: what the provider
    says it adds up to. figures: sums of the measures that add up within a day, by the name they are tallied as.
    flag: a code when the day is doubted, remark: why it is doubted or lost.
    """

    source: int
    dataset: str
    day: date
    state: DayState
    revision: str | None
    taken_at: str
    origin: str
    rows: int
    figures: Mapping[str, int]
    digest: str
    lines: int = 0
    repeats: int = 0
    promised: Promised = NOTHING_PROMISED
    flag: str | None = None
    remark: str | None = None

    @property
    def sums(self) -> Sums:
        """The sums of a day of a search dataset."""
        return Sums.of(self.figures)


OWN = ("clicks", "impressions", "position_milli")
"""Figures that have a column of their own; all others stand together in one, as a JSON object."""
JSONS = ("figures", "promised_figures", "was_figures", "now_figures")
MOST_FIGURES = 40


def figure_columns(figures: Mapping[str, int]) -> dict[str, object]:
    """Write figures as columns."""
    return {**{name: figures.get(name, 0) for name in OWN}, "figures": _others(figures, OWN)}


def no_figures() -> dict[str, object]:
    """Write that there is nothing."""
    return figure_columns({})


def figures_in(dataset: str, values: Sequence[int], others: str | None) -> dict[str, int]:
    """Read the figures of a dataset: values of those that have columns of their own, and the others."""
    known = dict(zip(OWN, values, strict=True)) | (_read(others) if others else {})
    kept = DATASETS[dataset]
    return {measure.tallied_as: known.get(measure.tallied_as, 0) for measure in kept.written_down}


def _others(figures: Mapping[str, int], own: Sequence[str]) -> str | None:
    left = {name: value for name, value in figures.items() if name not in own}
    return json.dumps(left, separators=(",", ":")) if left else None


def _read(text: str) -> dict[str, int]:
    """Read figures kept as JSON; raises ValueError for anything else."""
    found = json.loads(text)
    if (
        not isinstance(found, dict)
        or len(found) > MOST_FIGURES
        or any(type(each) is not int for each in found.values())
    ):
        raise ValueError("these are no figures")
    return found


def readable(text: str | None) -> bool:
    """Say whether these are figures, or none."""
    try:
        return text is None or _read(text) is not None
    except (ValueError, RecursionError):
        return False


PROMISED = {"clicks": "promised_clicks", "impressions": "promised_impressions"}


def _promise_columns(promised: Promised) -> dict[str, object]:
    own = {column: promised.figures.get(name) for name, column in PROMISED.items()}
    return {"promised_rows": promised.rows, **own, "promised_figures": _others(promised.figures, tuple(PROMISED))}


def _promised(found: Row[Any]) -> Promised:
    own = {name: value for name, column in PROMISED.items() if (value := getattr(found, column)) is not None}
    return Promised(found.promised_rows, own | (_read(found.promised_figures) if found.promised_figures else {}))


_WRITTEN = replacing(schema.ledger)


def write_rows(connection: Connection, rows: Iterable[LedgerRow]) -> None:
    """Insert or replace ledger rows."""
    values = [_values(row) for row in rows]
    if values:
        connection.execute(_WRITTEN, values)


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
        **figure_columns(row.figures),
        "digest": row.digest,
        "lines": row.lines,
        "repeats": row.repeats,
        **_promise_columns(row.promised),
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


_T = schema.ledger
_OF_A_SOURCE = select(_T).where(
    _T.c.source == bindparam("source"),
    _T.c.dataset == bindparam("dataset"),
    _T.c.day.between(bindparam("first"), bindparam("last")),
)


def read_run(connection: Connection, source: int, dataset: str, first: date, last: date) -> dict[date, LedgerRow]:
    """Read one source's rows of a run of days, both ends included, by their days."""
    asked = {"source": source, "dataset": dataset, "first": first.toordinal(), "last": last.toordinal()}
    return {row.day: row for row in map(_row, connection.execute(_OF_A_SOURCE, asked))}


_SETTLED = select(func.count()).where(
    _T.c.source == bindparam("source"),
    _T.c.dataset == bindparam("dataset"),
    _T.c.day.between(bindparam("first"), bindparam("last")),
    _T.c.state.in_([state.value for state in (*HELD, DayState.LOST)]),
)


def settled(connection: Connection, source: int, dataset: str, first: date, last: date) -> bool:
    """Say whether every day of a run, both ends included, is settled: final, empty or lost."""
    asked = {"source": source, "dataset": dataset, "first": first.toordinal(), "last": last.toordinal()}
    return bool(connection.execute(_SETTLED, asked).scalar_one() == (last - first).days + 1)


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
        figures_in(found.dataset, (found.clicks, found.impressions, found.position_milli), found.figures),
        found.digest,
        found.lines,
        found.repeats,
        _promised(found),
        found.flag,
        found.remark,
    )


def last_days(
    connection: Connection, dataset: str, sources: Sequence[int] | None, first: date, last: date, out: Collection[date]
) -> list[tuple[int, date]]:
    """Give each source's last day with figures in a run of days, less those that are out, by source."""
    found: dict[int, date] = {}
    for row in read_rows(connection, sources=sources, dataset=dataset, first=first, last=last):
        if row.state not in NOT_HELD and row.day not in out:
            found[row.source] = row.day
    return sorted(found.items())


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
