"""The records in SQLite: all that they need of the database, and that another one would do in another way.

One writer at a time: a transaction that writes waits for the one before it, so what it reads nobody changes meanwhile.
A server database would lock rows instead (`alone`), copy by its own tools, and number by sequences.
"""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from sqlalchemy import ColumnElement, Connection, Engine, func
from sqlalchemy.exc import SQLAlchemyError

from noctilum import sqlite_files
from noctilum.core.errors import Clash, Fault, StoreFault, worded

WAIT_SECONDS = 30.0
"""For somebody else who writes."""
NEVER_AGAIN = {"sqlite_autoincrement": True}
"""A number once given is given to nothing else, even after it was erased: files and logs go by it."""
_PRAGMAS = ("journal_mode=WAL", "synchronous=NORMAL", "foreign_keys=ON", "secure_delete=ON")


def open_engine(path: Path) -> Engine:
    """Open the records; transactions that write take the file for themselves from their beginning."""
    return sqlite_files.open_engine(
        path,
        wait_seconds=WAIT_SECONDS,
        pragmas=_PRAGMAS,
        begins=lambda options: "" if options.get("reading") else "IMMEDIATE",
    )


def shape_of(path: Path) -> str | None:
    """Say which shape the tables of a file have; None where it cannot say."""
    shape: str | None = sqlite_files.ask(path, "SELECT version_num FROM alembic_version")
    return shape


def copy_to(engine: Engine, path: Path) -> None:
    """Write a copy as it is at one moment."""
    sqlite_files.copy_online(engine, path)


def forget_deleted(engine: Engine) -> None:
    """Write over what was deleted: rebuild the file without it and empty its log."""
    raw = engine.raw_connection()
    try:
        cursor = raw.cursor()
        for statement in ("PRAGMA wal_checkpoint(TRUNCATE)", "VACUUM", "PRAGMA wal_checkpoint(TRUNCATE)"):
            cursor.execute(statement)
    finally:
        raw.close()


@contextmanager
def rebuilding(connection: Connection) -> Iterator[None]:
    """Let tables be rebuilt: with foreign keys bound, SQLite would empty what points at them."""
    raw: Any = connection.connection.driver_connection
    raw.execute("PRAGMA foreign_keys=OFF")
    try:
        yield
        broken = raw.execute("PRAGMA foreign_key_check").fetchall()
        if broken:
            raise sqlite3.IntegrityError(f"rows point at nothing: {broken[:5]}")
    finally:
        raw.execute("PRAGMA foreign_keys=ON")


def fault_of(error: SQLAlchemyError, path: Path | None = None) -> Fault | None:
    """Explain what the database says: full, busy, damaged, not to be written, or a clash; None for anything else."""
    where = path or Path("records.db")
    if common := sqlite_files.common_fault(error, where):
        return common
    said = str(getattr(error, "orig", None) or error).lower()
    if "unique constraint" in said or "foreign key constraint" in said:
        return Clash(
            "clash", "It would contradict what is kept already.", remedy="look at what is there, then try again"
        )
    if any(word in said for word in ("malformed", "not a database", "disk i/o", "readonly", "unable to open")):
        remedy = "run `noctilum doctor`; restore a backup if the file is damaged"
        return StoreFault(
            "records-unusable",
            worded("The records cannot be used: {said}.", said=said[:200]),
            where=str(where),
            remedy=remedy,
        )
    return None


def within_json(column: Any, name: str) -> ColumnElement[Any]:
    """Give what a JSON column holds under a name; NULL where it holds nothing there."""
    return func.json_extract(column, f"$.{name}")
