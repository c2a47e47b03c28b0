"""Opening the records, and bringing them to the newest shape. What depends on the database is in `sqlite`."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from functools import lru_cache
from pathlib import Path

from sqlalchemy import event
from sqlalchemy.orm import Session, sessionmaker

from noctilum.records import scope
from noctilum.records import sqlite as store
from noctilum.records.sqlite import fault_of

__all__ = ["Records", "fault_of", "newest_shape"]
MIGRATIONS = Path(__file__).parent / "migrations"


class Records:
    """Hold the records of one install. Safe to share between threads."""

    def __init__(self, path: Path) -> None:
        self.path = path
        self.engine = store.open_engine(path)
        self._sessions = sessionmaker(self.engine, expire_on_commit=False)
        self._readers = sessionmaker(self.engine.execution_options(reading=True), expire_on_commit=False)
        for sessions in (self._sessions, self._readers):
            event.listen(sessions, "do_orm_execute", scope.narrow)
        event.listen(self._sessions, "before_flush", scope.guard)

    def migrate(self, shape: str = "head") -> None:
        """Bring the tables to a shape, the newest unless another is asked; nothing happens when they are."""
        if shape == "head" and store.shape_of(self.path) == newest_shape():
            return
        from alembic import command  # late, as only a start needs it
        from alembic.config import Config

        config = Config()
        config.set_main_option("script_location", str(MIGRATIONS))
        with self.engine.connect() as connection, store.rebuilding(connection), connection.begin():
            config.attributes["connection"] = connection
            command.upgrade(config, shape)

    @contextmanager
    def begin(self) -> Iterator[Session]:
        """Give one transaction: committed at the end, rolled back when anything is raised.

        What it reads nobody changes until it has ended, also other processes: leases and counters rest on that.
        """
        with self._sessions.begin() as db:
            yield db

    @contextmanager
    def read(self) -> Iterator[Session]:
        """Give one reading transaction, which waits for no writer; changes in it are not kept."""
        with self._readers() as db:
            yield db

    def copy_to(self, path: Path) -> None:
        """Write a copy of the records as they are at one moment, while others may go on writing."""
        store.copy_to(self.engine, path)

    def forget_deleted(self) -> None:
        """Write over what was deleted, so that no file of the records holds it any more."""
        store.forget_deleted(self.engine)

    def close(self) -> None:
        """Let go of the file."""
        self.engine.dispose()


@lru_cache(maxsize=1)
def newest_shape() -> str:
    """Name the newest shape of the tables: what the last step is numbered. Every start asks, so no step is loaded."""
    return max(step.name.partition("_")[0] for step in (MIGRATIONS / "versions").glob("[0-9]*.py"))
