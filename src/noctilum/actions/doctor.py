"""The doctor: looks at everything an install needs, and says of each thing that is wrong what to do. It only reads."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import datetime, timedelta
from importlib import import_module
from pathlib import Path
from typing import Literal

from cryptography.fernet import Fernet
from sqlalchemy import select
from sqlalchemy.exc import SQLAlchemyError

from noctilum import sqlite_files
from noctilum.actions import backup, health, life, nightly, presenters
from noctilum.actions.install import Install
from noctilum.actions.recurrence import next_run
from noctilum.core.errors import Fault, Nonsense, StoreFault
from noctilum.history.schema import SCHEMA_VERSION
from noctilum.machine_time import age
from noctilum.records.database import fault_of, newest_shape
from noctilum.records.models import Job, Source, User
from noctilum.records.sqlite import shape_of

LATE_DAYS = 5
LARGE_LOG = 256 << 20
LEFT_OVER = ("hand-over-*", "bring-in-*", "*.partial")
LONG_IN_INBOX = timedelta(days=1)
State = Literal["well", "watch", "wrong"]


@dataclass(frozen=True)
class Seen:
    """One thing that was looked at. remedy: what to do, when it is not well."""

    what: str
    state: State
    text: str
    remedy: str = ""


def examine(install: Install, now: datetime) -> Iterator[Seen]:
    """Look at everything; nothing is written, and whatever cannot be looked at is told like any other trouble.

    The folder, the disk, keys, records, histories, users, worker, nights, sources, jobs, inbox, backups, what reports
    need, and how the service is reached.
    """
    checks: tuple[Callable[[Install, datetime], Iterator[Seen]], ...] = (
        _folder, _disk, _keys, _records, _secrets, _users, _histories, _worker, _nights, _sources, _jobs, _inbox,
        _backups, _reports, _reached,
    )  # fmt: skip
    for check in checks:
        name = check.__name__.strip("_")
        try:
            yield from check(install, now)
        except SQLAlchemyError as why:
            fault = fault_of(why, install.records.path)
            text = fault.what if fault else f"it could not be looked at: {type(why).__name__}"
            yield Seen(name, "wrong", text, fault.remedy if fault else MEND_RECORDS)
        except Fault as fault:
            yield Seen(name, "wrong", fault.what, fault.remedy or "mend that, then ask again")
        except Exception as why:
            yield Seen(name, "wrong", f"it could not be looked at: {why}", "mend what stands above, then ask again")


MEND_RECORDS = "mend what is said of the records first, then ask again"


def _folder(install: Install, _now: datetime) -> Iterator[Seen]:
    data = install.settings.data
    if not os.access(data, os.W_OK) or _is_read_only(data):
        yield Seen("folder", "wrong", f"it cannot be written: {data}", "give this user the right to write it")
    elif data.stat().st_mode & 0o077:
        yield Seen("folder", "wrong", f"others can look into {data}", f"chmod 700 {data}")
    else:
        yield Seen("folder", "well", f"{data} can be written, and is private")
    left = [path.name for path in data.parent.glob(".restoring-*")]
    left += [path.name for pattern in LEFT_OVER for path in data.glob(pattern)]
    if left:
        yield Seen("folder", "watch", f"left over from something cut short: {', '.join(left[:5])}", "delete them")


def _is_read_only(data: Path) -> bool:
    return bool(os.statvfs(data).f_flag & os.ST_RDONLY)


def _disk(install: Install, _now: datetime) -> Iterator[Seen]:
    free = health.free_bytes(install) or 0
    state: State = "wrong" if free < health.NO_DISK else "watch" if free < health.LOW_DISK else "well"
    remedy = "" if state == "well" else "free some, or move the data folder; work waits while the disk is full"
    yield Seen("disk", state, f"{free / (1 << 30):.1f} GiB free", remedy)


def _keys(install: Install, _now: datetime) -> Iterator[Seen]:
    path = install.key_path
    lost = "put it back from where it is kept; without it: noctilum init --new-key, and enter the secrets again"
    if not path.exists():
        yield Seen("keys", "wrong", "the key that opens the feeds' secrets is gone", lost)
        return
    if path.stat().st_mode & 0o077:
        yield Seen("keys", "wrong", "others can read the key", f"chmod 600 {path}")
    try:
        Fernet(path.read_bytes())
    except ValueError:
        yield Seen("keys", "wrong", f"{path} is no key", lost)
    else:
        yield Seen("keys", "well", "the key is there and is one")


def _records(install: Install, _now: datetime) -> Iterator[Seen]:
    path = install.records.path
    if not path.exists():
        yield Seen("records", "wrong", f"{path.name} is gone", "restore a backup: noctilum restore BACKUP")
        return
    yield from _database("records", path)
    shape = shape_of(path)
    if shape is not None and shape > newest_shape():
        yield Seen("records", "wrong", f"they are of a newer version (shape {shape})", "use that version")
    elif shape is None or shape < newest_shape():
        text = f"they are of an older version (shape {shape})"
        yield Seen("records", "watch", text, "start the service: it brings them up")


def _database(what: str, path: Path) -> Iterator[Seen]:
    said = sqlite_files.examined(path)
    log = path.with_name(path.name + "-wal")
    if "locked" in said:
        yield Seen(what, "wrong", "another program holds the database", f"find it with: lsof {path}")
    elif said != sqlite_files.SOUND:
        yield Seen(what, "wrong", f"the database is damaged: {said}", "stop the service and restore a backup")
    elif log.exists() and log.stat().st_size > LARGE_LOG:
        size = log.stat().st_size >> 20
        yield Seen(what, "watch", f"its log has grown to {size} MB", "restart the service; a reader may have hung")
    else:
        yield Seen(what, "well", f"{path.name} is sound, {path.stat().st_size / (1 << 20):.1f} MB")


def _secrets(install: Install, _now: datetime) -> Iterator[Seen]:
    """Try the key on every kept secret; where there is none, the check of keys has said so."""
    if not install.key_path.exists():
        return
    with install.records.read() as db:
        sealed = {source.id: source.sealed_secret for source in db.scalars(select(Source)) if source.sealed_secret}
    for number, secret in sealed.items():
        try:
            install.unseal(secret)
        except StoreFault:
            remedy = f"put the right key back, or: noctilum source {number} --secret"
            yield Seen("secrets", "wrong", f"the key does not open the secret of source {number}", remedy)


def _users(install: Install, _now: datetime) -> Iterator[Seen]:
    with install.records.read() as db:
        roles = list(db.scalars(select(User.role)))
    if not roles:
        yield Seen("users", "wrong", "nobody can sign in", "noctilum init --name NAME --email ADDRESS")
    elif "owner" not in roles:
        yield Seen("users", "wrong", "nobody is an owner", "restore a backup of the records from before")
    else:
        yield Seen("users", "well", f"{len(roles)}, {roles.count('owner')} of them owners")


def _histories(install: Install, _now: datetime) -> Iterator[Seen]:
    known = {number: site for site, number in presenters.site_numbers(install)}
    for number in install.history_numbers():
        path = install.history_path(number)
        if number not in known:
            yield Seen("histories", "watch", f"{path.name} belongs to no site", "move it away, or hand it over")
            continue
        name = f"history of {known[number].key}"
        yield from _database(name, path)
        shape = sqlite_files.ask(path, "SELECT value FROM meta WHERE key = 'schema'")
        if shape is not None and shape.isdigit() and int(shape) > SCHEMA_VERSION:
            yield Seen(name, "wrong", f"it was written by a newer version (shape {shape})", "use that version")
    with install.records.read() as db:
        pulled = {source.site_id for source in db.scalars(select(Source).where(Source.pulled_at.is_not(None)))}
    for number in sorted(pulled & set(known) - set(install.history_numbers())):
        remedy = "restore it from a backup, or pull its sources again for what they still have"
        yield Seen(f"history of {known[number].key}", "wrong", "it is gone, though days were pulled into it", remedy)


def _worker(install: Install, now: datetime) -> Iterator[Seen]:
    silent = life.silent_seconds(install, now)
    if silent is None:
        yield Seen("worker", "watch", "it never ran here", "start the service: noctilum serve")
    elif silent < -health.AHEAD:
        yield Seen(
            "worker", "wrong", f"its last sign is {-silent:.0f} s in the future", "set the machine's clock right"
        )
    elif silent > health.WORKER_SILENT:
        yield Seen("worker", "wrong", f"silent for {silent:.0f} s", "start the service: noctilum serve")
    else:
        yield Seen("worker", "well", f"seen {silent:.0f} s ago")


def _nights(install: Install, now: datetime) -> Iterator[Seen]:
    night = nightly.last_night(install.settings.data)
    if night.troubles:
        remedy = "mend what it names; it is tried again every hour"
        yield Seen("nights", "wrong", f"the last did not go through: {'; '.join(night.troubles[:3])}", remedy)
    elif night.last_whole is not None and now.date() - night.last_whole > health.NIGHT_LATE:
        yield Seen("nights", "wrong", f"none has gone through since {night.last_whole}", "is the service running?")
    elif night.last_whole is None:
        yield Seen("nights", "watch", "none has gone through yet", "leave the service running over night")
    else:
        yield Seen("nights", "well", f"the last whole one was that of {night.last_whole}")


def _sources(install: Install, now: datetime) -> Iterator[Seen]:
    for source in presenters.sources(install):
        name = f"source {source.id}"
        text = f"{source.label} of {source.site}"
        if source.schedule:
            try:
                next_run(source.schedule, now, source.time_zone)
            except Nonsense as fault:
                remedy = f'noctilum source {source.id} --schedule "daily at 06:00"'
                yield Seen(name, "wrong", f"{text}: {fault.what}", remedy)
                continue
        if source.state == "broken":
            remedy = f"noctilum source {source.id} --secret, then noctilum pull {source.id}"
            yield Seen(name, "wrong", f"{text} has stopped: {(source.fault or '?').splitlines()[0]}", remedy)
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
        text = f"job {job.id} ({job.name}) failed: {(job.fault or '?').splitlines()[0]}"
        yield Seen("jobs", "watch", text, f"noctilum jobs; mend what it says and start {job.name} again")
    if waiting:
        yield Seen("jobs", "watch", f"{len(waiting)} jobs have waited for over an hour", "is the service running?")
    if not failed and not waiting:
        yield Seen("jobs", "well", "none failed within a day")


def _inbox(install: Install, _now: datetime) -> Iterator[Seen]:
    root = install.settings.data / "inbox"
    refused = sorted(path for path in root.glob("*/refused/*") if path.is_file())
    if refused:
        text = f"{len(refused)} files could not be used, {refused[0].name} among them"
        yield Seen("inbox", "watch", text, f"see noctilum notices; mend them, or delete them from {refused[0].parent}")
    waiting = [path for path in root.glob("*/*") if path.is_file()]
    old = [path for path in waiting if age(path.stat().st_mtime) > LONG_IN_INBOX.total_seconds()]
    if old:
        text = f"{old[0].name} has lain there for over a day"
        yield Seen("inbox", "watch", text, "is the service running, and may it move the file?")


def _backups(install: Install, now: datetime) -> Iterator[Seen]:
    folder = install.settings.backup_to
    if folder is None:
        yield Seen("backups", "watch", "none are made by themselves", "set backup_to in noctilum.toml")
        return
    if folder.exists() and not os.access(folder, os.W_OK):
        yield Seen("backups", "wrong", f"{folder} cannot be written", "give this user the right to write it")
    found = backup.backups(folder)
    if not found:
        yield Seen("backups", "watch", f"there is none in {folder} yet", "noctilum backup")
    elif now - found[-1][0] > timedelta(days=2):
        yield Seen("backups", "wrong", f"the newest is of {found[-1][0]:%Y-%m-%d}", "look for a failed backup job")
    else:
        yield Seen("backups", "well", f"{len(found)} in {folder}, the newest of {found[-1][0]:%Y-%m-%d %H:%M}")
    if found and found[-1][1].stat().st_mode & 0o077:
        yield Seen("backups", "wrong", f"others can read {found[-1][1].name}", f"chmod -R go= {folder}")


def _reports(_install: Install, _now: datetime) -> Iterator[Seen]:
    try:
        import_module("noctilum.reports.pdf").warm()
    except (OSError, ImportError, RuntimeError) as why:
        remedy = "install the package anew: pip install --force-reinstall noctilum"
        yield Seen("reports", "wrong", f"PDF cannot be made: {why}", remedy)
    else:
        yield Seen("reports", "well", "what PDF needs is there")


def _reached(install: Install, _now: datetime) -> Iterator[Seen]:
    settings = install.settings
    local = settings.host in ("127.0.0.1", "::1", "localhost")
    if not local and not settings.is_https:
        remedy = "put a reverse proxy with TLS before it and set public_url = https://…"
        yield Seen("reached", "wrong", f"it listens on {settings.host} without https", remedy)
    else:
        yield Seen("reached", "well", settings.public_url or f"http://{settings.host}:{settings.port}, on this machine")
