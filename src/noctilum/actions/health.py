"""Whether the service works."""

from __future__ import annotations

import shutil
from collections.abc import Iterator
from datetime import datetime, timedelta

from sqlalchemy import select
from sqlalchemy.exc import SQLAlchemyError

from noctilum import __version__
from noctilum.actions import life, nightly
from noctilum.actions.install import Install
from noctilum.records.models import Client
from noctilum.wire import setup as wire

WORKER_SILENT = 30.0
"""Seconds after which a silent worker counts as gone."""
AHEAD = 60.0
"""A sign so many seconds in the future means that a clock was set back."""
LOW_DISK, NO_DISK = 1 << 30, 100 << 20
"""Bytes: with less free than the first somebody should look, with less than the second work stops."""
NIGHT_LATE = timedelta(days=2)


def look(install: Install, now: datetime) -> wire.Health:
    """Try the records, look for the worker's sign of life, at the disk, the key and the nights. Never raises."""
    works = _records_work(install)
    silent = life.silent_seconds(install, now)
    free = free_bytes(install)
    night = nightly.last_night(install.settings.data)
    troubles = list(_troubles(install, works, silent, free, night, now))
    return wire.Health(
        status="degraded" if troubles else "ok",
        records=works,
        worker_seen_seconds_ago=silent,
        today=now.date(),
        version=__version__,
        disk_free_bytes=free,
        last_whole_night=night.last_whole,
        troubles=troubles,
    )


def for_strangers(found: wire.Health) -> wire.Health:
    """Leave out what is told to nobody who has not signed in."""
    hidden: dict[str, object] = {"version": None, "disk_free_bytes": None, "last_whole_night": None, "troubles": []}
    return found.model_copy(update=hidden)


def _troubles(
    install: Install, works: bool, silent: float | None, free: int | None, night: nightly.Night, now: datetime
) -> Iterator[str]:
    if not works:
        yield "the records cannot be read"
    if silent is None:
        yield "the job worker has given no sign of life yet"
    elif silent < -AHEAD:
        yield f"the job worker's last sign lies {-silent:.0f} s in the future: the clock was set back"
    elif silent > WORKER_SILENT:
        yield f"the job worker has been silent for {silent:.0f} s"
    if free is None or free < NO_DISK:
        yield f"the disk is full: {(free or 0) >> 20} MB are free"
    if not install.key_path.exists():
        yield "the key that opens the kept secrets is gone"
    if night.troubles:
        yield f"the last night's work did not go through: {night.troubles[0]}"
    elif night.last_whole is not None and now.date() - night.last_whole > NIGHT_LATE:
        yield f"no night's work has gone through since {night.last_whole}"


def _records_work(install: Install) -> bool:
    try:
        with install.records.read() as db:
            db.execute(select(Client.id).limit(1))
    except SQLAlchemyError:
        return False
    return True


def free_bytes(install: Install) -> int | None:
    """Count the bytes free where the data folder lies; None when that cannot be told."""
    try:
        return shutil.disk_usage(install.settings.data).free
    except OSError:
        return None
