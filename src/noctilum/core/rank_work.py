"""Whether a keyword's rank moved after something was done for it, beside what all other keywords did meanwhile (ours).

A rank wanders slowly, so that days of one keyword do not say how far chance takes it. Other keywords of the site in the
same days do: nothing was done for them, and what came over all results came over them too.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
import numpy.typing as npt

from noctilum.core.verdicts import RULE

Floats = npt.NDArray[np.float64]
Verdict = Literal["better", "worse", "no clear change"]

LEAST_CHECKS = 4
"""A keyword with fewer days on which it was looked up, on either side, is not read."""
LEAST_BESIDE, LEAST_OTHERS = 5, 19
"""So many others must be known in the same days, and so many changes of others in these and earlier days: with fewer
not even the one that moved furthest of all would be told from chance."""
SURE = 0.05


@dataclass(frozen=True)
class RankMove:
    """How a keyword moved: mean ranks before and after, by how much beyond the others (a ratio less one), p, verdict.

    moved: −0.2 says a fifth further up than was to be expected. p, moved: None where too few others were looked up;
    nothing is judged then.
    """

    before: float
    now: float
    moved: float | None
    p: float | None
    verdict: Verdict | None


def moved_beside(
    before: Floats, now: Floats, mine: int, earlier: Sequence[tuple[Floats, Floats]] = ()
) -> RankMove | None:
    """Read one keyword; None where it was looked up on too few days.

    before, now: rank by keyword and day, of shape (keywords, days): NaN where not looked up, one place beyond the
    deepest where not found; earlier: the same of earlier days, all of them before those. Each keyword's change is that
    of its mean logarithm, less the median of all in those days, over how far its days before lay apart (half of it lent
    by the median keyword, so that one that never stirred is not taken for moved by its first step). p is the share of
    changes, of others then and of all earlier, that went as far, with this one among them: a permutation test
    (Fisher 1935), exact where nothing was done for any of them and where days are alike.

    >>> days = np.tile(np.arange(1.0, 51)[:, None], (1, 28))
    >>> found = moved_beside(days, np.where(np.arange(50)[:, None] == 9, days - 5, days), 9)
    >>> found.before, found.now, found.verdict, round(found.p, 2)
    (10.0, 5.0, 'better', 0.02)
    """
    if not _read(before, now)[mine]:
        return None
    sizes, beyond = _sizes(before, now)
    means = float(np.nanmean(before[mine])), float(np.nanmean(now[mine]))
    others = np.delete(sizes, mine)
    others = others[np.isfinite(others)]
    beside = others.size
    if earlier:
        others = np.concatenate([others, *(_sizes(*each)[0] for each in earlier)])
        others = others[np.isfinite(others)]
    if beside < LEAST_BESIDE or others.size < LEAST_OTHERS:
        return RankMove(*means, None, None, None)
    p = float((1 + (others >= sizes[mine] - 1e-12).sum()) / (1 + others.size))
    moved = float(np.expm1(beyond[mine]))
    return RankMove(*means, moved, p, _verdict(moved, p))


def _read(before: Floats, now: Floats) -> npt.NDArray[np.bool_]:
    return np.asarray(np.minimum(np.isfinite(before).sum(axis=1), np.isfinite(now).sum(axis=1)) >= LEAST_CHECKS)


def _sizes(before: Floats, now: Floats) -> tuple[Floats, Floats]:
    """Give how far each keyword moved beside the others, in its own unrest and in logarithms; NaN where not read."""
    read = _read(before, now)
    sizes, beyond = np.full(read.size, np.nan), np.full(read.size, np.nan)
    if not read.any():
        return sizes, beyond
    was, is_ = np.log(before[read]), np.log(now[read])
    change = np.nanmean(is_, axis=1) - np.nanmean(was, axis=1)
    beyond[read] = change - np.median(change)
    apart = np.nanvar(was, axis=1)
    sizes[read] = np.abs(beyond[read]) / np.sqrt((apart + max(float(np.median(apart)), _LEAST_APART)) / 2)
    return sizes, beyond


_LEAST_APART = 0.02**2
"""A site whose ranks never stir still lends so much, so that nothing is divided by naught."""


def _verdict(moved: float, p: float) -> Verdict:
    if p > SURE or abs(moved) < RULE.ratio:
        return "no clear change"
    return "better" if moved < 0 else "worse"
