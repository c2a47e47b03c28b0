"""Worked numbers of sums, curves, drivers and changes."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from noctilum.core.bands import band
from noctilum.core.batch import whole_sums
from noctilum.core.brand import BrandRule, brand_mask
from noctilum.core.change import delta, too_few
from noctilum.core.curve import fit_curve, reference_curve
from noctilum.core.drivers import DRIVERS, Side, drivers_of, split_rows
from noctilum.core.measures import Sums


def side(clicks, shown, position):
    places = np.rint(np.asarray(position) * np.asarray(shown) * 1000).astype(np.int64)
    return Side(np.asarray(clicks), np.asarray(shown), places)


def test_average_position_is_weighted_by_impressions():
    assert (Sums(0, 100, 200_000) + Sums(0, 900, 7_200_000)).position == 7.4


def test_ratios_without_impressions_are_undefined_not_zero():
    assert Sums().ctr is None
    assert Sums().position is None


def test_worked_drivers_of_a_fall_in_rank():
    rows = split_rows(np.array([0]), side([220], [2000], [3.0]), side([130], [2600], [5.0]), reference_curve())
    assert rows.demand[0] == pytest.approx(47.264, abs=5e-4)
    assert rows.rank[0] == pytest.approx(-110.078, abs=5e-4)
    assert rows.appeal[0] == pytest.approx(-27.186, abs=5e-4)


def test_worked_drivers_of_a_rise():
    rows = split_rows(np.array([0]), side([18], [900], [8.0]), side([75], [1000], [4.0]), reference_curve())
    assert (rows.demand[0], rows.rank[0], rows.appeal[0]) == pytest.approx((4.5, 35.75, 16.75))


def test_a_query_only_in_the_new_window_entered_and_only_in_the_old_left():
    rows = split_rows(np.array([0, 1]), side([0, 9], [0, 80], [1, 2]), side([7, 0], [60, 0], [3, 1]), reference_curve())
    assert rows.entered.tolist() == [7, 0]
    assert rows.left.tolist() == [0, -9]


def test_a_device_held_in_one_window_only_is_demand_when_the_query_was_there():
    rows = split_rows(
        np.array([0, 0]), side([5, 0], [50, 0], [2, 1]), side([5, 4], [50, 30], [2, 3]), reference_curve()
    )
    assert rows.demand.tolist() == pytest.approx([0, 4])
    assert rows.entered.sum() == 0


measured = st.tuples(st.integers(0, 400), st.integers(0, 5000), st.floats(1, 100))


@given(st.lists(st.tuples(st.integers(0, 5), measured, measured), min_size=1, max_size=30), st.integers(-900, 900))
def test_drivers_add_up_to_the_change_for_any_input(rows, unlisted):
    query = np.array([row[0] for row in rows])
    before, now = (
        side([min(r[n][0], r[n][1]) for r in rows], [r[n][1] for r in rows], [r[n][2] for r in rows]) for n in (1, 2)
    )
    split = split_rows(query, before, now, reference_curve())
    listed = int(now.clicks.sum() - before.clicks.sum())
    parts = drivers_of(split, listed, listed + unlisted)
    size = sum(abs(getattr(parts, name)) for name in DRIVERS)
    assert abs(parts.total - (listed + unlisted)) <= 1e-9 * (1 + size)
    row_sizes = sum(np.abs(getattr(split, name)) for name in DRIVERS[:5])
    assert np.all(np.abs(split.total - (now.clicks - before.clicks)) <= 1e-9 * (1 + row_sizes))


@given(st.lists(measured, max_size=60))
def test_a_fitted_curve_never_rises_with_the_place(rows):
    shown = np.array([r[1] for r in rows], dtype=np.int64)
    clicks = np.minimum(np.array([r[0] for r in rows], dtype=np.int64), shown)
    curve = fit_curve(clicks, shown, np.array([r[2] for r in rows]))
    rates = curve.at(np.linspace(1, 60, 200))
    assert np.all(np.diff(rates) <= 1e-12)
    assert np.all(rates > 0)


def test_a_curve_without_evidence_is_the_reference():
    none = np.zeros(0, dtype=np.int64)
    assert fit_curve(none, none, np.zeros(0)).rates == pytest.approx(reference_curve().rates)


def test_change_is_relative_to_before_and_new_from_nothing():
    assert delta(Sums(460, 1), Sums(529, 1)).clicks_ratio == pytest.approx(-0.13043, abs=1e-5)
    assert delta(Sums(5, 1), Sums(0, 1)).clicks_ratio is None


def test_uneven_windows_are_compared_over_as_many_held_days():
    found = delta(Sums(310, 0), Sums(280, 0), days_now=31, days_before=28, scaled=True)
    assert (found.clicks, found.clicks_ratio) == (0, 0)
    found = delta(Sums(290, 620), Sums(280, 560), days_now=31, days_before=28, scaled=True)
    assert (found.clicks, found.impressions) == (-20, 0)
    assert found.clicks_ratio == pytest.approx(290 / 310 - 1)


@given(
    st.lists(st.tuples(st.integers(0, 400), st.integers(1, 900), st.integers(0, 400), st.integers(1, 900)), min_size=1),
    st.integers(1, 40),
    st.integers(1, 40),
)
def test_drivers_of_windows_of_other_length_add_up_to_the_change_over_as_many_days(rows, days_now, days_before):
    clicks0, shown0, clicks1, shown1 = (np.array(column) for column in zip(*rows, strict=True))
    clicks0, clicks1 = np.minimum(clicks0, shown0), np.minimum(clicks1, shown1)
    times = days_now / days_before
    query = np.arange(len(rows))
    before, now = Side(clicks0, shown0, shown0 * 4000, times), Side(clicks1, shown1, shown1 * 6000)
    found = split_rows(query, before, now, reference_curve())
    assert found.total == pytest.approx(clicks1 - clicks0 * times, abs=1e-6)
    as_before = Side(clicks0, shown0, shown0 * 4000, 1.0)
    same = split_rows(query, as_before, Side(clicks0, shown0, shown0 * 4000), reference_curve())
    assert same.total == pytest.approx(np.zeros(len(rows)), abs=1e-9)


def test_fewer_than_thirty_clicks_in_both_windows_are_too_few():
    assert too_few(Sums(14), Sums(15))
    assert not too_few(Sums(15), Sums(15))


def test_a_band_edge_lies_in_the_worse_band():
    assert [band(p) for p in (1.4, 1.5, 3.4, 3.5, 10.49, 10.5, 20.5, 50.5)] == [
        "1", "2–3", "2–3", "4–10", "4–10", "11–20", "21–50", "51–100",
    ]  # fmt: skip


@given(st.lists(st.tuples(st.integers(1, 10_000), st.floats(1, 100)), min_size=1, max_size=50))
def test_position_sums_come_back_to_the_unit_from_averages(rows):
    shown = np.array([r[0] for r in rows])
    sums = np.rint(shown * np.array([r[1] for r in rows])).astype(np.int64)
    found, scale = whole_sums(sums / shown, shown)
    assert scale == 1
    assert found.tolist() == sums.tolist()


def test_brand_is_told_by_whole_words_with_accents_folded():
    queries = ["skerry ferry times", "skerryferry", "SKÉRRY ferry", "ferry to marn"]
    assert brand_mask(queries, BrandRule.read("skerry ferry")).tolist() == [True, False, True, False]


def test_changes_too_small_to_be_told_are_level():
    shown = 10_000
    was = Sums(500, shown, 5_000 * shown)
    ways = {
        moved: delta(Sums(500 + clicks, shown, (5_000 + milli) * shown), was).ways
        for moved, clicks, milli in (("little", 14, 249), ("more", 16, 250), ("less", -16, -250), ("nothing", 0, 0))
    }
    assert ways["little"] == {"clicks": "better", "impressions": "level", "ctr": "level", "position": "level"}
    assert ways["more"] == {"clicks": "better", "impressions": "level", "ctr": "better", "position": "worse"}
    assert ways["less"] == {"clicks": "worse", "impressions": "level", "ctr": "worse", "position": "better"}
    assert set(ways["nothing"].values()) == {"level"}
    assert delta(Sums(3, 9, 9), Sums()).ways["position"] == "level"
