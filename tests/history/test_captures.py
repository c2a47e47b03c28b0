"""Kept answers: read back as they were, small where they stay the same, let go by the rule and never beyond it."""

import random
from datetime import date, timedelta

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from noctilum.history import History, captures
from noctilum.history.captures import WHOLE_FOR, Capture

FIRST = date(2025, 9, 1)


def body(draw: random.Random, many: int = 20) -> bytes:
    return b",".join(b'["https://domain%d.example/some/page"]' % draw.randrange(40) for _ in range(many))


@pytest.fixture
def history(tmp_path):
    found = History(tmp_path / "h.db", create=True)
    yield found
    found.close()


def kept(history: History, look: str) -> dict[date, bytes | None]:
    return {line.day: history.capture(line.number) for line in history.captures_of(look)}


def test_every_answer_reads_back_as_it_was_and_days_of_several_are_given_in_order(history):
    draw = random.Random(3)
    told = {}
    for n in range(70):
        day = FIRST + timedelta(n)
        made = [Capture(look, day, f"{day}T05:00:00+00:00", "1", body(draw)) for look in ("one", "two")]
        history.put_captures(1, made)
        told |= {(each.look, day): each.body for each in made}
    for look in ("one", "two"):
        assert kept(history, look) == {day: text for (name, day), text in told.items() if name == look}
    again = Capture("one", FIRST, f"{FIRST}T06:00:00+00:00", "1", b"later")
    history.put_captures(1, [again])
    assert [text for _, text in history.captures_of_day(1, FIRST)][-1] == b"later"
    assert history.captures_of_day(2, FIRST) == []
    assert history.capture(10**9) is None


def test_an_answer_that_stays_the_same_takes_next_to_nothing(history):
    text = body(random.Random(1), 60)
    days = [FIRST + timedelta(n) for n in range(28)]
    history.put_captures(1, [Capture("one", day, "", "1", text) for day in days])
    with history._reading() as db:
        many, size = captures.count(db)
    assert many == 28
    assert size < len(text) + 27 * 60


@settings(max_examples=8)
@given(st.lists(st.integers(0, 3), min_size=200, max_size=200), st.integers(0, 40))
def test_what_is_let_go_is_what_the_rule_says(tmp_path_factory, owns, skew):
    """All of the newest ninety days stay; before them the first of each week and every day with a change."""
    history = History(tmp_path_factory.mktemp("h") / "h.db", create=True)
    first = FIRST + timedelta(skew)
    days = [first + timedelta(n) for n in range(len(owns))]
    made = [Capture("one", day, "", str(own), str(own).encode() * 50) for day, own in zip(days, owns, strict=True)]
    for n in range(0, len(days), 5):
        history.put_captures(1, made[n : n + 5])
        history.thin_captures(1, days[n + 4])
    left = set(kept(history, "one"))
    today = days[-1]
    assert left >= {day for day in days if day >= today - timedelta(WHOLE_FOR)}
    old = [day for day in days if day < today - timedelta(WHOLE_FOR)]
    changed = {day for n, day in enumerate(days) if n == 0 or owns[n] != owns[n - 1]}
    weeks = {(day.toordinal() - 1) // 7 for day in old}
    assert left >= changed & set(old)
    assert {(day.toordinal() - 1) // 7 for day in left & set(old)} == weeks
    assert all(text is not None for text in kept(history, "one").values())
    settled = {day for day in old if day >= days[0] + timedelta(14)} - changed
    of_month = {min(d for d in days if (d.year, d.month) == (day.year, day.month)) for day in days}
    by_week: dict[int, int] = {}
    for day in sorted((left & settled) - of_month):
        by_week[(day.toordinal() - 1) // 7] = by_week.get((day.toordinal() - 1) // 7, 0) + 1
    assert all(many <= 1 for many in by_week.values())
    history.close()


def test_answers_go_with_their_source_and_with_the_months_that_are_let_go(history):
    for source in (1, 2):
        history.put_captures(source, [Capture("one", FIRST + timedelta(n), "", "1", b"x") for n in range(60)])
    history.drop_source(2)
    assert len(history.captures_of("one")) == 60
    history.drop_before(date(2025, 10, 1))
    assert min(line.day for line in history.captures_of("one")) == date(2025, 10, 1)
