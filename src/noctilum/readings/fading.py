"""Fading: pages or queries judged against their own noise, with the reason for each."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date, timedelta

import numpy as np
import numpy.typing as npt

from noctilum.core import drivers as split
from noctilum.core import verdicts as core
from noctilum.core.errors import Nonsense, worded
from noctilum.core.season import Expected, SiteJudged, judge_net, judge_site
from noctilum.core.successors import heir
from noctilum.core.table import Grouped, SideBySide, nothing, side_by_side
from noctilum.core.windows import Window
from noctilum.readings.drivers import curves_of, split_by_device
from noctilum.readings.frame import Asked, Frame, frame, grain_of
from noctilum.readings.header import change_of, figures, header
from noctilum.readings.holding import Holding
from noctilum.readings.narrow import Ids
from noctilum.readings.rows_of import Floats, Ints, Slice, last_months, spread, weeks_before
from noctilum.readings.season import laid_by, now_of, takes_a_season_out, weeks_of, years_of
from noctilum.readings.season import told as told_season
from noctilum.readings.site_access import SiteAccess, rows_asked
from noctilum.wire import explain as wire
from noctilum.wire import questions as ask

MONTHS = 12
LEAST_MONTHS = 3
MOST_MOVERS = 10
MOST_QUERIES = 500
SILENT_DAYS = 7
"""Not shown for so long at the end of the window: it left (ours)."""
_DRIVERS = split.DRIVERS[:5]


@dataclass(frozen=True)
class _Told:
    """What is told of the rows shown, each of shape (rows,) or (rows, steps)."""

    weeks: Floats
    held: npt.NDArray[np.bool_]
    down: Ints
    slopes: Floats
    parts: Mapping[str, Floats]
    beyond: Floats
    last_shown: Ints
    days_shown: Ints


def fading(
    held: Holding,
    asked: Asked,
    item: wire.Item,
    verdicts: Sequence[str] = (),
    page: Slice | None = None,
    *,
    season: bool = True,
) -> wire.Judgements:
    """Judge every page or query of a frame; give those with the wanted verdicts, most lost first.

    Rows are judged net of what the year does, where a year is held, else of the site's own fall; what a row lost beyond
    that counts. What most rows did beyond the season is said once, for the site. season: False judges as counted.
    verdicts: none wanted gives fading and slipping. Raises Nonsense for windows without a comparison.
    """
    page = page or Slice()
    of = frame(held, asked, (item,))
    _check(of, verdicts)
    grain = grain_of({item} | of.dims)
    both = side_by_side(of.read(grain, (item,)), of.read(grain, (item,), before=True))
    ids = both.keys[0]
    days = max(1, len(of.now_days)), max(1, len(of.before_days))
    site = _site_ratio(of, grain, both, days)
    found, net, daily = _judged(of, grain, item, both, days, site, season)
    moved = both.now.clicks - both.before.clicks * days[0] / days[1]
    wanted = np.isin(found.verdict, [core.VERDICTS.index(name) for name in verdicts or ("fading", "slipping")])
    listed = of.narrow.listed(both, of.times)
    rows = np.flatnonzero(wanted) if listed is None else np.intersect1d(np.flatnonzero(wanted), listed)
    beyond = core.beyond_site(both.now.clicks, both.before.clicks, *days, site)
    kept = net.left(both.now.clicks, both.before.clicks, days) if net else beyond
    order = rows[np.lexsort((ids[rows], kept[rows]))]
    if verdicts and set(verdicts) == {"rising"}:
        order = order[::-1]
    shown = page.of(order)
    told = _told(of, grain, item, ids[shown], daily, beyond[shown])
    heirs = _heirs(of, ids[shown], told) if item == "page" else {}
    labels = held.history.texts(item, ids[shown].tolist())
    sums = [_sum(of, found, moved, place, name) for place, name in enumerate(core.VERDICTS)]
    lost, gained = float(moved[moved < 0].sum()), float(moved[moved > 0].sum())
    return wire.Judgements(
        **header(of, grain),
        item=item,
        season=told_season(net.site if net else None, laid_by(of)),
        rows=[
            _row(of, both, found, told, n, int(at), labels[n], heirs.get(int(ids[at]))).model_copy(
                update=_beyond_season(net, kept, int(at))
            )
            for n, at in enumerate(shown)
        ],
        offset=page.offset,
        matching=int(order.size),
        verdicts=sums,
        lost=round(lost, 3) if of.comparable else None,
        gained=round(gained, 3) if of.comparable else None,
        net=round(lost + gained, 3) if of.comparable else None,
        fallers=_movers(of, item, both, found, moved, listed),
        risers=_movers(of, item, both, found, -moved, listed),
    )


def _check(of: Frame, verdicts: Sequence[str]) -> None:
    if of.against is None:
        raise Nonsense(
            "nothing-compared", "A verdict needs a window to compare with.", where="against", remedy="before or year"
        )
    for name in verdicts:
        if name not in core.VERDICTS:
            raise Nonsense(
                "no-such-verdict",
                worded("There is no verdict {name!r}.", name=name),
                where="verdict",
                remedy=", ".join(core.VERDICTS),
            )


@dataclass(frozen=True)
class _Daily:
    """Rows by day over the weeks before and the window, of the ids given."""

    ids: Ints
    rows: Grouped

    def of(self, ids: Ints) -> Grouped | None:
        """Give the days of some ids; None when they were not read."""
        if not np.isin(ids, self.ids).all():
            return None
        return self.rows.taken(np.isin(self.rows.keys[0], ids))


def _judged(
    of: Frame, grain: str, item: str, both: SideBySide, days: tuple[int, int], site: float | None, season: bool
) -> tuple[core.Judged, _Net | None, _Daily]:
    """Judge all rows; those with enough clicks by their own weeks. Nothing can be told of windows not held."""
    rule = core.RULE if of.comparable else replace(core.RULE, fewest=1 << 62)
    enough = np.flatnonzero(both.now.clicks + both.before.clicks >= rule.fewest)
    span, whole = weeks_before(of, rule.weeks)
    kept = np.flatnonzero(whole[: rule.weeks])
    weekly = np.zeros((both.keys[0].size, kept.size))
    ids = both.keys[0][enough]
    daily = _Daily(ids, _by_day(of, grain, item, ids))
    at = (daily.rows.keys[1] - span.first.toordinal()) // 7
    weekly[enough] = spread(daily.rows, ids, at, rule.weeks)[:, kept]
    counted = core.judge(both.now.clicks, both.before.clicks, weekly, *days, rule, site)
    if not season or not takes_a_season_out(of):
        return counted, None, daily
    asked = now_of(of, both.now.clicks, both.before.clicks)
    years = years_of(of, grain, item, both.keys[0])
    judged, expected = judge_net(asked, weekly, years, rule)
    whole_site = judge_site(asked, weeks_of(of), years)
    judged = replace(judged, z_alone=counted.z_alone, p_alone=counted.p_alone)
    return judged, _Net(expected, whole_site), daily


@dataclass(frozen=True)
class _Net:
    """What the year alone would have done: to each row, and to the site."""

    expected: Expected
    site: SiteJudged

    def left(self, now: Ints, before: Ints, days: tuple[int, int]) -> Floats:
        """Give clicks now less those that the year alone would have left, for falls; rows that rose by theirs."""
        scaled = before * days[0] / days[1]
        fell = now - scaled * np.exp(self.expected.fall)
        rose = now - scaled * np.exp(self.expected.rise)
        return np.where(fell < 0, fell, np.maximum(rose, 0.0))


def _beyond_season(net: _Net | None, kept: Floats, at: int) -> dict[str, float | None]:
    if net is None:
        return {}
    side = net.expected.fall if kept[at] < 0 else net.expected.rise
    return {"expected": round(float(np.expm1(side[at])), 6), "beyond_season": round(float(kept[at]), 3)}


def _by_day(of: Frame, grain: str, item: str, ids: Ints) -> Grouped:
    if not ids.size:
        return nothing(2)
    span, _ = weeks_before(of, core.RULE.weeks)
    return of.read_days(
        grain, (item, "day"), span, only={item: tuple(ids.tolist())}, measures=("clicks", "impressions")
    )


def _site_ratio(of: Frame, grain: str, both: SideBySide, days: tuple[int, int]) -> float | None:
    """Divide the site's clicks a day now by those before; under a filter on queries, those of the rows."""
    if "query" in of.dims:
        now, before = both.now.sums, both.before.sums
    else:
        total = grain_of(of.dims)
        now, before = of.read(total, ()).sums, of.read(total, (), before=True).sums
    return (now.clicks / days[0]) / (before.clicks / days[1]) if now.clicks and before.clicks else None


def _told(of: Frame, grain: str, item: str, ids: Ints, read: _Daily, beyond: Floats) -> _Told:
    only = {item: tuple(ids.tolist())}
    span, whole = weeks_before(of, core.RULE.weeks)
    known = read.of(ids)
    daily = _by_day(of, grain, item, ids) if known is None else known
    weeks = spread(daily, ids, (daily.keys[1] - span.first.toordinal()) // 7, whole.size)
    months = last_months(of, MONTHS)
    monthly = np.full((ids.size, len(months)), np.nan)
    for n, (month, held) in enumerate(months):
        if held:
            found = of.read_days(grain, (item,), month, only=only)
            monthly[:, n] = spread(found, ids, np.zeros(len(found), dtype=np.int64), 1)[:, 0] / held
    last, days = _when_shown(daily, ids)
    told = sum(held > 0 for _, held in months)
    enough = monthly[: ids.size if told >= LEAST_MONTHS else 0]
    down, slopes = core.months_of_decline(enough), core.slopes(enough)
    return _Told(weeks, whole, down, slopes, _parts(of, item, ids, only), beyond, last, days)


def _when_shown(daily: Grouped, ids: Ints) -> tuple[Ints, Ints]:
    """Give each row's last day with impressions (an ordinal, 0 for none) and on how many days it had any."""
    seen = daily.taken(daily.impressions > 0)
    order = np.argsort(ids, kind="stable")
    place = order[np.searchsorted(ids[order], seen.keys[0])]
    last = np.zeros(ids.size, dtype=np.int64)
    np.maximum.at(last, place, seen.keys[1])
    return last, np.bincount(place, minlength=ids.size).astype(np.int64)


def _parts(of: Frame, item: str, ids: Ints, only: Mapping[str, tuple[int, ...]]) -> Mapping[str, Floats]:
    """Split each shown row's change by the queries and devices it is made of."""
    if of.pairing is None or not of.comparable or not ids.size:
        return {}
    by = ("query", "device") if item == "query" else ("page", "query", "device")
    grain = grain_of({*by} | of.dims)
    if not of.holds(grain):
        return {}
    both = side_by_side(of.read(grain, by, only=only), of.read(grain, by, before=True, only=only))
    own = both.keys[0]
    query = own if item == "query" else _codes(own, both.keys[1])
    rows = split_by_device(of.held, query, both, curves_of(of.held), of.times)
    order = np.argsort(ids, kind="stable")
    place = order[np.searchsorted(ids[order], own)]
    summed = {name: np.bincount(place, weights=getattr(rows, name), minlength=ids.size) for name in _DRIVERS}
    return {name: np.asarray(part, dtype=np.float64) for name, part in summed.items()}


def _codes(page: Ints, query: Ints) -> Ints:
    """Number the pairs of page and query from 0."""
    _, codes = np.unique(page * (int(query.max(initial=0)) + 1) + query, return_inverse=True)
    return np.asarray(codes, dtype=np.int64)


def _heirs(of: Frame, pages: Ints, told: _Told) -> dict[int, str]:
    """Find by page which other page took the queries of those that are gone."""
    gone = [int(p) for n, p in enumerate(pages) if _gone(of, _last(told, n), int(told.days_shown[n]))]
    if not gone or not of.comparable or not of.holds("pair"):
        return {}
    mine = of.read("pair", ("page", "query"), before=True, only={"page": tuple(gone)})
    top = np.argsort(-mine.impressions, kind="stable")[:MOST_QUERIES]
    queries = {"query": tuple(np.unique(mine.keys[1][top]).tolist())}
    since = Window(of.window.last - timedelta(SILENT_DAYS - 1), of.window.last)
    without = replace(of, narrow=replace(of.narrow, ids=_without_page(of.narrow.ids)))
    before = without.read("pair", ("query", "page"), before=True, only=queries)
    now = without.read_days("pair", ("query", "page"), since, only=queries)
    found = {page: heir(page, before, now, len(of.before_days), SILENT_DAYS) for page in gone}
    known = {page: number for page, number in found.items() if number is not None}
    return dict(zip(known, of.held.history.texts("page", list(known.values())), strict=True))


def _without_page(ids: Ids | None) -> Ids | None:
    """Let any page be an heir, also one that a filter on pages leaves out."""
    return None if ids is None else {name: each for name, each in ids.items() if name != "page"}


def _last(told: _Told, n: int) -> date | None:
    return date.fromordinal(int(told.last_shown[n])) if told.last_shown[n] else None


def _row(
    of: Frame, both: SideBySide, found: core.Judged, told: _Told, n: int, at: int, label: str, heir_of: str | None
) -> wire.Judgement:
    now, before = both.now.row(at), both.before.row(at)
    parts = {name: round(float(told.parts[name][n]), 3) if told.parts else 0.0 for name in _DRIVERS}
    moved = now.clicks - before.clicks * of.times
    unlisted = round(moved - sum(parts.values()), 3) if told.parts else 0.0
    last = _last(told, n)
    gone = _gone(of, last, int(told.days_shown[n]))
    return wire.Judgement(
        key=label,
        now=figures(now),
        before=figures(before),
        change=change_of(of.change(now, before)),
        verdict=core.VERDICTS[int(found.verdict[at])],
        z=_known(found.z[at]),
        p=_known(found.p[at]),
        q=_known(found.q[at]),
        dispersion=round(float(found.dispersion[at]), 4),
        beside_site=_beside(float(found.z_alone[at]), float(found.p_alone[at])),
        beyond_site=round(float(told.beyond[n]), 3) if of.comparable else None,
        expected=None,
        beyond_season=None,
        gone=gone,
        last_shown=last,
        heir=heir_of,
        months_down=int(told.down[n]) if told.down.size else None,
        slope=round(float(told.slopes[n]), 4) if told.slopes.size else None,
        split=bool(told.parts),
        **parts,
        unlisted=unlisted,
        weeks=[int(c) if h else None for c, h in zip(told.weeks[n], told.held, strict=True)],
    )


def _gone(of: Frame, last: date | None, days_shown: int) -> bool:
    """Say whether a row that used to be shown most days was not shown on the last seven of the window."""
    if last is None:
        return False
    silent = (of.window.last - last).days
    return silent >= SILENT_DAYS and days_shown >= SILENT_DAYS * 2


def _known(value: float) -> float | None:
    return None if np.isnan(value) else float(value)


def _beside(z: float, p: float) -> str | None:
    if np.isnan(z):
        return None
    if p > core.RULE.doubt:
        return "with the site"
    return "more than the site" if z < 0 else "less than the site"


def _movers(
    of: Frame, item: str, both: SideBySide, found: core.Judged, moved: Floats, listed: npt.NDArray[np.intp] | None
) -> list[wire.Mover]:
    """Give the rows with the most below 0, of those that a filter on results leaves."""
    if not of.comparable:
        return []
    rows = np.arange(moved.size) if listed is None else listed
    rows = rows[moved[rows] < 0]
    top = rows[np.lexsort((both.keys[0][rows], moved[rows]))][:MOST_MOVERS]
    labels = of.held.history.texts(item, both.keys[0][top].tolist())
    return [_mover(of, both, found, int(at), label) for at, label in zip(top, labels, strict=True)]


def _mover(of: Frame, both: SideBySide, found: core.Judged, at: int, label: str) -> wire.Mover:
    now, before = both.now.row(at), both.before.row(at)
    return wire.Mover(
        key=label,
        now=figures(now),
        before=figures(before),
        change=change_of(of.change(now, before)),
        verdict=core.VERDICTS[int(found.verdict[at])],
    )


def _sum(of: Frame, found: core.Judged, moved: Floats, place: int, name: core.Verdict) -> wire.VerdictSum:
    mine = found.verdict == place
    change = round(float(moved[mine].sum()), 3) if of.comparable else None
    return wire.VerdictSum(verdict=name, rows=int(mine.sum()), change=change)


def answer(site: SiteAccess, asked: ask.FadingQuery) -> wire.Judgements:
    """Answer for a site."""
    return fading(site.holding, site.asked(asked), asked.item, asked.verdict, rows_asked(asked), season=asked.season)
