"""Settling: what happens to a fetched day before it is kept."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from noctilum.core.batch import DayBatch
from noctilum.core.errors import FeedFault, worded


@dataclass(frozen=True)
class Settled:
    """Hold a day that may be kept, with what was found while settling it."""

    batch: DayBatch
    repeats: int


def settle(batch: DayBatch) -> Settled:
    """Drop rows that repeat in every column and refuse a day whose rows contradict each other.

    Two rows with the same dimensions and different measures, measures below nothing that cannot be, or above one
    that they never exceed (clicks, impressions) raise FeedFault naming the first such row. An empty batch settles to
    itself.
    """
    if not len(batch):
        return Settled(batch, 0)
    _refuse_impossible(batch)
    if _all_distinct(batch):
        return Settled(batch, 0)
    order = np.lexsort(tuple(column.codes for column in batch.dims.values()) or (np.zeros(len(batch)),))
    same_dims = np.ones(len(batch) - 1, dtype=bool)
    for column in batch.dims.values():
        ordered = column.codes[order]
        same_dims &= ordered[1:] == ordered[:-1]
    same_all = same_dims.copy()
    for measure in batch.values.values():
        same_all &= measure[order][1:] == measure[order][:-1]
    if (clash := np.flatnonzero(same_dims & ~same_all)).size:
        raise _contradiction(batch, int(order[clash[0] + 1]))
    keep = np.ones(len(batch), dtype=bool)
    keep[order[1:][same_all]] = False
    return Settled(batch.taken(keep), int(same_all.sum()))


@dataclass(frozen=True)
class Sifted:
    """Hold a day freed of repeats and contradictions.

    kept: the rows that stay, as indices into what was given, ascending. clashes: pairs (row left out,
    row that stays) that name the same thing with different numbers.
    """

    batch: DayBatch
    kept: npt.NDArray[np.intp]
    repeats: int
    clashes: tuple[tuple[int, int], ...]


def sift(batch: DayBatch) -> Sifted:
    """Keep the first row of each thing named; later ones are repeats or clashes.

    For files, whose rows are each good or bad by themselves; settle, for feeds, refuses the whole day.
    """
    size = len(batch)
    if _all_distinct(batch):
        return Sifted(batch, np.arange(size), 0, ())
    columns = [column.codes for column in batch.dims.values()]
    keys: list[npt.NDArray[np.integer]] = [np.arange(size), *columns]
    order = np.lexsort(keys)
    same = np.ones(max(size - 1, 0), dtype=bool)
    for codes in columns:
        same &= codes[order][1:] == codes[order][:-1]
    starts = np.flatnonzero(np.concatenate([[True], ~same]))
    firsts = order[np.repeat(starts, np.diff(starts, append=size))]
    later = order[1:][same]
    stays = firsts[1:][same]
    equal = np.ones(later.size, dtype=bool)
    for measure in batch.values.values():
        equal &= measure[later] == measure[stays]
    keep = np.ones(size, dtype=bool)
    keep[later] = False
    clashes = tuple(zip(later[~equal].tolist(), stays[~equal].tolist(), strict=True))
    kept = np.flatnonzero(keep)
    return Sifted(batch.taken(kept), kept, int(equal.sum()), tuple(sorted(clashes)))


def _all_distinct(batch: DayBatch) -> bool:
    """Say whether no two rows name the same thing, by one sort; False where that cannot be told so simply."""
    key, most = np.zeros(len(batch), dtype=np.int64), 1
    for column in batch.dims.values():
        most *= len(column.texts)
        if most > np.iinfo(np.int64).max:
            return False
        key = key * len(column.texts) + column.codes
    key.sort()
    return bool(np.all(key[1:] != key[:-1]))


def _refuse_impossible(batch: DayBatch) -> None:
    for measure in batch.kept.measures:
        values = batch.values[measure.stored_as]
        if not measure.signed and (row := _first(values < 0)) is not None:
            raise _impossible(batch, row, f"{values[row]} {measure.name}")
        if measure.most and (row := _first(values > batch.values[measure.most])) is not None:
            raise _impossible(
                batch, row, f"{values[row]} {measure.name} on {batch.values[measure.most][row]} {measure.most}"
            )


def _first(wrong: npt.NDArray[np.bool_]) -> int | None:
    return int(np.flatnonzero(wrong)[0]) if wrong.any() else None


def _impossible(batch: DayBatch, row: int, what: str) -> FeedFault:
    return FeedFault(
        "row-impossible",
        worded("A row has {what}.", what=what),
        where=_place(batch, row),
        remedy="ask the provider; nothing of this day was kept",
    )


def _contradiction(batch: DayBatch, row: int) -> FeedFault:
    return FeedFault(
        "rows-contradict",
        "Two rows of one day name the same thing with different numbers.",
        where=_place(batch, row),
        remedy="ask the provider which one holds; nothing of this day was kept",
    )


def _place(batch: DayBatch, row: int) -> str:
    named = ", ".join(f"{name} {column.texts[column.codes[row]]!r}" for name, column in batch.dims.items())
    return f"{batch.day} {batch.dataset}, row {row + 1}: {named}"
