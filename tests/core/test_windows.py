"""Windows, comparisons, completeness, pairs of days, timelines."""

from datetime import date, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from noctilum.core.days import DayState, complete_through, completeness, days_due, pair_days
from noctilum.core.errors import Nonsense
from noctilum.core.measures import Sums, add_up
from noctilum.core.timeline import steps
from noctilum.core.windows import Bucket, Window, against_window, parse_window

END = date(2026, 3, 17)
FINAL, FRESH, MISSING, EMPTY = DayState.FINAL, DayState.PROVISIONAL, DayState.MISSING, DayState.EMPTY


def held(window, *out):
    return {day: FINAL for day in window.days() if day not in out}


@pytest.mark.parametrize(
    ("asked", "found"),
    [
        ("P28D", "2026-02-18/2026-03-17"),
        ("P12W", "2025-12-24/2026-03-17"),
        ("P3M", "2025-12-18/2026-03-17"),
        ("2026-02", "2026-02-01/2026-02-28"),
        ("2025", "2025-01-01/2025-12-31"),
        ("2026-01-01/2026-03-31", "2026-01-01/2026-03-31"),
        ("2026-01-01/P1M", "2026-01-01/2026-01-31"),
        ("P7D/2026-01-07", "2026-01-01/2026-01-07"),
    ],
)
def test_windows_are_read_as_people_write_them(asked, found):
    assert parse_window(asked, ends_on=END).text == found


@pytest.mark.parametrize(
    "asked", ["", "28", "P", "P0D", "2026-13", "2026-02-30/2026-03-01", "soon", "P1D/P1D", "P99999Y"]
)
def test_nonsense_is_refused_with_an_example(asked):
    with pytest.raises(Nonsense) as caught:
        parse_window(asked, ends_on=END)
    assert "P28D" in caught.value.remedy


def test_a_window_that_ends_before_it_begins_is_refused():
    with pytest.raises(Nonsense, match="before it begins"):
        parse_window("2026-03-02/2026-03-01", ends_on=END)


def test_a_calendar_month_is_compared_with_the_month_before_and_the_same_month_a_year_back():
    march = parse_window("2026-03", ends_on=END)
    assert against_window(march, "before", ends_on=END).text == "2026-02-01/2026-02-28"
    assert against_window(march, "year", ends_on=END).text == "2025-03-01/2025-03-31"


@given(st.dates(date(2000, 1, 1), date(2030, 1, 1)), st.integers(0, 400))
def test_a_year_before_lines_up_weekdays(first, length):
    window = Window(first, first + timedelta(length))
    before = against_window(window, "year", ends_on=window.last)
    assert len(before) == len(window)
    assert before.first.weekday() == window.first.weekday()


def test_complete_through_stops_before_provisional_days_and_not_at_a_gap():
    d = date(2026, 3, 1)
    states = {d: FINAL, d + timedelta(2): FINAL, d + timedelta(3): FRESH, d + timedelta(4): FINAL}
    assert complete_through(states) == d + timedelta(2)


def test_a_day_not_held_takes_its_partner_out_of_both_sums():
    now = parse_window("P28D", ends_on=END)
    before = against_window(now, "before", ends_on=END)
    gone = date(2026, 2, 2)
    pairing = pair_days(now, before, held(Window(before.first, now.last), gone))
    assert len(pairing.now) == len(pairing.before) == 27
    assert pairing.left_out == ((gone + timedelta(28), gone),)


def test_over_a_tenth_not_held_is_not_enough():
    window = parse_window("P28D", ends_on=END)
    assert completeness(window, held(window, *window.days()[:2])).enough
    assert not completeness(window, held(window, *window.days()[:3])).enough


def test_days_due_are_new_or_revised_newest_first_and_never_what_is_not_offered():
    d = [date(2026, 3, n) for n in range(1, 5)]
    known = {d[0]: (FINAL, "a"), d[1]: (FRESH, "a")}
    offered = {d[0]: (FINAL, "a"), d[1]: (FINAL, "b"), d[2]: (FRESH, "a"), d[3]: (MISSING, None)}
    assert days_due(known, offered) == [d[2], d[1]]


def test_a_gap_is_not_a_zero_and_an_empty_day_is():
    window = Window(date(2026, 3, 1), date(2026, 3, 3))
    states = {window.first: FINAL, window.last: EMPTY}
    found = steps(window, Bucket.DAY, {window.first: Sums(3, 9, 9)}, states)
    assert [step.sums for step in found] == [Sums(3, 9, 9), None, Sums()]


def test_weeks_cut_by_the_window_or_not_wholly_held_are_partial():
    window = Window(date(2026, 3, 4), date(2026, 3, 22))
    found = steps(window, Bucket.WEEK, {}, held(window, date(2026, 3, 18)))
    assert [(step.days, step.held, step.partial) for step in found] == [(5, 5, True), (7, 7, False), (7, 6, True)]


@given(st.integers(1, 200), st.sampled_from(list(Bucket)), st.data())
def test_a_timeline_adds_up_to_its_days_whatever_the_bucket(length, bucket, data):
    window = Window(date(2025, 12, 20), date(2025, 12, 20) + timedelta(length - 1))
    daily = {day: Sums(data.draw(st.integers(0, 9)), 10, 0) for day in window.days()[::3]}
    found = steps(window, bucket, daily, held(window))
    assert add_up(step.sums for step in found) == add_up(daily.values())
