"""Columns of grouped sums, and joining two of them side by side."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import reduce
from math import prod

import numpy as np
import numpy.typing as npt

from noctilum.core.measures import Sums
from noctilum.datasets.declaring import Dataset

Ints = npt.NDArray[np.int64]


@dataclass(frozen=True)
class Grouped:
    """Hold sums per group: keys name the groups (one array per dimension), all of shape (groups,).

    figures: sums by the names that measures are tallied as; weighted ones in thousandths of value × weight. Groups are
    unique and sorted by their keys.
    """

    keys: tuple[Ints, ...]
    figures: Mapping[str, Ints]

    @classmethod
    def of_search(cls, keys: tuple[Ints, ...], clicks: Ints, impressions: Ints, position_milli: Ints) -> Grouped:
        """Hold sums of a search dataset; position_milli is in thousandths."""
        return cls(keys, {"clicks": clicks, "impressions": impressions, "position_milli": position_milli})

    def __len__(self) -> int:
        return int(next(iter((*self.figures.values(), *self.keys)), np.zeros(0)).size)

    @property
    def clicks(self) -> Ints:
        """Clicks of a search dataset."""
        return self.figures["clicks"]

    @property
    def impressions(self) -> Ints:
        """Impressions of a search dataset."""
        return self.figures["impressions"]

    @property
    def position_milli(self) -> Ints:
        """Position sums of a search dataset, in thousandths; zeros where they were not asked for."""
        found = self.figures.get("position_milli")
        return np.zeros_like(self.clicks) if found is None else found

    @property
    def nbytes(self) -> int:
        """How much memory the columns take."""
        return sum(column.nbytes for column in (*self.keys, *self.figures.values()))

    @property
    def totals(self) -> dict[str, int]:
        """Add up all groups, by figure."""
        return {name: int(column.sum()) for name, column in self.figures.items()}

    @property
    def sums(self) -> Sums:
        """Add up all groups of a search dataset."""
        return Sums.of(self.totals)

    def row(self, index: int) -> Sums:
        """Give one group's sums, of a search dataset."""
        return Sums(int(self.clicks[index]), int(self.impressions[index]), int(self.position_milli[index]))

    def by(self, key: int) -> Grouped:
        """Keep one key of groups that differ in it alone."""
        return Grouped((self.keys[key],), self.figures)

    def taken(self, rows: npt.NDArray[np.intp] | npt.NDArray[np.bool_]) -> Grouped:
        """Keep only some groups."""
        return Grouped(tuple(key[rows] for key in self.keys), {name: each[rows] for name, each in self.figures.items()})


def figures_of(kept: Dataset, measures: Sequence[str] = ()) -> tuple[str, ...]:
    """Name the figures of answers about a dataset: of these measures, of all without."""
    asked = [measure for measure in kept.measures if not measures or measure.name in measures]
    counted = [measure.told_by for measure in asked if measure.merge == "none"]
    return (*(measure.tallied_as for measure in asked), *counted)


SEARCHED = ("clicks", "impressions", "position_milli")
"""The figures of search datasets."""


def nothing(dimensions: int, figures: Sequence[str] = SEARCHED) -> Grouped:
    """Give no groups at all."""
    none = np.zeros(0, dtype=np.int64)
    return Grouped((none,) * dimensions, dict.fromkeys(figures, none))


DENSE_LIMIT = 1 << 23
"""Composite keys up to this many are counted into full-length arrays; more are sorted."""


class Tally:
    """Add up rows by their keys, part by part, in exact integers.

    widths: how many ids each dimension has. figures: the names of what is added up. sparse: keys that come are few of
    those there could be, so they are sorted. unique=True promises that no key
    repeats within a part. Groups whose sums are all zero are left out. Counting inside a part happens in doubles, which
    hold every integer below 2**53.
    """

    def __init__(self, widths: Sequence[int], figures: Sequence[str] = SEARCHED, *, sparse: bool = False) -> None:
        self._widths = tuple(max(1, width) for width in widths)
        self._span = prod(self._widths)
        self._dense = self._span <= DENSE_LIMIT and not sparse
        self._figures = tuple(figures)
        self._sums = [np.zeros(self._span if self._dense else 0, dtype=np.int64) for _ in self._figures]
        self._parts: list[tuple[Ints, ...]] = []

    def add(
        self, keys: Sequence[Ints], measures: Sequence[Ints], *, unique: bool = False, ordered: bool = False
    ) -> None:
        """Add rows; keys and measures (as the figures) have shape (rows,). ordered: the keys are sorted."""
        if not measures[0].size:
            return
        codes = self._composite(keys, measures[0].size)
        if not self._dense:
            self._parts.append((codes, *measures))
        elif ordered:
            self._add_runs(self._sums, codes, measures)
        elif unique:
            self._add_unique(self._sums, codes, measures)
        else:
            self._count(self._sums, codes, measures)

    def _composite(self, keys: Sequence[Ints], size: int) -> Ints:
        if not keys:
            return np.zeros(size, dtype=np.int64)
        codes = keys[0]
        for key, width in zip(keys[1:], self._widths[1:], strict=True):
            codes = codes * width + key
        return codes

    def _add_unique(self, sums: Sequence[Ints], codes: Ints, measures: Sequence[Ints]) -> None:
        low, high = int(codes[0]), int(codes[-1]) + 1
        whole = high - low == codes.size and bool(np.all(codes[1:] > codes[:-1]))
        for total, measure in zip(sums, measures, strict=True):
            if whole:
                total[low:high] += measure
            else:
                total[codes] += measure

    def _add_runs(self, sums: Sequence[Ints], codes: Ints, measures: Sequence[Ints]) -> None:
        starts = np.flatnonzero(np.concatenate([[True], codes[1:] != codes[:-1]]))
        groups = codes[starts]
        if groups.size == codes.size:
            self._add_unique(sums, codes, measures)
            return
        for total, measure in zip(sums, measures, strict=True):
            total[groups] += np.add.reduceat(measure, starts)

    def _count(self, sums: Sequence[Ints], codes: Ints, measures: Sequence[Ints]) -> None:
        low, high = int(codes.min()), int(codes.max()) + 1
        shifted = codes - low if low else codes
        for total, measure in zip(sums, measures, strict=True):
            total[low:high] += np.bincount(shifted, weights=measure).astype(np.int64)

    def result(self, *, ends: bool = False) -> Grouped:
        """Give the groups seen so far, sorted by key. ends: nothing more is asked, so what was counted into may go."""
        if self._dense:
            present = np.flatnonzero(reduce(np.bitwise_or, self._sums))
            sums = self._let_go(present) if ends else [total[present] for total in self._sums]
        elif self._parts:
            columns = [np.concatenate(column) for column in zip(*self._parts, strict=True)]
            present, sums = _sum_sorted(columns[0], columns[1:])
        else:
            return nothing(len(self._widths), self._figures)
        return Grouped(self._split(present), dict(zip(self._figures, sums, strict=True)))

    def _let_go(self, present: Ints) -> list[Ints]:
        """Give the sums of some groups; those of all are freed one by one, as both together would fill memory."""
        if present.size == self._span:
            return self._sums
        return [self._sums.pop(0)[present] for _ in self._figures]

    def _split(self, codes: Ints) -> tuple[Ints, ...]:
        if not self._widths:
            return ()
        parts: list[Ints] = []
        for width in reversed(self._widths[1:]):
            codes, part = np.divmod(codes, width)
            parts.append(part)
        return (codes, *reversed(parts))


def _sum_sorted(codes: Ints, measures: Sequence[Ints]) -> tuple[Ints, list[Ints]]:
    order = np.argsort(codes, kind="stable")
    ordered = codes[order]
    starts = np.flatnonzero(np.concatenate([[True], ordered[1:] != ordered[:-1]]))
    return ordered[starts], [np.add.reduceat(m[order].astype(np.int64), starts) for m in measures]


def group(keys: Sequence[Ints], figures: Mapping[str, Ints]) -> Grouped:
    """Sum rows by their keys (arrays of non-negative ids, shape (rows,))."""
    tally = Tally([int(key.max()) + 1 if key.size else 1 for key in keys], tuple(figures))
    tally.add(keys, tuple(figures.values()))
    return tally.result()


def regrouped(keys: list[Ints], found: Grouped) -> Grouped:
    """Sum groups again by other keys; large ids (days) are kept as they are."""
    bases = [int(key.min()) if key.size else 0 for key in keys]
    shifted = [key - base for key, base in zip(keys, bases, strict=True)]
    summed = group(shifted, found.figures)
    return Grouped(tuple(key + base for key, base in zip(summed.keys, bases, strict=True)), summed.figures)


def chained(parts: Sequence[Grouped]) -> Grouped:
    """Put groups, of at least one part, one after the other; those of one key are not summed."""
    keys = tuple(np.concatenate(each) for each in zip(*(part.keys for part in parts), strict=True))
    return Grouped(keys, {name: np.concatenate([part.figures[name] for part in parts]) for name in parts[0].figures})


def merged(parts: Sequence[Grouped]) -> Grouped:
    """Sum what is grouped alike, of at least one part.

    >>> one = np.array([1])
    >>> both = merged([Grouped((one,), {"clicks": one}), Grouped((one,), {"clicks": one})])
    >>> both.keys[0].tolist(), both.clicks.tolist()
    ([1], [2])
    """
    rows = chained(parts)
    return regrouped(list(rows.keys), rows)


@dataclass(frozen=True)
class SideBySide:
    """Hold two groupings over the union of their groups; absent groups hold zeros."""

    keys: tuple[Ints, ...]
    now: Grouped
    before: Grouped


def side_by_side(now: Grouped, before: Grouped) -> SideBySide:
    """Align two groupings of the same dimensions on the union of their groups."""
    if not now.keys:
        return SideBySide((), _or_zero(now), _or_zero(before))
    widths = [int(max(a.max(initial=0), b.max(initial=0))) + 1 for a, b in zip(now.keys, before.keys, strict=True)]
    codes_now, codes_before = _codes(now.keys, widths), _codes(before.keys, widths)
    union, find = _union(codes_now, codes_before, prod(widths))
    keys: list[Ints] = []
    rest = union
    for width in reversed(widths):
        rest, part = np.divmod(rest, width)
        keys.append(part)
    aligned = tuple(reversed(keys))
    return SideBySide(aligned, _spread(now, find(codes_now), aligned), _spread(before, find(codes_before), aligned))


def _codes(keys: Sequence[Ints], widths: Sequence[int]) -> Ints:
    codes = keys[0]
    for key, width in zip(keys[1:], widths[1:], strict=True):
        codes = codes * width + key
    return codes


def _union(left: Ints, right: Ints, span: int) -> tuple[Ints, Callable[[Ints], Ints]]:
    """Give the union of codes, sorted, and what finds the places of codes in it."""
    if span > DENSE_LIMIT:
        union = np.union1d(left, right)
        return union, lambda codes: np.searchsorted(union, codes)
    seen = np.zeros(span, dtype=bool)
    seen[left] = True
    seen[right] = True
    places = np.cumsum(seen) - 1
    return np.flatnonzero(seen), lambda codes: places[codes]


def _spread(side: Grouped, at: Ints, keys: tuple[Ints, ...]) -> Grouped:
    size = keys[0].size
    columns = {}
    for name, figure in side.figures.items():
        columns[name] = np.zeros(size, dtype=np.int64)
        columns[name][at] = figure
    return Grouped(keys, columns)


def _or_zero(side: Grouped) -> Grouped:
    if len(side):
        return side
    zero = np.zeros(1, dtype=np.int64)
    return Grouped((), dict.fromkeys(side.figures, zero))
