"""Impressions without clicks against a truth that is known."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from noctilum.core.curve import reference_curve
from noctilum.core.unclicked import passed_over

CURVE = reference_curve()
counts = st.lists(st.tuples(st.integers(0, 500), st.integers(1, 20_000), st.floats(1, 60)), min_size=1, max_size=20)


def judged(rows):
    clicks, shown, place = (np.array(column) for column in zip(*rows, strict=True))
    return passed_over(clicks, shown, place.astype(float), CURVE)


@given(counts)
def test_what_is_found_has_at_most_half_of_at_least_five_expected_clicks(rows):
    found = judged(rows)
    for (clicks, shown, place), expected, p, is_found in zip(rows, found.expected, found.p, found.found, strict=True):
        assert expected == pytest.approx(shown * float(CURVE.at(place)))
        assert 0 <= p <= 1
        if is_found:
            assert expected >= 5
            assert clicks <= expected / 2


def test_worked_numbers():
    # 1,000 impressions at place 3: 100 clicks expected; P(Poisson(50) <= 10) is far under 1%
    found = judged([(20, 1000, 3.0), (45, 1000, 3.0), (60, 1000, 3.0), (0, 60, 3.0), (0, 120, 3.0)])
    assert found.expected.round(6).tolist() == [100, 100, 100, 6, 12]
    # 45 of 100: floor(45/2)=22 of 50 expected, p < 0.01; 60 of 100 is more than half; 0 of 6: exp(-3) = 0.0498
    assert found.found.tolist() == [True, True, False, False, True]
    assert abs(found.p[3] - np.exp(-3)) < 1e-12
    assert abs(found.p[4] - np.exp(-6)) < 1e-12


def test_of_queries_clicked_as_expected_nearly_none_is_found():
    rng = np.random.default_rng(5)
    shown = rng.integers(200, 5000, 20_000)
    place = rng.uniform(1, 15, shown.size)
    expected = shown * CURVE.at(place)
    # negative binomial with twice the variance of chance alone
    clicks = rng.negative_binomial(expected, 0.5)
    assert passed_over(clicks, shown, place, CURVE).found.mean() < 0.005


def test_of_queries_clicked_a_quarter_as_often_most_are_found():
    rng = np.random.default_rng(6)
    shown = rng.integers(1000, 5000, 4000)
    place = rng.uniform(1, 8, shown.size)
    clicks = rng.poisson(shown * CURVE.at(place) / 4)
    assert passed_over(clicks, shown, place, CURVE).found.mean() > 0.95
