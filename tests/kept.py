"""Installs that many tests begin from: made once, kept by what they are made from, copied for each test."""

from __future__ import annotations

import fcntl
import hashlib
import shutil
import sqlite3
from collections.abc import Callable, Iterator
from contextlib import closing, contextmanager
from functools import cache
from pathlib import Path

ROOT = Path(__file__).parents[1]
KEPT = ROOT / ".pytest_cache" / "installs"
MADE_FROM = (
    "actions",
    "core",
    "datasets",
    "demo",
    "history",
    "records",
    "sources",
    "standins",
    "wire",
    "readings",
    "jobs",
)
MOST_KEPT = 3


@cache
def _made_from(said_in: str) -> str:
    """Stand for the code that fills an install, what it is told to fill it with included."""
    digest = hashlib.blake2b(Path(said_in).read_bytes(), digest_size=8)
    paths = [
        path for room in MADE_FROM for path in (ROOT / "src/noctilum" / room).rglob("*.*") if path.suffix != ".pyc"
    ]
    for path in sorted([*paths, *(ROOT / "tests").glob("*.py")]):
        digest.update(path.read_bytes())
    return digest.hexdigest()


def copied(name: str, make: Callable[[Path], None], to: Path) -> Path:
    """Copy a kept folder to `to`; whoever comes first makes it, the others wait."""
    folder = KEPT / f"{name}-{_made_from(make.__code__.co_filename)}"
    with _alone(name):
        if not folder.exists():
            partial = folder.with_suffix(".partial")
            shutil.rmtree(partial, ignore_errors=True)
            partial.mkdir(parents=True)
            make(partial)
            partial.rename(folder)
            _forget_old(name)
    shutil.copytree(folder, to)
    return to


def pointed_at(records: Path, url: str, kind: str = "%") -> None:
    """Let the sources of copied records be served by the stand-in that runs now."""
    with closing(sqlite3.connect(records)) as db, db:
        db.execute("UPDATE source SET url = ? WHERE url <> '' AND kind LIKE ?", (url, kind))


@contextmanager
def _alone(name: str) -> Iterator[None]:
    KEPT.mkdir(parents=True, exist_ok=True)
    with (KEPT / f"{name}.lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        yield


def _forget_old(name: str) -> None:
    kept = sorted((path for path in KEPT.glob(f"{name}-*") if path.is_dir()), key=lambda path: path.stat().st_mtime)
    for path in kept[:-MOST_KEPT]:
        shutil.rmtree(path, ignore_errors=True)
