"""A history under every kind of damage: what is wrong is named, what is sound stays, nothing is lost unsaid."""

import sqlite3
import subprocess
import sys
from contextlib import closing
from datetime import UTC, date, datetime, timedelta

import numpy as np
import pytest
from sqlalchemy import event

from noctilum.core.batch import Coded
from noctilum.core.days import DayState
from noctilum.core.errors import DiskFull, StoreFault
from noctilum.history import History, Question
from noctilum.testing.batches import entry, pair_batch, search_day

FIRST = date(2025, 1, 1)
NOW = datetime(2026, 3, 20, tzinfo=UTC)
DAYS = 70


def rows(n: int) -> list:
    return [(f"query {q} of {n % 9}", "/", "NO", "mobile", q % 2, q + 3, 9 * (q + 3)) for q in range(30)]


@pytest.fixture
def filled(history) -> History:
    history.put_days(1, [entry(pair_batch(FIRST + timedelta(n), rows(n))) for n in range(DAYS)])
    return history


def changed(history: History, statement: str, *values: object) -> History:
    """Change the file behind its back."""
    history.close()
    with closing(sqlite3.connect(history.path)) as db, db:
        assert db.execute(statement, values).rowcount != 0
    return History(history.path)


def whole(history: History) -> tuple[int, int]:
    found = history.read(Question("pair", FIRST, FIRST + timedelta(400))).sums
    return found.clicks, found.impressions


def test_a_sound_history_has_no_damage(filled):
    assert filled.verify() == []


DAMAGES = {
    "bytes": ("update block set data = zeroblob(length(data)) where segment_id = (select min(id) from segment)", 31),
    "bytes of one day": (
        "update block set data = substr(data, 1, 40) where segment_id = (select max(id) from segment)", 1),
    "sums": ("update ledger set clicks = clicks + 1 where day = 739260", 31),
    "rows": ("delete from segment where id = (select max(id) from segment)", 1),
    "a ledger row": ("delete from ledger where day = 739260", 31),
    "digest": ("update ledger set digest = 'x' where day = 739260", 31),
}  # fmt: skip


@pytest.mark.parametrize("kind", DAMAGES)
def test_damage_is_named_taken_out_and_had_again_and_nothing_else_is_touched(filled, kind):
    digest, before = filled.digest(), whole(filled)
    statement, gone = DAMAGES[kind]
    history = changed(filled, statement)
    found = history.verify()
    assert found
    assert all(damage.first is not None for damage in found)
    again = history.repair(found, NOW)
    assert abs(len(again) - gone) <= 1
    assert history.verify() == []
    ledger = {row.day: row for row in history.ledger()}
    for _, _, day in again:
        assert ledger[day].state is DayState.MISSING
        assert "made from test" in ledger[day].remark
    for day in (FIRST + timedelta(n) for n in range(DAYS)):
        if day not in ledger or ledger[day].state is not DayState.FINAL:
            history.put_days(1, [entry(pair_batch(day, rows((day - FIRST).days)))])
    assert (whole(history), history.digest()) == (before, digest)
    history.close()


def test_a_damaged_rollup_is_made_anew_from_its_rows(filled):
    before = filled.read(Question("pair", FIRST, date(2025, 1, 31), ("query",))).sums
    history = changed(
        filled, "update rollup set data = (select data from rollup order by id desc limit 1) where id = 1"
    )
    found = history.verify()
    assert {damage.kind for damage in found} == {"rollup"}
    assert history.repair(found, NOW) == []
    assert history.verify() == []
    assert history.read(Question("pair", FIRST, date(2025, 1, 31), ("query",))).sums == before
    history.close()


def test_a_term_that_was_altered_is_named(filled):
    history = changed(filled, "update term set text = 'altered' where kind = 'query' and id = 3")
    said = [damage.text for damage in history.verify() if damage.kind == "terms"]
    assert said == ["1 query terms do not fit their hashes, 'altered' among them"]
    history.close()


def test_a_damaged_page_of_the_file_is_told_and_not_a_stack_of_errors(filled, tmp_path):
    filled.close()
    with filled.path.open("r+b") as stream:
        stream.seek(8192 * 3)
        stream.write(b"\xff" * 8192)
    try:
        history = History(filled.path)
        assert history.verify() != []
        history.close()
    except StoreFault as fault:
        assert "cannot be used" in fault.what


def test_a_full_disk_keeps_what_was_and_says_so(filled, monkeypatch):
    digest = filled.digest()

    @event.listens_for(filled._engine, "checkout")
    def _full(connection, *_):
        (pages,) = connection.execute("PRAGMA page_count").fetchone()
        connection.execute(f"PRAGMA max_page_count={pages}")

    wide = [(f"{n} new words for every row {n * 7919}", f"/{n}", "NO", "mobile", 0, 3, 9) for n in range(9000)]
    with pytest.raises(DiskFull) as caught:
        filled.put_days(1, [entry(pair_batch(FIRST + timedelta(200), wide))])
    assert "free some" in caught.value.remedy
    assert filled.digest() == digest
    event.remove(filled._engine, "checkout", _full)
    filled._engine.dispose()
    again = History(filled.path)
    again.put_days(1, [entry(pair_batch(FIRST + timedelta(200), wide))])
    assert again.verify() == []
    again.close()


TORN = """
import os, sys
from datetime import date, timedelta
from pathlib import Path
from noctilum.history import History
from noctilum.testing.batches import entry, pair_batch
history = History(Path(sys.argv[1]))
for n in range(100, 140):
    rows = [(f"late {q} {n}", "/", "NO", "mobile", 0, 3, 9) for q in range(400)]
    history.put_days(1, [entry(pair_batch(date(2025, 1, 1) + timedelta(n), rows))])
os._exit(9)
"""


@pytest.mark.parametrize("cut", [1, 33, 5000, 100_000])
def test_a_write_torn_off_by_a_lost_machine_leaves_whole_days(filled, tmp_path, cut):
    filled.close()
    subprocess.run([sys.executable, "-c", TORN, str(filled.path)], check=False)
    log = filled.path.with_name(filled.path.name + "-wal")
    size = log.stat().st_size
    with log.open("r+b") as stream:
        stream.truncate(max(0, size - cut))
    history = History(filled.path)
    assert history.verify() == []
    days = {row.day for row in history.ledger()}
    assert {FIRST + timedelta(n) for n in range(DAYS)} <= days
    late = sorted(day for day in days if day >= FIRST + timedelta(100))
    assert late == [FIRST + timedelta(100 + n) for n in range(len(late))]
    history.close()


def as_of(db: sqlite3.Connection, version: int) -> None:
    """Take out what files of an older version did not have."""
    columns = [*LEDGER_SINCE_2] if version < 2 else []
    for name in (*columns, "figures", "promised_figures"):
        db.execute(f"alter table ledger drop column {name}")
    for name in ("was_figures", "now_figures"):
        db.execute(f"alter table change drop column {name}")


LEDGER_SINCE_2 = ("lines", "repeats", "promised_rows", "promised_clicks", "promised_impressions", "flag", "remark")


def test_a_file_of_the_first_shape_is_brought_up_with_its_rows(filled):
    digest = filled.digest()
    filled.close()
    with closing(sqlite3.connect(filled.path)) as db, db:
        as_of(db, 1)
        db.execute("drop table change")
        db.execute("update meta set value = '1' where key = 'schema'")
    history = History(filled.path)
    assert (history.digest(), history.verify(), history.changes()) == (digest, [], [])
    history.close()


def test_a_file_without_the_newer_rollups_gets_them_and_answers_the_same(history):
    for n in range(400):
        page = pair_batch(FIRST + timedelta(n), rows(n))
        dims = {name: page.dims[name] for name in ("page", "country", "device", "kind")}
        sums = [np.array([part.sum()]) for part in page.values.values()]
        one = {name: Coded(coded.codes[:1], coded.texts) for name, coded in dims.items()}
        history.put_days(1, [entry(search_day("page", page.day, one, *sums))])
    asked = Question("page", FIRST, FIRST + timedelta(399), ("page",), {"device": (0,)})
    before, digest = history.read(asked).sums, history.digest()
    history.close()
    with closing(sqlite3.connect(history.path)) as db, db:
        assert db.execute("delete from rollup where name = 'page-device'").rowcount >= 12
        assert db.execute("delete from span where name = 'page-device'").rowcount >= 1
        as_of(db, 2)
        db.execute("update meta set value = '2' where key = 'schema'")
    again = History(history.path)
    assert (again.read(asked).sums, again.digest(), again.verify()) == (before, digest, [])
    again.close()
    with closing(sqlite3.connect(history.path)) as db:
        (made,) = db.execute("select count(*) from rollup where name = 'page-device'").fetchone()
        (spans,) = db.execute("select count(*) from span where name = 'page-device'").fetchone()
    assert made >= 12 and spans >= 1


def test_a_file_of_a_newer_version_is_refused_and_left_alone(filled):
    filled.close()
    with closing(sqlite3.connect(filled.path)) as db, db:
        db.execute("update meta set value = '99' where key = 'schema'")
    before = filled.path.read_bytes()
    with pytest.raises(StoreFault, match="newer version"):
        History(filled.path)
    assert filled.path.read_bytes() == before


def test_a_copy_made_while_others_write_is_whole(filled, tmp_path):
    copy = tmp_path / "copies" / "one.db"
    filled.copy_to(copy)
    filled.put_days(1, [entry(pair_batch(FIRST + timedelta(300), rows(1)))])
    found = History(copy)
    assert found.verify() == []
    assert len(found.ledger()) == DAYS
    found.close()


def test_a_copy_that_cannot_be_written_says_so_and_leaves_nothing(filled, tmp_path):
    blocked = tmp_path / "blocked"
    blocked.write_text("a file where a folder is wanted")
    with pytest.raises((StoreFault, OSError)):
        filled.copy_to(blocked / "one.db")


def test_sources_can_be_renumbered_also_into_each_others_place(filled):
    filled.put_days(2, [entry(pair_batch(FIRST, rows(3)))])
    one, two = (filled.read(Question("pair", FIRST, FIRST, sources=(n,))).sums for n in (1, 2))
    filled.renumber({1: 2, 2: 1})
    assert filled.read(Question("pair", FIRST, FIRST, sources=(2,))).sums == one
    assert filled.read(Question("pair", FIRST, FIRST, sources=(1,))).sums == two
    assert filled.verify() == []


def test_a_source_that_is_dropped_takes_only_its_own(filled):
    filled.put_days(2, [entry(pair_batch(FIRST, rows(3)))])
    before = filled.read(Question("pair", FIRST, FIRST + timedelta(90), sources=(1,))).sums
    assert filled.drop_source(2) == 1
    assert filled.read(Question("pair", FIRST, FIRST + timedelta(90))).sums == before
    assert filled.verify() == []


def test_dropping_what_is_old_goes_by_whole_months(filled):
    assert filled.drop_before(date(2025, 2, 15)) == 31
    assert min(row.day for row in filled.ledger()) == date(2025, 2, 1)
    assert filled.kept_from == date(2025, 2, 1)
    assert filled.verify() == []


def test_several_sources_count_from_their_own_first_day_on(history):
    for n in range(6):
        history.put_days(1, [entry(pair_batch(FIRST + timedelta(n), rows(1)))])
    for n in (3, 5):
        history.put_days(2, [entry(pair_batch(FIRST + timedelta(n), rows(1)))])
    states = history.states([1, 2], "pair")
    assert [states[FIRST + timedelta(n)].value for n in range(6)] == ["final"] * 4 + ["missing", "final"]
