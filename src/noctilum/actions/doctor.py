"""The doctor: looks at everything an install needs, and says of each thing that is wrong what to do."""

from __future__ import annotations

import os
import shutil
import sqlite3
from collections.abc import Callable, Iterator
from contextlib import closing
from dataclasses import dataclass
from datetime import datetime, timedelta
from importlib import import_module
from pathlib import Path
from typing import Literal

from sqlalchemy import select

from noctilum.actions import backup, health, show
from noctilum.actions.install import Install
from noctilum.core.errors import Fault
from noctilum.records.models import Job

LOW_DISK = 1 << 30
NO_DISK = 100 << 20
LATE_DAYS = 5
LARGE_LOG = 256 << 20


@dataclass(frozen=True)
class Seen:
    """One thing that was looked at. remedy: what to do, when it is not well."""

    what: str
    state: Literal["well", "watch", "wrong"]
    text: str
    remedy: str = ""


def examine(install: Install, now: datetime) -> Iterator[Seen]:
    """Look at the folder, the disk, keys, records, histories, worker, sources, jobs, backups and what reports need."""
    checks: tuple[Callable[[Install, datetime], Iterator[Seen]], ...] = (
        _folder, _disk, _keys, _records, _histories, _worker, _sources, _jobs, _backups, _reports,
    )  # fmt: skip
    for check in checks:
        try:
            yield from check(install, now)
        except Fault as fault:
            yield Seen(check.__name__.strip("_"), "wrong", fault.what, fault.remedy)
        except Exception as why:
            yield Seen(check.__name__.strip("_"), "wrong", f"it could not be looked at: {why}")


def _folder(install: Install, _now: datetime) -> Iterator[Seen]:
    data = install.settings.data
    if not os.access(data, os.W_OK):
        yield Seen("folder", "wrong", f"{data} cannot be written", "give this user the right to write it")
        return
    left = [path.name for path in data.parent.glob(".restoring-*")] + [p.name for p in data.glob("hand-over-*")]
    if left:
        yield Seen("folder", "watch", f"left over from something cut short: {', '.join(left)}", "delete them")
    else:
        yield Seen("folder", "well", f"{data} can be written")


def _disk(install: Install, _now: datetime) -> Iterator[Seen]:
    free = shutil.disk_usage(install.settings.data).free
    state: Literal["well", "watch", "wrong"] = "wrong" if free < NO_DISK else "watch" if free < LOW_DISK else "well"
    remedy = "" if state == "well" else "free some, or move the data folder; pulls stop when the disk is full"
    yield Seen("disk", state, f"{free / (1 << 30):.1f} GiB free", remedy)


def _keys(install: Install, _now: datetime) -> Iterator[Seen]:
    for name in ("secrets", "sessions"):
        path = install.settings.data / "keys" / name
        if not path.exists():
            yield Seen("keys", "wrong", f"the key {name} is gone", "restore it from a backup, or secrets are lost")
        elif path.stat().st_mode & 0o077:
            yield Seen("keys", "wrong", f"others can read the key {name}", f"chmod 600 {path}")
        else:
            yield Seen("keys", "well", f"the key {name} is there and private")


def _records(install: Install, _now: datetime) -> Iterator[Seen]:
    yield from _database("records", install.records.path)


def _database(what: str, path: Path) -> Iterator[Seen]:
    try:
        with closing(sqlite3.connect(f"file:{path}?mode=ro", uri=True)) as db:
            (said,) = db.execute("PRAGMA quick_check(1)").fetchone()
    except sqlite3.DatabaseError as why:
        said = str(why)
    log = path.with_name(path.name + "-wal")
    if said != "ok":
        yield Seen(what, "wrong", f"the database is damaged: {said}", "stop the service and restore a backup")
    elif log.exists() and log.stat().st_size > LARGE_LOG:
        size = log.stat().st_size >> 20
        yield Seen(what, "watch", f"its log has grown to {size} MB", "restart the service; a reader may have hung")
    else:
        yield Seen(what, "well", f"{path.name} is sound, {path.stat().st_size / (1 << 20):.1f} MB")


def _histories(install: Install, _now: datetime) -> Iterator[Seen]:
    known = {number: site.key for site, number in show.site_numbers(install)}
    for number in install.history_numbers():
        if number not in known:
            path = install.history_path(number)
            yield Seen("histories", "watch", f"{path.name} belongs to no site", "move it away, or hand it over")
            continue
        yield from _database(f"history of {known[number]}", install.history_path(number))


def _worker(install: Install, now: datetime) -> Iterator[Seen]:
    silent = health.silent_seconds(install, now)
    if silent is None:
        yield Seen("worker", "watch", "it never ran here", "start the service: noctilum serve")
    elif silent < -60:
        yield Seen(
            "worker", "wrong", f"its last sign is {-silent:.0f} s in the future", "set the machine's clock right"
        )
    elif silent > health.WORKER_SILENT:
        yield Seen("worker", "wrong", f"silent for {silent:.0f} s", "start the service: noctilum serve")
    else:
        yield Seen("worker", "well", f"seen {silent:.0f} s ago")


def _sources(install: Install, now: datetime) -> Iterator[Seen]:
    for source in show.sources(install):
        name = f"source {source.id}"
        text = f"{source.label} of {source.site}"
        if source.state == "broken":
            remedy = f"noctilum source {source.id} --secret, then noctilum pull {source.id}"
            yield Seen(name, "wrong", f"{text} has stopped: {(source.fault or '').splitlines()[0]}", remedy)
        elif source.connector == "files":
            yield Seen(name, "well", f"{text}: files only")
        elif source.complete_through is None:
            yield Seen(name, "watch", f"{text} was never pulled", f"noctilum pull {source.id}")
        elif (late := (now.date() - source.complete_through).days) > LATE_DAYS and not source.paused:
            remedy = f"noctilum pull {source.id}" + ("" if source.schedule else "; it has no schedule")
            yield Seen(
                name, "watch", f"{text} is complete only through {source.complete_through}, {late} days ago", remedy
            )
        elif source.days_flagged:
            yield Seen(
                name, "watch", f"{text}: {source.days_flagged} days are doubted", f"noctilum ledger {source.site}"
            )
        else:
            yield Seen(name, "well", f"{text}, complete through {source.complete_through}")


def _jobs(install: Install, now: datetime) -> Iterator[Seen]:
    since = now - timedelta(days=1)
    with install.records.read() as db:
        failed = list(db.scalars(select(Job).where(Job.state == "failed", Job.ended_at > since)))
        waiting = list(db.scalars(select(Job).where(Job.state == "queued", Job.created_at < now - timedelta(hours=1))))
    for job in failed[:5]:
        yield Seen("jobs", "watch", f"job {job.id} ({job.name}) failed: {(job.fault or '').splitlines()[0]}")
    if waiting:
        yield Seen("jobs", "watch", f"{len(waiting)} jobs have waited for over an hour", "is the service running?")
    if not failed and not waiting:
        yield Seen("jobs", "well", "none failed within a day")


def _backups(install: Install, now: datetime) -> Iterator[Seen]:
    folder = install.settings.backup_to
    if folder is None:
        yield Seen("backups", "watch", "none are made by themselves", "set backup_to in noctilum.toml")
        return
    found = backup.backups(folder)
    if not found:
        yield Seen("backups", "watch", f"there is none in {folder} yet", "noctilum backup")
    elif now - found[-1][0] > timedelta(days=2):
        yield Seen("backups", "wrong", f"the newest is of {found[-1][0]:%Y-%m-%d}", "look for a failed backup job")
    else:
        yield Seen("backups", "well", f"{len(found)} in {folder}, the newest of {found[-1][0]:%Y-%m-%d %H:%M}")


def _reports(_install: Install, _now: datetime) -> Iterator[Seen]:
    try:
        import_module("weasyprint")
    except OSError as why:
        yield Seen("reports", "wrong", f"PDF cannot be made: {why}", "apt-get install libpango-1.0-0 libpangoft2-1.0-0")
    else:
        yield Seen("reports", "well", "what PDF needs is there")
