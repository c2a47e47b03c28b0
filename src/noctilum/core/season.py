"""What the year alone would have done: expected changes from earlier years, and judging a change net of them.

Everything is in logarithms of clicks a held day, as seasons multiply. Steps and constants are ours, chosen by
simulation (bench/verdicts.py).
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date, timedelta
from typing import Literal

import numpy as np
import numpy.typing as npt

from noctilum.core.verdicts import (
    RULE,
    VERDICTS,
    Floats,
    Ints,
    Judged,
    Mask,
    Rule,
    discovery_rate,
    dispersion,
    one_sided,
    shrunk,
    two_sided,
)
from noctilum.core.windows import YEAR_SHIFT, Window

HALF = 0.5
"""Added to every count of clicks, so that none has no logarithm."""
CUT, KEPT = 4.0, 0.9205
"""Squares are cut at 4 spreads; the mean of what is left of a normal one is 0.9205."""
FEWEST_ROWS = 20
"""Fewer rows tell no spread of a list, and are judged as if they were so many: one row alone must be surer."""
UNLIKE = 2.0
"""So many deviations from what is expected of it, a row's own year is expected of it instead."""
MOST_MOVED = 42
"""A holiday does not move by more days from one year to another."""
APART = 3.0
"""How much further apart the middles of the windows just outside lie than those of the windows themselves."""


@dataclass(frozen=True)
class Season:
    """The constants of the season (ours). omega: how far a year's change strays from the year before's, in logarithms.

    most_q: false discoveries allowed in a list of falls, or of rises, that are judged net of the year. alone: how far a
    row's year departs from its site's, where there is no list to tell it.
    """

    omega: float = 0.04
    least_omega: float = 0.02
    most_q: float = 0.12
    alone: float = 0.1


SEASON = Season()


@dataclass(frozen=True)
class Pair:
    """Clicks of rows and of their site in two windows, with the days held of each."""

    now: Ints
    before: Ints
    days_now: int
    days_before: int
    site_now: int
    site_before: int

    @property
    def scale(self) -> float:
        """What a ratio of clicks is of ratios of days: n1 / n0."""
        return self.days_now / max(1, self.days_before)

    def logs(self) -> tuple[Floats, float]:
        """Give ln of clicks a held day, now over before: of each row, and of the site."""
        rows = np.log((self.now + HALF) / (self.before + HALF)) - np.log(self.scale)
        return rows, float(np.log((self.site_now + HALF) / (self.site_before + HALF)) - np.log(self.scale))

    def variance(self, phi: Floats) -> Floats:
        """Give φ·(1/(now + ½) + 1/(before + ½)), the variance of a row's logarithm."""
        found: Floats = phi * (1 / (self.now + HALF) + 1 / (self.before + HALF))
        return found


@dataclass(frozen=True)
class Year:
    """The same two windows in an earlier year; outside: those of equal length just outside them, where held."""

    pair: Pair
    outside: Pair | None = None


@dataclass(frozen=True)
class Expected:
    """What is expected of each row's ln ratio a held day, (rows,), with its variance, when it falls and when it rises.

    site: of the site. omega2: how far one year strays from another, squared. by_years: how many years it rests on; with
    none it is the site's own change now (season not taken out). common: what most rows did beyond the season.
    """

    fall: Floats
    fall_variance: Floats
    rise: Floats
    rise_variance: Floats
    site: float
    omega2: float
    by_years: int
    common: float = 0.0

    def beside(self, common: float) -> Expected:
        """Expect of every row too what most rows did beyond it: that is said once, for the site."""
        return replace(self, fall=self.fall + min(0.0, common), rise=self.rise + max(0.0, common), common=common)

    def taken(self, rows: npt.NDArray[np.intp]) -> Expected:
        """Keep only some rows."""
        columns = {name: getattr(self, name)[rows] for name in ("fall", "fall_variance", "rise", "rise_variance")}
        return replace(self, **columns)


def years_back(
    now: Window, before: Window, back: int, holidays: Mapping[str, Sequence[date]]
) -> tuple[timedelta, str | None]:
    """Say how far back the same windows of so many years before lie: 364 days a year, so that weekdays stay.

    Where a moving holiday then fell on another side (now, before, neither) of the windows, they are laid by its days
    instead, in whole weeks; returns (how far, by which holiday).

    >>> april, march = (Window(date(2026, m, 1), date(2026, m, 28)) for m in (4, 3))
    >>> easter = {"Easter": (date(2025, 4, 20), date(2026, 4, 5))}
    >>> years_back(april, march, 1, easter)
    (datetime.timedelta(days=364), None)
    >>> early = Window(date(2026, 4, 5), date(2026, 4, 18)), Window(date(2026, 3, 22), date(2026, 4, 4))
    >>> years_back(*early, 1, easter)
    (datetime.timedelta(days=350), 'Easter')
    """
    usual = timedelta(YEAR_SHIFT * back)

    def side(day: date) -> int:
        return 1 if now.first <= day <= now.last else 2 if before.first <= day <= before.last else 0

    found: list[tuple[int, timedelta, str]] = []
    for name, days in holidays.items():
        for day in days:
            then = min(days, key=lambda each: abs((day - usual - each).days))
            apart = (day - usual - then).days
            if 0 < abs(apart) <= MOST_MOVED and side(day) != side(then + usual):
                found.append((abs(apart), timedelta(7 * round((day - then).days / 7)), name))
    return min(found, default=(0, usual, None))[1:]


def excess_variance(errors: Floats, variances: Floats) -> float:
    """Find how much more errors vary than their variances say.

    The t² at which the mean of min(4, e² / (t² + v)) is 0.9205, weighted by 1/(v + 0.05²); 0 under 20 rows.

    >>> rng = np.random.default_rng(1)
    >>> round(excess_variance(rng.normal(0, 0.5, 4000), np.full(4000, 0.09)), 2)
    0.16
    """
    known = np.isfinite(errors) & np.isfinite(variances)
    if known.sum() < FEWEST_ROWS:
        return 0.0
    squares, spread = errors[known] ** 2, variances[known]
    weights = 1 / (spread + 0.05**2)
    weights /= weights.sum()

    def left(t2: float) -> float:
        return float(weights @ np.minimum(CUT, squares / (t2 + spread))) - KEPT

    low, high = 0.0, float(squares.max()) + 1e-9
    if left(low) <= 0:
        return 0.0
    for _ in range(50):
        middle = (low + high) / 2
        low, high = (middle, high) if left(middle) > 0 else (low, middle)
    return (low + high) / 2


def expected_of(years: Sequence[Year], phi: Floats, now: Pair, eligible: Mask, season: Season = SEASON) -> Expected:
    """Say what the year alone would have done to each row; without years, what the site did. phi: as of rows."""
    if not years:
        return _as_the_site(now, phi, eligible)
    sites = np.array([year.pair.logs()[1] for year in years])
    variances = np.stack([year.pair.variance(phi) for year in years])
    departures, departed, of_it, omega2 = drawn(years, _departures(years), phi, eligible, season)
    mean, noise = _by_itself(departures, variances)
    off = np.where(noise > 0, (mean - departed) / np.sqrt(np.where(noise > 0, noise, 1.0)), 0.0)
    low, high = off < -UNLIKE, off > UNLIKE
    site = float(sites.mean())
    return Expected(
        site + np.where(low, mean, departed),
        np.where(low, noise, of_it),
        site + np.where(high, mean, departed),
        np.where(high, noise, of_it),
        site,
        omega2,
        len(years),
    )


def drawn(
    years: Sequence[Year], departures: Floats, phi: Floats, eligible: Mask, season: Season = SEASON
) -> tuple[Floats, Floats, Floats, float]:
    """Draw what each year says of rows' own seasons together, and to none by how far rows depart.

    departures: (years, rows), of each row from what it is set beside. Returns them without years that say otherwise
    than the others; what is expected, and its variance, (rows,) each; and how far years stray from another, squared.
    """
    sites = np.array([year.pair.logs()[1] for year in years])
    variances = np.stack([year.pair.variance(phi) for year in years])
    omega2 = _omega2(departures, variances, sites, eligible, season)
    agreeing = _agreeing(departures, variances + omega2 / 2)
    joined, spread = _joined(years, agreeing, variances, phi, eligible, omega2)
    departed, of_it = _drawn_to_none(joined, spread, eligible)
    return agreeing, departed, of_it, omega2


def _departures(years: Sequence[Year]) -> Floats:
    """Give how far each row departed from its site in each year, (years, rows); NaN where it was not there."""
    logs = [year.pair.logs() for year in years]
    seen = np.stack([(year.pair.now + year.pair.before) > 0 for year in years])
    return np.where(seen, np.stack([rows - site for rows, site in logs]), np.nan)


def _drawn_to_none(joined: Floats, spread: Floats, eligible: Mask) -> tuple[Floats, Floats]:
    """Draw departures to none by τ² / (τ² + v), τ² over the list; returns (departure, variance), both (rows,)."""
    tau2 = excess_variance(np.where(eligible, joined, np.nan), spread)
    known = np.isfinite(joined)
    weight = np.where(known, tau2 / (tau2 + np.where(known, spread, 1.0)), 0.0) if tau2 else np.zeros(joined.shape)
    return weight * np.nan_to_num(joined), np.where(known, weight * np.where(known, spread, 0.0), tau2)


def _by_itself(departures: Floats, variances: Floats) -> tuple[Floats, Floats]:
    """Give the mean of each row's departures over the years that tell, and its variance; 0 and 0 for none."""
    seen = np.isfinite(departures)
    times = np.maximum(1, seen.sum(axis=0))
    mean = np.where(seen, np.nan_to_num(departures), 0.0).sum(axis=0) / times
    return mean, np.where(seen, variances, 0.0).sum(axis=0) / times**2


def _omega2(departures: Floats, variances: Floats, sites: Floats, eligible: Mask, season: Season) -> float:
    """Say how far years stray from one another: by default, or from the years where there are two or more."""
    if len(sites) < 2:
        return season.omega**2
    apart = departures[0] - departures[1]
    rows = excess_variance(np.where(eligible, apart, np.nan), variances[0] + variances[1]) / 2
    between = float(np.var(sites, ddof=1))
    found = max(season.least_omega**2, rows / len(sites) + between)
    return min(found, 4 * season.omega**2)


def _agreeing(departures: Floats, variances: Floats) -> Floats:
    """Leave out the years that say otherwise than the others of a row, as one in which it changed for good.

    Of two that disagree the one that departs less is kept, of more those near their median; one alone cannot tell.
    """
    if len(departures) < 2:
        return departures
    if len(departures) == 2:
        centre = np.where(np.abs(departures[0]) <= np.abs(departures[1]), departures[0], departures[1])
        spread = variances.sum(axis=0)
    else:
        centre, spread = np.median(departures, axis=0), 2 * variances.mean(axis=0)
    strange = np.abs(departures - centre) > UNLIKE * np.sqrt(spread)
    return np.where(strange, np.nan, departures)


def over(days: int, season: Season = SEASON) -> Season:
    """Give the constants for windows of so many days: a row's year departs the farther, the longer they are."""
    return replace(season, alone=season.alone * days / 28)


def untold(days: int, season: Season = SEASON) -> float:
    """Say how much a row's own year may depart where no earlier one is held, in squared logarithms.

    (alone · days / 28)²: what the years of rows depart by, more over longer windows, as a season goes on.

    >>> round(untold(28), 4), round(untold(84), 4)
    (0.01, 0.09)
    """
    return over(days, season).alone ** 2


def departure(found: Floats, variances: Floats, season: Season = SEASON) -> tuple[float, float]:
    """Say how far one row's year departs from what it is set beside, from earlier years; returns (it, its variance).

    found: ln of its change less ln of that of what it is set beside, by year, (years,), with its variances. Drawn to
    none by τ² / (τ² + v), v the variance of the mean of the years that agree, for want of a list to tell τ from.

    >>> departure(np.array([]), np.array([]))
    (0.0, 0.0)
    >>> [round(float(x), 4) for x in departure(np.array([-0.4]), np.array([0.0084]))]
    [-0.2, 0.0066]
    """
    if not found.size:
        return 0.0, 0.0
    kept = _agreeing(found[:, None], variances[:, None] + season.omega**2 / 2)[:, 0]
    years = np.isfinite(kept)
    times, stray = int(years.sum()), season.omega**2
    variance = float(variances[years].sum()) / times**2 + stray / times
    weight = season.alone**2 / (season.alone**2 + variance)
    return weight * float(kept[years].mean()), weight * variance + stray


def _joined(
    years: Sequence[Year], departures: Floats, variances: Floats, phi: Floats, eligible: Mask, omega2: float
) -> tuple[Floats, Floats]:
    """Join what each year says of a row's own season by inverse variance; returns (departure, variance)."""
    parts, spreads = list(departures), [variance + omega2 / 2 for variance in variances]
    for n, year in enumerate(years):
        if year.outside is None:
            continue
        rows, site = year.outside.logs()
        told = (year.outside.now + year.outside.before > 0) & np.isfinite(departures[n])
        wide = np.where(told, (rows - site) / APART, np.nan)
        variance = year.outside.variance(phi) / APART**2
        kappa2 = excess_variance(np.where(eligible, departures[n] - wide, np.nan), variances[n] + variance)
        parts.append(wide)
        spreads.append(variance + kappa2)
    values, inverse = np.stack(parts), 1 / np.stack(spreads)
    known = np.isfinite(values)
    total = np.where(known, inverse, 0.0).sum(axis=0)
    with np.errstate(invalid="ignore", divide="ignore"):
        joined = np.where(known, values * inverse, 0.0).sum(axis=0) / total
        return np.where(total > 0, joined, np.nan), np.where(total > 0, 1 / total, np.inf)


def _as_the_site(now: Pair, phi: Floats, eligible: Mask) -> Expected:
    """Expect what the site itself did, where it fell: with the spread by which its rows differ from it."""
    rows, site = now.logs()
    expected = min(0.0, site)
    spread = excess_variance(np.where(eligible, rows - site, np.nan), now.variance(phi)) if expected < 0 else 0.0
    column, variance = np.full(phi.shape, expected), np.full(phi.shape, spread)
    return Expected(column, variance, np.zeros(phi.shape), np.zeros(phi.shape), expected, 0.0, 0)


def judge_net(
    now: Pair,
    weekly: Floats,
    years: Sequence[Year],
    rule: Rule = RULE,
    season: Season = SEASON,
    *,
    beside: bool = True,
) -> tuple[Judged, Expected]:
    """Judge rows net of what the year does. weekly: clicks a week before the new window, (rows, weeks).

    z = [ln((k1 + ½)/(k0 + ½)) − ln(n1/n0) − e] / √(φ·(1/(k1 + ½) + 1/(k0 + ½)) + u + ω²), with Student's t, rates of
    false discovery for falls and rises apart, and a tenth as the least change, as in verdicts.judge. beside: what most
    rows did beyond the season is taken out as well, as it is their site's.
    """
    eligible = (now.now + now.before) >= rule.fewest
    phi, freedom = shrunk(*dispersion(weekly, rule), eligible, rule)
    expected = expected_of(years, phi, now, eligible, season)
    own, _ = now.logs()
    noise = now.variance(phi)
    if expected.by_years and beside:
        expected = expected.beside(common_departure(own - expected.fall, noise, eligible))
    falls = own < expected.fall
    rises = own > expected.rise
    down = (own - expected.fall) / np.sqrt(noise + expected.fall_variance + expected.omega2)
    up = (own - expected.rise) / np.sqrt(noise + expected.rise_variance + expected.omega2)
    z = np.where(eligible, np.where(falls, down, np.where(rises, up, 0.0)), np.nan)
    p = two_sided(z, freedom)
    fall_q, rise_q = (discovery_rate(one_sided(side * z, freedom), FEWEST_ROWS) for side in (1, -1))
    q = np.where(z < 0, fall_q, rise_q)
    verdict = _verdicts(own, expected, eligible, p, q, replace(rule, most_q=season.most_q))
    none = np.full(z.shape, np.nan)
    return Judged(verdict, z, p, q, phi, none, none), expected


@dataclass(frozen=True)
class SiteJudged:
    """The whole site net of its season: its ln ratio a held day, what the year let expect, and how sure the rest is."""

    own: float
    expected: float
    by_years: int
    z: float
    p: float

    @property
    def beyond(self) -> float:
        """How much more it changed than the year alone would have made it: exp(own − expected) − 1."""
        return float(np.exp(self.own - self.expected) - 1)


def judge_site(now: Pair, weekly: Floats, years: Sequence[Year], season: Season = SEASON) -> SiteJudged:
    """Judge a whole site; without years nothing is expected. weekly: its clicks a week before the window, (weeks,)."""
    phi, freedom = dispersion(weekly[None, :])
    _, own = now.logs()

    def noise(pair: Pair) -> float:
        return float(phi[0]) * (1 / (pair.site_now + HALF) + 1 / (pair.site_before + HALF))

    logs = np.array([year.pair.logs()[1] for year in years])
    expected = float(logs.mean()) if years else 0.0
    spread = noise(now) + sum(noise(year.pair) for year in years) / max(1, len(years)) ** 2
    stray = 0.0
    if years:
        stray = season.omega**2 if len(years) == 1 else max(season.least_omega**2, float(logs.var(ddof=1)))
    z = (own - expected) / np.sqrt(spread + stray)
    return SiteJudged(own, expected, len(years), float(z), float(two_sided(np.array([z]), freedom + RULE.prior)[0]))


def band(
    daily: Sequence[Floats],
    levels: Sequence[float],
    level: float,
    phi: float,
    season: Season = SEASON,
    *,
    weeks: Literal[1, 3] = 3,
) -> tuple[Floats, Floats]:
    """Say what earlier years let expect of each day: (expected, its variance), NaN where no year tells; shape (days,).

    daily: clicks by day of the same window of each year, from a week before it to a week after, (days + 14,), NaN where
    not held. levels: clicks a held day in each year's window before; level: in that before the window now. weeks: of
    how many the same weekdays tell one day; 1 where a holiday stands out of its weeks. Expected = level · mean of (the
    same weekdays of so many weeks / level then); variance φ·expected + (ω·expected)² + what the years' own days leave
    open.
    """
    told = [
        (_weekly_mean(days) if weeks == 3 else days[7:-7]) / then
        for days, then in zip(daily, levels, strict=True)
        if then > 0
    ]
    if not told or level <= 0:
        none = np.full(max(0, len(daily[0]) - 14) if daily else 0, np.nan)
        return none, none
    shares = np.stack(told)
    years = np.isfinite(shares).sum(axis=0)
    with np.errstate(invalid="ignore"):
        expected = level * np.where(years > 0, np.nansum(shares, axis=0) / np.maximum(years, 1), np.nan)
    open_ = phi * expected * level / (weeks * np.maximum(years, 1) * float(np.mean(levels)))
    return expected, phi * expected + (season.omega * expected) ** 2 + open_


def _weekly_mean(days: Floats) -> Floats:
    """Give the mean of a day and of the same weekdays a week before and after, of those that are held."""
    parts = np.stack([days[:-14], days[7:-7], days[14:]])
    held = np.isfinite(parts).sum(axis=0)
    return np.where(held > 0, np.nansum(parts, axis=0) / np.maximum(held, 1), np.nan)


def common_departure(departures: Floats, variances: Floats, eligible: Mask) -> float:
    """Give what most rows did beyond what was expected: the median, weights 1/(variance + 0.05²); 0 under 20 rows."""
    rows = np.flatnonzero(eligible & np.isfinite(departures))
    if rows.size < FEWEST_ROWS:
        return 0.0
    order = rows[np.argsort(departures[rows], kind="stable")]
    weights = np.cumsum(1 / (variances[order] + 0.05**2))
    return float(departures[order[np.searchsorted(weights, weights[-1] / 2)]])


def _verdicts(
    own: Floats, expected: Expected, eligible: Mask, p: Floats, q: Floats, rule: Rule
) -> npt.NDArray[np.int8]:
    fallen = own <= expected.fall + np.log(1 - rule.ratio)
    risen = own >= expected.rise + np.log(1 + rule.ratio)
    sure = np.nan_to_num(q, nan=1.0) <= rule.most_q
    doubted = (own < expected.fall) & (np.nan_to_num(p, nan=1.0) <= rule.doubt)
    cases = [~eligible, fallen & sure, doubted, risen & sure]
    places = [VERDICTS.index(name) for name in ("too few to tell", "fading", "slipping", "rising")]
    return np.select(cases, places, VERDICTS.index("holding")).astype(np.int8)
