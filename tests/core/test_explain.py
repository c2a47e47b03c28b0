"""Within reach, overlap, clusters and odd days against worked numbers and laws."""

from datetime import date, timedelta

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from noctilum.core import overlap, reach
from noctilum.core.clusters import clusters, tokens
from noctilum.core.curve import reference_curve
from noctilum.core.odd_days import Expected, expectations, not_clicked, odd_days
from noctilum.core.table import Grouped

G = reference_curve()


def test_a_gain_by_hand():
    found = reach.gain(np.array([42]), np.array([1000]), np.array([6.0]), G)
    appeal = (42 + 200 * 0.042) / (1200 * 0.042)
    assert found.target.tolist() == [3]
    assert found.clicks[0] == pytest.approx(1000 * 0.100 * appeal - 42)
    assert found.low[0] == pytest.approx(1000 * 0.070 * appeal - 42)
    assert found.high[0] == pytest.approx(1000 * 0.160 * appeal - 42)


def test_who_is_within_reach_and_of_what():
    places = np.array([3.5, 3.6, 10.5, 10.6, 20.5, 20.6])
    shown = np.full(6, 100)
    assert reach.within_reach(shown, places, 50).tolist() == [False, True, True, True, True, False]
    assert not reach.within_reach(shown, places, 101).any()
    assert reach.gain(np.zeros(6, int), shown, places, G).target.tolist() == [3, 3, 3, 8, 8, 8]


@given(st.integers(0, 5000), st.integers(50, 5000), st.floats(3.51, 20.5))
def test_a_gain_is_never_negative_and_grows_with_the_place(clicks, shown, place):
    found = reach.gain(np.array([min(clicks, shown)]), np.array([shown]), np.array([place]), G)
    assert 0 <= found.low[0] <= found.clicks[0] <= found.high[0] <= 1.5 * 0.3 * shown


def grouped(*rows):
    columns = np.array(rows, dtype=np.int64).T
    return Grouped.of_search(tuple(columns[:-2]), columns[-2], columns[-1], columns[-1] * 1000)


def test_pages_share_a_query_from_a_tenth_of_its_impressions():
    pairs = grouped(
        (1, 1, 5, 90), (1, 2, 1, 10), (2, 1, 5, 91), (2, 2, 1, 9), (3, 1, 2, 40), (3, 2, 2, 40), (3, 3, 0, 5)
    )
    assert overlap.sharing(pairs).tolist() == [True, True, False, False, True, True, False]


def test_leaders_and_their_turns():
    daily = grouped(
        (7, 1, 10, 3, 50), (7, 1, 11, 1, 50), (7, 2, 11, 0, 9), (7, 3, 10, 0, 4), (7, 3, 11, 0, 5), (8, 1, 10, 0, 1)
    )
    query, day, page = overlap.leaders(daily)
    assert list(zip(query.tolist(), day.tolist(), page.tolist(), strict=True)) == [
        (7, 1, 10),
        (7, 2, 11),
        (7, 3, 11),
        (8, 1, 10),
    ]
    assert overlap.switches(query, page) == {7: (3, 1), 8: (1, 0)}


words = st.lists(st.sampled_from(["ferry", "ferries", "the", "to", "ronsay", "times", "boat"]), min_size=1, max_size=4)


@given(st.lists(words.map(" ".join), unique=True, max_size=20), st.data())
def test_every_query_is_in_one_cluster_near_its_head(queries, data):
    shown = data.draw(st.lists(st.integers(0, 9), min_size=len(queries), max_size=len(queries)))
    found = clusters(queries, shown)
    assert sorted(at for each in found for at in each.members) == list(range(len(queries)))
    for each in found:
        assert shown[each.head] == max(shown[at] for at in each.members)
        for at in each.members[1:]:
            head, stems = tokens(queries[each.head]), tokens(queries[at])
            assert len(head & stems) >= 0.5 * len(head | stems)


def test_plurals_accents_and_small_words_do_not_part_queries():
    found = clusters(
        ["Fähre nach Ronsay", "faehre", "fahre ronsay", "hive tools", "the hive tool"], [9, 1, 2, 3, 1], "de"
    )
    assert [sorted(each.members) for each in found] == [[0, 1, 2], [3, 4]]
    assert tokens("hive tools") == tokens("the hive tool")


START = date(2025, 1, 6)


def days(count, value):
    return {START + timedelta(n): float(value(n)) for n in range(count)}


def test_the_worked_expectation():
    steady = days(70, lambda n: 400 if n % 7 < 5 else 100)
    last = START + timedelta(69)
    told = expectations(steady)[last]
    assert (told.middle, told.scale) == (100.0, 10.0)
    steady[last] = 139
    assert odd_days(steady) == {}
    steady[last] = 141
    assert list(odd_days(steady)) == [last]


def test_two_days_running_are_odd_sooner_and_only_the_same_way():
    usual = days(80, lambda n: 100)
    one, two = START + timedelta(75), START + timedelta(76)
    assert odd_days(usual | {one: 132}) == {}
    assert list(odd_days(usual | {one: 132, two: 132})) == [one, two]
    assert odd_days(usual | {one: 132, two: 68}) == {}


@pytest.mark.parametrize(("values", "odd"), [((4.0, 4.0), 2), ((4.0, 3.9), 0), ((4.0, 1.0), 0), ((5.0, 1.0), 1)])
def test_at_the_end_of_the_range_two_days_running_are_odd_and_one_is_not(values, odd):
    monday = date(2026, 1, 5)
    by_day = {monday + timedelta(n): value for n, value in enumerate(values)}
    usual = Expected(1.0, 1.0)
    assert usual.high == 4.0
    assert len(odd_days(by_day, dict.fromkeys(by_day, usual))) == odd


@pytest.mark.parametrize(
    ("shown", "clicked", "named"),
    [
        (3000, 40, True),  # three times as often shown, clicked as ever
        (3000, 118, False),  # an event: clicked three times as often too
        (1300, 40, False),  # twelve clicks short of 52: within what forty clicks vary by
        (900, 10, False),  # not shown more than usual: whatever the clicks do
    ],
)
def test_impressions_are_named_not_clicked_only_where_clicks_fall_short_of_them(shown, clicked, named):
    assert not_clicked(shown, clicked, Expected(1000, 40), Expected(40, 8)) is named


def test_of_a_day_with_hardly_any_clicks_nothing_is_named():
    assert not not_clicked(400, 0, Expected(200, 15), Expected(0.5, 1))


def test_a_seasons_slope_is_not_odd_but_a_burst_on_it_is():
    rng = np.random.default_rng(3)
    spring = days(150, lambda n: rng.poisson(200 * 1.012**n))
    quiet = odd_days(spring)
    assert len(quiet) <= 3
    burst = START + timedelta(120)
    assert burst in odd_days(spring | {burst: 2 * spring[burst]})


def test_a_new_level_is_odd_at_first_and_then_the_rule():
    moved = days(160, lambda n: 400 if n < 100 else 200)
    odd = odd_days(moved)
    assert START + timedelta(100) in odd
    assert START + timedelta(159) not in odd


def test_a_gap_is_no_zero():
    held = days(120, lambda n: 100)
    for n in range(60, 75):
        del held[START + timedelta(n)]
    assert odd_days(held) == {}
