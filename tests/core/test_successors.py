"""Which page took the queries of one that is gone."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from noctilum.core.successors import heir
from noctilum.core.table import Grouped

GONE, MOVED, OTHER = 1, 2, 3


def shown(*rows):
    """rows: (query, page, impressions)."""
    query, page, impressions = (np.array(column, dtype=np.int64) for column in zip(*sorted(rows), strict=True))
    return Grouped.of_search((query, page), impressions // 10, impressions, impressions * 4000)


BEFORE = shown((10, GONE, 280), (11, GONE, 140), (11, OTHER, 140), (12, OTHER, 5000))


@pytest.mark.parametrize(
    ("since", "found"),
    [
        (shown((10, MOVED, 70), (11, MOVED, 35), (12, OTHER, 1250)), MOVED),
        (shown((10, MOVED, 50), (11, OTHER, 35)), None),  # 7.1 a day of the 15 that were
        (shown((10, MOVED, 60), (11, OTHER, 35)), MOVED),  # 8.6 a day
        (shown((10, OTHER, 70), (11, OTHER, 70)), OTHER),  # one that shared a query took the rest
        (shown((11, OTHER, 35), (12, OTHER, 9000)), None),  # what it had for them, and what is of other queries
        (shown((10, GONE, 70), (11, GONE, 35)), None),
    ],
)
def test_an_heir_is_shown_half_as_often_more_than_it_was_for_these_queries(since, found):
    assert heir(GONE, BEFORE, since, 28, 7) == found


def test_a_page_that_was_never_shown_has_no_heir():
    assert heir(99, BEFORE, BEFORE, 28, 7) is None


@given(st.integers(1, 40), st.integers(1, 40), st.integers(2, 9))
def test_where_all_moves_to_one_address_that_is_the_heir_whatever_the_lengths(before, since, queries):
    was = shown(*((q, GONE, 20 * before) for q in range(queries)))
    now = shown(*((q, MOVED, 20 * since) for q in range(queries)))
    assert heir(GONE, was, now, before, since) == MOVED
