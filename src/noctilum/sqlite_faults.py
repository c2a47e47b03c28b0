"""What SQLite's errors mean, for both stores: no room, or somebody else's lock. Knows the errors and nothing else."""

from __future__ import annotations

import errno
import shutil
from pathlib import Path

from noctilum.core.errors import DiskFull, Fault, StoreBusy

NO_ROOM = 4 << 20
"""With less free than this, an input or output error is one of room."""


def is_full(path: Path) -> bool:
    """Say whether the disk of a path has no room left."""
    there = next((each for each in (path, *path.parents) if each.exists()), Path("/"))
    try:
        return shutil.disk_usage(there).free < NO_ROOM
    except OSError:
        return False


def common_fault(error: BaseException, path: Path) -> Fault | None:
    """Explain an error that any store may meet, of SQLite or of the disk; None for what only the store can explain."""
    if isinstance(error, OSError):
        return DiskFull(str(path)) if error.errno in (errno.ENOSPC, errno.EDQUOT) else None
    said = str(getattr(error, "orig", None) or error).lower()
    full = "disk is full" in said or "no space left" in said
    if full or (("disk i/o" in said or "unable to open" in said) and is_full(path)):
        return DiskFull(str(path))
    if "is locked" in said or "is busy" in said:
        return StoreBusy(str(path))
    return None
