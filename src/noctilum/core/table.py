"""Columns of grouped sums, and joining two of them side by side."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from math import prod

import numpy as np
import numpy.typing as npt

from noctilum.core.measures import Sums

Ints = npt.NDArray[np.int64]


@dataclass(frozen=True)
class Grouped:
    """Hold sums per group: keys name the groups (one array per dimension), all of shape (groups,).

    position_milli is in thousandths. Groups are unique and sorted by their keys.
    """

    keys: tuple[Ints, ...]
    clicks: Ints
    impressions: Ints
    position_milli: Ints

    def __len__(self) -> int:
        return int(self.clicks.size)

    @property
    def nbytes(self) -> int:
        """How much memory the columns take."""
        columns = (*self.keys, self.clicks, self.impressions, self.position_milli)
        return sum(column.nbytes for column in columns)

    @property
    def sums(self) -> Sums:
        """Add up all groups."""
        return Sums(
            int(self.clicks.sum()),
            int(self.impressions.sum()),
            int(self.position_milli.sum()),
        )

    def row(self, index: int) -> Sums:
        """Give one group's sums."""
        return Sums(
            int(self.clicks[index]),
            int(self.impressions[index]),
            int(self.position_milli[index]),
        )

    def by(self, key: int) -> Grouped:
        """Keep one key of groups that differ in it alone."""
        return Grouped((self.keys[key],), self.clicks, self.impressions, self.position_milli)

    def taken(self, rows: npt.NDArray[np.intp] | npt.NDArray[np.bool_]) -> Grouped:
        """Keep only some groups."""
        keys = tuple(key[rows] for key in self.keys)
        return Grouped(keys, self.clicks[rows], self.impressions[rows], self.position_milli[rows])


def nothing(dimensions: int) -> Grouped:
    """Give no groups at all."""
    none = np.zeros(0, dtype=np.int64)
    return Grouped((none,) * dimensions, none, none, none)


DENSE_LIMIT = 1 << 23
"""Composite keys up to this many are counted into full-length arrays; more are sorted."""


class Tally:
    """Add up rows by their keys, part by part, in exact integers.

    widths: how many ids each dimension has. unique=True promises that no key repeats within a part.
    Groups whose sums are all zero are left out. Counting inside a part happens in doubles, which
    hold every integer below 2**53.
    """

    def __init__(self, widths: Sequence[int]) -> None:
        self._widths = tuple(max(1, width) for width in widths)
        self._span = prod(self._widths)
        self._dense = self._span <= DENSE_LIMIT
        self._sums = [np.zeros(self._span if self._dense else 0, dtype=np.int64) for _ in range(3)]
        self._parts: list[tuple[Ints, ...]] = []

    def add(
        self, keys: Sequence[Ints], measures: Sequence[Ints], *, unique: bool = False, ordered: bool = False
    ) -> None:
        """Add rows; keys and measures have shape (rows,). ordered: the keys are sorted.

        measures: clicks, impressions, position_milli; without the last the places stay 0.
        """
        if not measures[0].size:
            return
        codes = self._composite(keys, measures[0].size)
        sums = self._sums[: len(measures)]
        if not self._dense:
            absent = [np.zeros_like(measures[0])] * (3 - len(measures))
            self._parts.append((codes, *measures, *absent))
        elif ordered:
            self._add_runs(sums, codes, measures)
        elif unique:
            self._add_unique(sums, codes, measures)
        else:
            self._count(sums, codes, measures)

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

    def result(self) -> Grouped:
        """Give the groups seen so far, sorted by key."""
        if self._dense:
            present = np.flatnonzero(self._sums[0] | self._sums[1] | self._sums[2])
            sums = [total[present] for total in self._sums]
        elif self._parts:
            columns = [np.concatenate(column) for column in zip(*self._parts, strict=True)]
            present, sums = _sum_sorted(columns[0], columns[1:])
        else:
            return nothing(len(self._widths))
        return Grouped(self._split(present), sums[0], sums[1], sums[2])

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


def group(keys: Sequence[Ints], clicks: Ints, impressions: Ints, position_milli: Ints) -> Grouped:
    """Sum rows by their keys (arrays of non-negative ids, shape (rows,))."""
    tally = Tally([int(key.max()) + 1 if key.size else 1 for key in keys])
    tally.add(keys, (clicks, impressions, position_milli))
    return tally.result()


def regrouped(keys: list[Ints], found: Grouped) -> Grouped:
    """Sum groups again by other keys; large ids (days) are kept as they are."""
    bases = [int(key.min()) if key.size else 0 for key in keys]
    shifted = [key - base for key, base in zip(keys, bases, strict=True)]
    summed = group(shifted, found.clicks, found.impressions, found.position_milli)
    back = tuple(key + base for key, base in zip(summed.keys, bases, strict=True))
    return Grouped(back, summed.clicks, summed.impressions, summed.position_milli)


def chained(parts: Sequence[Grouped]) -> Grouped:
    """Put groups, of at least one part, one after the other; those of one key are not summed."""
    keys = tuple(np.concatenate(each) for each in zip(*(part.keys for part in parts), strict=True))
    clicks, impressions, places = (
        np.concatenate([getattr(part, name) for part in parts]) for name in ("clicks", "impressions", "position_milli")
    )
    return Grouped(keys, clicks, impressions, places)


def merged(parts: Sequence[Grouped]) -> Grouped:
    """Sum what is grouped alike, of at least one part.

    >>> one = np.array([1])
    >>> both = merged([Grouped((one,), one, one, one), Grouped((one,), one, one, one)])
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
    columns = []
    for measure in (side.clicks, side.impressions, side.position_milli):
        column = np.zeros(size, dtype=np.int64)
        column[at] = measure
        columns.append(column)
    return Grouped(keys, columns[0], columns[1], columns[2])


def _or_zero(side: Grouped) -> Grouped:
    if len(side):
        return side
    zero = np.zeros(1, dtype=np.int64)
    return Grouped((), zero, zero, zero)
