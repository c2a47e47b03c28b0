"""Opening the records, and bringing them to the newest shape."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator
from contextlib import closing, contextmanager
from functools import lru_cache
from pathlib import Path
from typing import Any

from alembic import command
from alembic.config import Config
from alembic.script import ScriptDirectory
from sqlalchemy import Connection, Engine, create_engine, event
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.orm import Session, sessionmaker

from noctilum.core.errors import Clash, Fault, StoreFault
from noctilum.sqlite_faults import common_fault

MIGRATIONS = Path(__file__).parent / "migrations"
WAIT_SECONDS = 30.0
"""For somebody else who writes."""


class Records:
    """Hold the records of one install. Safe to share between threads."""

    def __init__(self, path: Path) -> None:
        self.path = path
        self.engine = _engine(path)
        self._sessions = sessionmaker(self.engine, expire_on_commit=False)
        self._readers = sessionmaker(self.engine.execution_options(reading=True), expire_on_commit=False)

    def migrate(self, shape: str = "head") -> None:
        """Bring the tables to a shape, the newest unless another is asked; nothing happens when they are."""
        config = Config()
        config.set_main_option("script_location", str(MIGRATIONS))
        with self.engine.connect() as connection, _unbound(connection), connection.begin():
            config.attributes["connection"] = connection
            command.upgrade(config, shape)

    @contextmanager
    def begin(self) -> Iterator[Session]:
        """Give one transaction: committed at the end, rolled back when anything is raised."""
        with self._sessions.begin() as db:
            yield db

    @contextmanager
    def read(self) -> Iterator[Session]:
        """Give one reading transaction, which waits for no writer; changes in it are not kept."""
        with self._readers() as db:
            yield db

    def copy_to(self, path: Path) -> None:
        """Write a copy of the records as they are at one moment (SQLite's online backup)."""
        path.parent.mkdir(parents=True, exist_ok=True)
        raw = self.engine.raw_connection()
        try:
            with closing(sqlite3.connect(path)) as target:
                raw.driver_connection.backup(target)  # type: ignore[union-attr]
        finally:
            raw.close()

    def forget_deleted(self) -> None:
        """Write over what was deleted: rebuild the file without it and empty its log."""
        raw = self.engine.raw_connection()
        try:
            cursor = raw.cursor()
            cursor.execute("PRAGMA wal_checkpoint(TRUNCATE)")
            cursor.execute("VACUUM")
            cursor.execute("PRAGMA wal_checkpoint(TRUNCATE)")
        finally:
            raw.close()

    def close(self) -> None:
        """Let go of the file."""
        self.engine.dispose()


@lru_cache(maxsize=1)
def newest_shape() -> str:
    """Name the newest shape of the tables."""
    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    return str(ScriptDirectory.from_config(config).get_current_head())


def fault_of(error: SQLAlchemyError, path: Path | None = None) -> Fault | None:
    """Explain what the database says: full, busy, damaged, not to be written, or a clash; None for anything else."""
    where = path or Path("records.db")
    if common := common_fault(error, where):
        return common
    said = str(getattr(error, "orig", None) or error).lower()
    if "unique constraint" in said or "foreign key constraint" in said:
        return Clash(
            "clash", "It would contradict what is kept already.", remedy="look at what is there, then try again"
        )
    if any(word in said for word in ("malformed", "not a database", "disk i/o", "readonly", "unable to open")):
        remedy = "run `noctilum doctor`; restore a backup if the file is damaged"
        return StoreFault(
            "records-unusable", f"The records cannot be used: {said[:200]}.", where=str(where), remedy=remedy
        )
    return None


@contextmanager
def _unbound(connection: Connection) -> Iterator[None]:
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


def _engine(path: Path) -> Engine:
    engine = create_engine(f"sqlite:///{path}", connect_args={"timeout": WAIT_SECONDS})

    @event.listens_for(engine, "connect")
    def _prepare(connection: Any, _record: Any) -> None:
        connection.isolation_level = None
        for pragma in ("journal_mode=WAL", "synchronous=NORMAL", "foreign_keys=ON", "secure_delete=ON"):
            connection.execute(f"PRAGMA {pragma}")

    @event.listens_for(engine, "begin")
    def _begin(connection: Any) -> None:
        reading = connection.get_execution_options().get("reading")
        connection.exec_driver_sql("BEGIN" if reading else "BEGIN IMMEDIATE")

    return engine
