"""Troubles on the machine: damage takes nothing else away, a full disk is waited out, and the doctor names each."""

import json
import os
import shutil
import sqlite3
from contextlib import closing, contextmanager
from datetime import date, timedelta
from pathlib import Path

import pytest
from cryptography.fernet import Fernet
from tests.conftest import NOW, TODAY

from noctilum.actions import (
    backup,
    files,
    health,
    integrity,
    life,
    metrics,
    nightly,
    notices,
    people,
    portfolio,
    presenters,
    queue,
    setup,
)
from noctilum.actions.doctor import examine
from noctilum.actions.imports import import_files
from noctilum.actions.install import Install, Settings
from noctilum.cli.main import main
from noctilum.core.errors import DiskFull, StoreBusy
from noctilum.jobs.types import JOB_TYPES, JobType
from noctilum.jobs.worker import FULL_PAUSE, Worker
from noctilum.readings import portfolio as readings
from noctilum.records import sqlite
from noctilum.records.models import Client, Job, Source
from noctilum.wire.setup import NewClient, NewFileSource, NewSite

HEAD = "Date,Query,Clicks,Impressions,Position\n"


def filled(install: Install, client: str, host: str, folder: Path) -> int:
    key = setup.add_client(install, NewClient(name=client), NOW)
    setup.add_site(install, key, NewSite(host=host), NOW)
    number = setup.add_file_source(install, host, NewFileSource(label="Files"), NOW)
    days = [TODAY - timedelta(n) for n in range(3, 70)]
    path = folder / f"{host}.csv"
    path.write_text(HEAD + "".join(f"{day},ferry {n},{n},90,2.5\n" for day in days for n in range(9)))
    import_files(install, number, [path], lambda: NOW)
    return number


@pytest.fixture
def two(install, tmp_path) -> Install:
    filled(install, "Skerry Ferries", "skerryferries.example", tmp_path)
    filled(install, "Northloft Museum", "northloft.example", tmp_path)
    return install


def ruined(install: Install, number: int = 1, body: bytes = b"not a database" * 900) -> None:
    install.let_go(number)
    for path in (install.settings.data / "history").glob(f"{number}.*"):
        path.unlink()
    install.history_path(number).write_bytes(body)


@pytest.mark.parametrize("body", [b"not a database" * 900, b"", b"SQLite format 3\x00" + b"\xff" * 9000])
def test_one_damaged_site_is_a_row_that_says_so_and_takes_no_other_away(two, body):
    ruined(two, 1, body)
    rows = {row.site: row for row in portfolio.portfolio(two, TODAY).rows}
    assert rows["northloft.example"].now.clicks > 0
    if body:
        assert rows["skerryferries.example"].attention == "look now"
        assert "cannot be used" in rows["skerryferries.example"].why
    assert portfolio.stamps(two)
    held = {source.site: source for source in presenters.sources(two)}
    assert held["northloft.example"].days_held == 67
    if body:
        assert "cannot be used" in held["skerryferries.example"].fault
    assert len(presenters.clients(two)) == len(presenters.sites(two)) == 2
    assert metrics.collected(two, NOW).decode().endswith("# EOF\n")
    found = integrity.verify(two)
    assert {finding.site for finding in found.findings} == ({"skerryferries.example"} if body else set())


def test_a_site_whose_reading_breaks_in_an_unforeseen_way_is_a_row_too(two, monkeypatch):
    whole = readings.row

    def breaks(site, held):
        if site.host.startswith("skerry"):
            raise ZeroDivisionError
        return whole(site, held)

    monkeypatch.setattr(readings, "row", breaks)
    rows = {row.site: row for row in portfolio.portfolio(two, TODAY).rows}
    assert "ZeroDivisionError" in rows["skerryferries.example"].why
    assert rows["northloft.example"].now.clicks > 0


def test_one_site_that_cannot_be_read_does_not_keep_the_night_from_the_others(two):
    with two.records.begin() as db:
        for client in db.query(Client):
            client.keep_months = 1
    ruined(two)
    nightly.tick(two, NOW)
    night = nightly.last_night(two.settings.data)
    assert night.troubles
    assert night.last_whole is None
    assert min(row.day for row in two.history(2).ledger()) >= date(2026, 2, 1)
    assert [notice.code for notice in notices.unseen(two)] == ["night-broken"]
    assert "night" in " ".join(health.look(two, NOW).troubles)
    nightly.tick(two, NOW + timedelta(minutes=5))
    assert len(notices.unseen(two)) == 1


# a full disk

NOTHING_WRONG = {"sites": 0, "days": 0, "findings": [], "taken_out": 0, "pulls": []}


def run(install: Install, does) -> tuple[Worker, int]:
    number = queue.put(install, "verify", {}, NOW).id
    worker = Worker(install, lambda: NOW)
    JOB_TYPES["verify"] = JobType(does)
    return worker, number


@pytest.fixture
def verbs():
    kept = dict(JOB_TYPES)
    yield
    JOB_TYPES.clear()
    JOB_TYPES.update(kept)


@pytest.mark.parametrize(
    "why",
    [DiskFull("/data"), OSError(28, "No space left on device"), sqlite3.OperationalError("database or disk is full")],
)
def test_a_job_that_finds_the_disk_full_waits_without_using_up_attempts(install, verbs, why):
    def fails(_running):
        raise why

    worker, number = run(install, fails)
    for n in range(8):
        worker.clock = lambda n=n: NOW + n * FULL_PAUSE
        worker.run_one()
    job = presenters.job(install, number)
    assert (job.state, job.attempts) == ("queued", 0)
    assert job.waits_until == NOW + 8 * FULL_PAUSE
    assert "full" in job.fault
    assert [notice.code for notice in notices.unseen(install)] == ["disk-full"]
    JOB_TYPES["verify"] = JobType(lambda _running: NOTHING_WRONG)
    worker.clock = lambda: NOW + 8 * FULL_PAUSE
    assert worker.run_one()
    assert presenters.job(install, number).state == "done"


def test_a_job_put_off_by_a_clock_that_was_ahead_does_not_wait_for_years(install, verbs):
    def fails(_running):
        raise DiskFull("/data")

    worker, number = run(install, fails)
    worker.clock = lambda: NOW + timedelta(days=4000)
    worker.run_one()
    JOB_TYPES["verify"] = JobType(lambda _running: NOTHING_WRONG)
    worker.clock = lambda: NOW
    assert worker.run_one()
    assert presenters.job(install, number).state == "done"


def test_health_and_metrics_tell_of_a_full_disk(install, monkeypatch):
    life.beat(install, NOW)
    assert health.look(install, NOW).status == "ok"
    monkeypatch.setattr(health.shutil, "disk_usage", lambda _: shutil._ntuple_diskusage(1 << 40, 1 << 40, 5 << 20))
    found = health.look(install, NOW)
    assert (found.status, found.disk_free_bytes) == ("degraded", 5 << 20)
    assert "full" in found.troubles[0]
    assert b"noctilum_disk_free_bytes 5.24288e+06" in metrics.collected(install, NOW)


@pytest.mark.parametrize(
    ("seen", "said"), [(NOW + timedelta(hours=3), "future"), (NOW - timedelta(minutes=5), "silent")]
)
def test_health_tells_of_a_worker_that_is_gone_or_of_a_clock_set_back(install, seen, said):
    life.beat(install, seen)
    assert said in health.look(install, NOW).troubles[0]


def test_one_schedule_that_breaks_holds_no_other_up_and_is_told_once(install, verbs):
    seen = []

    def breaks(_install, _now):
        raise KeyError("inbox")

    JOB_TYPES["import"] = JobType(JOB_TYPES["import"].do, breaks)
    JOB_TYPES["backup"] = JobType(JOB_TYPES["backup"].do, lambda _install, now: seen.append(now))
    worker = Worker(install, lambda: NOW)
    for n in range(4):
        worker.clock = lambda n=n: NOW + timedelta(seconds=10 * n)
        worker.tick()
    assert len(seen) == 4
    assert [notice.code for notice in notices.unseen(install)] == ["schedule-broke import"]


def test_a_history_that_another_program_holds_is_told_as_such(two, monkeypatch):
    history = two.history(1)

    @contextmanager
    def held():
        raise StoreBusy(str(history.path))
        yield

    monkeypatch.setattr(history, "_reading", held)
    rows = {row.site: row for row in portfolio.portfolio(two, TODAY).rows}
    assert "held by another program" in rows["skerryferries.example"].why


# the doctor


def plant_records_shape(install):
    with install.records.begin() as db:
        db.execute(__import__("sqlalchemy").text("UPDATE alembic_version SET version_num = '9999'"))


def change_source(**values):
    def plant(install):
        with install.records.begin() as db:
            found = db.get(Source, 1)
            for name, value in values.items():
                setattr(found, name, value)

    return plant


def add_job(**values):
    def plant(install):
        with install.records.begin() as db:
            given = {"name": "pull", "arguments": {}, "progress": {}, "attempts": 1, "created_at": NOW}
            db.add(Job(**given | values))

    return plant


def file_at(*path, body=b"x", mode=0o600, old=False):
    def plant(install):
        target = install.settings.data.joinpath(*path)
        target.parent.mkdir(parents=True, exist_ok=True)
        target.write_bytes(body)
        target.chmod(mode)
        if old:
            os.utime(target, (1, 1))

    return plant


def damaged_records(install):
    install.close()
    body = bytearray(install.records.path.read_bytes())
    body[5000:9000] = b"\xff" * 4000
    install.records.path.write_bytes(bytes(body))
    for name in ("-wal", "-shm"):
        Path(f"{install.records.path}{name}").unlink(missing_ok=True)


def gone(path):
    return lambda install: (install.close(), (install.settings.data / path).unlink())


def newer_history(install):
    install.let_go(1)
    with closing(sqlite3.connect(install.history_path(1))) as db:
        db.execute("UPDATE meta SET value = '99' WHERE key = 'schema'")
        db.commit()


def nobody(install):
    with install.records.begin() as db:
        db.execute(__import__("sqlalchemy").text("DELETE FROM user"))


def no_owner(install):
    with install.records.begin() as db:
        db.execute(__import__("sqlalchemy").text("UPDATE user SET role = 'analyst'"))


def other_key(install):
    with install.records.begin() as db:
        db.get(Source, 1).sealed_secret = install.seal("x")
    install.key_path.write_bytes(Fernet.generate_key())


def night(**values):
    return file_at("night.json", body=json.dumps({"tried": "", "whole": "", "troubles": []} | values).encode())


PLANTED = {
    "the folder is open to others": (lambda i: i.settings.data.chmod(0o755), "others can look into", "chmod 700"),
    "something was cut short": (lambda i: (i.settings.data / "bring-in-x").mkdir(), "cut short", "delete"),
    "the key is gone": (gone("keys/secrets"), "is gone", "init --new-key"),
    "the key is no key": (file_at("keys", "secrets"), "is no key", "put it back"),
    "others can read the key": (lambda i: i.key_path.chmod(0o644), "others can read", "chmod 600"),
    "the key is another one": (other_key, "does not open the secret of source 1", "--secret"),
    "the records are gone": (gone("records.db"), "records.db is gone", "restore"),
    "the records are damaged": (damaged_records, "damaged", "restore a backup"),
    "the records are newer": (plant_records_shape, "newer version", "use that version"),
    "nobody can sign in": (nobody, "nobody can sign in", "init"),
    "nobody is an owner": (no_owner, "nobody is an owner", "restore"),
    "a history is damaged": (ruined, "damaged", "restore a backup"),
    "a history is gone": (
        lambda i: (change_source(pulled_at=NOW)(i), i.let_go(1), i.history_path(1).unlink()),
        "it is gone",
        "pull its sources again",
    ),
    "a history is newer": (newer_history, "newer version", "use that version"),
    "a history belongs to nobody": (file_at("history", "77.db"), "belongs to no site", "move it away"),
    "the worker is silent": (lambda i: life.beat(i, NOW - timedelta(hours=1)), "silent for", "noctilum serve"),
    "the worker is ahead": (lambda i: life.beat(i, NOW + timedelta(hours=1)), "in the future", "clock"),
    "a night broke": (night(troubles=["the backup could not be begun"]), "did not go through", "every hour"),
    "nights are late": (night(whole="2026-03-01"), "none has gone through since", "running"),
    "a source has stopped": (
        change_source(state="broken", fault="refused", connector="open-feed"),
        "has stopped",
        "source 1 --secret",
    ),
    "a rule never comes round": (change_source(schedule="FREQ=DAILY;INTERVAL=0"), "interval", "--schedule"),
    "a time zone is none": (change_source(schedule="FREQ=DAILY", time_zone="Moon/Sea"), "time zone", "--schedule"),
    "a job failed": (add_job(state="failed", ended_at=NOW, fault="feed-broken: it broke"), "it broke", "noctilum jobs"),
    "jobs wait": (add_job(state="queued", created_at=NOW - timedelta(hours=3)), "waited for over an hour", "running"),
    "a file was refused": (file_at("inbox", "1", "refused", "odd.csv"), "odd.csv", "notices"),
    "a file lies in the inbox": (file_at("inbox", "1", "late.csv", old=True), "late.csv", "running"),
}


@pytest.fixture
def whole(tmp_path) -> Install:
    """An install of which all is well, but what nobody looks after in a test."""
    found = Install(Settings(tmp_path / "whole", backup_to=tmp_path / "backups"))
    found.prepare()
    people.add_user(found, "Ines", "ines@lane.example", "lanterns over the quay", NOW)
    filled(found, "Skerry Ferries", "skerryferries.example", tmp_path)
    life.beat(found, NOW)
    nightly._write(found.settings.data, nightly.Night(NOW.isoformat(), str(NOW.date())))
    backup.back_up(found, tmp_path / "backups", NOW)
    yield found
    found.close()


def test_a_healthy_install_is_well(whole):
    assert [each for each in examine(whole, NOW) if each.state != "well"] == []


@pytest.mark.parametrize("name", PLANTED)
def test_the_doctor_names_each_planted_trouble_with_its_remedy(whole, name):
    plant, said, remedy = PLANTED[name]
    plant(whole)
    found = [each for each in examine(whole, NOW) if each.state != "well"]
    assert all(each.remedy for each in found), found
    assert any(said in each.text and remedy in each.remedy for each in found), found


def test_the_doctor_names_locked_records(whole, monkeypatch):
    monkeypatch.setattr(sqlite, "WAIT_SECONDS", 0.2)
    whole.close()
    with closing(sqlite3.connect(whole.records.path, isolation_level=None)) as db:
        db.execute("PRAGMA journal_mode=DELETE")
        db.execute("BEGIN EXCLUSIVE")
        found = [each for each in examine(Install(whole.settings), NOW) if each.what == "records"]
    assert any("another program holds" in each.text and "lsof" in each.remedy for each in found)


def test_the_doctor_names_an_old_backup_and_one_that_others_can_read(whole):
    late = NOW + timedelta(days=9)
    life.beat(whole, late)
    (_, made), *_ = backup.backups(whole.settings.backup_to)
    made.chmod(0o755)
    change_source(connector="open-feed", schedule="")(whole)
    seen = list(examine(whole, late))
    assert any("complete only through" in each.text and "noctilum pull 1" in each.remedy for each in seen)
    said = " ".join(each.text for each in seen if each.what == "backups")
    assert "the newest is of" in said
    assert "others can read" in said


def test_the_doctor_names_a_service_that_is_reached_without_https(whole):
    opened = Install(Settings(whole.settings.data, host="0.0.0.0"))
    assert any(each.what == "reached" and "proxy" in each.remedy for each in examine(opened, NOW))
    opened.close()


def test_the_doctor_writes_nothing_and_makes_no_key(whole):
    whole.close()
    whole.key_path.unlink()
    before = {
        path: path.stat().st_mtime_ns for path in whole.settings.data.rglob("*") if path.suffix not in (".db-shm",)
    }
    list(examine(Install(whole.settings), NOW))
    after = {path: path.stat().st_mtime_ns for path in whole.settings.data.rglob("*")}
    changed = {path.name for path, at in before.items() if after.get(path) != at}
    assert not whole.key_path.exists()
    assert changed <= {"whole", "history", "records.db-wal", "1.db-wal"}


def test_the_doctor_on_the_command_line_never_ends_in_a_traceback(whole, capsys, monkeypatch):
    whole.close()
    for plant in (damaged_records, gone("keys/secrets")):
        plant(whole)
        assert main(["doctor", "--data", str(whole.settings.data)]) == 1
        out = capsys.readouterr()
        assert "Traceback" not in out.out + out.err
        assert "✗" in out.out
    assert main(["doctor", "--data", str(whole.settings.data / "nowhere")]) == 4


def test_a_broken_inbox_is_named(whole):
    files.inbox(whole, 1).mkdir(parents=True)
    (files.inbox(whole, 1) / "odd.csv").write_text("nothing\n")
    os.utime(files.inbox(whole, 1) / "odd.csv", (1, 1))
    files.watch(whole, NOW)
    assert any(each.what == "inbox" and "odd.csv" in each.text for each in examine(whole, NOW))


def test_whoever_looks_for_the_sign_of_life_while_it_is_written_finds_one(install):
    import threading

    going = threading.Event()
    going.set()

    def beats():
        while going.is_set():
            life.beat(install, NOW)

    life.beat(install, NOW)
    threads = [threading.Thread(target=beats) for _ in range(3)]
    for thread in threads:
        thread.start()
    try:
        assert all(life.silent_seconds(install, NOW) == 0 for _ in range(5000))
    finally:
        going.clear()
        for thread in threads:
            thread.join()
