"""Sums of clicks, impressions and places, with the ratios formed from them."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

MILLI = 1000
"""Position sums are carried in thousandths of a place, so that fractional providers stay integers."""


@dataclass(frozen=True)
class Sums:
    """Add up clicks, impressions and position sums; ratios are formed last, from the sums.

    position_milli is Σ position × impressions in thousandths. Adding is exact.

    >>> (Sums(0, 100, 200_000) + Sums(0, 900, 7_200_000)).position
    7.4
    >>> Sums().ctr is None
    True
    """

    clicks: int = 0
    impressions: int = 0
    position_milli: int = 0

    def __add__(self, other: Sums) -> Sums:
        return Sums(
            self.clicks + other.clicks,
            self.impressions + other.impressions,
            self.position_milli + other.position_milli,
        )

    def __sub__(self, other: Sums) -> Sums:
        return Sums(
            self.clicks - other.clicks,
            self.impressions - other.impressions,
            self.position_milli - other.position_milli,
        )

    @property
    def ctr(self) -> float | None:
        """Clicks / impressions; None (never 0) without impressions."""
        return self.clicks / self.impressions if self.impressions > 0 else None

    @property
    def position(self) -> float | None:
        """Σ position_sum / Σ impressions in places; None without impressions."""
        return self.position_milli / MILLI / self.impressions if self.impressions > 0 else None


def add_up(parts: Iterable[Sums]) -> Sums:
    """Add sums; nothing adds up to Sums().

    >>> add_up([Sums(1, 2, 3), Sums(4, 5, 6)])
    Sums(clicks=5, impressions=7, position_milli=9)
    """
    total = Sums()
    for part in parts:
        total = total + part
    return total


def places(
    position_sum: npt.NDArray[np.int64], scale: int, impressions: npt.NDArray[np.int64]
) -> npt.NDArray[np.float64]:
    """Form the average place of every row from its sum; 0 without impressions. Shapes (rows,); scale: sums a place.

    >>> places(np.array([90, 0]), 10, np.array([2, 0])).tolist()
    [4.5, 0.0]
    """
    return np.asarray(position_sum / scale / np.maximum(impressions, 1), dtype=np.float64)
