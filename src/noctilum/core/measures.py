"""Sums of clicks, impressions and places, with the ratios formed from them."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from noctilum.datasets.declaring import MILLI


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

    @classmethod
    def of(cls, figures: Mapping[str, int]) -> Sums:
        """Take them out of figures by name; those that are not there are 0."""
        return cls(*(figures.get(name, 0) for name in ("clicks", "impressions", "position_milli")))

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
