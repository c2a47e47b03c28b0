"""Segments: a day's or a month's rows as compressed blocks of columns, with rollups of a month."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from hashlib import blake2b

import numpy as np
import numpy.typing as npt
from sqlalchemy import Connection, bindparam, delete, insert, select

from noctilum.core.table import Grouped, group
from noctilum.datasets.declaring import MILLI, Dataset, Measure
from noctilum.history import codec, schema
from noctilum.history.rows import Rows, sorted_rows

Ints = npt.NDArray[np.int64]
BLOCK_ROWS, LARGE_BLOCK_ROWS = 1 << 14, 1 << 16
LARGE_SEGMENT_ROWS = 1 << 18
"""From so many rows on a segment has larger blocks: less is skipped, but a scan has a quarter of the calls to make."""
DAY, MONTH = "day", "month"


@dataclass(frozen=True)
class Segment:
    """Point to one stored segment; days are proleptic ordinals, both included. scale: of its weighted sums."""

    id: int
    source: int
    dataset: str
    level: str
    first_day: int
    last_day: int
    rows: int
    scale: int
    checksum: str


def column_order(dataset: Dataset) -> tuple[str, ...]:
    """Give the order of frames in a block's packet; the sort key comes first."""
    return (*dataset.dims, "day", *dataset.stored)


_T = schema.segment
_OVERLAPPING = (
    select(_T)
    .where(
        _T.c.dataset == bindparam("dataset"), _T.c.first_day <= bindparam("last"), _T.c.last_day >= bindparam("first")
    )
    .order_by(_T.c.first_day, _T.c.source)
)


def find(
    connection: Connection,
    dataset: str,
    sources: Sequence[int] | None,
    first: int,
    last: int,
) -> list[Segment]:
    """Find the segments that overlap a run of days, oldest first."""
    rows = connection.execute(_OVERLAPPING, {"dataset": dataset, "first": first, "last": last})
    found = [Segment(*row) for row in rows]
    return found if sources is None else [s for s in found if s.source in sources]


def write(
    connection: Connection,
    dataset: Dataset,
    source: int,
    level: str,
    first_day: int,
    last_day: int,
    rows: Rows,
) -> None:
    """Write one segment; months get their rollups. Nothing is written for no rows."""
    if not len(rows):
        return
    ordered = sorted_rows(rows, dataset.dims)
    (number,) = _kept(connection, [_made(dataset, source, level, (first_day, last_day), ordered)])
    if level == MONTH and dataset.rollups:
        connection.execute(
            _ROLLUPS,
            [
                {"segment_id": number, "name": name, "data": rollup(ordered, keys)}
                for name, keys in dataset.rollups.items()
            ],
        )


def write_days(connection: Connection, dataset: Dataset, source: int, rows: Mapping[int, Rows]) -> None:
    """Write one segment a day, by its ordinal, all in two statements; nothing is written for days without rows."""
    _kept(
        connection,
        [
            _made(dataset, source, DAY, (day, day), sorted_rows(found, dataset.dims))
            for day, found in rows.items()
            if len(found)
        ],
    )


Made = tuple[dict[str, object], list[tuple[int, int, bytes]]]
"""A segment as it is noted down, and its blocks: lowest and highest key, packet."""


def _made(dataset: Dataset, source: int, level: str, days: tuple[int, int], ordered: Rows) -> Made:
    packets = list(_packets(dataset, ordered))
    checksum = blake2b(digest_size=16)
    for _, _, packet in packets:
        checksum.update(packet)
    segment = {
        "source": source,
        "dataset": dataset.name,
        "level": level,
        "first_day": days[0],
        "last_day": days[1],
        "rows": len(ordered),
        "position_scale": ordered.scale,
        "checksum": checksum.hexdigest(),
    }
    return segment, packets


_BLOCKS, _ROLLUPS = insert(schema.block), insert(schema.rollup)
_NOTED = insert(schema.segment).returning(schema.segment.c.id, sort_by_parameter_order=True)


def _kept(connection: Connection, made: Sequence[Made]) -> list[int]:
    """Write segments with their blocks; gives their numbers."""
    if not made:
        return []
    numbers = [int(number) for number in connection.scalars(_NOTED, [segment for segment, _ in made])]
    blocks = [
        {"segment_id": number, "seq": seq, "key_min": low, "key_max": high, "data": packet}
        for number, (_, packets) in zip(numbers, made, strict=True)
        for seq, (low, high, packet) in enumerate(packets)
    ]
    connection.execute(_BLOCKS, blocks)
    return numbers


def _packets(dataset: Dataset, rows: Rows) -> Iterable[tuple[int, int, bytes]]:
    first, *others = column_order(dataset)
    size = BLOCK_ROWS if len(rows) < LARGE_SEGMENT_ROWS else LARGE_BLOCK_ROWS
    for start in range(0, len(rows), size):
        part = slice(start, start + size)
        key = rows.columns[first][part]
        frames = [
            codec.encode_sorted(key),
            *(codec.encode(rows.columns[name][part]) for name in others),
        ]
        yield int(key[0]), int(key[-1]), codec.pack(frames)


def rollup(rows: Rows, keys: Sequence[str]) -> bytes:
    """Sum what adds up over days by keys, and pack it."""
    shifted = tuple(rows.columns[key] - _base(rows, key) for key in keys)
    summed = group(shifted, {each.tallied_as: rows.figure(each) for each in rows.kept.added})
    columns = tuple(values + _base(rows, key) for key, values in zip(keys, summed.keys, strict=True))
    return roll(rows.kept, Grouped(columns, summed.figures))


def roll(kept: Dataset, summed: Grouped) -> bytes:
    """Pack grouped sums; the first key is sorted. Weighted sums go in whole units where they all are whole."""
    weighted = [summed.figures[each.tallied_as] for each in kept.added if each.weight]
    unit = MILLI if all(bool(np.all(figure % MILLI == 0)) for figure in weighted) else 1
    frames = [
        codec.encode_sorted(summed.keys[0]),
        *(codec.encode(c) for c in summed.keys[1:]),
    ]
    frames += [codec.encode(summed.figures[m.tallied_as] // (unit if m.weight else 1)) for m in kept.added]
    return codec.pack([*frames, codec.encode(np.asarray([unit]))])


def _base(rows: Rows, key: str) -> int:
    return int(rows.columns[key].min()) if key == "day" else 0


_R, _B = schema.rollup, schema.block
_ROLLED = select(_R.c.segment_id, _R.c.data).where(
    _R.c.segment_id.in_(bindparam("ids", expanding=True)), _R.c.name == bindparam("name")
)
_PACKETS = select(_B.c.segment_id, _B.c.data).where(_B.c.segment_id.in_(bindparam("ids", expanding=True)))


def read_rollups(connection: Connection, kept: Dataset, ids: Sequence[int], name: str) -> Iterator[tuple[int, Grouped]]:
    """Read one rollup of several month segments, each with its segment's number."""
    if not ids:
        return
    for number, data in connection.execute(_ROLLED, {"ids": ids, "name": name}):
        yield int(number), unroll(kept, data, kept.rollups[name])


def unroll(kept: Dataset, data: bytes, keys: Sequence[str]) -> Grouped:
    """Read a packed rollup."""
    places = {name: n for n, name in enumerate((*keys, *(m.stored_as for m in kept.added), "unit"))}
    frames = codec.unpack(data, places)
    first = codec.decode_sorted(frames[keys[0]])
    others = tuple(codec.decode(frames[key]) for key in keys[1:])
    unit = int(codec.decode(frames["unit"])[0])
    return Grouped((first, *others), {m.tallied_as: _unpacked(m, frames[m.stored_as], unit) for m in kept.added})


def _unpacked(measure: Measure, frame: memoryview, unit: int) -> Ints:
    values = codec.decode(frame)
    return values * unit if measure.weight else values


def read_blocks(
    connection: Connection, dataset: Dataset, segments: Sequence[Segment], columns: Iterable[str]
) -> Iterator[Rows]:
    """Read the wanted columns of segments whole, block by block; the block_filter reads only what matches."""
    scales = {segment.id: segment.scale for segment in segments}
    order = column_order(dataset)
    wanted = {name: order.index(name) for name in columns}
    for number, data in connection.execute(_PACKETS, {"ids": list(scales)}):
        yield _decoded(data, wanted, dataset, scales[number])


def _decoded(data: bytes, wanted: Mapping[str, int], dataset: Dataset, scale: int) -> Rows:
    frames = codec.unpack(data, wanted)
    decoders = {dataset.dims[0]: codec.decode_sorted}
    return Rows(dataset, {name: decoders.get(name, codec.decode)(frame) for name, frame in frames.items()}, scale)


_REMOVED = tuple(
    delete(column.table).where(column.in_(bindparam("ids", expanding=True)))
    for column in (_B.c.segment_id, _R.c.segment_id, _T.c.id)
)


def remove(connection: Connection, segments: Sequence[Segment]) -> None:
    """Delete segments with their blocks and rollups."""
    ids = [segment.id for segment in segments]
    for removed in _REMOVED if ids else ():
        connection.execute(removed, {"ids": ids})


def damaged(connection: Connection, segment: Segment) -> bool:
    """Read a segment's bytes and say whether they differ from its checksum."""
    t = schema.block
    checksum = blake2b(digest_size=16)
    for (data,) in connection.execute(select(t.c.data).where(t.c.segment_id == segment.id).order_by(t.c.seq)):
        checksum.update(data)
    return checksum.hexdigest() != segment.checksum
