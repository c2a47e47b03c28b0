"""What is seen to every night: the backup, what clients do not keep, and files nobody came back for.

Each step, and each file in it, is seen to by itself; a night in which one failed is not whole, is told once, and is
tried again every hour until it is.
"""

from __future__ import annotations

import json
import shutil
from collections.abc import Callable, Iterator
from dataclasses import asdict, dataclass
from datetime import date, datetime, timedelta
from pathlib import Path

from noctilum.actions import integrity, queue
from noctilum.actions.install import Install
from noctilum.actions.notices import note
from noctilum.core.errors import Fault
from noctilum.machine_time import age

LEFT_FOR = timedelta(days=2)
"""Uploads and finished files are cleared when they have lain for so long."""
LOOK = "alerts"
"""The job that looks what calls out."""
AGAIN_AFTER = timedelta(hours=1)


@dataclass(frozen=True)
class Night:
    """What is known of the nights. tried: when the last one was begun. whole: the day the last whole one was."""

    tried: str = ""
    whole: str = ""
    troubles: tuple[str, ...] = ()

    @property
    def last_whole(self) -> date | None:
        """The day of the last night in which everything went through."""
        return date.fromisoformat(self.whole) if self.whole else None


def last_night(data: Path) -> Night:
    """Read what is known of the nights; nothing of a new install, or where it cannot be read."""
    try:
        found = json.loads((data / "night.json").read_text())
        return Night(str(found["tried"]), str(found["whole"]), tuple(map(str, found["troubles"])))
    except (OSError, ValueError, KeyError, TypeError):
        return Night()


def tick(install: Install, now: datetime) -> None:
    """Do the night's work when its hour has come and it was not done today."""
    hour, minute = map(int, install.settings.backup_at.split(":"))
    known = last_night(install.settings.data)
    if (now.hour, now.minute) < (hour, minute) or known.whole == str(now.date()):
        return
    if known.tried and timedelta(0) <= now - datetime.fromisoformat(known.tried) < AGAIN_AFTER:
        return
    troubles = tuple(_troubles(install, now))
    whole = known.whole if troubles else str(now.date())
    _write(install.settings.data, Night(now.isoformat(timespec="seconds"), whole, troubles))
    if troubles:
        text = f"The night's work did not go through: {'; '.join(troubles[:3])}. It is tried again every hour."
        with install.records.begin() as db:
            note(db, "night-broken", text, now)


def _troubles(install: Install, now: datetime) -> Iterator[str]:
    """Do every step, and say which did not work."""
    steps: tuple[tuple[str, Callable[[], object]], ...] = (
        ("the backup could not be begun", lambda: _queue_backup(install, now)),
        ("what calls out could not be looked for", lambda: queue.put(install, LOOK, {}, now)),
        ("what clients do not keep could not be let go", lambda: integrity.retain(install, now.date())),
    )
    for what, step in steps:
        try:
            step()
        except Exception as why:
            yield f"{what} ({why.what if isinstance(why, Fault) else type(why).__name__})"
    yield from _clear(install)


def _queue_backup(install: Install, now: datetime) -> None:
    if install.settings.backup_to is not None:
        queue.put(install, "backup", {}, now)


def _clear(install: Install) -> Iterator[str]:
    """Clear what lies in the uploads, spool and products by the machine's own clock."""
    for name in ("uploads", "spool", "products", "grants", "editions"):
        root = install.settings.data / name
        for path in root.iterdir() if root.is_dir() else ():
            try:
                if age(path.lstat().st_mtime) > LEFT_FOR.total_seconds():
                    shutil.rmtree(path) if path.is_dir() and not path.is_symlink() else path.unlink()
            except OSError as why:
                yield f"{name}/{path.name} could not be cleared ({why.strerror})"


def _write(data: Path, night: Night) -> None:
    partial = data / "night.json.partial"
    partial.write_text(json.dumps(asdict(night)))
    partial.replace(data / "night.json")
