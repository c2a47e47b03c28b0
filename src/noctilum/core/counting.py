"""Whether visits still follow clicks: since when, if not, against the ratio of the two before.

Sessions of a page or a part of a site are taken to be r · clicks, r from the days before. For each day of a window the
sessions from it to the window's end are set against r · clicks of those days by the likelihood ratio of Poisson counts
(G-test, Sokal & Rohlf 1981), divided by how much more the days before scatter than Poisson counts would (Pearson). The
day with the largest G is where it began; its p, chi-square with one degree of freedom, is multiplied by the days and
rows looked at (Bonferroni).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from scipy.special import chdtrc

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]

FEWEST = 20.0
"""Sessions to be expected from a day on, and held before, for anything to be told."""
SURE = 0.01
STOPPED, DOUBLED = 0.5, 1.6
"""Sessions beside those to be expected, from which on counting is said to have stopped or to count twice."""


@dataclass(frozen=True)
class Broken:
    """Rows in which counting broke: their places, the column since which, sessions, clicks, and sessions expected."""

    row: Ints
    since: Ints
    sessions: Ints
    clicks: Ints
    expected: Floats
    ratio: Floats
    looked_at: int


def broken(sessions: Ints, clicks: Ints, before_sessions: Ints, before_clicks: Ints) -> Broken:
    """Find rows whose sessions left their ratio to clicks. Arrays of (rows, days): of the window, and of days before.

    >>> days = np.full((1, 40), 10)
    >>> found = broken(np.r_[np.full(20, 9), np.zeros(8, int)][None], days[:, :28], np.full((1, 40), 9), days)
    >>> found.since.tolist(), found.sessions.tolist(), found.expected.tolist()
    ([20], [0], [72.0])
    """
    came, clicked = before_sessions.sum(axis=1), before_clicks.sum(axis=1)
    told = can_be_told(came, clicked, clicks.sum(axis=1))
    ratio = _ratio(came, clicked)
    scatter = _scatter(before_sessions, before_clicks, ratio)
    seen = _from_each_day_on(sessions).astype(np.float64)
    shown = _from_each_day_on(clicks)
    wanted = ratio[:, None] * shown
    g = _likelihood(seen, wanted) / (scatter * (1 + wanted.max(axis=1, initial=0) / np.maximum(came, 1)))[:, None]
    part = np.divide(seen, wanted, out=np.ones_like(wanted), where=wanted > 0)
    g = np.where(told[:, None] & (wanted >= FEWEST), g, 0.0)
    looked_at = int(told.sum())
    since = g.argmax(axis=1)
    most = np.take_along_axis(g, since[:, None], axis=1)[:, 0] if g.size else np.zeros(0)
    there = np.take_along_axis(part, since[:, None], axis=1)[:, 0] if g.size else np.ones(0)
    sure = chdtrc(1, most) * max(1, looked_at) * sessions.shape[1] < SURE
    row = np.flatnonzero(sure & ((there <= STOPPED) | (there >= DOUBLED)))
    at = since[row]
    return Broken(row, at, seen[row, at].astype(np.int64), shown[row, at], wanted[row, at], ratio[row], looked_at)


def can_be_told(came: Ints, clicked: Ints, clicks: Ints) -> npt.NDArray[np.bool_]:
    """Say of which rows anything can be told, from sessions and clicks of the days before and clicks of the window."""
    return (came >= FEWEST) & (_ratio(came, clicked) * clicks >= FEWEST)


def _ratio(came: Ints, clicked: Ints) -> Floats:
    found: Floats = np.divide(came, clicked, out=np.zeros(len(came)), where=clicked > 0)
    return found


def _from_each_day_on(values: Ints) -> Ints:
    found: Ints = values[:, ::-1].cumsum(axis=1)[:, ::-1]
    return found


def _likelihood(seen: Floats, wanted: Floats) -> Floats:
    """Twice the log of how much likelier counts are at their own rate than at the one wanted."""
    with np.errstate(divide="ignore", invalid="ignore"):
        logs = np.where(seen > 0, seen * np.log(np.where(wanted > 0, seen / wanted, 1.0)), 0.0)
    found: Floats = 2 * (wanted - seen + logs)
    return found


def _scatter(sessions: Ints, clicks: Ints, ratio: Floats) -> Floats:
    """How much more sessions scatter about ratio · clicks than Poisson counts would; at least as much as those."""
    wanted = ratio[:, None] * clicks
    told = wanted > 0
    off = np.divide((sessions - wanted) ** 2, wanted, out=np.zeros_like(wanted), where=told).sum(axis=1)
    found: Floats = np.maximum(1.0, off / np.maximum(1, told.sum(axis=1) - 1))
    return found
