"""What came to result pages and what left them: quiet features first, then turns whose day is known."""

from __future__ import annotations

from math import comb

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from noctilum.core.turns import BEFORE, LEAST, LEAST_AFTER, LEAST_BEFORE, turn

KEYWORDS, NIGHTS = 30, 91


def tail(k: int, m: int, q: float) -> float:
    """The chance of k or more of m."""
    return sum(comb(m, n) * q**n * (1 - q) ** (m - n) for n in range(k, m + 1))


def by_hand(shown: list[bool], earliest: int) -> list[tuple[float, int, bool]]:
    """Every place that fits, with its chance; written out place by place."""
    places = range(max(earliest, LEAST_BEFORE), len(shown) - LEAST_AFTER + 1)
    found = []
    for at in places:
        before, since = shown[max(0, at - BEFORE) : at], shown[at:]
        for came in (True, False):
            was, now = before.count(came), since.count(came)
            least, most = (0.1, 0.5) if came else (0.5, 0.9)
            if was <= least * len(before) and now >= most * len(since):
                found.append((tail(now, len(since), (was + 0.5) / (len(before) + 1)) * len(places), at, came))
    return found


@given(st.lists(st.floats(0, 1), min_size=0, max_size=80), st.sampled_from([0.05, 0.5, 0.95]), st.integers(0, 60))
def test_it_is_the_least_likely_place_of_all(draws, often, earliest):
    shown = [draw < (often if n < len(draws) // 2 else 1 - often) for n, draw in enumerate(draws)]
    found, expected = turn(np.array(shown, dtype=bool), earliest), by_hand(shown, earliest)
    if not expected:
        assert found is None
        return
    assert found.chance == pytest.approx(min(expected)[0])
    assert any(at == found.at and came == found.came for _, at, came in expected)


@pytest.mark.parametrize("often", [0.02, 0.1, 0.3, 0.5, 0.7, 0.95])
def test_a_feature_that_only_trembles_is_hardly_ever_told(often):
    draw = np.random.default_rng(5)
    told = 0
    for _ in range(20):
        shown = draw.random((KEYWORDS, 120 + NIGHTS)) < often
        for row in shown:
            nights = range(0, NIGHTS, 3)
            found = (turn(row[: 120 + n], 92 + n) for n in nights)
            told += any(each is not None and each.chance * KEYWORDS <= LEAST for each in found)
    assert told <= 4, told


@pytest.mark.parametrize(
    ("was", "often", "within", "share"), [(0.0, 1.0, 3, 0.98), (0.0, 0.8, 7, 0.9), (0.95, 0.0, 6, 0.9)]
)
def test_what_came_or_left_is_told_within_days_and_with_its_day(was, often, within, share):
    draw = np.random.default_rng(6)
    told = 0
    for _ in range(200):
        shown = np.append(draw.random(100) < was, draw.random(within) < often)
        found = turn(shown, 100 + within - 28)
        hit = found is not None and found.chance * KEYWORDS <= LEAST and found.came == (often > was)
        told += hit and abs(found.at - 100) <= 3
    assert told >= share * 200, told


def test_a_keyword_that_is_new_has_nothing_come_to_it():
    assert turn(np.ones(30, dtype=bool), 0) is None
    assert turn(np.append(np.zeros(5, dtype=bool), np.ones(10, dtype=bool)), 0) is None
