"""What is within reach: queries just below a better band, with the clicks to be gained there."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from noctilum.core.curve import Curve, RowCurve

Ints = npt.NDArray[np.int64]
Floats = npt.NDArray[np.float64]

NEAREST, FIRST_PAGE, FARTHEST = 3.5, 10.5, 20.5
TARGET_NEAR, TARGET_FAR = 3.0, 8.0
APPEAL_WEIGHT = 200
APPEAL_RANGE = (0.5, 1.5)
"""Places in (3.5, 20.5] are within reach: of place 3 up to 10.5, of place 8 beyond (ours)."""


@dataclass(frozen=True)
class Gain:
    """Hold what each row could gain, of shape (rows,): target places, clicks, and clicks one place lower and higher."""

    target: Floats
    clicks: Floats
    low: Floats
    high: Floats


def within_reach(impressions: Ints, position: Floats, fewest: float) -> npt.NDArray[np.bool_]:
    """Say which rows lie just below a better band and are shown often enough; shape (rows,)."""
    return (position > NEAREST) & (position <= FARTHEST) & (impressions >= fewest)


def gain(clicks: Ints, impressions: Ints, position: Floats, curve: Curve | RowCurve) -> Gain:
    """Estimate the clicks to be gained at the target place: max(0, I·g(target)·appeal − clicks).

    appeal = (clicks + m·g(p)) / ((I + m)·g(p)) with m = 200, held to 0.5–1.5: the row's own click-through
    against the curve's, drawn to 1 where there is little evidence. low and high are for the target ± 1 place.
    """
    rate = curve.at(position)
    shown = impressions.astype(np.float64)
    appeal = np.clip((clicks + APPEAL_WEIGHT * rate) / ((shown + APPEAL_WEIGHT) * rate), *APPEAL_RANGE)
    target = np.where(position <= FIRST_PAGE, TARGET_NEAR, TARGET_FAR)
    at = [np.maximum(0.0, shown * curve.at(target + shift) * appeal - clicks) for shift in (0, 1, -1)]
    return Gain(target, at[0], at[1], at[2])
