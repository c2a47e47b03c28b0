"""Odd days: days far from what the same weekdays before, and the level of late, let expect."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date, timedelta
from statistics import median

WEEKS = 8
LEAST_WEEKS = 4
LEVEL_DAYS = 14
NOISE_DAYS = 28
ONE_DAY, TWO_DAYS = 4.0, 3.0
TO_SIGMA = 1.4826
SHORT = 2.0
"""Clicks so many scales under what the impressions of a day should have brought: shown, not clicked (ours)."""


@dataclass(frozen=True)
class Expected:
    """Hold what was expected of a day: the middle, and the scale of what is nothing special."""

    middle: float
    scale: float

    @property
    def low(self) -> float:
        """The lower end of the range."""
        return max(0.0, self.middle - TWO_DAYS * self.scale)

    @property
    def high(self) -> float:
        """The upper end of the range."""
        return self.middle + TWO_DAYS * self.scale

    def score(self, value: float) -> float:
        """How many scales a value lies above (or, below 0, under) the middle."""
        return (value - self.middle) / self.scale


def weekday_middle(values: Mapping[date, float], day: date) -> float | None:
    """Give the median of the same weekday in the eight held weeks before; None with fewer than four."""
    back = (day - timedelta(7 * n) for n in range(1, 2 * WEEKS + 1))
    same = [values[other] for other in back if other in values][:WEEKS]
    return median(same) if len(same) >= LEAST_WEEKS else None


def expectations(values: Mapping[date, float]) -> dict[date, Expected]:
    """Say of held days what was to be expected of them, from the days before alone (ours).

    The first five weeks of a history tell too little, and are left out.

    middle = median of the same weekday in the eight held weeks before, times the level: the median, over the last
    14 held days, of a day's value over its own such median. So a season's slope is not read as a row of odd days,
    and a few odd days do not move it. scale = √middle · max(1, 1.4826 · median of |residual| / √middle over the
    last 28 days).
    """
    found: dict[date, Expected] = {}
    ratios: list[float] = []
    residuals: list[float] = []
    for day in sorted(values):
        base = weekday_middle(values, day)
        if base is None:
            continue
        settled = len(ratios) >= LEVEL_DAYS // 2
        level = median(ratios[-LEVEL_DAYS:]) if settled else 1.0
        middle = base * level
        root = max(middle, 1.0) ** 0.5
        if settled:
            noise = TO_SIGMA * median(residuals[-NOISE_DAYS:])
            found[day] = Expected(middle, root * max(1.0, noise))
        residuals.append(abs(values[day] - middle) / root)
        if base > 0:
            ratios.append(values[day] / base)
    return found


def not_clicked(shown: float, clicked: float, to_be_shown: Expected, to_be_clicked: Expected) -> bool:
    """Say whether a day's impressions beyond the expected ones brought no clicks with them, as those of a program.

    The clicks to be had at the usual rate are those expected, times shown over what was to be shown; their scale grows
    with their root. An event brings both; where clicks are too few to tell, nothing is said.

    >>> usual = Expected(1000, 60), Expected(40, 8)
    >>> not_clicked(3400, 45, *usual), not_clicked(1400, 52, *usual)
    (True, False)
    """
    if shown <= to_be_shown.middle or to_be_shown.middle <= 0:
        return False
    lift = shown / to_be_shown.middle
    score: float = (clicked - to_be_clicked.middle * lift) / (to_be_clicked.scale * lift**0.5)
    return score <= -SHORT


def odd_days(
    values: Mapping[date, float], told: Mapping[date, Expected] | None = None
) -> dict[date, tuple[float, Expected]]:
    """Find odd days: |score| ≥ 4 on one day, or ≥ 3 the same way on two days running. Gives score and range.

    values: held days only. told: their expectations, where they are known already.
    """
    told = expectations(values) if told is None else told
    scored = {day: (expected.score(values[day]), expected) for day, expected in told.items()}
    return {day: each for day, each in scored.items() if _odd(scored, day)}


def _odd(scored: Mapping[date, tuple[float, Expected]], day: date) -> bool:
    score = scored[day][0]
    if abs(score) >= ONE_DAY:
        return True
    if abs(score) < TWO_DAYS:
        return False
    beside = (scored.get(day + timedelta(step)) for step in (-1, 1))
    return any(other and abs(other[0]) >= TWO_DAYS and other[0] * score > 0 for other in beside)
