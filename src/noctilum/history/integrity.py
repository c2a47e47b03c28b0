"""Caring for a history file: finding what is damaged, taking it out so that it can be had again, copying."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from typing import Any

import numpy as np
from sqlalchemy import Connection, delete, func, select, update

from noctilum.core.days import NOT_HELD, DayState
from noctilum.core.digest import Hashes, text_hashes
from noctilum.core.errors import StoreFault
from noctilum.core.windows import month_end, month_start
from noctilum.datasets import DATASETS
from noctilum.datasets.declaring import Dataset
from noctilum.history import ledger, long_rollups, schema, terms
from noctilum.history import segments as seg
from noctilum.history.ledger import LedgerRow
from noctilum.history.rows import Rows, digest_of, joined
from noctilum.history.sqlite import wrong_pages

FOREVER = date.max.toordinal()


@dataclass(frozen=True)
class Damage:
    """Name what is damaged. kind: "bytes", "sums", "rows", "terms", "rollup" or "file".

    dataset and source are None when it is the whole file. first, last: the days concerned.
    """

    kind: str
    text: str
    dataset: str | None = None
    source: int | None = None
    first: date | None = None
    last: date | None = None
    segment: int | None = None


def examine(connection: Connection) -> Iterator[Damage]:
    """Read everything a history holds and give what is wrong, as it is found.

    The file's pages, every segment's bytes, every day's rows against its ledger row (count, sums and
    digest), rollups against the rows they sum, and terms against their hashes.
    """
    yield from _pages(connection)
    yield from _terms(connection)
    hashes = _hashes(connection)
    for kept in DATASETS.values():
        for source, month, found in _months(connection, kept):
            yield from _examine_month(connection, kept, source, month, found, hashes)
        yield from _rowless(connection, kept)


def _pages(connection: Connection) -> Iterator[Damage]:
    for line in wrong_pages(connection):
        yield Damage("file", f"the database says: {line}")


def _terms(connection: Connection) -> Iterator[Damage]:
    t = schema.term
    for kind in sorted({dim for kept in DATASETS.values() for dim in kept.dims}):
        count = connection.execute(select(func.count()).where(t.c.kind == kind)).scalar_one()
        if count != terms.count(connection, kind):
            yield Damage("terms", f"{kind} terms have gaps: {count} of {terms.count(connection, kind)}")
        texts, kept = [], []
        question = select(t.c.text, t.c.hash).where(t.c.kind == kind).order_by(t.c.id)
        for row in connection.execute(question):
            texts.append(row.text)
            kept.append(row.hash)
        wrong = np.flatnonzero(text_hashes(texts).view(np.int64) != np.array(kept, dtype=np.int64))
        if wrong.size:
            yield Damage("terms", f"{len(wrong)} {kind} terms do not fit their hashes, {texts[wrong[0]]!r} among them")


def _hashes(connection: Connection) -> dict[str, Hashes]:
    dims = {dim for kept in DATASETS.values() for dim in kept.dims}
    return {dim: text_hashes(terms.read_all(connection, dim)) for dim in dims}


def _months(connection: Connection, kept: Dataset) -> Iterator[tuple[int, date, list[seg.Segment]]]:
    groups: dict[tuple[int, date], list[seg.Segment]] = {}
    for found in seg.find(connection, kept.name, None, 0, FOREVER):
        groups.setdefault((found.source, month_start(date.fromordinal(found.first_day))), []).append(found)
    for (source, month), segments in sorted(groups.items()):
        yield source, month, segments


def _examine_month(
    connection: Connection,
    kept: Dataset,
    source: int,
    month: date,
    found: Sequence[seg.Segment],
    hashes: Mapping[str, Hashes],
) -> Iterator[Damage]:
    sound = []
    for segment in found:
        why = _unreadable(connection, kept, segment)
        if why:
            yield _of(connection, segment, "bytes", why)
        else:
            sound.append(segment)
    if not sound:
        return
    rows = joined(list(seg.read_blocks(connection, kept, sound, seg.column_order(kept))))
    yield from _days(connection, kept, source, month, sound, rows, hashes)
    yield from _rollups(connection, kept, sound)


def _of(connection: Connection, segment: seg.Segment, kind: str, why: str) -> Damage:
    """Name a damaged segment by the days in it that have rows."""
    first, last = date.fromordinal(segment.first_day), date.fromordinal(segment.last_day)
    lines = ledger.read_rows(connection, sources=[segment.source], dataset=segment.dataset, first=first, last=last)
    days = [line.day for line in lines if line.rows]
    first, last = min(days, default=first), max(days, default=last)
    return Damage(kind, why, segment.dataset, segment.source, first, last, segment.id)


def _unreadable(connection: Connection, kept: Dataset, segment: seg.Segment) -> str | None:
    try:
        if seg.damaged(connection, segment):
            return "its bytes differ from their checksum"
        rows = joined(list(seg.read_blocks(connection, kept, [segment], seg.column_order(kept))))
    except (StoreFault, ValueError) as why:
        return f"it cannot be read: {why.args[0] if why.args else why}"
    return None if len(rows) == segment.rows else f"it has {len(rows)} rows of {segment.rows}"


def _days(
    connection: Connection,
    kept: Dataset,
    source: int,
    month: date,
    found: Sequence[seg.Segment],
    rows: Rows,
    hashes: Mapping[str, Hashes],
) -> Iterator[Damage]:
    beyond = [dim for dim in kept.dims if len(rows) and int(rows.columns[dim].max()) >= len(hashes[dim])]
    if beyond:
        text_ = f"rows name {beyond[0]} terms that are not there"
        yield Damage("terms", text_, kept.name, source, month, month_end(month), found[0].id)
        return
    lines = ledger.read_rows(connection, sources=[source], dataset=kept.name, first=month, last=month_end(month))
    by_day = {line.day.toordinal(): line for line in lines}
    days = rows.columns["day"]
    order = np.argsort(days, kind="stable")
    for day in np.unique(days).tolist():
        low, high = np.searchsorted(days[order], [day, day + 1])
        why = _differs(rows.taken(order[low:high]), by_day.get(day), hashes)
        if why:
            at = next(s for s in found if s.first_day <= day <= s.last_day)
            when = date.fromordinal(day)
            yield Damage("sums", why, kept.name, source, when, when, at.id)


def _differs(rows: Rows, line: LedgerRow | None, hashes: Mapping[str, Hashes]) -> str | None:
    if line is None or line.state in NOT_HELD:
        return "there are rows of a day the ledger does not hold"
    if len(rows) != line.rows:
        return f"there are {len(rows)} rows where the ledger says {line.rows}"
    for name, summed in rows.figures.items():
        if summed != line.figures.get(name, 0):
            return f"they add up to {summed} {name} where the ledger says {line.figures.get(name, 0)}"
    return None if digest_of(rows, hashes) == line.digest else "the rows are not those that were written"


def _rollups(connection: Connection, kept: Dataset, found: Sequence[seg.Segment]) -> Iterator[Damage]:
    stored = tuple(measure.stored_as for measure in kept.added)
    for segment in found:
        if segment.level != seg.MONTH or not kept.rollups:
            continue
        whole = joined(list(seg.read_blocks(connection, kept, [segment], stored)))
        sums = {measure.tallied_as: int(whole.figure(measure).sum()) for measure in kept.added}
        for name in kept.rollups:
            if _rolled(connection, kept, segment, name) != sums:
                yield _of(connection, segment, "rollup", f"its sums by {name} do not fit its rows")


def _rolled(connection: Connection, kept: Dataset, segment: seg.Segment, name: str) -> dict[str, int] | None:
    """Add up a rollup of a month; None where it is gone or cannot be read."""
    try:
        return next((part.totals for _, part in seg.read_rollups(connection, kept, [segment.id], name)), None)
    except (StoreFault, ValueError):
        return None


def _rowless(connection: Connection, kept: Dataset) -> Iterator[Damage]:
    """Find days that the ledger holds with rows and no segment has."""
    covered: dict[int, set[int]] = {}
    for found in seg.find(connection, kept.name, None, 0, FOREVER):
        covered.setdefault(found.source, set()).update(range(found.first_day, found.last_day + 1))
    for line in ledger.read_rows(connection, dataset=kept.name):
        if line.rows and line.day.toordinal() not in covered.get(line.source, set()):
            yield Damage("rows", f"its {line.rows} rows are gone", kept.name, line.source, line.day, line.day)


def take_out(connection: Connection, damages: Sequence[Damage], now: str) -> list[tuple[int, str, date]]:
    """Take damaged rows out and mark their days missing; make damaged rollups anew.

    Returns (source, dataset, day) of every day that is to be had again. Terms and file damage stay.
    """
    again: list[tuple[int, str, date]] = []
    for damage in damages:
        if damage.kind == "rollup" and damage.dataset and damage.source is not None and damage.first:
            _sum_anew(connection, DATASETS[damage.dataset], damage)
    rows_of = [
        d for d in damages if d.kind in ("bytes", "sums", "rows", "terms") and d.dataset and d.source is not None
    ]
    for segment_id in {d.segment for d in rows_of if d.segment is not None}:
        _drop_segment(connection, segment_id)
    for damage in rows_of:
        again += _mark_missing(connection, damage, now)
    return sorted(set(again))


def _sum_anew(connection: Connection, kept: Dataset, damage: Damage) -> None:
    found = [s for s in seg.find(connection, kept.name, [damage.source or 0], 0, FOREVER) if s.id == damage.segment]
    parts = list(seg.read_blocks(connection, kept, found, seg.column_order(kept)))
    seg.remove(connection, found)
    s = found[0]
    seg.write(connection, kept, s.source, s.level, s.first_day, s.last_day, joined(parts))
    long_rollups.refresh(connection, kept, s.source, date.fromordinal(s.first_day))


def _drop_segment(connection: Connection, number: int) -> None:
    t = schema.segment
    row = connection.execute(select(t).where(t.c.id == number)).first()
    if row is not None:
        found = seg.Segment(*row)
        seg.remove(connection, [found])
        long_rollups.refresh(
            connection, DATASETS[found.dataset], found.source, month_start(date.fromordinal(found.first_day))
        )


def _mark_missing(connection: Connection, damage: Damage, now: str) -> list[tuple[int, str, date]]:
    """Mark the days of the segment that went; days the provider had no rows for lose nothing."""
    lines = ledger.read_rows(
        connection,
        sources=[damage.source or 0],
        dataset=damage.dataset,
        first=month_start(damage.first) if damage.segment and damage.first else damage.first,
        last=month_end(damage.first) if damage.segment and damage.first else damage.last,
    )
    covered = _covered(connection, damage)
    t = schema.ledger
    gone = [line for line in lines if line.rows and line.day.toordinal() not in covered]
    for line in gone:
        remark = f"damaged, taken out on {now[:10]}; it was made from {line.origin}"
        values = {"state": DayState.MISSING.value, "revision": None, "rows": 0}
        more = ledger.no_figures() | {"flag": "damaged", "remark": remark, "digest": ""}
        here = (t.c.source == line.source, t.c.dataset == line.dataset, t.c.day == line.day.toordinal())
        connection.execute(update(t).where(*here).values(**values, **more))
    return [(line.source, line.dataset, line.day) for line in gone]


def _covered(connection: Connection, damage: Damage) -> set[int]:
    found = seg.find(connection, damage.dataset or "", [damage.source or 0], 0, FOREVER)
    return {day for s in found for day in range(s.first_day, s.last_day + 1)}


_SOURCED: tuple[Any, ...] = (schema.segment, schema.span, schema.ledger, schema.change, schema.capture)


def renumber(connection: Connection, numbers: Mapping[int, int]) -> None:
    """Give sources other numbers, as in another install."""
    for table in _SOURCED:
        for old in numbers:
            connection.execute(update(table).where(table.c.source == old).values(source=-old - 1))
        for old, new in numbers.items():
            connection.execute(update(table).where(table.c.source == -old - 1).values(source=new))


def drop_source(connection: Connection, source: int) -> int:
    """Delete everything of one source; returns how many ledger rows went."""
    ids = select(schema.segment.c.id).where(schema.segment.c.source == source)
    connection.execute(delete(schema.block).where(schema.block.c.segment_id.in_(ids)))
    connection.execute(delete(schema.rollup).where(schema.rollup.c.segment_id.in_(ids)))
    count = select(func.count()).select_from(schema.ledger).where(schema.ledger.c.source == source)
    went = int(connection.execute(count).scalar_one())
    for table in _SOURCED:
        connection.execute(delete(table).where(table.c.source == source))
    return went


def drop_before(connection: Connection, first: date) -> int:
    """Delete whole months that ended before a day, for good; returns how many days went."""
    limit = month_start(first).toordinal()
    old = [s for kept in DATASETS for s in seg.find(connection, kept, None, 0, limit - 1) if s.last_day < limit]
    seg.remove(connection, old)
    t, c, p = schema.ledger, schema.change, schema.span
    days = connection.execute(select(func.count(t.c.day.distinct())).where(t.c.day < limit)).scalar_one()
    connection.execute(delete(t).where(t.c.day < limit))
    connection.execute(delete(c).where(c.c.day < limit))
    connection.execute(delete(p).where(p.c.first_day < limit))
    connection.execute(delete(schema.capture).where(schema.capture.c.day < limit))
    return int(days)
