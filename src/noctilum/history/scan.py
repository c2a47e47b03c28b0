"""Answering a question from segments: rollups where a whole month counts, blocks where not."""

from __future__ import annotations

from collections.abc import Hashable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date

import numpy as np
import numpy.typing as npt
from sqlalchemy import Connection

from noctilum.core.table import Grouped, Tally
from noctilum.history import long_rollups, terms
from noctilum.history import segments as seg
from noctilum.history.block_scan import BlockFilter, among, scan_segments
from noctilum.history.columns import ColumnCache
from noctilum.history.datasets import Dataset, dataset
from noctilum.history.rows import MEASURES, Rows

Ints = npt.NDArray[np.int64]
MOST_CACHED_ROWS = 4_000_000


@dataclass(frozen=True)
class Question:
    """Ask for sums of one dataset over some days.

    by: dimensions to group by; "day" may be among them and gives proleptic ordinals. where:
    dimension → term ids that rows must have. out: days inside the run that do not count.
    sources: None asks over all. places: False leaves position_milli 0 where that saves reading it.
    """

    dataset: str
    first: date
    last: date
    by: tuple[str, ...] = ()
    where: Mapping[str, tuple[int, ...]] = field(default_factory=dict)
    out: frozenset[date] = frozenset()
    sources: tuple[int, ...] | None = None
    places: bool = True


def answer(connection: Connection, cache: ColumnCache, question: Question) -> Grouped:
    """Answer a question with exact sums; no rows give no groups."""
    kept = dataset(question.dataset)
    first, last = question.first.toordinal(), question.last.toordinal()
    found = seg.find(connection, kept.name, question.sources, first, last)
    outs = sorted(day.toordinal() for day in question.out)
    name = _rollup_for(kept, question)
    summed = [s for s in found if name and s.level == seg.MONTH and _wholly_in(s, first, last, outs)]
    taken = {s.id for s in summed}
    scanned = [s for s in found if s.id not in taken]
    tally = Tally([_width(connection, question, dim) for dim in question.by])
    if name and summed:
        _add_rollups(tally, connection, cache, kept, name, summed, question)
    if scanned:
        _add_blocks(tally, connection, cache, kept, scanned, question, (first, last, outs))
    return _with_days(tally.result(), question)


def _width(connection: Connection, question: Question, dim: str) -> int:
    if dim == "day":
        return (question.last - question.first).days + 1
    return terms.count(connection, dim)


def _wholly_in(segment: seg.Segment, first: int, last: int, outs: Sequence[int]) -> bool:
    if segment.first_day < first or segment.last_day > last:
        return False
    return not any(segment.first_day <= day <= segment.last_day for day in outs)


def _rollup_for(kept: Dataset, question: Question) -> str | None:
    needed = {*question.by, *question.where}
    fitting = [name for name, keys in kept.rollups.items() if needed <= set(keys)]
    return min(fitting, key=lambda name: len(kept.rollups[name]), default=None) if fitting else None


def _add_rollups(
    tally: Tally,
    connection: Connection,
    cache: ColumnCache,
    kept: Dataset,
    name: str,
    months: Sequence[seg.Segment],
    question: Question,
) -> None:
    keys = kept.rollups[name]
    for rolled in _rolled(connection, cache, kept, name, months):
        columns = dict(zip(keys, rolled.keys, strict=True))
        measures = (rolled.clicks, rolled.impressions, rolled.position_milli)
        if question.where:
            keep = _matching(columns, question.where, len(rolled))
            columns = {key: values[keep] for key, values in columns.items()}
            measures = tuple(m[keep] for m in measures)  # type: ignore[assignment]
        tally.add(_keys(columns, question), measures, unique=question.by == keys)


def _rolled(
    connection: Connection, cache: ColumnCache, kept: Dataset, name: str, months: Sequence[seg.Segment]
) -> Iterator[Grouped]:
    """Give the sums of months, as few rollups as can be; those taken apart before come out of the cache.

    A rollup is named by the segments it sums: they never change, and their numbers are never given again.
    """
    keys = kept.rollups[name]
    chosen = long_rollups.find(connection, kept, name, months) if name in long_rollups.spanned(kept) else []
    for span in chosen:
        parts = tuple(s.id for s in months if long_rollups.covers(span, s))
        named = (connection.engine, name, parts)
        found = _kept(cache, named)
        yield _keep(cache, named, long_rollups.read(connection, [span], keys)[0]) if found is None else found
    rest = [s.id for s in months if not any(long_rollups.covers(span, s) for span in chosen)]
    lacking = []
    for number in rest:
        found = _kept(cache, (connection.engine, name, (number,)))
        if found is None:
            lacking.append(number)
        else:
            yield found
    for number, rolled in seg.read_rollups(connection, lacking, name, keys):
        yield _keep(cache, (connection.engine, name, (number,)), rolled)


def _kept(cache: ColumnCache, named: Hashable) -> Grouped | None:
    columns = cache.find(named, ["sums"]).get("sums")
    if columns is None:
        return None
    *keys, clicks, impressions, position_milli = columns
    return Grouped(tuple(keys), clicks, impressions, position_milli)  # type: ignore[arg-type]


def _keep(cache: ColumnCache, named: Hashable, found: Grouped) -> Grouped:
    """Keep sums, from now on read-only, as others will be given them too."""
    columns = (*found.keys, found.clicks, found.impressions, found.position_milli)
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
    span: tuple[int, int, Sequence[int]],
) -> None:
    """Add rows from blocks through the block_filter; of a long scan nothing is kept, so that others' columns stay."""
    first, last, outs = span
    measures = MEASURES if question.places else MEASURES[:2]
    columns = tuple(dict.fromkeys((*question.by, *measures)))
    by_key = question.by == (kept.dims[0],)
    ordered = by_key or question.by == (kept.dims[0], "day")  # as segments are sorted
    short = cache if sum(s.rows for s in found) <= MOST_CACHED_ROWS else None
    for inside, part in _by_inside(found, span):
        days = None if inside else _wanted_days(first, last, outs)
        block_filter = BlockFilter(
            columns, question.where, first, days, zeroing="day" not in question.by, summed=by_key
        )
        for rows in scan_segments(connection, kept, part, block_filter, short):
            tally.add(_keys(rows.columns, question), _measures(rows, measures), ordered=ordered)


def _wanted_days(first: int, last: int, outs: Sequence[int]) -> npt.NDArray[np.bool_]:
    """Say which days count, from the first on; shape (days,)."""
    wanted = np.ones(last - first + 1, dtype=bool)
    wanted[[day - first for day in outs if first <= day <= last]] = False
    return wanted


def _measures(rows: Rows, names: Sequence[str]) -> tuple[Ints, ...]:
    """Give the measures of rows in the order of MEASURES, places in thousandths."""
    counts = tuple(rows.columns[name] for name in names[:2])
    return (*counts, rows.columns[names[2]] * (1000 // rows.scale)) if len(names) > 2 else counts


def matching_rows(connection: Connection, cache: ColumnCache, question: Question, columns: Sequence[str]) -> list[Rows]:
    """Read the rows behind a question, unsummed."""
    kept = dataset(question.dataset)
    first, last = question.first.toordinal(), question.last.toordinal()
    found = seg.find(connection, kept.name, question.sources, first, last)
    outs = sorted(day.toordinal() for day in question.out)
    wanted = tuple(dict.fromkeys((*columns, *MEASURES, "day")))
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
    return Grouped(keys, summed.clicks, summed.impressions, summed.position_milli)
