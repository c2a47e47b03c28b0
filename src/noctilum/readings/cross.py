"""Breakdowns by two dimensions at once, and counts of queries by band month for month."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace
from datetime import date, timedelta

import numpy as np
import numpy.typing as npt

from noctilum.core.bands import EDGES, NAMES
from noctilum.core.days import HELD
from noctilum.core.errors import Nonsense, worded
from noctilum.core.filters import SetTest, written
from noctilum.core.measures import Sums
from noctilum.core.table import Grouped, chained
from noctilum.core.windows import Window, month_end, month_start
from noctilum.readings.frame import Asked, Frame, frame, grain_of
from noctilum.readings.header import figures, header
from noctilum.readings.holding import Holding
from noctilum.readings.rows_of import Ints, Slice
from noctilum.readings.site_access import SiteAccess, rows_asked
from noctilum.wire import explain as wire
from noctilum.wire import questions as ask
from noctilum.wire import readings as base

MOST_COLUMNS = 12


def cross(held: Holding, asked: Asked, rows: str, columns: str, page: Slice | None = None) -> wire.Cross:
    """Read figures by two dimensions. rows: a dimension, or "set" for the saved sets, which may share rows.

    columns: another dimension, "band" of the row's place, or "month". Rows come by impressions, most first; beyond
    twelve, columns are summed as others. Every row's cells add up to it. The total is of all rows; with sets it is
    of everything that is read, in a set or not.
    """
    page = page or Slice()
    if rows == columns:
        raise Nonsense(
            "crossed-with-itself", worded("Rows by {rows} cannot have columns by {rows}.", rows=rows), where="columns"
        )
    of = frame(
        held, replace(asked, against="none"), tuple("query" if name == "band" else name for name in (rows, columns))
    )
    of.refuse_results("A crossing")
    if rows == "set":
        return _cross_sets(held, of, columns, page)
    names, grain, found = _found(of, rows, columns)
    ids = np.flatnonzero(np.bincount(found.keys[0]))
    shown = np.bincount(found.keys[0], weights=found.impressions)[ids]
    order = page.of(np.lexsort((ids, -shown)))
    labels = held.history.texts(rows, ids[order].tolist())
    near = found.taken(np.isin(found.keys[0], ids[order]))
    cells = [_cells(near, near.keys[0] == ids[at], len(names)) for at in order]
    every = _cells(found, np.ones(len(found), dtype=bool), len(names))
    return _told(of, grain, (rows, columns), names, list(zip(labels, cells, strict=True)), every, page, int(ids.size))


def _told(
    of: Frame,
    grain: str,
    dimensions: tuple[str, str],
    names: Sequence[str],
    rows: Sequence[tuple[str, list[Sums]]],
    every: Sequence[Sums],
    page: Slice,
    matching: int,
) -> wire.Cross:
    return wire.Cross(
        **header(of, grain),
        dimension=dimensions[0],
        columns_by=dimensions[1],
        columns=names,
        rows=[
            wire.CrossRow(key=label, total=figures(_sum(parts)), cells=[figures(part) for part in parts])
            for label, parts in rows
        ],
        total=[figures(part) for part in every],
        offset=page.offset,
        matching=matching,
    )


def _cross_sets(held: Holding, of: Frame, columns: str, page: Slice) -> wire.Cross:
    """Read each saved set as a filter of its own; the last group is everything, in a set or not."""
    sets = sorted((each.name for each in held.words.sets.values()), key=str.casefold)
    frames = [*(frame(held, replace(of.asked, filter=_within(of.asked.filter, name))) for name in sets), of]
    parts = [_by_columns(each, columns) for each in frames]
    found = chained([replace(part, keys=(np.full(len(part), n), part.keys[0])) for n, part in enumerate(parts)])
    grain = grain_of(of.dims)
    if columns == "month":
        names = [f"{month.first:%Y-%m}" for month in _months(of.window)]
    elif columns == "band":
        names = list(NAMES)
    else:
        names, _, found = _named(of, columns, grain, found)
    cells = [_cells(found, found.keys[0] == n, len(names)) for n in range(len(frames))]
    shown = [sum(part.impressions for part in each) for each in cells[:-1]]
    order = [n for n in sorted(range(len(sets)), key=lambda n: -shown[n]) if shown[n]]
    rows = [(sets[n], cells[n]) for n in order[page.offset : page.offset + page.limit]]
    told = _told(of, grain, ("set", columns), names, rows, cells[-1], page, len(order))
    return told.model_copy(update={"cautions": [*told.cautions, base.Caution(code="sets-overlap")]})


def _within(text: str, name: str) -> str:
    test = written(SetTest(name))
    return f"({text}) and {test}" if text.strip() else test


def _by_columns(of: Frame, columns: str) -> Grouped:
    """Sum a whole frame by one dimension, by the bands of its queries, or by month; the key is the id or place."""
    if columns == "month":
        months = enumerate(_months(of.window))
        read = ((n, of.read_days(grain_of(of.dims), (), month, _out(of, month))) for n, month in months)
        return chained([replace(part, keys=(np.full(len(part), n),)) for n, part in read])
    if columns == "band":
        found = of.read(grain_of({"query"} | of.dims), ("query",))
        return replace(found, keys=(_bands(found),))
    return of.read(grain_of({columns} | of.dims), (columns,))


def _found(of: Frame, rows: str, columns: str) -> tuple[list[str], str, Grouped]:
    """Read the groups with the place of their column as second key; returns (column names, grain, groups)."""
    if columns == "month":
        grain = grain_of({rows} | of.dims)
        return _by_month(of, grain, rows)
    if columns == "band":
        grain = grain_of({rows, "query"} | of.dims)
        by = (rows,) if rows == "query" else (rows, "query")
        found = of.read(grain, by)
        return list(NAMES), grain, replace(found, keys=(found.keys[0], _bands(found)))
    grain = grain_of({rows, columns} | of.dims)
    found = of.read(grain, (rows, columns))
    return _named(of, columns, grain, found)


def _bands(found: Grouped) -> Ints:
    """Say in which band each group's average place lies; an edge lies in the worse band."""
    place = found.position_milli / 1000 / np.maximum(found.impressions, 1)
    return np.minimum(np.searchsorted(EDGES, place, side="right"), len(NAMES) - 1).astype(np.int64)


def _named(of: Frame, columns: str, grain: str, found: Grouped) -> tuple[list[str], str, Grouped]:
    ids, place = np.unique(found.keys[1], return_inverse=True)
    weight = np.bincount(place, weights=found.impressions, minlength=ids.size)
    order = np.lexsort((ids, -weight))
    kept = order[: MOST_COLUMNS if ids.size <= MOST_COLUMNS else MOST_COLUMNS - 1]
    names = of.held.history.texts(columns, ids[kept].tolist())
    at = np.full(ids.size, kept.size, dtype=np.int64)
    at[kept] = np.arange(kept.size)
    if kept.size < ids.size:
        names.append(f"{ids.size - kept.size} others")
    return names, grain, replace(found, keys=(found.keys[0], at[place]))


def _by_month(of: Frame, grain: str, rows: str) -> tuple[list[str], str, Grouped]:
    parts: list[Grouped] = []
    names: list[str] = []
    for n, month in enumerate(_months(of.window)):
        found = of.read_days(grain, (rows,), month, _out(of, month))
        parts.append(replace(found, keys=(found.keys[0], np.full(len(found), n, dtype=np.int64))))
        names.append(f"{month.first:%Y-%m}")
    return names, grain, chained(parts)


def _months(window: Window) -> Iterator[Window]:
    first = window.first
    while first <= window.last:
        last = min(month_end(first), window.last)
        yield Window(first, last)
        first = last + timedelta(1)


def _out(of: Frame, window: Window) -> frozenset[date]:
    return frozenset(day for day in window.days() if of.held.states.get(day) not in HELD)


def _cells(found: Grouped, mine: npt.NDArray[np.bool_], columns: int) -> list[Sums]:
    at = found.keys[1][mine]
    sums = [
        np.bincount(at, weights=getattr(found, name)[mine], minlength=columns).astype(np.int64).tolist()
        for name in ("clicks", "impressions", "position_milli")
    ]
    return [Sums(*cell) for cell in zip(*sums, strict=True)]


def _sum(parts: Sequence[Sums]) -> Sums:
    total = Sums()
    for part in parts:
        total = total + part
    return total


def _shared(left: npt.NDArray[np.int64], right: npt.NDArray[np.int64]) -> int:
    """Count the ids in both of two sorted arrays without repeats."""
    if not right.size:
        return 0
    place = np.minimum(np.searchsorted(right, left), right.size - 1)
    return int((right[place] == left).sum())


def band_counts(held: Holding, asked: Asked, item: wire.Item = "query") -> wire.BandCounts:
    """Count month by month the queries or pages in each band, those that came and those that went.

    A row's band is that of its average place in the month. New and lost are against the month before, where both
    are wholly held; a month not wholly held is marked partial.
    """
    of = frame(held, replace(asked, against="none"), (item,))
    of.refuse_results("Counts by band")
    grain = grain_of({item} | of.dims)
    months: list[wire.BandMonth] = []
    before: npt.NDArray[np.int64] | None = None
    for month in _months(of.window):
        out = _out(of, month)
        found = of.read_days(grain, (item,), month, out)
        whole = not out and month.first == month_start(month.first) and month.last == month_end(month.first)
        counts = np.bincount(_bands(found), minlength=len(NAMES))
        clicks = np.bincount(_bands(found), weights=found.clicks, minlength=len(NAMES)).astype(np.int64)
        ids = found.keys[0]
        shared = _shared(ids, before) if whole and before is not None else None
        months.append(
            wire.BandMonth(
                start=month.first,
                end=month.last,
                partial=not whole,
                shown=len(found),
                counts=counts.tolist(),
                clicks=clicks.tolist(),
                new=None if shared is None else int(ids.size) - shared,
                lost=None if shared is None or before is None else int(before.size) - shared,
            )
        )
        before = ids if whole else None
    return wire.BandCounts(**header(of, grain), item=item, bands=list(NAMES), months=months)


def answer(site: SiteAccess, asked: ask.CrossQuery) -> wire.Cross:
    """Answer for a site."""
    return cross(site.holding, site.asked(asked), asked.rows, asked.columns, rows_asked(asked))


def answer_bands(site: SiteAccess, asked: ask.BandsQuery) -> wire.BandCounts:
    """Answer for a site with counts by band."""
    return band_counts(site.holding, site.asked(asked), asked.of)
