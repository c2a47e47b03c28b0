"""Trials, simulated where the truth is known: quiet ones first, then ones with an effect; and against plain loops."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from noctilum.core import trials

TRIALS = 1500


def series(rng: np.random.Generator, weeks: int, rise: float, own: float = 0.6) -> tuple[np.ndarray, np.ndarray]:
    """Weekly clicks of a treated and a control group: a season and shocks in common, and each its own, correlated."""
    at = np.arange(weeks)
    common = 0.4 * np.sin(2 * np.pi * at / 52) + rng.normal(0, 0.1, weeks).cumsum() * 0.2
    noise = np.zeros((2, weeks))
    for n in range(1, weeks):
        noise[:, n] = own * noise[:, n - 1] + rng.normal(0, 0.035, 2)
    rises = np.where(at >= weeks - trials.USUAL_AFTER, math.log1p(rise), 0.0)
    return rng.poisson(900 * np.exp(common + noise[0] + rises)), rng.poisson(1500 * np.exp(common + noise[1]))


def read(rng: np.random.Generator, rise: float, own: float = 0.6) -> trials.Effect:
    treated, control = series(rng, trials.PAST + trials.USUAL_AFTER, rise, own)
    x = trials.log_ratios(treated, control)
    found = trials.effect(x[: trials.PAST], x[trials.PAST :])
    assert found is not None
    return found


@pytest.mark.parametrize("own", [0.0, 0.3, 0.6])
def test_quiet_trials_are_told_quiet_and_intervals_hold_the_truth(own):
    rng = np.random.default_rng(4)
    found = [read(rng, 0.0, own) for _ in range(TRIALS)]
    assert np.mean([each.low <= 0 <= each.high for each in found]) > 0.925
    assert np.mean([each.verdict == "better" for each in found]) < 0.04


@pytest.mark.parametrize(("rise", "least"), [(0.15, 0.5), (0.3, 0.93)])
def test_effects_are_found_with_their_size(rise, least):
    rng = np.random.default_rng(5)
    found = [read(rng, rise) for _ in range(TRIALS)]
    assert np.mean([each.verdict == "better" for each in found]) > least
    assert np.mean([each.low <= rise <= each.high for each in found]) > 0.92
    assert np.median([each.effect for each in found]) == pytest.approx(rise, abs=0.01)


def test_what_is_promised_before_is_what_is_found_after():
    """The rise that four of five trials are said to show is shown by about so many of them."""
    rng = np.random.default_rng(6)
    shown = total = 0
    for _ in range(400):
        treated, control = series(rng, trials.PAST, 0.0)
        known = trials.scatter(trials.log_ratios(treated, control))
        rise = trials.smallest_shown(known)
        shown += read(rng, rise).verdict == "better"
        total += 1
    assert 0.68 < shown / total < 0.92


@given(
    st.lists(st.integers(0, 5000), min_size=30, max_size=30), st.lists(st.integers(1, 5000), min_size=30, max_size=30)
)
def test_the_effect_is_that_of_plain_sums(treated, control):
    x = [math.log((t + 0.5) / (c + 0.5)) for t, c in zip(treated, control, strict=True)]
    found = trials.effect(np.array(x[:26]), np.array(x[26:]))
    assert found is not None
    moved = sum(x[26:]) / 4 - sum(x[14:26]) / 12
    assert math.log1p(found.effect) == pytest.approx(moved, abs=1e-9)
    mean = sum(x[:26]) / 26
    v = sum((each - mean) ** 2 for each in x[:26]) / 25
    r = 0.0 if v == 0 else sum((x[n + 1] - mean) * (x[n] - mean) for n in range(25)) / 25 / v
    r = 0.0 if v == 0 else min(0.6, max(0.0, r + (1 + 3 * r) / 26))

    def of_mean(n: int) -> float:
        return (1 + 2 * sum((1 - k / n) * r**k for k in range(1, n))) / n

    v /= max(0.5, 1 - (26 * of_mean(26) - 1) / 25)
    half = 2.2281388519649385 * math.sqrt(v * (of_mean(12) + of_mean(4)))
    assert math.log1p(found.high) == pytest.approx(moved + half, abs=1e-6)


def test_a_week_that_is_not_held_is_left_out_and_too_few_tell_nothing():
    x = np.random.default_rng(1).normal(0, 0.05, 26)
    x[20] = np.nan
    found = trials.effect(x, np.array([np.nan, 0.3, 0.3, 0.3]))
    assert (found.weeks_before, found.weeks_after) == (11, 3)
    assert trials.effect(np.full(26, np.nan), np.array([0.3])) is None
    assert trials.effect(x, np.array([np.nan])) is None


def test_more_weeks_show_smaller_rises_and_noise_takes_longer():
    quiet, loud = trials.Scatter(0.001, 0.3, 26), trials.Scatter(0.2, 0.6, 26)
    rises = [trials.smallest_shown(quiet, weeks) for weeks in (1, 2, 4, 8, 16)]
    assert rises == sorted(rises, reverse=True)
    weeks = trials.weeks_to_show(quiet)
    assert trials.smallest_shown(quiet, weeks) <= 0.1 < trials.smallest_shown(quiet, weeks - 1)
    assert trials.weeks_to_show(loud) is None


def test_what_moved_alike_is_found_and_a_trend_is_no_likeness():
    rng = np.random.default_rng(2)
    shocks = rng.normal(0, 0.3, 30)
    treated = rng.poisson(500 * np.exp(shocks))
    twins = rng.poisson(300 * np.exp(shocks + rng.normal(0, 0.05, (5, 30))))
    others = rng.poisson(300 * np.exp(rng.normal(0, 0.3, (40, 30))))
    trend = rng.poisson(200 * np.exp(np.linspace(0, 2, 30)))[None]
    found = trials.alike(treated, np.concatenate([others, twins, trend]), least=0.6)
    assert set(found.tolist()) == {40, 41, 42, 43, 44}
