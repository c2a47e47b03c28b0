"""What every store of records must do, whatever database stands behind it; inherit and give it `records`."""

from __future__ import annotations

import threading
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime
from pathlib import Path

import pytest
from sqlalchemy import delete, func, select
from sqlalchemy.exc import IntegrityError

from noctilum.core.errors import Clash
from noctilum.records.database import Records, fault_of
from noctilum.records.models import Client, Job, Site

NOW = datetime(2026, 3, 20, 9, tzinfo=UTC)


def a_job(**more: object) -> Job:
    usual = {"name": "pull", "arguments": {}, "state": "queued", "progress": {}, "attempts": 0, "created_at": NOW}
    return Job(**usual | more)


def a_client(key: str) -> Client:
    colours = {"colour": "#000000", "accent": "#000000"}
    return Client(key=key, name=key, language="en", time_zone="UTC", currency="EUR", created_at=NOW, **colours)


def kept(records: Records, *rows: object, fails: bool = False) -> None:
    with records.begin() as db:
        db.add_all(rows)
        db.flush()
        if fails:
            raise RuntimeError


class RecordsContract:
    """Give a fixture `records`, migrated and empty, and one `reopened` that opens the same records once more."""

    @pytest.fixture
    def records(self) -> Records:
        raise NotImplementedError

    @pytest.fixture
    def reopened(self) -> Callable[[], Records]:
        raise NotImplementedError

    def test_what_is_begun_is_kept_whole_or_not_at_all(self, records: Records) -> None:
        kept(records, a_job())
        with pytest.raises(RuntimeError):
            kept(records, a_job(), fails=True)
        with records.read() as db:
            assert db.scalar(select(func.count()).select_from(Job)) == 1

    def test_what_a_writer_reads_nobody_changes_until_it_has_ended(
        self, records: Records, reopened: Callable[[], Records]
    ) -> None:
        """Leases rest on it: of many who look for a free job at once, each takes another."""
        with records.begin() as db:
            db.add_all([a_job() for _ in range(40)])
        stores = [reopened() for _ in range(4)]

        def take(number: int) -> list[int]:
            taken: list[int] = []
            while True:
                with stores[number % len(stores)].begin() as db:
                    job = db.scalar(select(Job).where(Job.state == "queued").order_by(Job.id))
                    if job is None:
                        return taken
                    job.state, job.worker = "running", str(number)
                    taken.append(job.id)

        with ThreadPoolExecutor(8) as pool:
            taken = [number for found in pool.map(take, range(8)) for number in found]
        for store in stores:
            store.close()
        assert sorted(taken) == sorted(set(taken)) and len(taken) == 40

    def test_readers_wait_for_no_writer(self, records: Records, reopened: Callable[[], Records]) -> None:
        reader = reopened()
        begun, done = threading.Event(), threading.Event()

        def write() -> None:
            with records.begin() as db:
                db.add(a_job())
                db.flush()
                begun.set()
                assert done.wait(30)

        writer = threading.Thread(target=write)
        writer.start()
        assert begun.wait(30)
        with reader.read() as db:
            assert db.scalar(select(func.count()).select_from(Job)) == 0
        done.set()
        writer.join()
        with reader.read() as db:
            assert db.scalar(select(func.count()).select_from(Job)) == 1
        reader.close()

    def test_a_number_once_given_is_given_to_nothing_else(self, records: Records) -> None:
        with records.begin() as db:
            first, last = a_job(), a_job()
            db.add_all([first, last])
            db.flush()
            highest = last.id
            db.execute(delete(Job).where(Job.id == highest))
        with records.begin() as db:
            again = a_job()
            db.add(again)
            db.flush()
            assert again.id > highest

    def test_clashes_are_told_as_such(self, records: Records) -> None:
        kept(records, a_client("tallow"))
        of_nobody = Site(client_id=999_999, key="a", host="a.example", brand_terms="", created_at=NOW)
        for contradicting in (a_client("tallow"), of_nobody):
            with pytest.raises(IntegrityError) as caught:
                kept(records, contradicting)
            assert isinstance(fault_of(caught.value), Clash)

    def test_moments_come_back_as_they_were(self, records: Records, reopened: Callable[[], Records]) -> None:
        with records.begin() as db:
            db.add(a_job(leased_until=NOW))
        again = reopened()
        with again.read() as db:
            assert db.scalars(select(Job)).one().leased_until == NOW
        again.close()

    def test_a_copy_is_of_one_moment_while_others_write(self, records: Records, tmp_path: Path) -> None:
        going = threading.Event()

        def write() -> None:
            while not going.is_set():
                with records.begin() as db:  # two a time: a copy with an odd number is of two moments
                    db.add_all([a_job(), a_job()])

        writer = threading.Thread(target=write)
        writer.start()
        try:
            for number in range(5):
                records.copy_to(tmp_path / f"{number}.copy")
        finally:
            going.set()
            writer.join()
        for number in range(5):
            copy = Records(tmp_path / f"{number}.copy")
            with copy.read() as db:
                assert (db.scalar(select(func.count()).select_from(Job)) or 0) % 2 == 0
            copy.close()

    def test_what_is_deleted_and_forgotten_is_nowhere(self, records: Records) -> None:
        with records.begin() as db:
            db.add(a_client("whispered-secret"))
        with records.begin() as db:
            db.execute(delete(Client))
        records.forget_deleted()
        for path in records.path.parent.glob(f"{records.path.name}*"):
            assert b"whispered-secret" not in path.read_bytes()
