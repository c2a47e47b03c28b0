"""Targets: worked numbers by hand, laws, and courses on made-up figures whose truth is known, quiet ones first."""

from __future__ import annotations

from datetime import date, timedelta

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from noctilum.core.targets import Aim, Daily, standing_way, together, way

STARTS = date(2026, 1, 1)
FIRST = STARTS - timedelta(364 * 2 + 60)


def flat(level: float, days: int) -> Daily:
    return Daily(FIRST, np.full(days, level / 28))


def until(day: date) -> int:
    return (day - FIRST).days + 1


def test_without_a_season_the_path_is_a_steady_rate():
    aim = Aim(STARTS, STARTS + timedelta(99), 2800 * 1.21)
    found = way(flat(2800, until(STARTS + timedelta(49))), aim, {})
    assert found.base == pytest.approx(2800)
    assert found.asked == pytest.approx(0.21)
    assert found.path == pytest.approx(2800 * 1.1), "half of the way: the root of 1.21"
    assert found.gap == pytest.approx(1 / 1.1 - 1)
    assert found.course == "behind"
    assert found.ends == pytest.approx(2800)
    assert found.ends_low < 2800 < found.ends_high


def test_what_the_year_brings_is_no_progress():
    """A figure that doubles every spring: to double by then asks nothing, to stay as it is asks to halve."""
    days = np.arange(until(STARTS + timedelta(40)))
    yearly = (days - (STARTS - FIRST).days) % 364
    daily = Daily(FIRST, np.where((yearly >= 60) & (yearly < 240), 200.0, 100.0))
    by = STARTS + timedelta(99)
    found = way(daily, Aim(STARTS, by, 5600), {})
    assert found.years == 2
    assert found.asked == pytest.approx(0, abs=1e-9)
    assert found.path == pytest.approx(2800) and found.course == "on course"
    assert found.ends == pytest.approx(5600)
    assert way(daily, Aim(STARTS, by, 2800), {}).asked == pytest.approx(-0.5)
    assert found.points[0].alone == pytest.approx(2800)
    assert found.points[-1].alone == found.points[-1].path == pytest.approx(5600)


def test_a_target_more_than_a_year_ahead_takes_the_same_days_of_the_year():
    days = np.arange(until(STARTS + timedelta(10)))
    yearly = (days - (STARTS - FIRST).days) % 364
    daily = Daily(FIRST, np.where((yearly >= 60) & (yearly < 240), 200.0, 100.0))
    found = way(daily, Aim(STARTS, STARTS + timedelta(364 + 99), 5600), {})
    assert found.asked == pytest.approx(0, abs=1e-9)


@pytest.mark.parametrize(("level", "course"), [(3000, "reached"), (2999, "missed")])
def test_at_the_end_it_is_reached_or_missed_and_nothing_else(level, course):
    by = STARTS + timedelta(99)
    assert way(flat(level, until(by)), Aim(STARTS, by, 3000), {}).course == course


def test_nothing_is_said_of_a_way_that_has_not_begun_or_has_no_base():
    by = STARTS + timedelta(99)
    found = way(flat(2800, until(STARTS - timedelta(1))), Aim(STARTS, by, 3000), {})
    assert (found.course, found.now, found.path) == ("not begun", None, None)
    assert way(Daily(STARTS - timedelta(10), np.ones(40)), Aim(STARTS, by, 3000), {}) is None
    assert way(Daily(FIRST, np.full(until(STARTS), np.nan)), Aim(STARTS, by, 3000), {}) is None


def test_few_tell_no_course():
    draw = np.random.default_rng(3)
    daily = Daily(FIRST, draw.poisson(0.7, until(STARTS + timedelta(40))).astype(float))
    assert way(daily, Aim(STARTS, STARTS + timedelta(99), 40), {}).course == "too few to tell"


def test_a_missing_day_is_no_fall_and_too_many_are_no_level():
    daily = flat(2800, until(STARTS + timedelta(49)))
    for missing, level in (2, pytest.approx(2800)), (3, None):
        counts = daily.counts.copy()
        counts[-10 : missing - 10] = np.nan
        assert Daily(FIRST, counts).level(daily.last) == level


def test_where_the_last_days_lack_too_many_the_newest_level_tells():
    counts = flat(2800, until(STARTS + timedelta(49))).counts.copy()
    counts[-8:-2] = np.nan
    found = way(Daily(FIRST, counts), Aim(STARTS, STARTS + timedelta(99), 3388), {})
    assert (found.on, found.course) == (STARTS + timedelta(43), "behind") and found.now == pytest.approx(2800)
    counts[-50:-1] = np.nan
    assert way(Daily(FIRST, counts), Aim(STARTS, STARTS + timedelta(99), 3388), {}).on == STARTS + timedelta(1)


def test_several_sites_are_held_where_all_that_had_begun_are():
    one, two = Daily(STARTS, np.ones(5)), Daily(STARTS + timedelta(2), np.full(2, 3.0))
    found = together([one, two])
    assert found.counts[:4].tolist() == [1, 1, 4, 4] and np.isnan(found.counts[4])


def test_keywords_go_in_a_straight_line():
    stood = {STARTS - timedelta(1): 10, STARTS + timedelta(49): 14}
    aim = Aim(STARTS, STARTS + timedelta(99), 20)
    found = standing_way(stood.get, aim, STARTS + timedelta(49))
    assert (found.base, found.path, found.now, found.course) == (10, 15, 14, "behind")
    stood[STARTS + timedelta(49)] = 15
    assert standing_way(stood.get, aim, STARTS + timedelta(49)).course == "on course"
    stood[STARTS + timedelta(49)] = 17
    assert standing_way(stood.get, aim, STARTS + timedelta(49)).course == "ahead"
    assert standing_way({}.get, aim, STARTS + timedelta(49)) is None


@given(st.floats(100, 1e5), st.floats(0.5, 2), st.integers(1, 500), st.integers(0, 500), st.floats(0.2, 5))
def test_laws_of_every_path(level, growth, days, passed, times):
    """It begins at the base and ends at the target; and a figure told in other units has the same course."""
    aim = Aim(STARTS, STARTS + timedelta(days - 1), level * growth)
    daily = flat(level, until(STARTS + timedelta(passed - 1)))
    found = way(daily, aim, {})
    assert found.points[0].path == pytest.approx(level) and found.points[-1].path == pytest.approx(aim.value)
    assert all(point.low <= point.path <= point.high for point in found.points)
    lows = [point.path for point in found.points]
    assert lows == sorted(lows, reverse=growth < 1) or growth == pytest.approx(1)
    other = way(Daily(FIRST, daily.counts * times), Aim(aim.starts, aim.by, aim.value * times), {})
    assert other.asked == pytest.approx(found.asked, abs=0.02)


def made(draw: np.random.Generator, level: float, beyond: float, days: int) -> Daily:
    """Make a figure: a season that strays by 4% from year to year, weekdays, more scatter than chance alone.

    beyond: what the days from the start on gain by the 100th, as a ratio.
    """
    at = np.arange(until(STARTS + timedelta(days - 1)))
    year = at / 364
    stray = np.interp(at, np.arange(0, at.size + 91, 91), draw.normal(0, 0.04, at.size // 91 + 2))
    wave = 0.35 * np.sin(2 * np.pi * year + draw.uniform(0, 6.28))
    week = np.where(at % 7 >= 5, 0.7, 1.1)
    gained = np.log(beyond) * np.clip((at - at.size + days) / 100, 0, 1)
    mean = level / 28 * np.exp(wave + stray + gained) * week
    return Daily(FIRST, draw.negative_binomial(mean * 2, 2 / 3).astype(float))


def courses(level: float, beyond: float, asked: float, runs: int = 200) -> dict[str, float]:
    """Say how often each course is told at a day on the way; asked: what is to be gained beyond the year."""
    draw = np.random.default_rng(17)
    told: dict[str, float] = {}
    for run in range(runs):
        days = 35 + 7 * run % 60
        daily = made(draw, level, beyond, days)
        seen = way(daily, Aim(STARTS, STARTS + timedelta(99), 1.0), {})
        alone = 1 / (1 + seen.asked)
        found = way(daily, Aim(STARTS, STARTS + timedelta(99), alone * asked), {})
        told[found.course] = told.get(found.course, 0) + 1 / runs
    return told


@pytest.mark.parametrize("level", [300, 3000, 60_000])
def test_who_goes_along_the_path_is_hardly_ever_behind_or_ahead(level):
    told = courses(level, 1.0, 1.0)
    assert told.get("behind", 0) <= 0.08 and told.get("ahead", 0) <= 0.08, told


def test_who_does_nothing_for_a_large_target_is_behind_and_who_does_twice_as_much_is_ahead():
    assert courses(20_000, 1.0, 1.8)["behind"] > 0.8
    assert courses(20_000, 1.8, 1.0)["ahead"] > 0.8
