"""Filters while a pull adds terms: one question sees one state of the terms, and never fails."""

from datetime import date

import numpy as np

from noctilum.core.filters import parse
from noctilum.core.filters.rows import row_mask
from noctilum.history import Question
from noctilum.readings.narrow import Terms, Words, narrowing
from noctilum.testing.batches import entry, pair_batch

DAY, NEXT = date(2025, 1, 1), date(2025, 1, 2)


def put(history, day, *queries):
    rows = [(query, f"/{query}", "NO", "mobile", 1, 10, 20) for query in queries]
    history.put_days(1, [entry(pair_batch(day, rows))])


def test_terms_that_come_while_a_filter_is_tried_are_left_out_until_the_next_question(history):
    put(history, DAY, "ferry", "boat")
    terms = Terms(history, Words())
    _, first = terms.of(parse('query has "ferry"'))
    put(history, NEXT, "ferry times", "night ferry")
    _, other = terms.of(parse('query has "boat"'))
    _, counted = terms.of(parse("words >= 2"))
    assert first.size == other.size == counted.size == 2
    rows = history.read(Question("pair", DAY, NEXT, ("query", "page")))
    columns = {"query": rows.keys[0], "page": rows.keys[1]}
    node = parse('query has "ferry" or page has "boat"')
    assert row_mask(node, terms.of, columns).sum() == 2
    assert row_mask(node, Terms(history, Words()).of, columns).sum() == 4


def test_an_exact_text_that_is_new_passes_no_older_mask(history):
    put(history, DAY, "ferry")
    put(history, NEXT, "ferry times")
    found = narrowing(history, {"query": "ferry times"}, 'query has "ferry"', Words())
    assert found.ids == {"query": (history.term_id("query", "ferry times"),)}
    assert (
        row_mask(parse('query has "x"'), lambda _: ("query", np.zeros(0, bool)), {"query": np.array([0, 5])}).sum() == 0
    )
