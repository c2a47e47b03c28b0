"""Collecting, computed: the order of fetching, what is lost, what disagrees, what counts twice."""

from datetime import date, timedelta

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from noctilum.core.days import DayState, days_due, expires_in, lost_days, order_due
from noctilum.core.reconcile import Promised, against_promise, between_grains
from noctilum.core.scopes import Relation, relation
from noctilum.core.settle import sift
from noctilum.datasets import DATASETS
from noctilum.testing.batches import search_batch

DAY = date(2026, 3, 1)
offsets = st.sets(st.integers(0, 500), max_size=80)


@given(offsets)
def test_every_day_due_is_fetched_once_and_the_newest_first(found):
    due = [DAY + timedelta(n) for n in found]
    ordered = order_due(due, oldest_offered=DAY)
    assert sorted(ordered) == sorted(due)
    if due:
        assert ordered[0] == max(due)


@given(offsets)
def test_days_about_to_expire_come_before_the_long_middle_and_oldest_first(found):
    due = [DAY + timedelta(n) for n in found]
    ordered = order_due(due, oldest_offered=DAY)
    recent = [day for day in ordered if (max(due) - day).days < 28]
    rest = ordered[len(recent) :]
    hurried = [day for day in rest if expires_in(day, DAY) <= 7]
    assert rest[: len(hurried)] == sorted(hurried)


def _sums(clicks: int, impressions: int) -> dict[str, int]:
    return {"clicks": clicks, "impressions": impressions}


def test_a_gap_is_lost_only_once_the_source_offers_nothing_as_old():
    known = {DAY: DayState.FINAL, DAY + timedelta(3): DayState.FINAL}
    assert lost_days(known, {}, DAY + timedelta(2)) == [DAY + timedelta(1)]
    assert lost_days(known, {}, DAY + timedelta(1)) == []
    assert lost_days({}, {}, DAY) == []


def test_days_before_the_first_held_are_no_gap():
    assert lost_days({DAY + timedelta(5): DayState.FINAL}, {}, DAY + timedelta(5)) == []


def test_a_lost_day_that_is_offered_again_is_due():
    assert days_due({DAY: (DayState.LOST, None)}, {DAY: (DayState.FINAL, "a")}) == [DAY]


def test_what_agrees_is_not_doubted():
    assert against_promise("site", 2, _sums(3, 40), Promised(2, _sums(3, 40))) == []
    assert against_promise("site", 2, _sums(3, 40), Promised()) == []
    sums = {"site": _sums(3, 40), "query": _sums(2, 30), "page": _sums(3, 44), "pair": _sums(2, 33)}
    assert between_grains([(DATASETS[name], found) for name, found in sums.items()]) == []


@pytest.mark.parametrize(
    ("changed", "grain", "said"),
    [
        ({"query": _sums(4, 30)}, "query", "queries add up to 4 clicks"),
        ({"pair": _sums(2, 50)}, "pair", "pairs add up to 50 impressions"),
        ({"page": _sums(3, 39)}, "page", "pages are lacking"),
    ],
)
def test_a_part_above_its_whole_is_doubted_with_both_numbers(changed, grain, said):
    sums = {"site": _sums(3, 40), "query": _sums(2, 30), "page": _sums(3, 44), "pair": _sums(2, 33)} | changed
    (found,) = between_grains([(DATASETS[name], found) for name, found in sums.items()])
    assert found.grain == grain
    assert said in found.text


@pytest.mark.parametrize(
    ("one", "other", "expected"),
    [
        ("a.example", "A.example/", Relation.SAME),
        ("*.a.example", "a.example", Relation.CONTAINS),
        ("*.a.example", "shop.a.example/de", Relation.CONTAINS),
        ("a.example", "shop.a.example", Relation.APART),
        ("a.example/de/kontakt", "a.example/de", Relation.WITHIN),
        ("a.example/de", "a.example/design", Relation.APART),
        ("a.example", "ba.example", Relation.APART),
        ("*.a.example", "ba.example", Relation.APART),
    ],
)
def test_scopes_relate_by_host_and_by_whole_steps_of_the_path(one, other, expected):
    assert relation(one, other) is expected
    opposite = {Relation.CONTAINS: Relation.WITHIN, Relation.WITHIN: Relation.CONTAINS}
    assert relation(other, one) is opposite.get(expected, expected)


rows = st.lists(st.tuples(st.sampled_from("abc"), st.integers(0, 2), st.integers(3, 4)), max_size=25)


@given(rows)
def test_sifting_keeps_the_first_of_each_thing_and_accounts_for_every_row(found):
    names, clicks, shown = zip(*found, strict=True) if found else ((), (), ())
    batch = search_batch("query", DAY, {"query": names}, clicks, shown, [1.0] * len(names))
    sifted = sift(batch)
    firsts = {name: at for at, name in reversed(list(enumerate(names)))}
    assert sifted.kept.tolist() == sorted(firsts.values())
    assert len(sifted.batch) + sifted.repeats + len(sifted.clashes) == len(found)
    for row, stays in sifted.clashes:
        assert names[row] == names[stays]
        assert stays == firsts[names[row]]
        assert (clicks[row], shown[row]) != (clicks[stays], shown[stays])


def test_sifting_looks_at_every_dimension():
    dims = {"query": ["a", "a"], "page": ["/x", "/y"]}
    batch = search_batch("pair", DAY, dims, [1, 2], [3, 3], [1.0, 1.0])
    assert np.array_equal(sift(batch).kept, [0, 1])
