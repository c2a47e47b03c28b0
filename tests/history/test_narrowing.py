"""Filters while a pull adds terms: one question sees one state of the terms, and never fails."""

from datetime import date, timedelta

import numpy as np
import pytest

from noctilum.core.filters import parse
from noctilum.core.filters.rows import row_mask
from noctilum.history import Question
from noctilum.readings.narrow import NamedSet, Terms, Words, narrowing
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


def day_rows(history, day, queries, source=1):
    rows = [(query, f"/{query}", "NO", "mobile", 1, 10, 20) for query in queries]
    history.put_days(source, [entry(pair_batch(day, rows))])


@pytest.mark.parametrize("seed", range(4))
def test_first_days_are_those_of_the_rows_however_they_are_stored(history, seed):
    rng = np.random.default_rng(seed)
    days = [date(2024, 11, 1) + timedelta(int(n)) for n in rng.choice(150, 40, replace=False)]
    seen: dict[str, dict[int, date]] = {}
    for day in days:
        queries = {f"query {n}" for n in rng.integers(0, 60, 8)}
        source = int(rng.integers(1, 3))
        day_rows(history, day, queries, source)
        for query in queries:
            first = seen.setdefault(query, {}).get(source, date.max)
            seen[query][source] = min(first, day)
    for again in (False, True):
        texts = history.all_texts("query")
        for sources in (None, (1,), (2,)):
            wanted = [
                min(
                    (day for source, day in seen[text].items() if sources is None or source in sources),
                    default=date.max,
                )
                for text in texts
            ]
            assert [date.fromordinal(int(day)) for day in history.first_days("query", sources)] == wanted
        assert again or history.compact(date(2026, 1, 1)) > 0


def test_an_older_day_that_comes_later_moves_what_was_first_seen_without_a_new_term(history):
    day_rows(history, date(2025, 3, 10), ["ferry", "boat"])
    words = Words(sets={"new": NamedSet("New", "query", "first seen >= 2025-03")})

    def listed(text):
        found = narrowing(history, {}, text, words).ids["query"]
        return sorted(history.texts("query", found))

    asked = ("first seen in 2025-03", 'set "new"')
    assert [listed(text) for text in asked] == [["boat", "ferry"]] * 2
    day_rows(history, date(2024, 3, 10), ["ferry"])
    assert [listed(text) for text in asked] == [["boat"]] * 2
    assert listed("first seen < 2025") == ["ferry"]
    assert listed("not first seen < 2025") == ["boat"]


def test_a_page_has_a_first_day_of_its_own(history):
    day_rows(history, date(2025, 3, 10), ["ferry"])
    day_rows(history, date(2025, 4, 10), ["ferry", "boat"])
    found = narrowing(history, {}, "page first seen >= 2025-04-01 and first seen < 2026", Words()).ids
    assert history.texts("page", found["page"]) == ["/boat"]
    assert len(found["query"]) == 2
