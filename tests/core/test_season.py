"""What the year alone would have done: laws, worked numbers, and sites where the truth is known, quiet ones first."""

import numpy as np
import pytest
from bench.verdicts import CASES, trial
from hypothesis import given
from hypothesis import strategies as st

from noctilum.core.season import Pair, Year, common_departure, excess_variance, judge_net, judge_site
from noctilum.core.verdicts import VERDICTS

BY_NAME = {case.name: case for case in CASES}


def pair(now, before, days=28, site=None) -> Pair:
    now, before = np.asarray(now), np.asarray(before)
    return Pair(now, before, days, days, *(site or (int(now.sum()), int(before.sum()))))


def quiet(rows: int, clicks: float) -> np.ndarray:
    return np.random.default_rng(3).poisson(clicks / 4, (rows, 26)).astype(np.float64)


def verdict(found, row: int = 0) -> str:
    return VERDICTS[int(found.verdict[row])]


def test_a_fall_as_every_autumn_is_held_and_the_page_that_was_deleted_is_not():
    """40 pages fall by 40%, as they did a year ago; one more page, deleted now, kept its clicks then."""
    before, now = np.full(41, 1000), np.full(41, 600)
    now[40] = 0
    last = np.full(41, 620)
    last[40] = 980
    found, expected = judge_net(pair(now, before), quiet(41, 1000), [Year(pair(last, np.full(41, 1000)))])
    assert {verdict(found, n) for n in range(40)} == {"holding"}
    assert verdict(found, 40) == "fading"
    assert np.exp(expected.site) == pytest.approx((40 * 620 + 980 + 0.5) / (41_000 + 0.5))
    assert expected.by_years == 1


def test_what_most_pages_did_beyond_the_season_is_said_for_the_site_only():
    now, last = np.full(60, 700), np.full(60, 1000)
    found, expected = judge_net(pair(now, np.full(60, 1000)), quiet(60, 1000), [Year(pair(last, last))])
    assert {verdict(found, n) for n in range(60)} == {"holding"}
    assert np.exp(expected.common) == pytest.approx(0.7, abs=0.01)
    site = judge_site(pair(now, np.full(60, 1000)), quiet(60, 1000).sum(axis=0), [Year(pair(last, last))])
    assert site.beyond == pytest.approx(-0.3, abs=0.01)
    assert site.p < 0.001


def test_a_site_that_did_as_last_year_is_not_news():
    asked, year = pair([600, 400], [1000, 700]), Year(pair([590, 415], [1000, 690]))
    site = judge_site(asked, quiet(2, 1000).sum(axis=0), [year])
    assert site.p > 0.3
    assert site.own == pytest.approx(np.log(1000.5 / 1700.5))


def test_windows_of_unequal_length_are_read_by_the_day():
    asked = Pair(np.array([310]), np.array([280]), 31, 28, 310, 280)
    rows, site = asked.logs()
    assert rows[0] == pytest.approx(np.log(310.5 / 280.5 * 28 / 31))
    assert site == pytest.approx(rows[0])


def test_without_an_earlier_year_a_fall_with_the_site_is_no_news_and_a_rise_is_judged_as_it_is():
    before = np.full(30, 1000)
    found, expected = judge_net(pair(np.full(30, 650), before), quiet(30, 1000), [])
    assert {verdict(found, n) for n in range(30)} == {"holding"}
    assert expected.by_years == 0
    found, _ = judge_net(pair(np.full(30, 1400), before), quiet(30, 1000), [])
    assert verdict(found) == "rising"


def test_a_page_that_really_changed_a_year_ago_is_seen_through_where_two_years_are_held():
    """It rose by half last year and holds now: one year would expect it to rise again."""
    rows = 40
    flat = np.full(rows, 1000)
    risen = flat.copy()
    risen[0] = 1600
    years = [Year(pair(risen, flat)), Year(pair(flat, flat))]
    two, _ = judge_net(pair(np.full(rows, 1010), flat), quiet(rows, 1000), years)
    assert verdict(two) == "holding"


@given(st.integers(0, 2**31), st.floats(0.0, 0.5))
def test_excess_variance_finds_what_was_put_in(seed, spread):
    rng = np.random.default_rng(seed)
    variances = rng.uniform(0.005, 0.02, 3000)
    errors = rng.normal(0, np.sqrt(spread**2 + variances))
    assert excess_variance(errors, variances) == pytest.approx(spread**2, abs=0.012 + 0.12 * spread**2)


def test_few_rows_tell_no_spread_and_nothing_in_common():
    assert excess_variance(np.full(19, 3.0), np.full(19, 0.01)) == 0.0
    assert common_departure(np.full(19, -0.5), np.full(19, 0.01), np.ones(19, dtype=bool)) == 0.0


@pytest.mark.parametrize(
    ("name", "least_middle", "least_large"),
    [
        ("one season, 14 months", 0.20, 0.70),
        ("own seasons, 39 months", 0.35, 0.90),
        ("no season, 39 months", 0.25, 0.93),
        ("the whole site falls", 0.20, 0.70),
    ],
)
def test_quiet_sites_are_left_alone_and_true_losses_found(name, least_middle, least_large):
    found = trial(BY_NAME[name], 25, seed=5)
    assert found.quiet_pages < 0.001
    assert found.alarms <= 0.12
    assert found.found_middle > least_middle
    assert found.found_large >= least_large - 0.05


@pytest.mark.parametrize(("name", "least_found"), [("1 pages, 14 months", 0.0), ("10 pages, 39 months", 0.35)])
def test_quiet_sites_of_a_few_pages_are_left_alone_too(name, least_found):
    """At their own rate of false discovery 14 and 10% of them raised an alarm."""
    found = trial(BY_NAME[name], 400, seed=5)
    assert found.alarms < 0.08
    assert found.found_middle >= least_found
