"""Settling, digests, grouping and joining of columns."""

from collections import Counter, defaultdict
from datetime import date

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from noctilum.core import table
from noctilum.core.digest import rows_digest, text_hashes
from noctilum.core.errors import FeedFault
from noctilum.core.settle import settle
from noctilum.core.table import Grouped, Tally, group, side_by_side
from noctilum.testing.batches import pair_batch

DAY = date(2026, 3, 1)
ROW = ("ferry", "/", "NO", "mobile", 1, 4, 8)
keyed = st.lists(st.tuples(st.integers(0, 40), st.integers(0, 3), st.integers(0, 99), st.integers(1, 99)), max_size=60)


def arrays(rows):
    return [np.array([row[n] for row in rows], dtype=np.int64) for n in range(4)]


def test_a_row_that_repeats_in_every_column_is_counted_once():
    found = settle(pair_batch(DAY, [ROW, ("ferry", "/", "SE", "mobile", 0, 2, 6), ROW]))
    assert (len(found.batch), found.repeats) == (2, 1)


def test_rows_that_contradict_each_other_refuse_the_day():
    with pytest.raises(FeedFault, match="different numbers") as caught:
        settle(pair_batch(DAY, [ROW, (*ROW[:4], 2, 4, 8)]))
    assert "'ferry'" in caught.value.where


@pytest.mark.parametrize("measures", [(5, 4, 8), (-1, 4, 8), (0, -1, 0), (0, 1, -1)])
def test_impossible_measures_refuse_the_day(measures):
    with pytest.raises(FeedFault, match=r"A row has .* (clicks|impressions|position)"):
        settle(pair_batch(DAY, [(*ROW[:4], *measures)]))


@given(st.lists(st.tuples(st.text(), st.integers(0, 2**40)), max_size=20), st.randoms())
def test_a_digest_does_not_depend_on_order_but_on_every_row(rows, random):
    def digest(of):
        return rows_digest([text_hashes([r[0] for r in of]), np.array([r[1] for r in of], dtype=np.uint64)])

    shuffled = rows[:]
    random.shuffle(shuffled)
    assert digest(rows) == digest(shuffled)
    assert digest(rows) != digest([*rows, ("one more", 1)])


def three(clicks, shown):
    return {"clicks": clicks, "impressions": shown, "position_milli": shown}


@pytest.mark.parametrize("limit", [1 << 23, 0], ids=["dense", "sorted"])
@given(rows=keyed)
def test_grouping_agrees_with_a_dict(limit, rows):
    expected = defaultdict(Counter)
    for a, b, clicks, shown in rows:
        expected[a, b] += Counter(clicks=clicks, shown=shown)
    kept, table.DENSE_LIMIT = table.DENSE_LIMIT, limit
    try:
        a, b, clicks, shown = arrays(rows)
        found = group((a, b), three(clicks, shown))
    finally:
        table.DENSE_LIMIT = kept
    seen = {
        (x, y): (c, s)
        for x, y, c, s in zip(
            *(k.tolist() for k in found.keys), found.clicks.tolist(), found.impressions.tolist(), strict=True
        )
    }
    assert seen == {key: (sums["clicks"], sums["shown"]) for key, sums in expected.items()}


@given(keyed, st.integers(0, 60))
def test_a_tally_in_parts_is_the_tally_of_the_whole(rows, cut):
    tally = Tally([41, 4])
    for part in (rows[:cut], rows[cut:]):
        a, b, clicks, shown = arrays(part)
        tally.add((a, b), (clicks, shown, shown))
    a, b, clicks, shown = arrays(rows)
    whole = group((a, b), three(clicks, shown))
    assert tally.result().clicks.tolist() == whole.clicks.tolist()
    assert tally.result().sums == whole.sums
    ended = tally.result(ends=True)
    assert [key.tolist() for key in ended.keys] == [key.tolist() for key in whole.keys]
    assert {name: sums.tolist() for name, sums in ended.figures.items()} == {
        name: sums.tolist() for name, sums in whole.figures.items()
    }


@given(st.lists(st.integers(0, 3), min_size=4, max_size=40))
def test_a_tally_whose_groups_are_all_there_ends_as_it_stands(keys):
    tally = Tally([4], ["clicks"])
    every = np.array([*range(4), *keys])
    tally.add([every], [np.ones(every.size, dtype=np.int64)])
    before = tally.result().figures["clicks"].tolist()
    assert tally.result(ends=True).figures["clicks"].tolist() == before == np.bincount(every).tolist()


@given(keyed, keyed)
def test_side_by_side_keeps_both_totals_and_the_union_of_keys(left, right):
    sides = []
    for rows in (left, right):
        a, b, clicks, shown = arrays(rows)
        sides.append(group((a, b), three(clicks, shown)))
    both = side_by_side(*sides)
    assert (both.now.sums, both.before.sums) == (sides[0].sums, sides[1].sums)
    union = {tuple(k) for s in sides for k in zip(*(c.tolist() for c in s.keys), strict=True)}
    assert {tuple(k) for k in zip(*(c.tolist() for c in both.keys), strict=True)} == union


def test_totals_without_dimensions_stand_side_by_side():
    none = np.zeros(0, dtype=np.int64)
    one = np.array([4])
    both = side_by_side(Grouped.of_search((), one, one, one), Grouped.of_search((), none, none, none))
    assert (both.now.sums.clicks, both.before.sums.clicks) == (4, 0)
