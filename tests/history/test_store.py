"""The history against a plain dict: put, revise, compact, reopen, crash."""

import sqlite3
from collections import Counter
from datetime import date, timedelta
from pathlib import Path
from tempfile import TemporaryDirectory

import pytest
from hypothesis import HealthCheck, settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, initialize, invariant, rule

from noctilum.core.days import DayState
from noctilum.core.errors import NotThere, StoreFault
from noctilum.core.measures import Sums
from noctilum.history import History, Question
from noctilum.testing.batches import entry, pair_batch

FIRST = date(2025, 1, 1)
DAYS = 200
rows = st.lists(
    st.tuples(
        st.sampled_from(["ferry", "ferry times", "fähre", "boat", "ronsay", ""]),
        st.sampled_from(["/", "/a", "/b"]),
        st.sampled_from(["NO", "SE"]),
        st.sampled_from(["mobile", "desktop"]),
        st.integers(0, 5),
        st.integers(5, 3000),
        st.integers(5, 90_000),
    ),
    unique_by=lambda row: row[:4],
    max_size=8,
)


def summed(model, first, last, pick):
    found = Counter(), Counter(), Counter()
    for day, held in model.items():
        if first <= day <= last:
            for row in held:
                for total, value in zip(found, row[4:], strict=True):
                    total[pick(day, row)] += value
    return {key: tuple(total[key] for total in found) for key in found[1]}


class StoreMachine(RuleBasedStateMachine):
    def __init__(self):
        super().__init__()
        self.folder = TemporaryDirectory()
        self.path = Path(self.folder.name) / "site.db"
        self.model = {}

    def teardown(self):
        self.history.close()
        self.folder.cleanup()

    @initialize()
    def open(self):
        self.history = History(self.path, create=True)

    @rule(offset=st.integers(0, DAYS), held=rows, state=st.sampled_from([DayState.FINAL, DayState.PROVISIONAL]))
    def put(self, offset, held, state):
        day = FIRST + timedelta(offset)
        self.history.put_days(1, [entry(pair_batch(day, held), state)])
        self.model[day] = held

    @rule(month=st.integers(0, 5), held=rows)
    def put_a_whole_month(self, month, held):
        first = date(2025, month + 1, 1)
        days = [first + timedelta(n) for n in range(31) if (first + timedelta(n)).month == month + 1]
        self.history.put_days(1, [entry(pair_batch(day, held)) for day in days])
        self.model |= dict.fromkeys(days, held)

    @rule(offset=st.integers(0, DAYS), held=rows)
    def crash_while_putting(self, offset, held):
        day = FIRST + timedelta(offset)

        class Cut(Exception):
            pass

        def cut(*_):
            raise Cut

        kept, History._advance = History._advance, staticmethod(cut)
        try:
            with pytest.raises(Cut):
                self.history.put_days(1, [entry(pair_batch(day, held))])
        finally:
            History._advance = staticmethod(kept)

    @rule()
    def compact(self):
        self.history.compact(before=FIRST + timedelta(DAYS + 60))

    @rule()
    def reopen(self):
        self.history.close()
        self.history = History(self.path)

    @rule(
        first=st.integers(0, DAYS),
        length=st.integers(0, DAYS),
        out=st.sets(st.integers(0, DAYS), max_size=3),
        by=st.sampled_from(["query", "page", "country", "day"]),
        device=st.sampled_from([None, "mobile"]),
    )
    def any_window_agrees(self, first, length, out, by, device):
        start, end = FIRST + timedelta(first), FIRST + timedelta(first + length)
        gone = frozenset(FIRST + timedelta(n) for n in out)
        number = self.history.term_id("device", device) if device else None
        where = {"device": (-1 if number is None else number,)} if device else {}
        found = self.history.read(Question("pair", start, end, (by,), where, gone))
        without = self.history.read(
            Question("pair", start, end, (by,), where, gone, measures=("clicks", "impressions"))
        )
        assert [without.clicks.tolist(), without.impressions.tolist()] == [
            found.clicks.tolist(),
            found.impressions.tolist(),
        ]
        ids = found.keys[0].tolist()
        names = list(map(date.fromordinal, ids)) if by == "day" else self.history.texts(by, ids)
        columns = (found.clicks.tolist(), found.impressions.tolist(), (found.position_milli // 1000).tolist())
        seen = dict(zip(names, zip(*columns, strict=True), strict=True))
        place = {"query": 0, "page": 1, "country": 2}.get(by)
        model = {
            day: [row for row in held if device in (None, row[3])]
            for day, held in self.model.items()
            if day not in gone
        }
        assert seen == summed(model, start, end, lambda day, row: day if place is None else row[place])

    @invariant()
    def every_day_agrees(self):
        found = self.history.read(Question("pair", FIRST, FIRST + timedelta(2 * DAYS), ("day",)))
        seen = dict(
            zip(
                map(date.fromordinal, found.keys[0].tolist()),
                zip(found.clicks, found.impressions, found.position_milli // 1000, strict=True),
                strict=True,
            )
        )
        assert seen == summed(self.model, FIRST, FIRST + timedelta(2 * DAYS), lambda day, _: day)

    @invariant()
    def the_ledger_tells_the_same_sums(self):
        total = sum((row.sums for row in self.history.ledger()), Sums())
        expected = summed(self.model, FIRST, FIRST + timedelta(2 * DAYS), lambda *_: "all").get("all", (0, 0, 0))
        assert (total.clicks, total.impressions, total.position_milli // 1000) == expected


StoreMachine.TestCase.settings = settings(
    max_examples=30, stateful_step_count=16, deadline=None, suppress_health_check=list(HealthCheck)
)
TestStore = StoreMachine.TestCase

MONTH = [date(2025, 1, 1) + timedelta(n) for n in range(31)]
ROWS = [("ferry", "/", "NO", "mobile", 2, 10, 31), ("boat", "/a", "SE", "desktop", 1, 7, 40)]


def filled(history, days=MONTH, held=ROWS):
    history.put_days(1, [entry(pair_batch(day, held)) for day in days])


def test_the_digest_does_not_depend_on_how_days_are_stored(tmp_path):
    one, other = History(tmp_path / "a.db", create=True), History(tmp_path / "b.db", create=True)
    filled(one)
    for day in reversed(MONTH):
        filled(other, [day], ROWS[::-1])
    assert one.digest() == other.digest()
    filled(other, MONTH[:1], ROWS[:1])
    assert one.digest() != other.digest()
    one.close(), other.close()


@pytest.mark.parametrize("by", ["day", "query", "page", "device"])
@pytest.mark.parametrize(("first", "last"), [(0, 27), (3, 30), (10, 12), (0, 30)])
def test_a_window_that_cuts_a_month_counts_only_its_days(history, by, first, last):
    filled(history)
    found = history.read(Question("pair", MONTH[first], MONTH[last], (by,)))
    assert found.sums.clicks == 3 * (last - first + 1)
    assert len(found) == (last - first + 1 if by == "day" else 2)


def test_putting_the_same_days_again_changes_nothing_but_the_generation(history):
    filled(history)
    before, generation = history.digest(), history.generation
    filled(history)
    assert (history.digest(), history.generation) == (before, generation + 1)


def test_two_writers_of_one_file_do_not_lose_terms(history, tmp_path):
    other = History(history.path)
    filled(history, MONTH[:1], [("from one", "/", "NO", "mobile", 0, 3, 9)])
    filled(other, MONTH[1:2], [("from two", "/", "NO", "mobile", 0, 4, 9)])
    filled(history, MONTH[2:3], [("from two", "/", "NO", "mobile", 0, 5, 9), ("third", "/", "NO", "mobile", 0, 6, 9)])
    found = history.read(Question("pair", MONTH[0], MONTH[-1], ("query",)))
    names = history.texts("query", found.keys[0].tolist())
    assert dict(zip(names, found.impressions.tolist(), strict=True)) == {"from one": 3, "from two": 9, "third": 6}
    other.close()


def test_verify_names_the_days_that_are_damaged_and_reading_them_is_refused(history):
    filled(history)
    assert history.verify() == []
    history.close()
    with sqlite3.connect(history.path) as db:
        number, data = db.execute("select id, data from block").fetchone()
        db.execute("update block set data = ? where id = ?", (data[:-6] + b"\0" * 6, number))
    db.close()
    history = History(history.path)
    damage = history.verify()
    assert [(d.dataset, d.first, d.last) for d in damage] == [("pair", MONTH[0], MONTH[-1])]
    with pytest.raises(StoreFault, match="cannot be read"):
        history.read(Question("pair", MONTH[0], MONTH[5], ("query",)))
    history.close()


def test_a_site_never_pulled_says_so_with_a_remedy(tmp_path):
    with pytest.raises(NotThere, match="Nothing is held") as caught:
        History(tmp_path / "none.db")
    assert "pull" in caught.value.remedy


def test_a_file_that_is_no_history_is_told(tmp_path):
    path = tmp_path / "broken.db"
    path.write_bytes(b"this is not a database, it is a note" * 100)
    with pytest.raises(StoreFault, match="cannot be used"):
        History(path).generation
