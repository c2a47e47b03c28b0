"""Drivers: what the change in clicks is made of."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import date, timedelta
from functools import lru_cache

import numpy as np
import numpy.typing as npt

from noctilum.core import drivers as core
from noctilum.core.brand import BrandRule, brand_mask
from noctilum.core.curve import Curve, fit_curve
from noctilum.core.days import completeness
from noctilum.core.errors import Nonsense, worded
from noctilum.core.measures import Sums
from noctilum.core.table import SideBySide, side_by_side
from noctilum.core.windows import Window
from noctilum.history import History, Question, Rows
from noctilum.readings import grains
from noctilum.readings.frame import Asked, Frame, frame, grain_of
from noctilum.readings.header import change_of, figures, header
from noctilum.readings.holding import Holding
from noctilum.readings.season import whole
from noctilum.readings.site_access import SiteAccess
from noctilum.wire import questions as ask
from noctilum.wire import readings as wire

CURVE_DAYS = 90

Ints = npt.NDArray[np.int64]


def drivers(
    held: Holding, asked: Asked, most: int = 20, part: str | None = None, offset: int = 0, *, season: bool = True
) -> wire.Drivers:
    """Split the change in clicks of a frame into six parts that add up to it.

    Rows are queries on one device. Of windows that differ in length, as of calendar months, the one before is taken
    for as many held days as this one. Raises Nonsense when nothing is compared, or when over a tenth of the days is
    not held: then there is no change to split. part: one of the five parts that queries make; the queries named
    are those that made most of it. most, offset: how many of them, after how many. season: demand is split into what
    the year alone brings and what is beyond it.
    """
    of = frame(held, asked, ("query",))
    _refuse_incomparable(of)
    of.refuse_results("The split of a change")
    grain = grain_of({"query"} | of.dims)
    both = side_by_side(of.read(grain, ("query", "device")), of.read(grain, ("query", "device"), before=True))
    curves = curves_of(held)
    rows = split_by_device(held, both.keys[0], both, curves, of.times)
    now, before = _totals(of, both)
    listed = int(both.now.clicks.sum()) - int(both.before.clicks.sum()) * of.times
    parts = core.drivers_of(rows, listed, now.clicks - before.clicks * of.times)
    sums = {name: round(getattr(parts, name), 6) for name in core.DRIVERS}
    moved = _moved(both.keys[0], getattr(rows, part or "total"), named=part is None)
    judged = whole(of) if season else None
    yearly = round(_seasonal(both, judged.expected) * of.times, 6) if judged and judged.by_years else None
    return wire.Drivers(
        **header(of, grain),
        **sums,
        season=yearly,
        demand_beyond=None if yearly is None else round(sums["demand"] - yearly, 6),
        now=figures(now),
        before=figures(before),
        change=change_of(of.change(now, before)),
        times=of.times,
        movers=_movers(held, both, rows, moved[offset : offset + most]),
        offset=offset,
        matching=moved.size,
        curve=[told_curve(device, curve) for device, curve in curves.items()],
    )


def _seasonal(both: SideBySide, expected: float) -> float:
    """Give what the year alone would have brought to the rows that demand is told of: those shown in both windows."""
    in_both = (both.now.impressions > 0) & (both.before.impressions > 0)
    return float(both.before.clicks[in_both].sum()) * float(np.expm1(expected))


def _refuse_incomparable(of: Frame) -> None:
    if of.against is None:
        raise Nonsense(
            "nothing-compared", "Drivers need a window to compare with.", where="against", remedy="before or year"
        )
    if not of.comparable:
        sides = {"window": of.window, "against": of.against}
        where, lacking = next((name, span) for name, span in sides.items() if not _enough(of, span))
        held = completeness(lacking, of.held.states).held
        raise Nonsense(
            "window-not-full",
            worded(
                "The queries of only {held} of {many} days from {first} to {last} are held; over a tenth of the window"
                " is missing, so no split.",
                held=held,
                many=len(lacking),
                first=lacking.first,
                last=lacking.last,
            ),
            where=where,
            remedy="pull or import the missing days, or ask for a window that is held",
        )


def _enough(of: Frame, window: Window) -> bool:
    return completeness(window, of.held.states).enough


def _totals(of: Frame, both: SideBySide) -> tuple[Sums, Sums]:
    """The provider's own totals; those of the listed rows under a filter on queries."""
    if "query" in of.dims:
        return both.now.sums, both.before.sums
    grain = grain_of(of.dims)
    return of.read(grain, ()).sums, of.read(grain, (), before=True).sums


def told_curve(device: str, curve: Curve) -> wire.CurveOf:
    """Write a device's curve for the wire."""
    return wire.CurveOf(device=device, rates=list(curve.rates), evidence=list(curve.evidence))


def curves_of(held: Holding) -> Mapping[str, Curve]:
    """Fit the site's click-through curve per device: brand queries out, last 90 complete days."""
    found = _curves(held.history, held.sources, held.complete_through, held.history.generation, held.words.brand)
    return {device: curve for device, curve in found.items() if device}


def curve_of(held: Holding) -> Curve:
    """Fit the site's click-through curve over all devices together."""
    return _curves(held.history, held.sources, held.complete_through, held.history.generation, held.words.brand)[""]


@lru_cache(maxsize=256)
def _curves(
    history: History, sources: tuple[int, ...], through: date, generation: int, brand: BrandRule
) -> Mapping[str, Curve]:
    """Fit curves by device, and under "" that of all; kept while the store's generation is the same."""
    first = through - timedelta(CURVE_DAYS - 1)
    question = Question("query", first, through, sources=sources)
    rows = grains.rows(history, question, ("query", "device"))
    is_brand = brand_mask(history.all_texts("query"), brand)
    devices = history.all_texts("device")
    columns = _joined(rows)
    generic = ~is_brand[columns["query"]] if columns["query"].size else np.zeros(0, dtype=bool)
    found = {}
    for number, device in [(None, ""), *enumerate(devices)]:
        mine = generic if number is None else generic & (columns["device"] == number)
        shown = columns["impressions"][mine]
        place = columns["milli"][mine] / 1000 / np.maximum(shown, 1)
        found[device] = fit_curve(columns["clicks"][mine], shown, place)
    return found


def _joined(parts: Sequence[Rows]) -> dict[str, Ints]:
    names = ("query", "device", "clicks", "impressions")
    none = np.zeros(0, dtype=np.int64)
    joined = {name: np.concatenate([none, *(part.columns[name] for part in parts)]) for name in names}
    milli = [part.columns["position_sum"] * (1000 // part.scale) for part in parts]
    return joined | {"milli": np.concatenate([none, *milli])}


def split_by_device(
    held: Holding, query: Ints, both: SideBySide, curves: Mapping[str, Curve], times: float = 1.0
) -> core.RowDrivers:
    """Split the change of rows whose last key is the device; query tells which rows are of one query.

    times: what the window before counts times.
    """
    now = core.Side(both.now.clicks, both.now.impressions, both.now.position_milli)
    before = core.Side(both.before.clicks, both.before.impressions, both.before.position_milli, times)
    numbers = {name: n for n, name in enumerate(held.history.all_texts("device"))}
    return core.split_rows_by_curve(query, both.keys[-1], before, now, {numbers[name]: c for name, c in curves.items()})


def _moved(query: Ints, change: npt.NDArray[np.float64], *, named: bool) -> Ints:
    """Give the queries by how much they moved; those that did not come last where all are named, else not at all."""
    summed = np.bincount(query, weights=change, minlength=1)
    order = np.argsort(-np.abs(summed), kind="stable")
    kept = np.isin(order, query) & ((summed[order] != 0) | named)
    return np.asarray(order[kept], dtype=np.int64)


def _movers(held: Holding, both: SideBySide, rows: core.RowDrivers, top: Ints) -> list[wire.DriverRow]:
    """Join the devices of each of these queries."""
    near = np.flatnonzero(np.isin(both.keys[0], top))
    near = near[np.argsort(both.keys[0][near], kind="stable")]
    starts = np.searchsorted(both.keys[0][near], top)
    ends = np.searchsorted(both.keys[0][near], top, side="right")
    texts = held.history.texts("query", top.tolist())
    return [_mover(both, rows, near[s:e], text) for s, e, text in zip(starts, ends, texts, strict=True)]


def _mover(both: SideBySide, rows: core.RowDrivers, mine: Ints, text: str) -> wire.DriverRow:
    parts = {name: round(float(getattr(rows, name)[mine].sum()), 6) for name in core.DRIVERS[:5]}
    return wire.DriverRow(
        query=text,
        now=figures(both.now.taken(mine).sums),
        before=figures(both.before.taken(mine).sums),
        change=round(float(rows.total[mine].sum()), 6),
        **parts,
    )


def answer(site: SiteAccess, asked: ask.DriversQuery) -> wire.Drivers:
    """Answer for a site."""
    return drivers(site.holding, site.asked(asked), asked.most, asked.driver, asked.offset, season=asked.season)
