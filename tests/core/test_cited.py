"""Whom features lead to: how much it changes, against plain sets."""

import math
from collections import defaultdict
from itertools import pairwise

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from noctilum.core.cited import volatility

rows = st.lists(st.tuples(st.integers(0, 3), st.integers(1, 9), st.integers(0, 6)), max_size=60)


@given(rows)
def test_volatility_is_the_mean_distance_of_sets_that_follow_each_other(rows):
    sets: dict[int, dict[int, set[int]]] = defaultdict(lambda: defaultdict(set))
    for keyword, day, domain in rows:
        sets[keyword][day].add(domain)
    expected = {}
    for keyword, days in sets.items():
        order = [days[day] for day in sorted(days)]
        apart = [1 - len(a & b) / len(a | b) for a, b in pairwise(order)]
        expected[keyword] = sum(apart) / len(apart) if apart else math.nan
    columns = np.array(rows, dtype=np.int64).reshape(-1, 3).T
    names, found = volatility(*columns)
    assert names.tolist() == sorted(expected)
    np.testing.assert_allclose(found, [expected[name] for name in names.tolist()], atol=1e-12)
    assert all(math.isnan(each) or 0 <= each <= 1 for each in found)
