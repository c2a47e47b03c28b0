"""Spans: rollups of half years and years, kept beside the months they are made of."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from sqlalchemy import Connection, bindparam, delete, insert, select

from noctilum.core.table import Tally
from noctilum.core.windows import month_end, shift_months
from noctilum.datasets.declaring import Dataset
from noctilum.history import schema, terms
from noctilum.history import segments as seg
from noctilum.history.rows import joined

YEAR, HALF = 12, 6
MONTHS = (YEAR, HALF)
"""How many months a span may cover; longer ones are used first."""


@dataclass(frozen=True)
class Span:
    """Point to one stored span; days are proleptic ordinals, both included."""

    id: int
    source: int
    first_day: int
    last_day: int


def spanned(kept: Dataset, months: int = YEAR) -> dict[str, tuple[str, ...]]:
    """Name the rollups that spans of so many months have: of months that keep days not apart; years have more."""
    of_months = {name: keys for name, keys in kept.rollups.items() if "day" not in keys}
    return of_months | (dict(kept.long_rollups) if months == YEAR else {})


def keys_of(kept: Dataset, name: str) -> tuple[str, ...]:
    """Say what a rollup, of months or of spans only, is summed by."""
    return kept.rollups[name] if name in kept.rollups else kept.long_rollups[name]


_T = schema.span
_DROPPED = delete(_T).where(
    _T.c.source == bindparam("of"),
    _T.c.dataset == bindparam("counted"),
    _T.c.first_day <= bindparam("on"),
    _T.c.last_day >= bindparam("on"),
)
_MADE = insert(_T)
_NAMED = select(_T.c.id, _T.c.source, _T.c.first_day, _T.c.last_day).where(
    _T.c.dataset == bindparam("dataset"), _T.c.name == bindparam("name")
)
_PACKED = select(_T.c.data).where(_T.c.id == bindparam("id"))


def refresh(connection: Connection, kept: Dataset, source: int, month: date) -> None:
    """Drop the spans over a changed month and make again those whose months are all compacted."""
    over = {"of": source, "counted": kept.name, "on": month.toordinal()}
    connection.execute(_DROPPED, over)
    for months in MONTHS:
        first = date(month.year, (month.month - 1) // months * months + 1, 1)
        last = shift_months(first, months) - timedelta(1)
        found = seg.find(connection, kept.name, [source], first.toordinal(), last.toordinal())
        if len(found) == months and all(s.level == seg.MONTH for s in found):
            _make(connection, kept, source, found)


def _make(connection: Connection, kept: Dataset, source: int, found: Sequence[seg.Segment]) -> None:
    figures = [each.tallied_as for each in kept.added]
    names = spanned(kept, len(found))
    of_months = {name: keys for name, keys in names.items() if name in kept.rollups}
    tallies = {name: Tally([terms.count(connection, key) for key in keys], figures) for name, keys in of_months.items()}
    for name, tally in tallies.items():
        for _, part in seg.read_rollups(connection, kept, [s.id for s in found], name):
            tally.add(part.keys, tuple(part.figures.values()), unique=True)
    tallies |= _of_rows(connection, kept, {name: names[name] for name in names if name not in of_months}, found)
    values = {"source": source, "dataset": kept.name, "first_day": found[0].first_day, "last_day": found[-1].last_day}
    for name in names:
        data = seg.roll(kept, tallies.pop(name).result(ends=True))
        connection.execute(_MADE, values | {"name": name, "data": data})


def _of_rows(
    connection: Connection, kept: Dataset, names: Mapping[str, tuple[str, ...]], months: Sequence[seg.Segment]
) -> dict[str, Tally]:
    """Add up what no month keeps sums of: each month's rows, read once for all, then the months. Keys are far apart."""

    def sparse(keys: Sequence[str]) -> Tally:
        widths = [terms.count(connection, key) for key in keys]
        return Tally(widths, [each.tallied_as for each in kept.added], sparse=True)

    tallies = {name: sparse(keys) for name, keys in names.items()}
    wanted = dict.fromkeys((*(key for keys in names.values() for key in keys), *(m.stored_as for m in kept.added)))
    for month in months if names else ():
        rows = joined(list(seg.read_blocks(connection, kept, [month], tuple(wanted))))
        measures = tuple(rows.figure(measure) for measure in kept.added)
        for name, keys in names.items():
            of_month = sparse(keys)
            of_month.add([rows.columns[key] for key in keys], measures)
            part = of_month.result()
            tallies[name].add(part.keys, tuple(part.figures.values()))
    return tallies


def find(connection: Connection, kept: Dataset, name: str, months: Sequence[seg.Segment]) -> list[Span]:
    """Find the fewest spans made wholly of these month segments, not overlapping one another."""
    whole = {(s.source, s.first_day) for s in months}
    if len(whole) < min(MONTHS):
        return []
    named = connection.execute(_NAMED, {"dataset": kept.name, "name": name})
    chosen: list[Span] = []
    for row in sorted(
        (Span(*found) for found in named),
        key=lambda s: s.first_day - s.last_day,
    ):
        parts = {(row.source, day) for day in _month_starts(row)}
        if parts <= whole:
            whole -= parts
            chosen.append(row)
    return chosen


def _month_starts(span: Span) -> list[int]:
    starts, day = [], date.fromordinal(span.first_day)
    while day.toordinal() <= span.last_day:
        starts.append(day.toordinal())
        day = month_end(day) + timedelta(1)
    return starts


def covers(span: Span, segment: seg.Segment) -> bool:
    """Say whether a month segment is part of a span."""
    return span.source == segment.source and span.first_day <= segment.first_day <= span.last_day


def read(connection: Connection, span: Span) -> bytes:
    """Read a span as it is packed."""
    data: bytes = connection.execute(_PACKED, {"id": span.id}).scalar_one()
    return data
