"""Whether the service works."""

from __future__ import annotations

from datetime import datetime
from pathlib import Path

from sqlalchemy import select
from sqlalchemy.exc import SQLAlchemyError

from noctilum.actions.install import Install
from noctilum.records.models import Client
from noctilum.wire import setup as wire

WORKER_SILENT = 30.0
"""Seconds after which a silent worker counts as gone."""


def beat(install: Install, now: datetime) -> None:
    """Leave the worker's sign of life."""
    _sign(install).write_text(now.isoformat())


def look(install: Install, now: datetime, version: str) -> wire.Health:
    """Try the records and look for the worker's sign of life."""
    try:
        with install.records.read() as db:
            db.execute(select(Client.id).limit(1))
        works = True
    except SQLAlchemyError:
        works = False
    silent = silent_seconds(install, now)
    well = works and silent is not None and silent < WORKER_SILENT
    return wire.Health(
        status="ok" if well else "degraded",
        version=version,
        records=works,
        worker_seen_seconds_ago=silent,
        today=now.date(),
    )


def silent_seconds(install: Install, now: datetime) -> float | None:
    """Count the seconds since the worker's last sign of life; None when there was none."""
    try:
        return (now - datetime.fromisoformat(_sign(install).read_text())).total_seconds()
    except (OSError, ValueError):
        return None


def _sign(install: Install) -> Path:
    return sign_of_life(install.settings.data)


def sign_of_life(data: Path) -> Path:
    """Say where the worker leaves its sign of life."""
    return data / "worker.seen"
