"""The typed columns of one day at one grain, between a source and the history."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date
from typing import Any

import numpy as np
import numpy.typing as npt

from noctilum.core.measures import Sums
from noctilum.datasets.declaring import MILLI, Dataset, Measure

Ints = npt.NDArray[np.int64]
Codes = npt.NDArray[np.int32]


@dataclass(frozen=True)
class Coded:
    """Hold a text column as codes into its distinct texts. codes: shape (rows,), 0 ≤ code < len(texts)."""

    codes: Codes
    texts: tuple[str, ...]

    @classmethod
    def of(cls, values: Iterable[str]) -> Coded:
        """Code a column of texts, in order of first appearance."""
        rows = list(values)
        texts = tuple(dict.fromkeys(rows))
        numbers = {text: number for number, text in enumerate(texts)}
        return cls(np.fromiter(map(numbers.__getitem__, rows), dtype=np.int32, count=len(rows)), texts)

    def taken(self, rows: npt.NDArray[np.intp] | npt.NDArray[np.bool_]) -> Coded:
        """Keep only some rows; the texts stay."""
        return Coded(self.codes[rows], self.texts)

    def decoded(self) -> list[str]:
        """Give the texts row by row."""
        return [self.texts[code] for code in self.codes.tolist()]


@dataclass(frozen=True)
class DayBatch:
    """Hold one day of one dataset as columns, all of shape (rows,).

    values: by the names that measures are stored as; weighted ones are Σ of value × weight × scale, integers (scale
    1: whole, 1000: thousandths).
    """

    kept: Dataset
    day: date
    dims: Mapping[str, Coded]
    values: Mapping[str, Ints]
    scale: int = 1

    def __len__(self) -> int:
        return int(next(iter(self.values.values())).size)

    @property
    def dataset(self) -> str:
        """The name of its dataset."""
        return self.kept.name

    @property
    def figures(self) -> Mapping[str, int]:
        """Add up every measure that adds up within a day, by the name it is tallied as."""
        finer = MILLI // self.scale
        return {
            measure.tallied_as: int(self.values[measure.stored_as].sum()) * (finer if measure.weight else 1)
            for measure in self.kept.written_down
        }

    @property
    def sums(self) -> Sums:
        """Add up the whole batch of a search dataset."""
        return Sums.of(self.figures)

    def taken(self, rows: npt.NDArray[np.intp] | npt.NDArray[np.bool_]) -> DayBatch:
        """Keep only some rows."""
        dims = {name: column.taken(rows) for name, column in self.dims.items()}
        return replace(self, dims=dims, values={name: column[rows] for name, column in self.values.items()})


def whole_sums(average: npt.NDArray[np.float64], weight: Ints) -> tuple[Ints, int]:
    """Recover the integer sums that averages came from, with their scale.

    average: such as average places, shape (rows,). Returns (sums, 1) when every average × weight lies within 1e-6
    relative of an integer, else (thousandths, 1000). Rows without weight give 0.

    >>> whole_sums(np.array([4.125]), np.array([40]))
    (array([165]), 1)
    >>> whole_sums(np.array([4.1234]), np.array([3]))
    (array([12370]), 1000)
    """
    exact = np.where(weight > 0, average * weight, 0.0)
    whole = np.rint(exact)
    if np.all(np.abs(exact - whole) <= 1e-6 * np.maximum(np.abs(exact), 1.0)):
        return whole.astype(np.int64), 1
    return np.rint(exact * MILLI).astype(np.int64), MILLI


def stored(kept: Dataset, told: Mapping[str, npt.NDArray[np.float64] | Ints]) -> tuple[dict[str, Ints], int]:
    """Turn figures as they are told, by measure, into columns as they are stored, with the scale of weighted sums.

    Weighted measures are told as averages, scaled ones in their unit; raises ValueError for a figure that is no whole
    number of the smallest unit.
    """
    values: dict[str, Ints] = {}
    sums: dict[str, tuple[Ints, int]] = {}
    for measure in kept.measures:
        figures = told[measure.name]
        if measure.weight:
            weight = np.asarray(told[measure.weight], dtype=np.int64)
            sums[measure.stored_as] = whole_sums(np.asarray(figures, dtype=np.float64), weight)
        else:
            values[measure.stored_as] = _whole(measure, figures)
    scale = max((scale for _, scale in sums.values()), default=1)
    values |= {name: found * (scale // own) for name, (found, own) in sums.items()}
    return {name: values[name] for name in kept.stored}, scale


def told(kept: Dataset, values: Mapping[str, Ints], scale: int) -> dict[str, npt.NDArray[np.float64] | Ints]:
    """Turn stored columns into figures as they are told, by measure: the reverse of stored.

    Averages are 0 without weight; shapes (rows,). Measures whose columns are not there are left out.
    """
    found: dict[str, npt.NDArray[np.float64] | Ints] = {}
    for measure in kept.measures:
        column = values.get(measure.stored_as)
        if column is None:
            continue
        if measure.weight:
            weight = values[kept.measure(measure.weight).stored_as]
            found[measure.name] = np.asarray(column / scale / np.maximum(weight, 1), dtype=np.float64)
        else:
            found[measure.name] = column if measure.scale == 1 else column / measure.scale
    return found


def told_sums(kept: Dataset, figures: Mapping[str, int]) -> dict[str, float]:
    """Turn sums, by the names measures are tallied as, into figures as they are told; no averages without weight."""
    found: dict[str, float] = {}
    for measure in kept.measures:
        if measure.tallied_as not in figures:
            continue
        summed = figures[measure.tallied_as]
        if not measure.weight:
            found[measure.name] = summed if measure.scale == 1 else summed / measure.scale
        elif weight := figures[measure.weight]:
            found[measure.name] = summed / MILLI / weight
    return found


def _whole(measure: Measure, figures: npt.NDArray[np.float64] | Ints) -> Ints:
    if measure.scale == 1 and figures.dtype.kind in "iu":
        return figures.astype(np.int64, copy=False)
    exact = np.asarray(figures, dtype=np.float64) * measure.scale
    whole = np.rint(exact)
    if not np.all(np.abs(exact - whole) <= 1e-6 * np.maximum(np.abs(exact), 1.0)):
        raise ValueError(f"{measure.name} is no whole number of 1/{measure.scale}")
    return whole.astype(np.int64)


def batch_of(
    kept: Dataset, day: date, dims: Mapping[str, Sequence[str]], told: Mapping[str, Sequence[float]]
) -> DayBatch:
    """Build a batch from plain columns; told: measure → its figures, weighted ones as averages.

    Raises ValueError or OverflowError for figures that cannot be kept.
    """
    columns: dict[str, Any] = {m.name: np.asarray(told[m.name], dtype=_kind_of(m)) for m in kept.measures}
    values, scale = stored(kept, columns)
    return DayBatch(kept, day, {name: Coded.of(texts) for name, texts in dims.items()}, values, scale)


def _kind_of(measure: Measure) -> type[np.int64] | type[np.float64]:
    return np.int64 if measure.scale == 1 and not measure.weight else np.float64
