"""The typed columns of one day at one grain, between a source and the history."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date

import numpy as np
import numpy.typing as npt

from noctilum.core.measures import Sums

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
        seen: dict[str, int] = {}
        codes = np.fromiter((seen.setdefault(v, len(seen)) for v in values), dtype=np.int32)
        return cls(codes, tuple(seen))

    def taken(self, rows: npt.NDArray[np.intp] | npt.NDArray[np.bool_]) -> Coded:
        """Keep only some rows; the texts stay."""
        return Coded(self.codes[rows], self.texts)

    def decoded(self) -> list[str]:
        """Give the texts row by row."""
        return [self.texts[code] for code in self.codes.tolist()]


@dataclass(frozen=True)
class DayBatch:
    """Hold one day of one dataset as columns, all of shape (rows,).

    position_sum is Σ of places × position_scale (1: whole places, 1000: thousandths), integers.
    """

    dataset: str
    day: date
    dims: Mapping[str, Coded]
    clicks: Ints
    impressions: Ints
    position_sum: Ints
    position_scale: int = 1

    def __len__(self) -> int:
        return int(self.clicks.size)

    @property
    def sums(self) -> Sums:
        """Add up the whole batch."""
        milli = int(self.position_sum.sum()) * (1000 // self.position_scale)
        return Sums(int(self.clicks.sum()), int(self.impressions.sum()), milli)

    def taken(self, rows: npt.NDArray[np.intp] | npt.NDArray[np.bool_]) -> DayBatch:
        """Keep only some rows."""
        return DayBatch(
            self.dataset,
            self.day,
            {name: column.taken(rows) for name, column in self.dims.items()},
            self.clicks[rows],
            self.impressions[rows],
            self.position_sum[rows],
            self.position_scale,
        )


def whole_position_sums(position: npt.NDArray[np.float64], impressions: Ints) -> tuple[Ints, int]:
    """Recover the integer sums a provider's averages came from, with their scale.

    position: average places, shape (rows,). Returns (sums, 1) when every average × impressions lies
    within 1e-6 relative of an integer, else (thousandths, 1000). Rows without impressions give 0.

    >>> whole_position_sums(np.array([4.125]), np.array([40]))
    (array([165]), 1)
    >>> whole_position_sums(np.array([4.1234]), np.array([3]))
    (array([12370]), 1000)
    """
    exact = np.where(impressions > 0, position * impressions, 0.0)
    whole = np.rint(exact)
    if np.all(np.abs(exact - whole) <= 1e-6 * np.maximum(np.abs(exact), 1.0)):
        return whole.astype(np.int64), 1
    return np.rint(exact * 1000).astype(np.int64), 1000


def batch_of(
    dataset: str,
    day: date,
    dims: Mapping[str, Sequence[str]],
    clicks: Sequence[int],
    impressions: Sequence[int],
    position: Sequence[float],
) -> DayBatch:
    """Build a batch from plain columns; position holds average places."""
    shown = np.asarray(impressions, dtype=np.int64)
    sums, scale = whole_position_sums(np.asarray(position, dtype=np.float64), shown)
    coded = {name: Coded.of(values) for name, values in dims.items()}
    return DayBatch(dataset, day, coded, np.asarray(clicks, dtype=np.int64), shown, sums, scale)
