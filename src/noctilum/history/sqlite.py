"""Histories in SQLite: all that they need of the database, and that another one would do in another way.

One file a site, one writer at a time: a transaction that writes waits for the one before it.
"""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator, Sequence
from contextlib import closing, contextmanager
from pathlib import Path
from typing import Any

from sqlalchemy import Connection, Engine, Table, text
from sqlalchemy.dialects.sqlite import Insert

from noctilum import sqlite_files
from noctilum.core.errors import StoreFault, worded

FAILURES = sqlite_files.FAILURES
COPIED_PAGES = 4096
_PRAGMAS = ("page_size=8192", "journal_mode=WAL", "synchronous=NORMAL", "mmap_size=1073741824")
OWN = {"sqlite_sequence", "sqlite_stat1", "sqlite_stat4"}
"""Tables that the database makes for itself."""


def open_engine(path: Path) -> Engine:
    """Open a history file; transactions that write queue from their beginning, readers wait for nobody."""
    return sqlite_files.open_engine(
        path,
        wait_seconds=60,
        pragmas=_PRAGMAS,
        begins=lambda options: "IMMEDIATE" if options.get("writing") else "DEFERRED",
    )


def replacing(table: Table) -> Insert:
    """Insert rows, or replace those of the same key."""
    return sqlite_files.replacing(table)


def add_terms(connection: Connection, rows: Sequence[tuple[str, int, str, int]]) -> None:
    """Add many terms at once, as (kind, id, text, hash): past what makes single rows slow."""
    connection.exec_driver_sql("INSERT INTO term (kind, id, text, hash) VALUES (?, ?, ?, ?)", list(rows))


def copy_to(engine: Engine, path: Path) -> None:
    """Write a copy of a file as it is at one moment, while others may go on writing."""
    sqlite_files.copy_online(engine, path, COPIED_PAGES)


def wrong_pages(connection: Connection) -> Iterator[str]:
    """Say what the database finds wrong with its own file."""
    for line in connection.execute(text("PRAGMA quick_check(5)")).scalars():
        if line != sqlite_files.SOUND:
            yield str(line)


class Strange:
    """A history file of strangers, opened to be read as it lies there; its own schema is never run."""

    def __init__(self, db: sqlite3.Connection) -> None:
        self._db = db

    def declared(self) -> list[tuple[str, str, str, str | None]]:
        """List what it declares, as (kind, name, table, statement)."""
        return self._db.execute("SELECT type, name, tbl_name, sql FROM sqlite_master").fetchall()

    def meta(self) -> dict[Any, Any]:
        """Give what it says of itself."""
        return dict(self._db.execute("SELECT key, value FROM meta"))

    def columns(self, table: str) -> set[str]:
        """Name the columns of a table."""
        return {row[1] for row in self._db.execute(f"PRAGMA table_info({table})")}

    def rows(self, table: str, columns: Sequence[str], at_once: int) -> Iterator[list[tuple[Any, ...]]]:
        """Give the rows of a table, some at a time."""
        names = ", ".join(f'"{name}"' for name in columns)
        asked = self._db.execute(f'SELECT {names} FROM "{table}"')
        while rows := asked.fetchmany(at_once):
            yield rows


@contextmanager
def strange(path: Path, largest: int) -> Iterator[Strange]:
    """Open a file of strangers. largest: no value of it is taken in that has more bytes. Raises StoreFault."""
    try:
        with closing(sqlite3.connect(f"{path.absolute().as_uri()}?mode=ro&immutable=1", uri=True)) as db:
            for pragma in ("trusted_schema=OFF", "cell_size_check=ON", "query_only=ON"):
                db.execute(f"PRAGMA {pragma}")
            db.setlimit(sqlite3.SQLITE_LIMIT_LENGTH, largest)
            yield Strange(db)
    except sqlite3.Error as why:
        raise StoreFault(
            "hand-over-damaged",
            worded("The history in the file is not one of ours: it cannot be read: {why}.", why=why),
            remedy="ask for the file again",
        ) from why
