"""Drivers: the exact split of a change in clicks."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property

import numpy as np
import numpy.typing as npt

from noctilum.core.curve import Curve

Ints = npt.NDArray[np.int64]
Floats = npt.NDArray[np.float64]

DRIVERS = ("demand", "rank", "appeal", "entered", "left", "unlisted")


@dataclass(frozen=True)
class Side:
    """Hold one window's rows: clicks, impressions, position_milli, each of shape (rows,).

    times: what clicks and impressions count times; for windows of other lengths the held days of one over the other's.
    """

    clicks: Ints
    impressions: Ints
    position_milli: Ints
    times: float = 1.0

    @cached_property
    def position(self) -> Floats:
        """Average places; 1.0 stands in where there are no impressions."""
        shown = np.maximum(self.impressions, 1)
        return np.where(self.impressions > 0, self.position_milli / 1000 / shown, 1.0)


@dataclass(frozen=True)
class RowDrivers:
    """Split each row's change in clicks; every part has shape (rows,), in clicks."""

    demand: Floats
    rank: Floats
    appeal: Floats
    entered: Floats
    left: Floats

    @cached_property
    def total(self) -> Floats:
        """The change of each row: the sum of its parts."""
        return self.demand + self.rank + self.appeal + self.entered + self.left


@dataclass(frozen=True)
class Drivers:
    """Split a change in clicks into six parts that add up to it."""

    demand: float
    rank: float
    appeal: float
    entered: float
    left: float
    unlisted: float

    @property
    def total(self) -> float:
        """The whole change."""
        return self.demand + self.rank + self.appeal + self.entered + self.left + self.unlisted


def split_rows_by_curve(query: Ints, device: Ints, before: Side, now: Side, curves: Mapping[int, Curve]) -> RowDrivers:
    """Split rows of several devices, each by its own curve; device: ids of shape (rows,)."""
    places: dict[bool, Floats] = {}
    rows = {number: np.flatnonzero(device == number) for number in curves}
    for is_now, side in ((False, before), (True, now)):
        rates, position = np.ones(query.size), side.position
        for number, curve in curves.items():
            rates[rows[number]] = curve.at(position[rows[number]])
        places[is_now] = rates
    return _split(query, before, now, places[False], places[True])


def split_rows(query: Ints, before: Side, now: Side, curve: Curve) -> RowDrivers:
    """Split the change of rows (a query, or a query on one device) between two windows.

    query: ids of shape (rows,) telling which rows belong to one query. A query with impressions in
    only one window entered or left. In both, clicks = impressions · rate(place) · appeal and the
    change is shared by Shapley's value of that product; where one device of a query is held in one
    window only, the change is demand. A row without impressions on both sides gives zeros.
    """
    return _split(query, before, now, curve.at(before.position), curve.at(now.position))


def _split(query: Ints, before: Side, now: Side, rates_before: Floats, rates_now: Floats) -> RowDrivers:
    size = int(query.max()) + 1 if query.size else 0
    known_before = np.bincount(query, weights=before.impressions, minlength=size)[query] > 0
    known_now = np.bincount(query, weights=now.impressions, minlength=size)[query] > 0
    both = known_before & known_now
    (i0, g0, a0), (i1, g1, a1) = _factors(before, rates_before), _factors(now, rates_now)
    absent0, absent1 = before.impressions == 0, now.impressions == 0
    g0, a0 = np.where(absent0, g1, g0), np.where(absent0, a1, a0)
    g1, a1 = np.where(absent1, g0, g1), np.where(absent1, a0, a1)
    return RowDrivers(
        demand=np.where(both, shapley_share(i0, i1, g0, g1, a0, a1), 0.0),
        rank=np.where(both, shapley_share(g0, g1, i0, i1, a0, a1), 0.0),
        appeal=np.where(both, shapley_share(a0, a1, i0, i1, g0, g1), 0.0),
        entered=np.where(known_now & ~known_before, now.clicks * now.times, 0.0),
        left=np.where(known_before & ~known_now, -before.clicks * before.times, 0.0),
    )


def _factors(side: Side, rate: Floats) -> tuple[Floats, Floats, Floats]:
    shown = np.maximum(side.impressions, 1)
    return np.asarray(side.impressions * side.times, dtype=np.float64), rate, side.clicks / shown / rate


def shapley_share(x0: Floats, x1: Floats, y0: Floats, y1: Floats, z0: Floats, z1: Floats) -> Floats:
    """Share of x in the change of x·y·z: (x1−x0)·[(y0z0 + y1z1)/3 + (y0z1 + y1z0)/6] (Shapley 1953)."""
    return (x1 - x0) * (y0 * (2 * z0 + z1) + y1 * (z0 + 2 * z1)) / 6


def drivers_of(rows: RowDrivers, listed_change: float, total_change: float) -> Drivers:
    """Add up rows and put what they do not explain under unlisted.

    unlisted = total_change − listed_change, so that the six parts add up to total_change.
    """
    return Drivers(
        demand=float(rows.demand.sum()),
        rank=float(rows.rank.sum()),
        appeal=float(rows.appeal.sum()),
        entered=float(rows.entered.sum()),
        left=float(rows.left.sum()),
        unlisted=float(total_change - listed_change),
    )
