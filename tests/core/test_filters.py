"""The filter language: what is read is written and read again; faults point at their place; tests do as they say."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from noctilum.core.brand import BrandRule, brand_mask, one_edit
from noctilum.core.errors import Nonsense
from noctilum.core.filters import (
    FIELDS,
    FilterFault,
    Not,
    SetTest,
    Test,
    both,
    divide,
    either,
    from_form,
    parse,
    to_form,
    written,
)
from noctilum.core.filters.rows import number_mask, result_mask, row_mask
from noctilum.core.filters.texts import comparable, text_mask

texts = st.text(max_size=12)
numbers = st.floats(-1e6, 1e6, allow_nan=False).map(lambda n: round(n, 4) + 0.0)
TEXT = [name for name, field in FIELDS.items() if field.kind == "text"]
DAYS = [name for name, field in FIELDS.items() if field.kind == "day"]
day_texts = st.dates().flatmap(lambda d: st.sampled_from([d.isoformat(), f"{d:%Y-%m}".zfill(7), f"{d.year:04}"]))
NUMBER = [name for name, field in FIELDS.items() if field.kind == "number"]
patterns = st.text(st.sampled_from("ab/c.+()|"), max_size=8)
tests = st.one_of(
    st.builds(
        Test,
        st.sampled_from(TEXT),
        st.sampled_from(["is", "is not", "has", "starts", "ends"]),
        st.tuples(texts),
        st.booleans(),
    ),
    st.builds(
        Test, st.sampled_from(TEXT), st.just("in"), st.lists(texts, min_size=1, max_size=3).map(tuple), st.booleans()
    ),
    st.builds(Test, st.sampled_from(TEXT), st.just("matches"), st.tuples(patterns), st.booleans()),
    st.builds(Test, st.sampled_from(NUMBER), st.sampled_from(["=", "!=", "<", "<=", ">", ">="]), st.tuples(numbers)),
    st.builds(Test, st.sampled_from(NUMBER), st.just("in"), st.lists(numbers, min_size=1, max_size=3).map(tuple)),
    st.builds(Test, st.sampled_from(NUMBER), st.just("between"), st.tuples(numbers, numbers).map(sorted).map(tuple)),
    st.builds(Test, st.sampled_from(DAYS), st.sampled_from(["=", "!=", "<", "<=", ">", ">="]), st.tuples(day_texts)),
    st.builds(Test, st.sampled_from(DAYS), st.just("between"), st.tuples(day_texts, day_texts).map(sorted).map(tuple)),
    st.builds(Test, st.sampled_from(["brand", "question"]), st.just("holds")),
    st.builds(SetTest, texts),
)
trees = st.recursive(
    tests,
    lambda inner: st.one_of(
        inner.map(Not),
        st.lists(inner, min_size=2, max_size=3).map(lambda parts: both(*parts)),
        st.lists(inner, min_size=2, max_size=3).map(lambda parts: either(*parts)),
    ),
    max_leaves=8,
)


@given(trees)
def test_what_is_written_reads_back_the_same(tree):
    assert parse(written(tree)) == tree
    assert written(parse(written(tree))) == written(tree)


@given(trees)
def test_the_json_form_reads_back_the_same(tree):
    assert from_form(to_form(tree)) == tree


@given(st.text(max_size=40))
def test_any_text_is_read_or_its_fault_told(text):
    try:
        parse(text)
    except FilterFault as fault:
        assert 1 <= fault.column <= len(text) + 1
        assert fault.length >= 1


@pytest.mark.parametrize(
    "text",
    [
        'query has "timetable" and not brand',
        'page starts "/islands/" and device is mobile',
        "words >= 4 or question",
        "position in 4..10 and impressions >= 200",
        'country in (NO, SE, DK) and not set "Winter routes"',
        "query matches /fer(ry|ries) to .+/ and clicks <= 100",
        "change in clicks < 0 and ctr >= 0.02",
        'path starts exactly "/Boats"',
        "first seen >= 2026-02 and not brand",
        "page first seen in 2025..2026-03-20 or first seen != 2024-02-29",
    ],
)
def test_the_documents_examples_are_canonical(text):
    short = text.replace('"timetable"', "timetable")
    assert written(parse(text)) == short


@pytest.mark.parametrize(
    ("text", "column", "length", "said", "remedy"),
    [
        ('quary has "x"', 1, 5, "no field 'quary'", "query"),
        ("query has", 10, 1, "A text is expected", "double quotes"),
        ('query has "ferry', 11, 6, "no closing quote", ""),
        ("page starts /islands", 13, 8, "no closing slash", 'page starts "/islands/"'),
        ("words >= many", 10, 4, "A number is expected", ""),
        ("words has x", 7, 3, "is a number: a comparison", ">="),
        ("query > 3", 7, 1, "is text: a test", "starts"),
        ("position in 10..4", 17, 1, "ends before it begins", "smaller"),
        ("(brand or question", 19, 1, "closing bracket is missing", ""),
        ("brand question", 7, 8, "should end", ""),
        ("change in luck > 1", 11, 4, "Change in what", "clicks"),
        ("device is mobile & brand", 18, 1, "'&' means nothing", ""),
        ("country in (NO; SE)", 15, 1, "means nothing", ""),
        ("", 1, 1, "A field is expected", "query"),
        ("first >= 2026", 7, 2, "After first comes seen", "first seen"),
        ("first seen has 2026", 12, 3, "is a day: a comparison", ">="),
        ("first seen >= 2026-02-30", 15, 10, "A day, a month or a year", "2026-03"),
        ("first seen >= tomorrow", 15, 8, "A day, a month or a year", "2026-03"),
        ("first seen in 2026-03..2026-02", 24, 7, "ends before it begins", "earlier"),
        ("engine is Quillon", 1, 6, "no field 'engine'", "beside the filter"),
        ("not " * 60 + "brand", 161, 3, "deeper than", ""),
    ],
)
def test_a_fault_names_its_place_and_what_was_expected(text, column, length, said, remedy):
    with pytest.raises(FilterFault) as caught:
        parse(text)
    assert (caught.value.column, caught.value.length) == (column, length)
    assert said in str(caught.value)
    assert remedy in caught.value.remedy


def test_parts_on_rows_and_on_results_are_divided_and_never_mixed():
    parts = divide(parse("brand and clicks > 3 and (position < 4 or ctr < 1%)"))
    assert written(parts.rows) == "brand"
    assert written(parts.results) == "clicks > 3 and (position < 4 or ctr < 0.01)"
    for mixed in ("brand or clicks > 3", "not (brand and clicks > 3)"):
        with pytest.raises(Nonsense, match="mixes what is counted"):
            divide(parse(mixed))


WORDS = ["Fähre nach Ronsay", "fa\u0308hre", "ferry", "FERRY times", "straße", ""]


@pytest.mark.parametrize(
    ("text", "found"),
    [
        ('query has "FÄHRE"', [0, 1]),
        ('query has exactly "ferry"', [2]),
        ("query is ferry", [2]),
        ("query is not ferry", [0, 1, 3, 4, 5]),
        ("query starts ferry", [2, 3]),
        ("query ends times", [3]),
        ("query in (FERRY, strasse)", [2, 4]),
        ("query matches /^f(e|ä)/", [0, 1, 2, 3]),
        ("query matches exactly /^F/", [0, 3]),
    ],
)
def test_text_is_compared_after_composing_and_folding(text, found):
    test = parse(text)
    mask = text_mask(test, comparable(WORDS, exactly=test.exactly))
    assert np.flatnonzero(mask).tolist() == found


def test_a_pattern_that_cannot_be_read_is_told_and_none_can_blow_up():
    with pytest.raises(Nonsense, match="cannot be read"):
        text_mask(parse("query matches /(/"), comparable(["x"]))
    evil = text_mask(parse("query matches /^(a+)+$/"), comparable(["a" * 50_000 + "b"]))
    assert evil.tolist() == [False]


@given(st.lists(st.one_of(st.none(), st.floats(0, 100)), max_size=20), st.floats(0, 100))
def test_the_undefined_passes_no_comparison(values, edge):
    column = np.array([np.nan if v is None else v for v in values])
    for op in ("=", "!=", "<", "<=", ">", ">="):
        passed = number_mask(Test("position", op, (edge,)), column)
        assert not passed[np.isnan(column)].any()
    low = number_mask(Test("position", "<", (edge,)), column)
    high = number_mask(Test("position", ">=", (edge,)), column)
    assert (low ^ high).tolist() == (~np.isnan(column)).tolist()


@given(trees, st.integers(0, 2**32 - 1))
def test_joined_tests_follow_the_laws_of_logic(tree, seed):
    """Not turns every row round, whatever the tests inside say."""
    rng = np.random.default_rng(seed)
    cache: dict = {}

    def terms(test):
        return "query", cache.setdefault(test, rng.random(5) < 0.5)

    columns = {"query": np.arange(5)}
    assert (row_mask(Not(tree), terms, columns) == ~row_mask(tree, terms, columns)).all()
    assert row_mask(either(tree, Not(tree)), terms, columns).all()
    assert not row_mask(both(tree, Not(tree)), terms, columns).any()


def test_results_are_tried_after_counting():
    columns = {"clicks": np.array([1.0, 50.0]), "position": np.array([np.nan, 3.0])}
    assert result_mask(parse("clicks > 10 or position > 0"), columns).tolist() == [False, True]


def test_brand_terms_are_whole_words_with_one_slip_and_exceptions():
    rule = BrandRule.read("Skerry, Umbra Point, -skerry rock")
    queries = [
        "SKERRY ferries",
        "skery ferries",
        "skerryferries",
        "umbra  point",
        "umbra pointe",
        "umbra",
        "skerry rock",
    ]
    assert brand_mask(queries, rule).tolist() == [True, True, False, True, True, False, False]
    assert not brand_mask(["owl"], BrandRule.read("oil")).any()


@given(st.text("abc", min_size=1, max_size=6), st.data())
def test_one_edit_is_found_both_ways(word, data):
    at = data.draw(st.integers(0, len(word) - 1))
    letter = data.draw(st.sampled_from("abcd"))
    for other in (word[:at] + word[at + 1 :], word[:at] + letter + word[at:], word[:at] + letter + word[at + 1 :]):
        assert one_edit(word, other) == one_edit(other, word) == (word != other)
