"""Scanning blocks: reading from blocks only the rows that match, as few bytes turned into numbers as can be.

Filters are tried on columns in the width they are kept in; a block without a match costs no more than
its filter columns. Blocks are taken apart by a few threads, as decompressing and comparing let go of
the interpreter's lock.
"""

from __future__ import annotations

import os
from collections import deque
from collections.abc import Callable, Hashable, Iterable, Iterator, Mapping, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from functools import partial
from itertools import islice
from typing import Any

import numpy as np
import numpy.typing as npt
from sqlalchemy import Connection, bindparam, select

from noctilum.core.table import Grouped
from noctilum.datasets.declaring import Dataset
from noctilum.history import codec, schema
from noctilum.history.columns import ColumnCache, Kept
from noctilum.history.rows import Rows
from noctilum.history.segments import Segment, column_order

Ints = npt.NDArray[np.int64]
Mask = npt.NDArray[np.bool_]
THREADS = min(4, os.cpu_count() or 1)
BLOCKS_A_TASK = 16
_pool = ThreadPoolExecutor(max_workers=THREADS, thread_name_prefix="scan")


@dataclass(frozen=True)
class BlockFilter:
    """Say which rows are wanted. where: dimension → ids. days: which ordinals count, from first_day on; None for all.

    columns: what is to come out. zeroing: rows that do not match may come out too, with measures of zero.
    summed: with zeroing, rows that differ in nothing but what is not asked for may come out as their sum; columns
    are then the sort key and measures.
    """

    columns: tuple[str, ...]
    where: Mapping[str, tuple[int, ...]]
    first_day: int = 0
    days: Mask | None = None
    zeroing: bool = False
    summed: bool = False


class _Block:
    """One block being sifted: columns come from what is kept of it, or out of its packet."""

    def __init__(
        self, name: Hashable, dataset: Dataset, scale: int, data: bytes | None, kept: Mapping[str, Kept]
    ) -> None:
        self.name, self.dataset, self.scale, self.key = name, dataset, scale, dataset.dims[0]
        self.fresh: dict[str, Kept] = {}
        self._kept, self._order = kept, column_order(dataset)
        self._data = data
        self._frames: Sequence[memoryview] | None = None

    def narrow(self, name: str) -> tuple[codec.Narrow, int]:
        """Give a column as (value − minimum in its own width, minimum)."""
        values, low = self._column(name)
        return values, int(low[0])  # type: ignore[return-value]

    def runs(self) -> tuple[Ints, Ints]:
        """Give the sort key as (distinct values, run lengths)."""
        values, lengths = self._column(self.key)
        return values, lengths  # type: ignore[return-value]

    def _column(self, name: str) -> Kept:
        if name in self._kept:
            return self._kept[name]
        if name not in self.fresh:
            if self._frames is None:
                self._frames = codec.frames_of(self._data or b"")
            frame = self._frames[self._order.index(name)]
            self.fresh[name] = codec.decode_runs(frame) if name == self.key else _with_low(codec.decode_narrow(frame))
        return self.fresh[name]


def _with_low(found: tuple[codec.Narrow, int]) -> Kept:
    return found[0], np.array([found[1]], dtype=np.int64)


def scan_segments(
    connection: Connection,
    dataset: Dataset,
    segments: Sequence[Segment],
    block_filter: BlockFilter,
    cache: ColumnCache | None,
) -> Iterator[Rows]:
    """Read the matching rows of segments, block by block; blocks without any are left out.

    cache: what was taken out is kept for the next question, and what is kept is not read again.
    """
    t = schema.block
    scales = {segment.id: segment.scale for segment in segments}
    question = select(t.c.segment_id, t.c.seq, t.c.id).where(t.c.segment_id.in_(list(scales)))
    if any(not ids for ids in block_filter.where.values()):
        return
    keys = block_filter.where.get(dataset.dims[0])
    if keys:
        question = question.where(t.c.key_min <= max(keys), t.c.key_max >= min(keys))
    found = [(int(number), int(seq), int(at)) for number, seq, at in connection.execute(question)]
    blocks = _blocks(connection, dataset, scales, block_filter, cache, found)
    for block, rows in _in_threads(partial(_scan_blocks, block_filter), blocks):
        if cache is not None and block.fresh:
            cache.keep(block.name, block.fresh)
        if rows is not None:
            yield rows


def _blocks(
    connection: Connection,
    dataset: Dataset,
    scales: Mapping[int, int],
    block_filter: BlockFilter,
    cache: ColumnCache | None,
    found: Sequence[tuple[int, int, int]],
) -> Iterator[_Block]:
    """Open blocks; the packets of those not wholly kept are read a few at a time."""
    columns = {*block_filter.columns, *block_filter.where} | ({"day"} if block_filter.days is not None else set())
    for start in range(0, len(found), BLOCKS_A_TASK):
        part = found[start : start + BLOCKS_A_TASK]
        names = {at: (connection.engine, number, seq) for number, seq, at in part}
        kept = {at: cache.find(name, columns) if cache else {} for at, name in names.items()}
        lacking = [at for at in kept if len(kept[at]) < len(columns)]
        packets = _packets(connection, lacking) if lacking else {}
        for number, _, at in part:
            yield _Block(names[at], dataset, scales[number], packets.get(at), kept[at])


_DATA = select(schema.block.c.id, schema.block.c.data).where(schema.block.c.id.in_(bindparam("ids", expanding=True)))


def _packets(connection: Connection, ids: Sequence[int]) -> dict[int, bytes]:
    return {int(at): bytes(data) for at, data in connection.execute(_DATA, {"ids": list(ids)})}


Scanned = list[tuple[_Block, Rows | None]]


def _in_threads(
    work: Callable[[Sequence[_Block]], Scanned], blocks: Iterable[_Block]
) -> Iterator[tuple[_Block, Rows | None]]:
    """Take blocks apart a few tasks ahead, so that memory stays bounded; in the order they were read."""
    source = iter(blocks)
    ahead: deque[Future[Scanned]] = deque()
    while part := list(islice(source, BLOCKS_A_TASK)):
        ahead.append(_pool.submit(work, part))
        if len(ahead) > 2 * THREADS:
            yield from ahead.popleft().result()
    while ahead:
        yield from ahead.popleft().result()


def _scan_blocks(block_filter: BlockFilter, blocks: Sequence[_Block]) -> Scanned:
    return [(block, _scan_block(block_filter, block)) for block in blocks]


def _scan_block(block_filter: BlockFilter, block: _Block) -> Rows | None:
    keep = _matching(block_filter, block)
    if keep is None:
        make = _sums if block_filter.summed else _wholes
        return Rows(block.dataset, make(block_filter, block, None), block.scale)
    matching = int(np.count_nonzero(keep))
    if not matching:
        return None
    if block_filter.zeroing and matching * 2 >= keep.size:
        make = _sums if block_filter.summed else _wholes
        return Rows(block.dataset, make(block_filter, block, keep), block.scale)
    rows = np.flatnonzero(keep)
    return Rows(block.dataset, {name: _column(block, name, rows) for name in block_filter.columns}, block.scale)


def _wholes(block_filter: BlockFilter, block: _Block, keep: Mask | None) -> dict[str, Ints]:
    return {name: _zeroed(block, name, keep) for name in block_filter.columns}


def _sums(block_filter: BlockFilter, block: _Block, keep: Mask | None) -> dict[str, Ints]:
    """Sum the rows of each key, which lie together: here, where other threads go on meanwhile."""
    values, lengths = block.runs()
    starts = np.cumsum(lengths) - lengths
    measures = [name for name in block_filter.columns if name != block.key]
    return {block.key: values} | {name: np.add.reduceat(_zeroed(block, name, keep), starts) for name in measures}


def _zeroed(block: _Block, name: str, keep: Mask | None) -> Ints:
    """Give a column whole, with a measure's rows that do not match as zeros: quicker than taking the others out."""
    if keep is None or name not in block.dataset.stored:
        return _column(block, name, None)
    narrow, low = block.narrow(name)
    wide = np.multiply(narrow, keep, dtype=np.int64)
    return wide + low * keep if low else wide


def _matching(block_filter: BlockFilter, block: _Block) -> Mask | None:
    """Say which rows of a block match; None for all of them."""
    keep: Mask | None = None
    for name, ids in block_filter.where.items():
        if name == block.key:
            values, lengths = block.runs()
            found = np.repeat(among(values, 0, ids), lengths)
        else:
            found = among(*block.narrow(name), ids)
        keep = found if keep is None else keep & found
        if not keep.any():
            return keep
    if block_filter.days is not None:
        narrow, low = block.narrow("day")
        table = _table(block_filter.days, low - block_filter.first_day, int(narrow.max()) + 1 if narrow.size else 0)
        if not table.all():
            found = _on_days(narrow, table)
            keep = found if keep is None else keep & found
    return keep


def _column(block: _Block, name: str, rows: npt.NDArray[np.intp] | None) -> Ints:
    if name == block.key:
        values, lengths = block.runs()
        if rows is None:
            return np.repeat(values, lengths)
        return values[np.searchsorted(np.cumsum(lengths), rows, side="right")]
    narrow, low = block.narrow(name)
    wide = (narrow if rows is None else narrow[rows]).astype(np.int64)
    return wide + low if low else wide


def unrolled(dataset: Dataset, data: bytes, keys: Sequence[str], where: Mapping[str, tuple[int, ...]]) -> Grouped:
    """Read of a packed rollup only the sums whose keys match: nothing else is made wide."""
    first, *others = keys
    names = (*keys, *(measure.stored_as for measure in dataset.added), "unit")
    frames = codec.unpack(data, {name: place for place, name in enumerate(names)})
    values, lengths = codec.decode_runs(frames[first])
    keep = np.ones(int(lengths.sum()), dtype=bool)
    for name, ids in where.items():
        found = among(values, 0, ids) if name == first else among(*codec.decode_narrow(frames[name]), ids)
        keep &= np.repeat(found, lengths) if name == first else found
    rows = np.flatnonzero(keep)
    sorted_by = values[np.searchsorted(np.cumsum(lengths), rows, side="right")]
    unit = int(codec.decode(frames["unit"])[0])
    figures = {
        each.tallied_as: _wide(frames[each.stored_as], rows, unit if each.weight else 1) for each in dataset.added
    }
    return Grouped((sorted_by, *(_wide(frames[name], rows, 1) for name in others)), figures)


def _wide(frame: memoryview, rows: npt.NDArray[np.intp], unit: int) -> Ints:
    narrow, low = codec.decode_narrow(frame)
    values = narrow[rows].astype(np.int64) + low
    return values * unit if unit != 1 else values


def _on_days(narrow: codec.Narrow, table: Mask) -> Mask:
    """Say which rows are of days that count; days in one run are compared with its ends: quicker than looking up."""
    wanted = np.flatnonzero(table)
    if not wanted.size or wanted[-1] - wanted[0] + 1 != wanted.size:
        return table[narrow]
    first, last = narrow.dtype.type(wanted[0]), narrow.dtype.type(wanted[-1])
    if wanted[0] == 0:
        return narrow <= last
    return narrow >= first if last == table.size - 1 else (narrow >= first) & (narrow <= last)


def _table(days: Mask, start: int, size: int) -> Mask:
    """Cut from which days count those of a block: shape (size,), from its first day on."""
    table = np.zeros(size, dtype=bool)
    low, high = max(start, 0), min(start + size, days.size)
    if high > low:
        table[low - start : high - start] = days[low:high]
    return table


def among(values: npt.NDArray[Any], low: int, ids: tuple[int, ...]) -> Mask:
    """Say which values (kept less their minimum) are among ids; no ids, no values."""
    if not ids or not values.size:
        return np.zeros(values.size, dtype=bool)
    if len(ids) == 1:
        wanted = ids[0] - low
        if wanted < 0 or (values.dtype.kind == "u" and wanted > np.iinfo(values.dtype).max):
            return np.zeros(values.size, dtype=bool)
        found: Mask = values == wanted
        return found
    top = int(values.max()) + 1
    table = np.zeros(top, dtype=bool)
    inside = np.asarray(ids, dtype=np.int64) - low
    table[inside[(inside >= 0) & (inside < top)]] = True
    matching: Mask = table[values]
    return matching
