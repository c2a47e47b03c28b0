"""Settling, digests, grouping and joining of columns."""

from collections import Counter, defaultdict
from datetime import date
from functools import reduce
from hashlib import blake2b
from operator import xor

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from noctilum.core import table
from noctilum.core.digest import rows_digests, text_hash, text_hashes
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


told_rows = st.lists(st.tuples(st.text(), st.integers(0, 2**40)), max_size=20)


def digests(parts):
    """Digest parts of rows, given one after the other."""
    rows = [row for part in parts for row in part]
    columns = [text_hashes([text for text, _ in rows]), np.array([number for _, number in rows], dtype=np.uint64)]
    return rows_digests(columns, [len(part) for part in parts])


@given(told_rows, st.randoms())
def test_a_digest_does_not_depend_on_order_but_on_every_row(rows, random):
    shuffled = rows[:]
    random.shuffle(shuffled)
    assert digests([rows]) == digests([shuffled])
    assert digests([rows]) != digests([[*rows, ("one more", 1)]])


def folded(row):
    """Fold one row as the finaliser of splitmix64 is written down, in numbers of any size."""
    value = 0
    for column in (text_hash(row[0]), row[1]):
        value = ((value ^ column) + 0x9E3779B97F4A7C15) % 2**64
        value = (value ^ value >> 30) * 0xBF58476D1CE4E5B9 % 2**64
        value = (value ^ value >> 27) * 0x94D049BB133111EB % 2**64
        value ^= value >> 31
    return value


@given(st.lists(told_rows, max_size=6))
def test_parts_are_digested_each_by_itself_as_row_by_row(parts):
    expected = []
    for part in parts:
        hashes = [folded(row) for row in part]
        stamp = (len(part), sum(hashes) % 2**64, reduce(xor, hashes, 0))
        joined = b"".join(value.to_bytes(8, "little") for value in stamp)
        expected.append(blake2b(joined, digest_size=16).hexdigest())
    assert digests(parts) == expected


def test_a_digest_is_the_same_in_every_version():
    """What was written down years ago is compared with what is digested today."""
    assert digests([[("ferry", 1), ("boat", 2)], []]) == [
        "63cf4ec1597d922ac442c2509ca58710",
        "941e0c502c87478811f1b6a130227018",
    ]


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
