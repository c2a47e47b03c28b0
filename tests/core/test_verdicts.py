"""Verdicts against worked numbers, and how often they are wrong where the truth is known."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from noctilum.core.verdicts import (
    RULE,
    VERDICTS,
    beyond_site,
    discovery_rate,
    dispersion,
    judge,
    months_of_decline,
    shrunk,
    slopes,
    two_sided,
    z_of,
)


def told(now, before, weekly=None, **given):
    rows = np.atleast_1d(np.array(now))
    weeks = np.full((rows.size, 26), 100.0) if weekly is None else weekly
    found = judge(rows, np.atleast_1d(np.array(before)), weeks, 28, 28, **given)
    return [VERDICTS[place] for place in found.verdict]


@pytest.mark.parametrize(("phi", "z"), [(1.0, -2.194), (2.4, -1.416)])
def test_the_worked_change(phi, z):
    assert z_of(np.array([460.0]), np.array([529.0]), 1.0, phi)[0] == pytest.approx(z, abs=5e-4)


def test_dispersion_is_that_of_successive_weeks_and_a_trend_adds_none():
    noisy = np.array([[90.0, 110.0] * 13])
    phi, freedom = dispersion(noisy)
    assert phi[0] == pytest.approx(400 / 200)
    assert freedom[0] == pytest.approx(50 / 3)
    trend = np.arange(100.0, 126.0)[None, :]
    assert dispersion(trend)[0].tolist() == [1.0]
    assert dispersion(noisy[:, :7])[0].tolist() == [1.0]


def test_a_lists_rows_lend_each_other_their_dispersion():
    phi, freedom = shrunk(np.array([4.0, 1.0]), np.array([20.0, 20.0]), np.array([True, True]))
    assert phi.tolist() == pytest.approx([(20 * 2 + 20 * 4) / 40, (20 * 2 + 20 * 1) / 40])
    assert freedom.tolist() == [40.0, 40.0]


def test_students_t_is_wider_than_the_normal():
    assert two_sided(np.array([1.96]), np.array([20.0]))[0] == pytest.approx(0.0640, abs=1e-4)


def test_each_verdict_where_it_belongs():
    assert told([10, 400, 930, 1000, 1600], [15, 1000, 1000, 1000, 1000]) == [
        "too few to tell",
        "fading",
        "slipping",
        "holding",
        "rising",
    ]


def test_a_sure_but_small_fall_is_no_fading():
    assert told(95_000, 100_000) == ["slipping"]


def test_windows_of_other_length_are_compared_per_day():
    found = judge(np.array([500]), np.array([1000]), np.full((1, 26), 100.0), 14, 28)
    assert VERDICTS[found.verdict[0]] == "holding"
    assert found.z[0] == 0


def test_a_row_that_falls_with_the_site_is_told_apart():
    found = judge(np.array([700]), np.array([1000]), np.full((1, 26), 100.0), 28, 28, site=0.7)
    assert VERDICTS[found.verdict[0]] == "fading"
    assert found.p_alone[0] > 0.9


@given(st.lists(st.one_of(st.floats(0, 1), st.just(float("nan"))), max_size=30))
def test_discovery_rates_are_never_below_p_and_keep_its_order(values):
    p = np.array(values, dtype=np.float64)
    q = discovery_rate(p)
    assert (np.isnan(p) == np.isnan(q)).all()
    known = ~np.isnan(p)
    assert (q[known] >= p[known] - 1e-12).all()
    order = np.argsort(p[known], kind="stable")
    assert (np.diff(q[known][order]) >= -1e-12).all()


@given(
    st.lists(st.tuples(st.integers(0, 5000), st.integers(0, 5000)), min_size=1, max_size=20),
    st.floats(0.05, 3.0),
    st.integers(1, 60),
    st.integers(1, 60),
)
def test_what_is_beyond_the_site_is_the_change_less_the_sites_own_fall(rows, site, days_now, days_before):
    now, before = (np.array(column) for column in zip(*rows, strict=True))
    change = now - before * days_now / days_before
    beyond = beyond_site(now, before, days_now, days_before, site)
    assert np.all(beyond >= change - 1e-6)
    assert np.allclose(beyond - change, before * days_now / days_before * max(0.0, 1 - site))
    assert np.allclose(beyond_site(now, before, days_now, days_before, None), change)
    fallen = beyond_site(before * site, before, 28, 28, site)
    assert np.allclose(fallen[before > 0] / before[before > 0], max(0.0, site - 1), atol=1e-9)


@given(st.lists(st.tuples(st.integers(0, 5000), st.integers(0, 5000)), min_size=1, max_size=20))
def test_rising_is_the_mirror_of_fading(pairs):
    now, before = (np.array(side) for side in zip(*pairs, strict=True))
    weekly = np.full((now.size, 26), 50.0)
    there, back = judge(now, before, weekly, 28, 28), judge(before, now, weekly, 28, 28)
    assert np.nan_to_num(there.z).tolist() == pytest.approx((-np.nan_to_num(back.z)).tolist())
    assert (there.q <= RULE.most_q).tolist() == (back.q <= RULE.most_q).tolist()


def test_decline_and_slope_of_months():
    monthly = np.array([[100.0, 90.0, 80.0, 70.0], [70.0, 80.0, 90.0, 85.0], [5.0, 5.0, 5.0, 5.0]])
    assert months_of_decline(monthly).tolist() == [3, 1, 0]
    assert slopes(monthly).tolist() == pytest.approx([-10.0, 7.5, 0.0])
