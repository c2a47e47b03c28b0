"""What is seen to every night: the backup, what clients do not keep, and files nobody came back for."""

from __future__ import annotations

import shutil
from datetime import datetime, timedelta

from noctilum.actions import care, queue
from noctilum.actions.install import Install

LEFT_FOR = timedelta(days=2)
"""Uploads and finished files are cleared when they have lain for so long."""


def tick(install: Install, now: datetime) -> None:
    """Do the night's work when its hour has come and it was not done today."""
    hour, minute = map(int, install.settings.backup_at.split(":"))
    if (now.hour, now.minute) < (hour, minute):
        return
    mark = install.settings.data / "night.done"
    if mark.exists() and mark.read_text() == str(now.date()):
        return
    if install.settings.backup_to is not None:
        queue.put(install, "backup", {}, now)
    care.retain(install, now.date())
    _clear(install)
    mark.write_text(str(now.date()))


def _clear(install: Install) -> None:
    """Clear what lies in the uploads, spool and products by the machine's own clock."""
    limit = (datetime.now() - LEFT_FOR).timestamp()
    for name in ("uploads", "spool", "products"):
        root = install.settings.data / name
        for path in root.iterdir() if root.exists() else ():
            if path.stat().st_mtime < limit:
                shutil.rmtree(path, ignore_errors=True) if path.is_dir() else path.unlink()
