"""Every check that is held, in order, so that what stood at a time is found without reading the others."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
import numpy.typing as npt

from noctilum.core.ranks import LATEST_DAYS, Choice

Ints = npt.NDArray[np.int64]
Floats = npt.NDArray[np.float64]
Mask = npt.NDArray[np.bool_]
_DAYS = 1 << 22
"""More days than any calendar of ours has."""


@dataclass(frozen=True)
class HeldChecks:
    """Checks sorted by what was looked up and day; of several on one day the one that stands later counts.

    look (from 0), day (ordinals), rank (NaN not found): each of shape (checks,). Where looks are asked for, −1 stands
    for one that was never looked up.
    """

    look: npt.NDArray[np.int32]
    day: npt.NDArray[np.int32]
    rank: npt.NDArray[np.float32]

    @cached_property
    def _codes(self) -> Ints:
        return self.look.astype(np.int64) * _DAYS + self.day

    @cached_property
    def best_ever(self) -> tuple[Floats, Ints]:
        """Give the best rank of every look (inf where never found), and the last day it was held on (0)."""
        begun = np.concatenate([np.ones(min(1, self.look.size), dtype=bool), self.look[1:] != self.look[:-1]])
        starts = np.flatnonzero(begun)
        looks = int(self.look[-1]) + 1 if self.look.size else 0
        best, day = np.full(looks, np.inf), np.zeros(looks, dtype=np.int64)
        if looks:
            found = np.where(np.isfinite(self.rank), self.rank, np.float32(np.inf))
            best[self.look[starts]] = np.minimum.reduceat(found, starts)
            holding = np.where(found == best[self.look], self.day, 0)
            day[self.look[starts]] = np.maximum.reduceat(holding, starts)
            day[~np.isfinite(best)] = 0
        return best, day

    def upto(self, looks: Ints, day: int) -> Ints:
        """Say where the last check of each look up to a day stands; −1 where there is none."""
        place = np.searchsorted(self._codes, looks * _DAYS + day, side="right") - 1
        there = (place >= 0) & (looks >= 0)
        there[there] = self.look[place[there]] == looks[there]
        return np.where(there, place, -1).astype(np.int64)

    def latest(self, looks: Ints, last: int, days: int = LATEST_DAYS) -> tuple[Floats, Mask]:
        """Give what core.ranks.latest gives: each look's rank at its latest check in the days that end with `last`."""
        place = self.upto(looks, last)
        checked = place >= 0
        checked[checked] = self.day[place[checked]] > last - days
        rank = np.full(looks.size, np.nan)
        rank[checked] = self.rank[place[checked]]
        return rank, checked

    def counts(self, looks: Ints, first: int, last: int) -> Ints:
        """Count the checks of each look from a day to a day, both included."""
        return self._before(looks, last + 1) - self._before(looks, first)

    def many(self, looks: Ints, spans: Sequence[tuple[int, int]]) -> list[int]:
        """Count the checks of all these looks together from a day to a day, both included, for each span of days."""
        mine = np.sort(looks[looks >= 0])[:, None] * _DAYS
        edges = np.array([(first, last + 1) for first, last in spans], dtype=np.int64).ravel()
        stand = np.searchsorted(self._codes, (mine + edges[None, :]).ravel()).reshape(mine.size, len(spans), 2)
        counted: list[int] = (stand[:, :, 1] - stand[:, :, 0]).sum(axis=0).tolist()
        return counted

    def slice_of(self, look: int, first: int, last: int) -> slice:
        """Say where the checks of one look from a day to a day stand."""
        if look < 0:
            return slice(0, 0)
        begin, end = np.searchsorted(self._codes, [look * _DAYS + first, look * _DAYS + last + 1])
        return slice(int(begin), int(end))

    def _before(self, looks: Ints, day: int) -> Ints:
        """Count the checks that stand before a day of each look, among all."""
        found = np.searchsorted(self._codes, looks * _DAYS + day)
        return np.where(looks >= 0, found, 0).astype(np.int64)

    def by_step(self, looks: Ints, first: int, ends: Sequence[int], choice: Choice = "last") -> tuple[Floats, Mask]:
        """Give what core.ranks.by_step gives, from a first day on: (rank, checked), both of shape (looks, steps)."""
        edges = np.array([first, *(end + 1 for end in ends)], dtype=np.int64)
        asked = looks[:, None] * _DAYS + edges[None, :]
        bounds = np.searchsorted(self._codes, asked.ravel()).reshape(asked.shape)
        bounds[looks < 0] = 0
        checked = bounds[:, 1:] > bounds[:, :-1]
        rank = np.full(checked.shape, np.nan)
        if choice == "last":
            rank[checked] = self.rank[bounds[:, 1:][checked] - 1]
            return rank, checked
        begins, stops = bounds[:, :-1][checked], bounds[:, 1:][checked]
        found = np.isfinite(self.rank)
        if choice == "best":
            ranks = np.append(np.where(found, self.rank, np.float32(np.inf)), np.float32(np.inf))
            least = (
                np.minimum.reduceat(ranks, np.stack([begins, stops], axis=1).ravel())[::2] if begins.size else begins
            )
            rank[checked] = np.where(np.isfinite(least), least, np.nan)
            return rank, checked
        sums = np.concatenate([[0.0], np.cumsum(np.where(found, self.rank, 0.0), dtype=np.float64)])
        many = np.concatenate([[0], np.cumsum(found)])
        times = many[stops] - many[begins]
        mean = np.full(begins.size, np.nan)
        np.divide(sums[stops] - sums[begins], times, out=mean, where=times > 0)
        rank[checked] = mean
        return rank, checked
