"""Silence, slumps and conditions on rows: quiet sites first, then what broke, where the truth is known."""

from __future__ import annotations

from datetime import date, timedelta
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from noctilum.core.errors import Fault
from noctilum.core.silence import silences, told
from noctilum.core.slump import slump
from noctilum.readings.alarms import fields_of_columns, passing
from noctilum.readings.slump import CHANGE, FELL
from noctilum.wire.breaks import RULES, SILENT_LEAST
from noctilum.wire.catalogue import READINGS

WEEK = np.array([1, 1.02, 1.0, 0.98, 0.95, 0.7, 0.72])
END = date(2026, 3, 15)
QUARTER = 91


def counted(draw: np.random.Generator, means: np.ndarray, over: float) -> np.ndarray:
    """Draw counts of these means, scattered over times as far as chance alone."""
    return draw.negative_binomial(np.maximum(means / (over - 1), 1e-6), 1 / over)


def pages(draw: np.random.Generator, days: int, usual: np.ndarray, over: float = 2.0) -> np.ndarray:
    wave = np.tile(WEEK, days // 7 + 1)[:days]
    return counted(draw, usual[:, None] * wave[None, :], over)


def test_quiet_pages_of_any_size_are_hardly_ever_said_to_be_silent():
    draw = np.random.default_rng(1)
    usual = np.geomspace(0.5, 3000, 120)
    shown = pages(draw, 84 + QUARTER, usual, 3.0)
    said = {row for n in range(QUARTER) for row in told(silences(shown[:, : 85 + n]), SILENT_LEAST).tolist()}
    assert len(said) <= 1, said


@pytest.mark.parametrize(("usual", "within"), [(30.0, 2), (60.0, 1), (500.0, 1)])
def test_a_page_that_is_deleted_is_told_within_two_days_of_its_first_complete_one(usual, within):
    draw = np.random.default_rng(2)
    found = 0
    for _ in range(40):
        shown = pages(draw, 84, np.append(np.geomspace(1, 800, 60), usual))
        shown[-1, -within:] = 0
        result = silences(shown)
        found += 60 in told(result, SILENT_LEAST) and int(result.days[60]) == within
    assert found >= 38


def test_what_comes_and_goes_is_never_missed_and_short_histories_tell_nothing():
    shown = np.tile(np.array([[40, 0, 40, 0, 0, 40, 0]]), (1, 12))
    shown[0, -5:] = 0
    assert told(silences(shown), SILENT_LEAST).size == 0
    assert told(silences(np.array([[50] * 20 + [0] * 3])), SILENT_LEAST).size == 0


def whole(draw: np.random.Generator, level: float, years: int, lost: int = 0) -> np.ndarray:
    """A site of this many clicks a day with a year's wave of half its level, and its own weather; lost: days at 70%."""
    size = max(330, years * 364 + 260)
    days = [END - timedelta(size - 1 - n) for n in range(size)]
    weather = np.zeros(size)
    for n in range(1, size):
        weather[n] = 0.5 * weather[n - 1] + draw.normal(0, 0.04)
    wave = np.array([1 + 0.5 * np.sin(2 * np.pi * day.timetuple().tm_yday / 365.25) for day in days])
    means = level * WEEK[[day.weekday() for day in days]] * wave * np.exp(weather)
    if lost:
        means[-lost:] *= 0.7
    return counted(draw, means, 1.5).astype(float)


def fell(values: np.ndarray) -> bool:
    found = slump(values)
    return found is not None and found.score <= FELL and found.change <= CHANGE


def test_quiet_sites_with_a_season_call_out_less_than_once_in_four_quarters():
    draw = np.random.default_rng(3)
    began, quarters = 0, 0
    for level in (20, 150, 1500):
        for years in (0, 1, 2):
            values = whole(draw, level, years)
            said = [fell(values[: values.size - n]) for n in range(QUARTER, -1, -1)]
            began += said[0] + sum(now and not before for before, now in pairwise(said))
            quarters += 1
    assert began <= quarters / 4


@pytest.mark.parametrize("years", [0, 1, 2])
def test_a_fall_of_three_tenths_is_told_within_seven_days(years):
    draw = np.random.default_rng(4)
    found = 0
    for _ in range(20):
        values = whole(draw, 300, years, lost=7)
        found += any(fell(values[: values.size - n]) for n in range(6, -1, -1))
    assert found >= 19


def test_what_is_not_held_is_no_fall_and_too_little_tells_nothing():
    draw = np.random.default_rng(6)
    values = whole(draw, 300, 1)
    values[-20:-12] = np.nan
    assert not fell(values)
    assert slump(values[-40:]) is None and slump(np.array([])) is None
    values[-1] = np.nan
    assert slump(values) is None


@given(st.lists(st.integers(0, 400), min_size=330, max_size=360), st.integers(2, 50))
def test_twice_as_many_everywhere_is_no_fall(counts, times):
    values = np.array(counts, dtype=float) + 5
    one, more = slump(values), slump(values * times)
    if one is not None and more is not None and one.days == more.days:
        assert more.change == pytest.approx(one.change)


def test_every_shipped_rule_names_a_reading_and_columns_that_it_has():
    for rule in RULES:
        spec = READINGS[rule.reading]
        fields = fields_of_columns(spec)
        assert passing(spec, rule.condition, []) == []
        assert {rule.key, rule.since} - {""} <= set(fields), rule.name
        spec.question.model_validate(dict(rule.asked))


ROWS = [
    {"key": "indexed", "counted": 80, "counted_before": 100, "counted_relative": -0.2},
    {"key": "indexed", "counted": 99, "counted_before": 100, "counted_relative": -0.01},
    {"key": "other", "counted": 1, "counted_before": 100, "counted_relative": -0.99},
    {"key": "indexed", "counted": None, "counted_before": 100, "counted_relative": None},
]


@pytest.mark.parametrize(
    ("condition", "wanted"),
    [
        ('key is "indexed" and counted_relative <= -10%', [0]),
        ('not key is "indexed" or counted_relative > -5%', [1, 2]),
        ("counted in 80..99", [0, 1]),
        ('key starts "in"', [0, 1, 3]),
    ],
)
def test_conditions_are_tried_on_rows_as_they_are_told(condition, wanted):
    assert passing(READINGS["index"], condition, ROWS) == [ROWS[n] for n in wanted]


@pytest.mark.parametrize("condition", ["counted >", 'colour is "red"', 'set "Guides"', "key > 3"])
def test_a_condition_that_cannot_be_used_is_refused(condition):
    with pytest.raises(Fault):
        passing(READINGS["index"], condition, ROWS)
