"""Verdicts: whether a change in clicks is more than a row's own noise."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
import numpy.typing as npt
from scipy.special import stdtr

Ints = npt.NDArray[np.int64]
Floats = npt.NDArray[np.float64]
Mask = npt.NDArray[np.bool_]
Verdict = Literal["fading", "slipping", "holding", "rising", "too few to tell"]
VERDICTS: tuple[Verdict, ...] = ("fading", "slipping", "holding", "rising", "too few to tell")


@dataclass(frozen=True)
class Rule:
    """The constants of the verdict (ours).

    fewest: clicks in both windows together. weeks, least_weeks: how many weeks tell a row's dispersion, and
    from how many on it is told. prior: weight of the list's own dispersion, in degrees of freedom. ratio: the
    smallest relative change that counts. most_q: false discoveries allowed in a list of falls, or of rises.
    doubt: p below which a row that fell is slipping at least.
    """

    fewest: int = 30
    weeks: int = 26
    least_weeks: int = 8
    prior: float = 20.0
    ratio: float = 0.10
    most_q: float = 0.08
    doubt: float = 0.32


RULE = Rule()


@dataclass(frozen=True)
class Judged:
    """What was found of each row, all of shape (rows,). z and p are NaN where there is too little to tell.

    verdict: places in VERDICTS. p is two-sided; q is that of the side the row moved to. z_alone and p_alone
    are the same test against the site's own change.
    """

    verdict: npt.NDArray[np.int8]
    z: Floats
    p: Floats
    q: Floats
    dispersion: Floats
    z_alone: Floats
    p_alone: Floats


def dispersion(weekly: Floats, rule: Rule = RULE) -> tuple[Floats, Floats]:
    """Estimate each row's dispersion from its weeks, oldest first; returns (φ, degrees of freedom).

    weekly has shape (rows, weeks). φ = max(1, mean of squared successive differences / (2 · mean)): von
    Neumann's (1941) variance, which slow trends and seasons hardly touch, over the mean. It carries
    2(n − 1)/3 degrees of freedom. With fewer than eight weeks, or no clicks, φ is 1 with none.
    """
    rows, weeks = weekly.shape
    if weeks < rule.least_weeks:
        return np.ones(rows), np.zeros(rows)
    mean = weekly.mean(axis=1)
    squared = (np.diff(weekly, axis=1) ** 2).mean(axis=1)
    with np.errstate(divide="ignore", invalid="ignore"):
        raw = np.where(mean > 0, squared / (2 * mean), 1.0)
    return np.maximum(1.0, raw), np.where(mean > 0, 2 * (weeks - 1) / 3, 0.0)


def shrunk(phi: Floats, freedom: Floats, eligible: Mask, rule: Rule = RULE) -> tuple[Floats, Floats]:
    """Draw each row's dispersion to the list's; returns (φ, degrees of freedom).

    (20·φ̄ + ν·φ) / (20 + ν) with φ̄ the geometric mean of the eligible rows; 20 + ν degrees of freedom.
    """
    known = eligible & (freedom > 0)
    common = float(np.exp(np.log(phi[known]).mean())) if known.any() else 1.0
    return drawn_to(common, phi, freedom, rule)


def drawn_to(common: float, phi: Floats, freedom: Floats, rule: Rule = RULE) -> tuple[Floats, Floats]:
    """Draw dispersions to a common one that weighs 20 degrees of freedom; returns (φ, degrees of freedom)."""
    return (rule.prior * common + freedom * phi) / (rule.prior + freedom), rule.prior + freedom


def z_of(now: Floats, before: Floats, ratio: Floats | float, phi: Floats | float) -> Floats:
    """Test a change: (k1 − r·k0) / √(φ·(r²·k0 + k1)); NaN without any clicks.

    >>> z_of(np.array([460.0]), np.array([529.0]), 1.0, 1.0).round(3).tolist()
    [-2.194]
    """
    spread = phi * (ratio**2 * before + now)
    with np.errstate(divide="ignore", invalid="ignore"):
        found: Floats = np.where(spread > 0, (now - ratio * before) / np.sqrt(spread), np.nan)
    return found


def two_sided(z: Floats, freedom: Floats) -> Floats:
    """Give the two-sided p of Student's t."""
    found: Floats = 2 * stdtr(freedom, -np.abs(z))
    return found


def one_sided(z: Floats, freedom: Floats) -> Floats:
    """Give the p of Student's t for a fall: small when z is far below 0."""
    found: Floats = stdtr(freedom, z)
    return found


def discovery_rate(p: Floats, at_least: int = 1) -> Floats:
    """Adjust p for the length of the list (Benjamini and Hochberg 1995); NaN stays NaN.

    at_least: a shorter list is taken for one of so many rows, so that one row alone needs more than most_q.

    >>> discovery_rate(np.array([0.01, 0.04, np.nan, 0.03])).round(3).tolist()
    [0.03, 0.04, nan, 0.04]
    """
    q = np.full(p.shape, np.nan)
    known = np.flatnonzero(~np.isnan(p))
    if not known.size:
        return q
    order = known[np.argsort(-p[known], kind="stable")]
    ranks = np.arange(known.size, 0, -1)
    q[order] = np.minimum(1.0, np.minimum.accumulate(p[order] * max(known.size, at_least) / ranks))
    return q


def judge(
    now: Ints,
    before: Ints,
    weekly: Floats,
    days_now: int,
    days_before: int,
    rule: Rule = RULE,
    site: float | None = None,
) -> Judged:
    """Judge rows: clicks now and before, shape (rows,), and their weeks before the new window, (rows, weeks).

    site: the site's own clicks now over before, per held day; with it each row is also tested against that.
    """
    k1, k0 = now.astype(np.float64), before.astype(np.float64)
    ratio = days_now / max(1, days_before)
    eligible = (k0 + k1) >= rule.fewest
    phi, freedom = shrunk(*dispersion(weekly, rule), eligible, rule)
    z = np.where(eligible, z_of(k1, k0, ratio, phi), np.nan)
    p = two_sided(z, freedom)
    q = np.where(z < 0, discovery_rate(one_sided(z, freedom)), discovery_rate(one_sided(-z, freedom)))
    z_alone = np.where(eligible, z_of(k1, k0, ratio * site, phi), np.nan) if site else np.full(z.shape, np.nan)
    verdict = _verdicts(k1, k0 * ratio, eligible, p, q, rule)
    return Judged(verdict, z, p, q, phi, z_alone, two_sided(z_alone, freedom))


def _verdicts(now: Floats, expected: Floats, eligible: Mask, p: Floats, q: Floats, rule: Rule) -> npt.NDArray[np.int8]:
    down, up = now < expected, now > expected
    fallen = down & (now <= (1 - rule.ratio) * expected)
    risen = up & (now >= (1 + rule.ratio) * expected)
    sure = np.nan_to_num(q, nan=1.0) <= rule.most_q
    doubted = np.nan_to_num(p, nan=1.0) <= rule.doubt
    cases = [~eligible, fallen & sure, down & doubted, risen & sure]
    places = [VERDICTS.index(name) for name in ("too few to tell", "fading", "slipping", "rising")]
    return np.select(cases, places, VERDICTS.index("holding")).astype(np.int8)


def months_of_decline(monthly: Floats) -> Ints:
    """Count the months in a row, up to the last known one, that each had less than the one before; shape (rows,).

    monthly: clicks a held day, shape (rows, months); NaN for a month that is not known, which ends a run.

    >>> months_of_decline(np.array([[9.0, 5.0, 6.0, 4.0, 3.0]])).tolist()
    [2]
    >>> months_of_decline(np.array([[9.0, 8.0, np.nan, 6.0, 5.0, np.nan]])).tolist()
    [1]
    """
    known = np.flatnonzero(~np.isnan(monthly).all(axis=0))
    monthly = monthly[:, : known[-1] + 1] if known.size else monthly[:, :0]
    if monthly.shape[1] < 2:
        return np.zeros(monthly.shape[0], dtype=np.int64)
    falling = (np.diff(monthly, axis=1) < 0)[:, ::-1]
    return np.asarray(np.cumprod(falling, axis=1).sum(axis=1), dtype=np.int64)


def slopes(monthly: Floats) -> Floats:
    """Fit each row's slope per month by the median of pairwise slopes (Theil 1950, Sen 1968); shape (rows,).

    monthly: shape (rows, months), each month at its place in time; those that are NaN throughout are left out.

    >>> slopes(np.array([[1.0, 2.0, 3.0, 4.0, 40.0]])).tolist()
    [1.0]
    >>> slopes(np.array([[8.0, np.nan, 4.0, 2.0]])).tolist()
    [-2.0]
    """
    known = np.flatnonzero(~np.isnan(monthly).all(axis=0))
    if known.size < 2:
        return np.zeros(monthly.shape[0])
    first, second = np.triu_indices(known.size, 1)
    left, right = known[first], known[second]
    found: Floats = np.median((monthly[:, right] - monthly[:, left]) / (right - left), axis=1)
    return found


def beyond_site(now: Ints, before: Ints, days_now: int, days_before: int, site: float | None) -> Floats:
    """Give each row's change in clicks beyond what the site's own fall would have taken from it; shape (rows,).

    k1 − k0·(d1/d0)·min(1, s), with s the site's ratio of clicks a day, now over before; where the site did not fall,
    the change itself (ours).

    >>> beyond_site(np.array([785, 249]), np.array([1154, 618]), 28, 28, 0.68).round(1).tolist()
    [0.3, -171.2]
    """
    scaled: Floats = before * days_now / days_before
    change: Floats = now - scaled * min(1.0, 1.0 if site is None else site)
    return change
