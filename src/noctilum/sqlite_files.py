"""SQLite itself, below both stores: opening its files, copying them online, looking at those of others, its errors.

Law: knows the database and nothing of what is kept in it. Only this module and the `sqlite` module of each store may
import SQLite or speak its dialect.
"""

from __future__ import annotations

import errno
import shutil
import sqlite3
from collections.abc import Callable, Sequence
from contextlib import closing
from pathlib import Path
from typing import Any

from sqlalchemy import Engine, Table, create_engine, event
from sqlalchemy.dialects import registry
from sqlalchemy.dialects.sqlite import Insert, insert
from sqlalchemy.dialects.sqlite.pysqlite import SQLiteDialect_pysqlite
from sqlalchemy.util import LRUCache

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


class OneDialect(SQLiteDialect_pysqlite):
    """The dialect of every file: what is put together for one file serves all others, which speak the same."""

    supports_statement_cache = True

    def __eq__(self, other: object) -> bool:
        return type(self) is type(other)

    def __hash__(self) -> int:
        return hash(type(self))


registry.register("sqlite.one", __name__, OneDialect.__name__)
_PUT_TOGETHER: LRUCache[Any, Any] = LRUCache(1500)
"""Statements put together once for all files: a site's history would take longer to open than to be asked."""


def open_engine(
    path: Path, *, wait_seconds: float, pragmas: Sequence[str], begins: Callable[[dict[str, Any]], str]
) -> Engine:
    """Open a file. pragmas: said to every connection; begins: how a transaction begins, by its execution options."""
    engine = create_engine(f"sqlite+one:///{path}", connect_args={"timeout": wait_seconds})
    engine.update_execution_options(compiled_cache=_PUT_TOGETHER)

    @event.listens_for(engine, "connect")
    def _prepare(connection: Any, _record: Any) -> None:
        connection.isolation_level = None
        cursor = connection.cursor()
        for pragma in pragmas:
            cursor.execute(f"PRAGMA {pragma}")
        cursor.close()

    @event.listens_for(engine, "begin")
    def _begin(connection: Any) -> None:
        connection.exec_driver_sql(f"BEGIN {begins(connection.get_execution_options())}")

    return engine


def replacing(table: Table) -> Insert:
    """Insert rows, or replace those of the same key."""
    return insert(table).prefix_with("OR REPLACE")


def copy_online(engine: Engine, path: Path, pages: int = -1) -> None:
    """Write a copy of a file as it is at one moment, while others may go on writing; raises OSError or sqlite3.Error.

    pages: copied at a time, between which others may write; all at once without.
    """
    path.parent.mkdir(parents=True, exist_ok=True)
    raw = engine.raw_connection()
    try:
        with closing(sqlite3.connect(path)) as target:
            raw.driver_connection.backup(target, pages=pages)  # type: ignore[union-attr]
    finally:
        raw.close()


FAILURES = (sqlite3.Error, OSError)
"""What copying and looking may raise."""


def fold(path: Path) -> None:
    """Fold a file's log into it, so that it can be moved alone."""
    with closing(sqlite3.connect(path)) as db:
        db.execute("PRAGMA wal_checkpoint(TRUNCATE)")
        db.execute("PRAGMA journal_mode=DELETE")


def look(path: Path, *, still: bool = False) -> sqlite3.Connection:
    """Open a file to read only; where it cannot be shared, as on a read-only disk, as it lies there.

    Raises sqlite3.Error. still: nobody else has it, so it is read as it lies there.
    """
    address = f"{path.absolute().as_uri()}?mode=ro"
    if still:
        return sqlite3.connect(f"{address}&immutable=1", uri=True)
    db = sqlite3.connect(address, uri=True, timeout=2.0)
    try:
        db.execute("SELECT count(*) FROM sqlite_master").fetchone()
    except sqlite3.OperationalError as why:
        db.close()
        if "locked" in str(why):
            raise
        db = sqlite3.connect(f"{address}&immutable=1", uri=True)
    return db


def ask(path: Path, question: str) -> Any:
    """Ask a file one thing, without writing; None where it cannot say."""
    try:
        with closing(look(path)) as db:
            row = db.execute(question).fetchone()
            return row[0] if row else None
    except sqlite3.Error:
        return None


SOUND = "ok"


def examined(path: Path, *, still: bool = False) -> str:
    """Say what is wrong with a file's pages; SOUND when nothing is."""
    try:
        with closing(look(path, still=still)) as db:
            (said,) = db.execute("PRAGMA quick_check(1)").fetchone()
            return str(said)
    except sqlite3.Error as why:
        return str(why)
