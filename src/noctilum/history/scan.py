"""Answering a question from segments: rollups where a whole month counts, blocks where not."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date
from itertools import chain

import numpy as np
import numpy.typing as npt
from sqlalchemy import Connection

from noctilum.core.table import Grouped, Tally
from noctilum.history import segments as seg
from noctilum.history import spans, terms
from noctilum.history.columns import ColumnCache, read_segments
from noctilum.history.datasets import Dataset, dataset
from noctilum.history.rows import MEASURES, Rows

Ints = npt.NDArray[np.int64]
MOST_CACHED_ROWS = 1_000_000


@dataclass(frozen=True)
class Question:
    """Ask for sums of one dataset over some days.

    by: dimensions to group by; "day" may be among them and gives proleptic ordinals. where:
    dimension → term ids that rows must have. out: days inside the run that do not count.
    sources: None asks over all.
    """

    dataset: str
    first: date
    last: date
    by: tuple[str, ...] = ()
    where: Mapping[str, tuple[int, ...]] = field(default_factory=dict)
    out: frozenset[date] = frozenset()
    sources: tuple[int, ...] | None = None


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
        _add_rollups(tally, connection, kept, name, summed, question)
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
    kept: Dataset,
    name: str,
    months: Sequence[seg.Segment],
    question: Question,
) -> None:
    keys = kept.rollups[name]
    chosen = spans.find(connection, kept, name, months) if name in spans.spanned(kept) else []
    rest = [s.id for s in months if not any(spans.covers(span, s) for span in chosen)]
    for rolled in chain(
        spans.read(connection, chosen, keys),
        seg.read_rollups(connection, rest, name, keys),
    ):
        columns = dict(zip(keys, rolled.keys, strict=True))
        measures = (rolled.clicks, rolled.impressions, rolled.position_milli)
        if question.where:
            keep = _matching(columns, question.where, len(rolled))
            columns = {key: values[keep] for key, values in columns.items()}
            measures = tuple(m[keep] for m in measures)  # type: ignore[assignment]
        tally.add(_keys(columns, question), measures, unique=question.by == keys)


def _add_blocks(
    tally: Tally,
    connection: Connection,
    cache: ColumnCache,
    kept: Dataset,
    found: Sequence[seg.Segment],
    question: Question,
    span: tuple[int, int, Sequence[int]],
) -> None:
    first, last, outs = span
    for inside, part in _by_inside(found, span):
        needed = {*question.by, *question.where, *MEASURES} | (set() if inside else {"day"})
        for rows in _rows(connection, cache, kept, part, needed, question):
            keep = _matching(rows.columns, question.where, len(rows))
            if not inside:
                keep &= _on_days(rows.columns["day"], first, last, outs)
            chosen, measures = _counted(rows, keep, question.by)
            tally.add(_keys(chosen.columns, question), measures)


def _counted(rows: Rows, keep: npt.NDArray[np.bool_], by: Sequence[str]) -> tuple[Rows, tuple[Ints, Ints, Ints]]:
    """Leave out the rows not kept: where most are, the measures of the others become zeros, which is quicker.

    Grouped by day the others are always taken out, as their days lie outside the window.
    """
    kept = int(np.count_nonzero(keep))
    zeroed = kept * 2 >= keep.size and "day" not in by
    if kept < keep.size and not zeroed:
        rows = Rows({name: rows.columns[name] for name in (*by, *MEASURES)}, rows.scale).taken(np.flatnonzero(keep))
    clicks, impressions, sums = (rows.columns[name] for name in MEASURES)
    if kept < keep.size and zeroed:
        clicks, impressions, sums = clicks * keep, impressions * keep, sums * keep
    return rows, (clicks, impressions, sums * (1000 // rows.scale))


def _rows(
    connection: Connection,
    cache: ColumnCache,
    kept: Dataset,
    found: Sequence[seg.Segment],
    needed: Iterable[str],
    question: Question,
) -> Iterable[Rows]:
    """Read columns: only the blocks that can hold the asked keys, or whole segments through the cache.

    More segments than the cache could hold are read block by block, so that a long scan stays in
    bounded memory and does not push out what others ask for.
    """
    keys = _key_range(question.where.get(kept.dims[0]))
    wanted = sorted(needed)
    if keys is not None or sum(s.rows for s in found) > MOST_CACHED_ROWS:
        return seg.read_blocks(connection, kept, found, wanted, keys)
    return read_segments(connection, cache, kept, found, wanted)


def matching_rows(connection: Connection, cache: ColumnCache, question: Question, columns: Sequence[str]) -> list[Rows]:
    """Read the rows behind a question, unsummed."""
    kept = dataset(question.dataset)
    first, last = question.first.toordinal(), question.last.toordinal()
    found = seg.find(connection, kept.name, question.sources, first, last)
    outs = sorted(day.toordinal() for day in question.out)
    needed = {*columns, *question.where, *MEASURES, "day"}
    parts = []
    for rows in _rows(connection, cache, kept, found, needed, question):
        keep = _matching(rows.columns, question.where, len(rows)) & _on_days(rows.columns["day"], first, last, outs)
        parts.append(rows.taken(keep))
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


def _key_range(ids: tuple[int, ...] | None) -> tuple[int, int] | None:
    return (min(ids), max(ids)) if ids else None


def _matching(columns: Mapping[str, Ints], where: Mapping[str, tuple[int, ...]], size: int) -> npt.NDArray[np.bool_]:
    keep = np.ones(size, dtype=bool)
    for name, ids in where.items():
        values = columns[name]
        keep &= values == ids[0] if len(ids) == 1 else np.isin(values, np.asarray(ids, dtype=np.int64))
    return keep


def _on_days(days: Ints, first: int, last: int, outs: Sequence[int]) -> npt.NDArray[np.bool_]:
    if not days.size:
        return np.zeros(0, dtype=bool)
    low, high = int(days.min()), int(days.max())
    included = np.zeros(high - low + 1, dtype=bool)
    included[max(first - low, 0) : max(last - low + 1, 0)] = True
    included[[day - low for day in outs if low <= day <= high]] = False
    return included[days - low]


def _with_days(summed: Grouped, question: Question) -> Grouped:
    base = question.first.toordinal()
    keys = tuple(k + base if name == "day" else k for name, k in zip(question.by, summed.keys, strict=True))
    return Grouped(keys, summed.clicks, summed.impressions, summed.position_milli)
