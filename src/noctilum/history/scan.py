"""Answering a question from segments: rollups where a whole month counts, blocks where not."""

from __future__ import annotations

from collections.abc import Hashable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import date

import numpy as np
import numpy.typing as npt
from sqlalchemy import Connection

from noctilum.core.table import Grouped, Tally, merged, nothing, side_by_side
from noctilum.datasets import DATASETS
from noctilum.datasets.declaring import Dataset, Measure
from noctilum.history import ledger, long_rollups, terms
from noctilum.history import segments as seg
from noctilum.history.block_scan import BlockFilter, among, scan_segments, unrolled
from noctilum.history.columns import ColumnCache
from noctilum.history.rows import Rows

Ints = npt.NDArray[np.int64]
MOST_CACHED_ROWS = 6_000_000
MOST_CACHED_BYTES = 1 << 20
"""A packed rollup that is larger is not kept taken apart for a question that asks for a part of it."""


@dataclass(frozen=True)
class Question:
    """Ask for sums of one dataset over some days.

    by: dimensions to group by; "day" may be among them and gives proleptic ordinals. where:
    dimension → term ids that rows must have. out: days inside the run that do not count.
    sources: None asks over all. measures: by name, all without.
    """

    dataset: str
    first: date
    last: date
    by: tuple[str, ...] = ()
    where: Mapping[str, tuple[int, ...]] = field(default_factory=dict)
    out: frozenset[date] = frozenset()
    sources: tuple[int, ...] | None = None
    measures: tuple[str, ...] = ()

    @property
    def within_a_day(self) -> bool:
        """Whether no two days are added up in any group."""
        return "day" in self.by or self.days <= 1

    @property
    def days(self) -> int:
        """How many days count."""
        return (self.last - self.first).days + 1 - sum(self.first <= day <= self.last for day in self.out)


@dataclass(frozen=True)
class _Asked:
    """What is added up of a dataset: measures that add up over the days asked, and those told by single rows only."""

    added: tuple[Measure, ...]
    single: tuple[Measure, ...]

    @property
    def figures(self) -> tuple[str, ...]:
        singles = (name for measure in self.single for name in (measure.tallied_as, measure.told_by))
        return (*(measure.tallied_as for measure in self.added), *singles)

    @property
    def stored(self) -> tuple[str, ...]:
        return tuple(measure.stored_as for measure in (*self.added, *self.single))

    def of(self, rows: Rows) -> tuple[Ints, ...]:
        """Give the figures of rows, in their order; a single one counts the rows it came from."""
        singles = (
            column for m in self.single for column in (rows.columns[m.stored_as], np.ones(len(rows), dtype=np.int64))
        )
        return (*(rows.figure(measure) for measure in self.added), *singles)


def answer(connection: Connection, cache: ColumnCache, question: Question) -> Grouped:
    """Answer a question with exact sums; no rows give no groups.

    Over several days the figures of measures whose last stands are those of each source's last held day; figures that
    never add up stand where they came from one row, as the figure named by told_by says: over several days nowhere.
    """
    kept = DATASETS[question.dataset]
    wanted = [each for each in kept.measures if not question.measures or each.name in question.measures]
    if question.within_a_day:
        added = tuple(each for each in wanted if each.merge != "none")
        return _summed(connection, cache, kept, question, _Asked(added, _merged_as(wanted, "none")))
    added, lasting = tuple(m for m in wanted if m.adds), _merged_as(wanted, "last")
    found = _summed(connection, cache, kept, question, _Asked(added, ())) if added else nothing(len(question.by), ())
    if lasting:
        found = _beside(found, _last(connection, cache, kept, question, lasting))
    none = np.zeros(len(found), dtype=np.int64)
    never = {name: none for m in _merged_as(wanted, "none") for name in (m.tallied_as, m.told_by)}
    return Grouped(found.keys, {**found.figures, **never})


def _merged_as(measures: Sequence[Measure], merge: str) -> tuple[Measure, ...]:
    return tuple(measure for measure in measures if measure.merge == merge)


def _last(
    connection: Connection, cache: ColumnCache, kept: Dataset, question: Question, lasting: tuple[Measure, ...]
) -> Grouped:
    """Sum measures on the last held day of each source."""
    parts = [
        _summed(
            connection,
            cache,
            kept,
            replace(question, first=day, last=day, out=frozenset(), sources=(source,)),
            _Asked(lasting, ()),
        )
        for source, day in ledger.last_days(
            connection, kept.name, question.sources, question.first, question.last, question.out
        )
    ]
    return merged(parts) if parts else nothing(len(question.by), [each.tallied_as for each in lasting])


def _beside(one: Grouped, other: Grouped) -> Grouped:
    """Put the figures of two answers by the same keys side by side."""
    if not one.figures:
        return other
    both = side_by_side(one, other)
    return Grouped(both.keys, {**both.now.figures, **both.before.figures})


def _summed(connection: Connection, cache: ColumnCache, kept: Dataset, question: Question, asked: _Asked) -> Grouped:
    """Sum from rollups where whole months count, and from blocks where not."""
    first, last = question.first.toordinal(), question.last.toordinal()
    found = seg.find(connection, kept.name, question.sources, first, last)
    outs = sorted(day.toordinal() for day in question.out)
    whole = [s for s in found if s.level == seg.MONTH and _wholly_in(s, first, last, outs)]
    name = None if asked.single or not all(m.adds for m in asked.added) else _rollup_for(kept, question)
    summed = _covered(connection, kept, name, whole) if name else []
    taken = {s.id for s in summed}
    scanned = [s for s in found if s.id not in taken]
    tally = Tally([_width(connection, question, dim) for dim in question.by], asked.figures)
    if name and summed:
        _add_rollups(tally, connection, cache, kept, name, summed, question, asked)
    if scanned:
        _add_blocks(tally, connection, cache, kept, scanned, question, asked, (first, last, outs))
    return _with_days(tally.result(ends=True), question)


def _width(connection: Connection, question: Question, dim: str) -> int:
    if dim == "day":
        return (question.last - question.first).days + 1
    ids = question.where.get(dim) if "day" in question.by else None  # without, others come along as zeros
    return max(ids) + 1 if ids else terms.count(connection, dim)


def _wholly_in(segment: seg.Segment, first: int, last: int, outs: Sequence[int]) -> bool:
    if segment.first_day < first or segment.last_day > last:
        return False
    return not any(segment.first_day <= day <= segment.last_day for day in outs)


def _rollup_for(kept: Dataset, question: Question) -> str | None:
    """Choose the smallest rollup that can answer; those of spans only where no month's can."""
    needed = {*question.by, *question.where}
    for rollups in (kept.rollups, kept.long_rollups):
        if fitting := [name for name, keys in rollups.items() if needed <= set(keys)]:
            return min(fitting, key=lambda name: len(rollups[name]))
    return None


def _covered(connection: Connection, kept: Dataset, name: str, months: Sequence[seg.Segment]) -> list[seg.Segment]:
    """Say which whole months a rollup can answer for: all of them, or those that its spans cover."""
    if name in kept.rollups:
        return list(months)
    chosen = long_rollups.find(connection, kept, name, months)
    return [month for month in months if any(long_rollups.covers(span, month) for span in chosen)]


def _add_rollups(
    tally: Tally,
    connection: Connection,
    cache: ColumnCache,
    kept: Dataset,
    name: str,
    months: Sequence[seg.Segment],
    question: Question,
    asked: _Asked,
) -> None:
    keys = long_rollups.keys_of(kept, name)
    for rolled in _rolled(connection, cache, kept, name, months, question.where):
        columns = dict(zip(keys, rolled.keys, strict=True))
        measures = tuple(rolled.figures[figure] for figure in asked.figures)
        if question.where:
            keep = _matching(columns, question.where, len(rolled))
            columns = {key: values[keep] for key, values in columns.items()}
            measures = tuple(m[keep] for m in measures)
        tally.add(_keys(columns, question), measures, unique=question.by == keys)


def _rolled(
    connection: Connection,
    cache: ColumnCache,
    kept: Dataset,
    name: str,
    months: Sequence[seg.Segment],
    where: Mapping[str, tuple[int, ...]],
) -> Iterator[Grouped]:
    """Give the sums of months, as few rollups as can be; those taken apart before come out of the cache.

    A rollup is named by the segments it sums: they never change, and their numbers are never given again. Of one that
    would fill the cache only what matches is taken out, each time anew.
    """
    keys = long_rollups.keys_of(kept, name)
    chosen = long_rollups.find(connection, kept, name, months) if name in long_rollups.spanned(kept) else []
    for span in chosen:
        parts = tuple(s.id for s in months if long_rollups.covers(span, s))
        named = (connection.engine, kept.name, name, parts)
        found = _kept(cache, kept, named)
        if found is None:
            data = long_rollups.read(connection, span)
            large = where and len(data) > MOST_CACHED_BYTES
            found = unrolled(kept, data, keys, where) if large else _keep(cache, named, seg.unroll(kept, data, keys))
        yield found
    rest = [s.id for s in months if not any(long_rollups.covers(span, s) for span in chosen)]
    lacking = []
    for number in rest:
        found = _kept(cache, kept, (connection.engine, kept.name, name, (number,)))
        if found is None:
            lacking.append(number)
        else:
            yield found
    for number, rolled in seg.read_rollups(connection, kept, lacking, name):
        yield _keep(cache, (connection.engine, kept.name, name, (number,)), rolled)


def _kept(cache: ColumnCache, kept: Dataset, named: Hashable) -> Grouped | None:
    columns = cache.find(named, ["sums"]).get("sums")
    if columns is None:
        return None
    keys = len(columns) - len(kept.added)
    figures = {m.tallied_as: column for m, column in zip(kept.added, columns[keys:], strict=True)}
    return Grouped(columns[:keys], figures)  # type: ignore[arg-type]


def _keep(cache: ColumnCache, named: Hashable, found: Grouped) -> Grouped:
    """Keep sums, from now on read-only, as others will be given them too."""
    columns = (*found.keys, *found.figures.values())
    for column in columns:
        column.setflags(write=False)
    cache.keep(named, {"sums": columns})
    return found


def _add_blocks(
    tally: Tally,
    connection: Connection,
    cache: ColumnCache,
    kept: Dataset,
    found: Sequence[seg.Segment],
    question: Question,
    asked: _Asked,
    span: tuple[int, int, Sequence[int]],
) -> None:
    """Add rows from blocks through the block_filter; of a long scan nothing is kept, so that others' columns stay."""
    first, last, outs = span
    columns = tuple(dict.fromkeys((*question.by, *asked.stored)))
    by_key = question.by == (kept.dims[0],) and not asked.single
    ordered = by_key or question.by == (kept.dims[0], "day")  # as segments are sorted
    short = cache if sum(s.rows for s in found) <= MOST_CACHED_ROWS else None
    for inside, part in _by_inside(found, span):
        days = None if inside else _wanted_days(first, last, outs)
        zeroing = "day" not in question.by and not asked.single
        block_filter = BlockFilter(columns, question.where, first, days, zeroing=zeroing, summed=by_key)
        for rows in scan_segments(connection, kept, part, block_filter, short):
            tally.add(_keys(rows.columns, question), asked.of(rows), ordered=ordered)


def _wanted_days(first: int, last: int, outs: Sequence[int]) -> npt.NDArray[np.bool_]:
    """Say which days count, from the first on; shape (days,)."""
    wanted = np.ones(last - first + 1, dtype=bool)
    wanted[[day - first for day in outs if first <= day <= last]] = False
    return wanted


def matching_rows(connection: Connection, cache: ColumnCache, question: Question, columns: Sequence[str]) -> list[Rows]:
    """Read the rows behind a question, unsummed."""
    kept = DATASETS[question.dataset]
    first, last = question.first.toordinal(), question.last.toordinal()
    found = seg.find(connection, kept.name, question.sources, first, last)
    outs = sorted(day.toordinal() for day in question.out)
    wanted = tuple(dict.fromkeys((*columns, *kept.stored, "day")))
    parts: list[Rows] = []
    for inside, part in _by_inside(found, (first, last, outs)):
        block_filter = BlockFilter(wanted, question.where, first, None if inside else _wanted_days(first, last, outs))
        parts += scan_segments(connection, kept, part, block_filter, None)
    return parts


def _by_inside(
    found: Sequence[seg.Segment], span: tuple[int, int, Sequence[int]]
) -> list[tuple[bool, list[seg.Segment]]]:
    inside = [s for s in found if _wholly_in(s, *span)]
    cut = [s for s in found if not _wholly_in(s, *span)]
    return [(wholly, part) for wholly, part in ((True, inside), (False, cut)) if part]


def _keys(columns: Mapping[str, Ints], question: Question) -> list[Ints]:
    base = question.first.toordinal()
    return [columns[name] - base if name == "day" else columns[name] for name in question.by]


def _matching(columns: Mapping[str, Ints], where: Mapping[str, tuple[int, ...]], size: int) -> npt.NDArray[np.bool_]:
    keep = np.ones(size, dtype=bool)
    for name, ids in where.items():
        keep &= among(columns[name], 0, ids)
    return keep


def _with_days(summed: Grouped, question: Question) -> Grouped:
    base = question.first.toordinal()
    keys = tuple(k + base if name == "day" else k for name, k in zip(question.by, summed.keys, strict=True))
    return Grouped(keys, summed.figures)
