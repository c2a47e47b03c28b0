"""Term facts: the stand-in's own figures and the search model's clicks, put together here, against what is read."""

from __future__ import annotations

from collections import Counter
from datetime import date, timedelta

import pytest
from tests.conftest import HIVE, SMALL, TODAY
from tests.served import Held, answered, feed

from noctilum.core.errors import NotThere
from noctilum.core.facts import MONTH_DAYS
from noctilum.core.windows import shift_months
from noctilum.standins.facts_feed import create_app
from noctilum.standins.facts_model import FACT_WORLDS, facts_of, related_of
from noctilum.standins.search_model import model_of

NUMBER = "facts-hivewright-blog"
HELD = Held(((create_app, NUMBER),))
MONTH = date(2026, 2, 1)
"""Facts of a month are there on the fifth of the next."""


@pytest.fixture(scope="module")
def facts_feed():
    with feed(create_app) as url:
        yield url


@pytest.fixture
def site(install, held, facts_feed):
    return HELD.now_at(install, facts_feed)


def clicks(first: date, last: date) -> Counter[str]:
    found: Counter[str] = Counter()
    for n in range((last - first).days + 1):
        rows = model_of(SMALL, TODAY).day(first + timedelta(n))["query"]
        for query, count in zip(rows.texts["query"], rows.clicks, strict=True):
            found[query] += count
    return found


def test_volume_value_and_share_are_those_of_plain_rows(install, site):
    found = answered(install, site, "terms", limit=1000)
    assert found.month == MONTH
    plain = {fact.term: fact for fact in facts_of(NUMBER, TODAY, MONTH)}
    heard = clicks(found.window.first, found.window.last)
    assert {row.term: row.volume for row in found.rows} == {term: fact.volume for term, fact in plain.items()}
    for row in found.rows:
        fact, count = plain[row.term], heard.get(row.term, 0)
        assert row.clicks == count and row.cpc == pytest.approx(fact.cpc / 100)
        assert row.value == pytest.approx(count * fact.cpc / 100, abs=0.006)
        assert row.share == pytest.approx(count / 28 * MONTH_DAYS / fact.volume)
    assert found.value == pytest.approx(sum(row.value for row in found.rows), abs=0.01)
    assert found.volume == sum(fact.volume for fact in plain.values())


def test_the_year_is_twelve_months_up_to_the_newest(install, site):
    found = answered(install, site, "terms", find="mead", limit=5)
    for row in found.rows:
        for n, volume in enumerate(row.year):
            month = shift_months(MONTH, n - 11)
            assert volume == next(f.volume for f in facts_of(NUMBER, TODAY, month) if f.term == row.term)


def test_ideas_are_marked_by_what_the_site_is_shown_for(install, site):
    found = answered(install, site, "ideas", word="mead", limit=1000)
    near = {fact.term: fact for fact in related_of(NUMBER, TODAY, MONTH)["mead"]}
    near |= {fact.term: fact for fact in facts_of(NUMBER, TODAY, MONTH) if "mead" in fact.term.split()}
    assert {row.term: row.volume for row in found.rows} == {term: fact.volume for term, fact in near.items()}
    shown = set(model_of(SMALL, TODAY).queries)
    for row in found.rows:
        assert row.mark == "new" or row.term in shown
        assert (row.mark == "shown") == (row.position is not None)
    own = set(FACT_WORLDS[NUMBER].words["mead"])
    assert {row.term for row in found.rows if row.mark == "new"} >= own
    assert found.known == ["mead"]
    questions = answered(install, site, "ideas", word="mead", only="questions", limit=1000)
    assert {row.term for row in questions.rows} >= {"what is mead", "how long does mead keep in the bottle"}
    assert all(row.words >= 4 for row in answered(install, site, "ideas", word="mead", only="long").rows)


def test_any_word_is_looked_up_among_the_terms_with_facts(install, site):
    found = answered(install, site, "ideas", word="Lavender", limit=1000)
    assert found.rows and all("lavender" in row.term.split() for row in found.rows)
    nothing = answered(install, site, "ideas", word="submarine")
    assert not nothing.rows and nothing.sentences


def test_facts_of_a_country_that_is_not_known_are_none(install, site):
    assert answered(install, site, "terms", country="gb").matching > 0
    assert answered(install, site, "terms", country="FR").matching == 0


def test_without_facts_it_says_what_to_do(install, pulled):
    for name, asked in (("terms", {}), ("ideas", {"word": "mead"})):
        with pytest.raises(NotThere):
            answered(install, HIVE, name, **asked)


@pytest.mark.parametrize(
    ("name", "asked", "field"),
    [
        ("breakdown", {"dimension": "query"}, "key"),
        ("within-reach", {}, "query"),
        ("fading", {"item": "query", "verdict": ["holding", "rising", "too few to tell"]}, "key"),
    ],
)
def test_what_is_known_of_a_term_stands_wherever_it_is_listed(install, site, name, asked, field):
    plain = {fact.term: fact for fact in facts_of(NUMBER, TODAY, MONTH)}
    found = answered(install, site, name, **asked)
    assert found.rows
    for row in found.rows:
        fact = plain.get(getattr(row, field))
        assert row.volume == (fact.volume if fact else None)
        assert row.cpc == (pytest.approx(fact.cpc / 100) if fact and fact.cpc else None)
    assert any(row.volume for row in found.rows)
    pages = answered(install, site, "breakdown", dimension="page")
    assert {row.volume for row in pages.rows} == {None}


def test_facts_of_later_months_say_nothing_of_an_earlier_window(install, site):
    known = answered(install, site, "terms", window="2026-01").month
    found = answered(install, site, "breakdown", dimension="query", window="2026-01", against="none")
    plain = {fact.term: fact for fact in facts_of(NUMBER, TODAY, known)}
    assert known < MONTH and {row.key: row.volume for row in found.rows if row.volume} == {
        row.key: plain[row.key].volume for row in found.rows if row.key in plain
    }
