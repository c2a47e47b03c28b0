"""Rebuilding a history from a file of strangers: only known tables, only rows of the right kinds, every sum made anew.

The file's own schema is never run: it is opened read-only, what it declares is compared with what is known, and its
rows are copied one by one into a file of ours. Rollups and spans are made from the rows again, and all of it verified.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from datetime import date
from pathlib import Path
from typing import Any

from sqlalchemy import BigInteger, Integer, LargeBinary, Table, insert

from noctilum.core.days import DayState
from noctilum.core.errors import StoreFault, worded
from noctilum.core.windows import EARLIEST, LATEST
from noctilum.datasets import DATASETS
from noctilum.history import ledger, schema, upgrades
from noctilum.history import sqlite as store
from noctilum.history.sqlite import Strange
from noctilum.history.store import History

COPIED: tuple[Table, ...] = (schema.term, schema.segment, schema.block, schema.ledger, schema.change, schema.capture)
_SINCE = {"change": 2, "capture": 6}
"""Tables that files of older shapes do not have."""
AT_ONCE = 5000
LONGEST_TEXT, LARGEST_BLOCK = 8000, 64 << 20
_DAYS = ("day", "first_day", "last_day")


def rebuild(strange: Path, target: Path, numbers: Mapping[int, int]) -> None:
    """Write what a strange file holds into a new history file, with sources renumbered; raises StoreFault.

    numbers: the sources the file may speak of → their numbers here. Nothing is left of a file that is refused.
    """
    try:
        with store.strange(strange, LARGEST_BLOCK) as found:
            version = _checked(found)
            _copied(found, target, version, numbers)
        _made_anew(target)
    except StoreFault:
        target.unlink(missing_ok=True)
        raise


def _refused(why: str) -> StoreFault:
    return StoreFault(
        "hand-over-damaged",
        worded("The history in the file is not one of ours: {why}.", why=why),
        remedy="ask for the file again",
    )


def _checked(found: Strange) -> int:
    """Refuse what no history has; gives the version of the file's shape."""
    known = {table.name for table in schema.tables.sorted_tables} | store.OWN
    indexes = {index.name for table in schema.tables.sorted_tables for index in table.indexes}
    for kind, name, table, text in found.declared():
        fits = (kind == "table" and name in known) or (
            kind == "index" and table in known and (name in indexes or (name.startswith("sqlite_") and text is None))
        )
        if not fits:
            raise _refused(f"it holds the {str(kind)[:20]} {str(name)[:60]!r}, which is not known")
        if kind == "table" and text and "virtual" in text.lower().split()[:2]:
            raise _refused(f"{name} is no plain table")
    try:
        version = int(found.meta()["schema"])
    except (KeyError, ValueError, TypeError) as why:
        raise _refused("it does not say which shape it has") from why
    if version > schema.SCHEMA_VERSION:
        raise StoreFault("hand-over-newer", "The history was written by a newer version.", remedy="use that one")
    return version


def _copied(found: Strange, target: Path, version: int, numbers: Mapping[int, int]) -> None:
    history = History(target, create=True)
    try:
        with history._engine.connect().execution_options(writing=True) as sink, sink.begin():
            for table in COPIED:
                if version < _SINCE.get(table.name, 0):
                    continue
                for rows in _batches(found, table, numbers):
                    sink.execute(insert(table), rows)
            if kept := found.meta().get("kept_from"):
                sink.execute(insert(schema.meta), [{"key": "kept_from", "value": _day_text(kept)}])
    finally:
        history.close()


def _batches(found: Strange, table: Table, numbers: Mapping[int, int]) -> Iterator[list[dict[str, Any]]]:
    there = found.columns(table.name)
    columns = [column for column in table.columns if column.name in there]
    lacking = {c.name for c in table.columns} - there - schema.LATER
    if lacking:
        raise _refused(f"its {table.name} lack {', '.join(sorted(lacking))}")
    for rows in found.rows(table.name, [column.name for column in columns], AT_ONCE):
        yield [_row(table, columns, row, numbers) for row in rows]


def _row(table: Table, columns: Sequence[Any], row: Sequence[Any], numbers: Mapping[int, int]) -> dict[str, Any]:
    found = {column.name: _value(table, column, value) for column, value in zip(columns, row, strict=True)}
    if "source" in found:
        if found["source"] not in numbers:
            raise _refused(f"its {table.name} speak of source {found['source']}, which the file does not list")
        found["source"] = numbers[found["source"]]
    if "dataset" in found and found["dataset"] not in DATASETS:
        raise _refused(f"its {table.name} speak of {str(found['dataset'])[:40]!r}")
    if "state" in found and table is schema.ledger and found["state"] not in set(DayState):
        raise _refused(f"a day is {str(found['state'])[:40]!r}")
    for name in ledger.JSONS:
        if not ledger.readable(found.get(name)):
            raise _refused(f"its {table.name} hold figures that are none")
    for name in _DAYS:
        if name in found and not EARLIEST.toordinal() <= found[name] <= LATEST.toordinal():
            raise _refused(f"its {table.name} speak of a day that cannot be kept")
    return found


def _value(table: Table, column: Any, value: Any) -> Any:
    """Give a value of the column's own kind; raises StoreFault for any other."""
    if value is None and column.nullable and not column.primary_key:
        return None
    if isinstance(column.type, BigInteger | Integer):
        fits = isinstance(value, int) and -(2**63) <= value < 2**63
    elif isinstance(column.type, LargeBinary):
        fits = isinstance(value, bytes) and len(value) <= LARGEST_BLOCK
    else:
        fits = isinstance(value, str) and len(value) <= LONGEST_TEXT and "\x00" not in value
    if not fits:
        raise _refused(f"{table.name}.{column.name} holds what it cannot hold")
    return value


def _day_text(text: Any) -> str:
    try:
        return date.fromisoformat(text).isoformat()
    except (TypeError, ValueError) as why:
        raise _refused("the day from which on it is kept is no day") from why


def _made_anew(target: Path) -> None:
    """Make rollups and spans from the rows, and verify all of it."""
    history = History(target)
    try:
        with history._engine.connect().execution_options(writing=True) as db, db.begin():
            for kept in DATASETS.values():
                upgrades.make_missing_rollups(db, kept)
        damages = history.verify()
    except (ValueError, OverflowError, MemoryError, IndexError) as why:
        raise _refused(f"its rows cannot be read ({type(why).__name__})") from why
    finally:
        history.close()
    if damages:
        raise _refused(damages[0].text)
