"""The job worker's sign of life: a file that says when it was last there."""

from __future__ import annotations

import os
from contextlib import suppress
from datetime import datetime
from pathlib import Path

from noctilum.actions.install import Install


def place(data: Path) -> Path:
    """Say where the worker of an install with this data leaves its sign."""
    return data / "worker.seen"


def beat(install: Install, now: datetime) -> None:
    """Leave a sign; on a full disk the old one stays.

    Signs are equally long and written over each other in one go, so that whoever looks finds one whole.
    """
    with suppress(OSError):
        handle = os.open(place(install.settings.data), os.O_WRONLY | os.O_CREAT, 0o600)
        try:
            os.pwrite(handle, now.isoformat(timespec="microseconds").encode(), 0)
        finally:
            os.close(handle)


def silent_seconds(install: Install, now: datetime) -> float | None:
    """Count the seconds since the last sign; None when there was none."""
    try:
        return (now - datetime.fromisoformat(place(install.settings.data).read_text())).total_seconds()
    except (OSError, ValueError):
        return None
