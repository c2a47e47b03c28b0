"""The change between two sums, and whether the numbers can bear a statement."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from noctilum.core.measures import Sums

FEWEST_CLICKS = 30
"""Below this many clicks in both windows together: too few to tell (ours)."""


LEVEL_PLACES, LEVEL_RATE = 0.25, 0.0015
"""A change of less than a quarter of a place, or of 0.15 points of click-through, is told as level (ours)."""
Way = Literal["better", "worse", "level"]


@dataclass(frozen=True)
class Delta:
    """Hold now minus before. scaled: before was taken for as many held days as now.

    Ratios are None from 0 (new), ctr and position None where either side is undefined.
    """

    scaled: bool
    clicks: float
    clicks_ratio: float | None
    impressions: float
    impressions_ratio: float | None
    ctr: float | None
    position: float | None

    @property
    def ways(self) -> dict[str, Way]:
        """Say of each measure whether it got better, worse, or held level; what is undefined is level."""
        return {
            "clicks": _way(self.clicks),
            "impressions": _way(self.impressions),
            "ctr": _way(self.ctr, least=LEVEL_RATE),
            "position": _way(None if self.position is None else -self.position, least=LEVEL_PLACES),
        }


def _way(gain: float | None, least: float = 0.0) -> Way:
    if gain is None or gain == 0 or abs(gain) < least:
        return "level"
    return "better" if gain > 0 else "worse"


def delta(now: Sums, before: Sums, *, days_now: int = 1, days_before: int = 1, scaled: bool = False) -> Delta:
    """Take the difference of two sums; scaled takes before for as many held days as now: × days_now / days_before.

    >>> delta(Sums(460, 9000), Sums(529, 9000)).clicks_ratio.__round__(4)
    -0.1304
    """
    times = max(days_now, 1) / max(days_before, 1) if scaled else 1.0
    return Delta(
        scaled,
        _number(now.clicks - before.clicks * times),
        _ratio(now.clicks, before.clicks * times),
        _number(now.impressions - before.impressions * times),
        _ratio(now.impressions, before.impressions * times),
        None if now.ctr is None or before.ctr is None else now.ctr - before.ctr,
        None if now.position is None or before.position is None else now.position - before.position,
    )


def _number(value: float) -> float:
    return round(value, 6)


def _ratio(now: float, before: float) -> float | None:
    return now / before - 1 if before > 0 else None


def too_few(now: Sums, before: Sums) -> bool:
    """Say whether k0 + k1 < 30 clicks, too few to tell a change from chance."""
    return now.clicks + before.clicks < FEWEST_CLICKS
