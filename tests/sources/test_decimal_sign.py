"""The decimal sign is told by a vote of all numbers, however often each is written."""

import re

from hypothesis import given
from hypothesis import strategies as st

from noctilum.sources.files.values import decimal_sign

WRITTEN = ("1,5", "1.5", "12,25", "3.7%", "1,234", "1.234", "12", "0,004", "1.234,5", "1,234.5", "", "-")
numbers = st.sampled_from(WRITTEN)


def plain(texts) -> str | None:
    """Every text by itself: a sign followed by one, two or more than three digits is a decimal one, and ends it."""
    told = []
    for text in texts:
        found = re.search(r"([.,])(\d+)$", text.strip().rstrip("% "))
        if found and (len(found[2]) != 3 or text.startswith("0")):
            told.append(found[1])
    points, commas = told.count("."), told.count(",")
    return None if points == commas else "." if points > commas else ","


@given(st.lists(numbers, max_size=40))
def test_each_number_has_a_vote(texts):
    assert decimal_sign(texts) == plain(texts)
    assert decimal_sign(texts * 3) == decimal_sign(texts)
