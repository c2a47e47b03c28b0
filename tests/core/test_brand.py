"""Laws of telling brand queries: slips, near misses and exceptions, for any words."""

from hypothesis import given, settings
from hypothesis import strategies as st

from noctilum.core.brand import BrandRule, brand_mask, folded, known_by, near, one_edit, slips

WORDS = st.sampled_from(["skerry", "skery", "Skérry", "ferries", "ferry", "skerryferries", "rock", "hive", "x"])
QUERIES = st.lists(st.lists(WORDS, min_size=1, max_size=4).map(" ".join), max_size=12)
TERMS = st.lists(st.lists(WORDS, min_size=1, max_size=2).map(" ".join), min_size=1, max_size=3)
RULES = st.builds(lambda terms, out: BrandRule(tuple(terms), tuple(out)), TERMS, st.lists(WORDS, max_size=1))
laws = settings(deadline=None)


@laws
@given(QUERIES, RULES)
def test_what_is_told_of_one_query_is_what_marks_it_among_all(queries, rule):
    told = [(found := known_by(query, rule)) is not None and found.how != "exception" for query in queries]
    assert told == brand_mask(queries, rule).tolist()


@laws
@given(QUERIES, RULES)
def test_slips_are_brand_and_hold_no_term_as_written(queries, rule):
    brand = brand_mask(queries, rule)
    for number, words in slips(queries, rule):
        assert brand[number]
        assert words in folded(queries[number])
        assert known_by(queries[number], rule).how == "slip"


@laws
@given(QUERIES, RULES)
def test_what_comes_near_is_not_brand_and_would_be_once_taken_in(queries, rule):
    held = brand_mask(queries, BrandRule(rule.terms))
    for number, words in near(queries, rule):
        assert not held[number]
        assert brand_mask([queries[number]], BrandRule((words,)))[0]


@laws
@given(QUERIES, RULES, WORDS)
def test_an_exception_only_ever_takes_away(queries, rule, word):
    more = BrandRule(rule.terms, (*rule.exceptions, word))
    assert not (brand_mask(queries, more) & ~brand_mask(queries, rule)).any()


def test_terms_written_in_any_way_are_the_same_terms():
    assert BrandRule.read(" skerry ,, -skerry rock,-") == BrandRule(("skerry",), ("skerry rock",))
    assert BrandRule.read(" , ") == BrandRule()


def test_signs_in_terms_are_text_and_no_pattern():
    rule = BrandRule.read("c++ (tools), a|b")
    assert brand_mask(["c tools", "c++ tools", "a", "a b"], rule).tolist() == [True, True, False, True]


@laws
@given(st.lists(st.text("abc", min_size=3, max_size=8), max_size=40), st.text("abc", min_size=5, max_size=7))
def test_slips_are_the_words_one_edit_away_and_no_others(words, term):
    rule = BrandRule((term,))
    assert brand_mask(words, rule).tolist() == [word == term or one_edit(term, word) for word in words]
