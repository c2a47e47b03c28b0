"""Sums kept for years only: the same answers as from plain rows, also where they cover but a part."""

import random
import sqlite3
from contextlib import closing
from datetime import date, timedelta

import pytest

from noctilum.history import AnswerCache, History, Question, scan
from noctilum.testing.batches import entry, pair_batch

FIRST, LAST = date(2024, 5, 10), date(2026, 2, 8)
DAYS = [FIRST + timedelta(n) for n in range((LAST - FIRST).days + 1)]


def made_up() -> dict[date, list[tuple]]:
    draw = random.Random(7)
    rows = {}
    for day in DAYS:
        choices = ("abcdef", ("/", "/x", "/y"), ("NO", "SE"), ("m", "d"))
        keys = {tuple(map(draw.choice, choices)) for _ in range(draw.randrange(1, 7))}
        rows[day] = [(*key, draw.randrange(0, 5), 5 + draw.randrange(9), 40) for key in sorted(keys)]
    return rows


ROWS = made_up()
PLACE = {"query": 0, "page": 1, "country": 2, "device": 3}


@pytest.fixture(scope="module")
def filled(tmp_path_factory):
    history = History(tmp_path_factory.mktemp("long") / "site.db", create=True)
    for month in sorted({day.replace(day=1) for day in DAYS}):
        history.put_days(1, [entry(pair_batch(day, ROWS[day])) for day in DAYS if day.replace(day=1) == month])
    history.compact(before=date(2026, 3, 1))
    yield history
    history.close()


def expected(by: str, where: dict[str, str], first: date, last: date, out: frozenset[date]) -> dict[str, tuple]:
    found: dict[str, list[int]] = {}
    for day, rows in ROWS.items():
        if first <= day <= last and day not in out:
            for row in rows:
                if all(row[PLACE[name]] == text for name, text in where.items()):
                    sums = found.setdefault(row[PLACE[by]], [0, 0, 0])
                    for n in range(3):
                        sums[n] += row[4 + n]
    return {key: tuple(sums) for key, sums in found.items()}


def answered(history: History, by: str, where: dict[str, str], first: date, last: date, out: frozenset[date]):
    ids = {name: (history.term_id(name, text),) for name, text in where.items()}
    found = history.read(Question("pair", first, last, (by,), ids, out))
    columns = (found.clicks.tolist(), found.impressions.tolist(), (found.position_milli // 1000).tolist())
    return dict(zip(history.texts(by, found.keys[0].tolist()), zip(*columns, strict=True), strict=True))


ASKED = [
    ("query", {"page": "/x"}),
    ("query", {"country": "SE", "device": "m"}),
    ("page", {"query": "c"}),
    ("query", {"device": "d"}),
]
WINDOWS = [
    (FIRST, LAST, frozenset()),
    (date(2025, 1, 1), date(2025, 12, 31), frozenset()),
    (date(2024, 7, 1), date(2025, 6, 30), frozenset()),
    (date(2024, 6, 15), date(2025, 9, 3), frozenset({date(2024, 8, 4), date(2025, 9, 1)})),
    (date(2025, 1, 1), date(2025, 12, 31), frozenset({date(2025, 3, 3)})),
]


@pytest.mark.parametrize(("by", "where"), ASKED)
@pytest.mark.parametrize("window", WINDOWS)
def test_long_windows_answer_as_plain_rows_do(filled, by, where, window):
    assert answered(filled, by, where, *window) == expected(by, where, *window)


@pytest.mark.parametrize(
    ("by", "where"), [*ASKED, ("query", {"country": "SE"}), ("query", {"query": "c", "device": "m"})]
)
def test_large_sums_of_years_are_narrowed_as_they_are_read(filled, tmp_path, monkeypatch, by, where):
    filled.copy_to(tmp_path / "copy.db")
    fresh = History(tmp_path / "copy.db", answers=AnswerCache(0))
    read, narrowed = [], scan.unrolled
    monkeypatch.setattr(scan, "MOST_CACHED_BYTES", 0)
    monkeypatch.setattr(scan, "unrolled", lambda *asked: read.append(asked) or narrowed(*asked))
    for window in WINDOWS:
        assert answered(fresh, by, where, *window) == expected(by, where, *window)
    fresh.close()
    assert read


def test_a_day_that_is_revised_is_in_the_sums_of_its_year(filled):
    day = date(2025, 4, 2)
    before = ROWS[day]
    try:
        ROWS[day] = [("c", "/x", "SE", "m", 4, 9, 18), ("g", "/x", "SE", "m", 1, 9, 18)]
        filled.put_days(1, [entry(pair_batch(day, ROWS[day]), revision="2")])
        for by, where in ASKED:
            assert answered(filled, by, where, *WINDOWS[1]) == expected(by, where, *WINDOWS[1])
    finally:
        ROWS[day] = before
        filled.put_days(1, [entry(pair_batch(day, before), revision="3")])


@pytest.mark.parametrize(("version", "lacks"), [("4", "page-query"), ("6", "query-place")])
def test_a_file_of_the_version_before_gets_them(filled, tmp_path, version, lacks):
    filled.copy_to(tmp_path / "old.db")
    with closing(sqlite3.connect(tmp_path / "old.db")) as db, db:
        assert db.execute("delete from span where name = ?", (lacks,)).rowcount >= 1
        for table, names in (("ledger", ("figures", "promised_figures")), ("change", ("was_figures", "now_figures"))):
            for name in names if version == "4" else ():
                db.execute(f"alter table {table} drop column {name}")
        db.execute("update meta set value = ? where key = 'schema'", (version,))
    old = History(tmp_path / "old.db")
    assert (old.digest(), old.verify()) == (filled.digest(), [])
    for by, where in ASKED:
        assert answered(old, by, where, *WINDOWS[0]) == expected(by, where, *WINDOWS[0])
    old.close()
    with closing(sqlite3.connect(tmp_path / "old.db")) as db:
        (kept,) = db.execute("select count(*) from span where name = ?", (lacks,)).fetchone()
    assert kept == 1
