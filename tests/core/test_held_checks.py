"""Checks in order say what plain reading of all of them says."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from noctilum.core.held_checks import HeldChecks
from noctilum.core.ranks import Checks, by_step, latest

CHECK = st.tuples(
    st.integers(0, 5), st.integers(1, 60), st.one_of(st.just(float("nan")), st.integers(1, 40).map(float))
)


def both(found):
    ordered = sorted(found, key=lambda each: each[:2])
    columns = [np.array([each[n] for each in ordered]) for n in range(3)]
    held = HeldChecks(columns[0].astype(np.int32), columns[1].astype(np.int32), columns[2].astype(np.float32))
    return held, Checks(columns[0].astype(np.int64), columns[1].astype(np.int64), columns[2].astype(np.float64))


LOOKS = np.array([0, 1, 2, 3, 4, 5])


@given(st.lists(CHECK, min_size=1, max_size=60), st.integers(1, 70), st.integers(1, 20))
def test_the_latest_check_is_that_of_a_plain_search(found, last, days):
    held, plain = both(found)
    for mine, theirs in zip(held.latest(LOOKS, last, days), latest(plain, 6, last, days), strict=True):
        np.testing.assert_array_equal(mine, theirs)


@given(st.lists(CHECK, min_size=1, max_size=60), st.sampled_from(["last", "best", "average"]), st.integers(1, 30))
def test_steps_are_those_of_plain_sums(found, choice, first):
    held, plain = both(found)
    ends = [first + 6, first + 13, first + 14, first + 30]
    since = plain.taken(plain.day >= first)
    mine, theirs = held.by_step(LOOKS, first, ends, choice), by_step(since, 6, np.array(ends), choice)
    np.testing.assert_array_equal(mine[1], theirs[1])
    np.testing.assert_allclose(mine[0], theirs[0])


@given(st.lists(CHECK, min_size=1, max_size=60), st.integers(1, 30), st.integers(0, 30))
def test_counts_slices_and_the_best_are_those_of_plain_loops(found, first, more):
    held, plain = both(found)
    counts = held.counts(LOOKS, first, first + more)
    best, day = held.best_ever
    for look in range(6):
        mine = (plain.keyword == look) & (plain.day >= first) & (plain.day <= first + more)
        assert counts[look] == mine.sum()
        assert held.slice_of(look, first, first + more) == slice(
            held.slice_of(look, first, first + more).start, held.slice_of(look, first, first + more).start + mine.sum()
        )
        ranks = plain.rank[(plain.keyword == look) & np.isfinite(plain.rank)]
        if look < best.size:
            assert best[look] == (ranks.min() if ranks.size else np.inf)
            if ranks.size:
                assert day[look] == plain.day[(plain.keyword == look) & (plain.rank == ranks.min())].max()


@given(
    st.lists(CHECK, min_size=1, max_size=60), st.lists(st.tuples(st.integers(1, 30), st.integers(0, 30)), max_size=5)
)
def test_many_spans_at_once_are_each_counted_as_by_itself(found, spans):
    held, _ = both(found)
    spans = [(first, first + more) for first, more in spans]
    looks = np.array([3, -1, 0, 2])
    assert held.many(looks, spans) == [int(held.counts(looks, *span).sum()) for span in spans]


def test_what_was_never_looked_up_is_unknown_everywhere():
    held, _ = both([(0, 5, 3.0)])
    never = np.array([-1, 0])
    rank, checked = held.latest(never, 6)
    assert checked.tolist() == [False, True] and rank[1] == 3
    assert held.counts(never, 1, 9).tolist() == [0, 1]
    assert held.by_step(never, 1, [9], "best")[1].tolist() == [[False], [True]]
    assert held.slice_of(-1, 1, 9) == slice(0, 0)


@pytest.mark.parametrize("choice", ["last", "best", "average"])
def test_no_checks_at_all_are_no_error(choice):
    none = HeldChecks(np.zeros(0, np.int32), np.zeros(0, np.int32), np.zeros(0, np.float32))
    assert not none.by_step(LOOKS, 1, [7, 14], choice)[1].any()
    assert not none.latest(LOOKS, 9)[1].any() and none.best_ever[0].size == 0
