"""The tables of a site's history file."""

from __future__ import annotations

from sqlalchemy import (
    BigInteger,
    Column,
    Connection,
    Index,
    Integer,
    LargeBinary,
    MetaData,
    String,
    Table,
    text,
)

SCHEMA_VERSION = 7

tables = MetaData()

SIDE: tuple[tuple[str, type[String | Integer | BigInteger]], ...] = (
    ("state", String),
    ("revision", String),
    ("rows", Integer),
    ("clicks", BigInteger),
    ("impressions", BigInteger),
    ("position_milli", BigInteger),
    ("figures", String),
)
"""What a change log keeps of a day before and after. figures: as in the ledger."""

meta = Table(
    "meta",
    tables,
    Column("key", String, primary_key=True),
    Column("value", String, nullable=False),
)

term = Table(
    "term",
    tables,
    Column("kind", String, primary_key=True),
    Column("id", Integer, primary_key=True, autoincrement=False),
    Column("text", String, nullable=False),
    Column("hash", BigInteger, nullable=False),
    Index("term_by_hash", "kind", "hash"),
    sqlite_with_rowid=False,
)

segment = Table(
    "segment",
    tables,
    Column("id", Integer, primary_key=True),
    Column("source", Integer, nullable=False),
    Column("dataset", String, nullable=False),
    Column("level", String, nullable=False),
    Column("first_day", Integer, nullable=False),
    Column("last_day", Integer, nullable=False),
    Column("rows", Integer, nullable=False),
    Column("position_scale", Integer, nullable=False),
    Column("checksum", String, nullable=False),
    Index("segment_by_day", "dataset", "source", "first_day"),
    sqlite_autoincrement=True,
)

block = Table(
    "block",
    tables,
    Column("id", Integer, primary_key=True),
    Column("segment_id", Integer, nullable=False),
    Column("seq", Integer, nullable=False),
    Column("key_min", Integer, nullable=False),
    Column("key_max", Integer, nullable=False),
    Column("data", LargeBinary, nullable=False),
    Index("block_by_segment", "segment_id", "key_min", "key_max"),
)

rollup = Table(
    "rollup",
    tables,
    Column("id", Integer, primary_key=True),
    Column("segment_id", Integer, nullable=False),
    Column("name", String, nullable=False),
    Column("data", LargeBinary, nullable=False),
    Index("rollup_by_segment", "segment_id", "name"),
)

span = Table(
    "span",
    tables,
    Column("id", Integer, primary_key=True),
    Column("source", Integer, nullable=False),
    Column("dataset", String, nullable=False),
    Column("name", String, nullable=False),
    Column("first_day", Integer, nullable=False),
    Column("last_day", Integer, nullable=False),
    Column("data", LargeBinary, nullable=False),
    Index("span_by_day", "dataset", "name", "source", "first_day"),
)

ledger = Table(
    "ledger",
    tables,
    Column("source", Integer, primary_key=True),
    Column("dataset", String, primary_key=True),
    Column("day", Integer, primary_key=True),
    Column("state", String, nullable=False),
    Column("revision", String),
    Column("taken_at", String, nullable=False),
    Column("origin", String, nullable=False),
    Column("rows", Integer, nullable=False),
    Column("clicks", BigInteger, nullable=False),
    Column("impressions", BigInteger, nullable=False),
    Column("position_milli", BigInteger, nullable=False),
    Column("digest", String, nullable=False),
    Column("lines", Integer, nullable=False, server_default="0"),
    Column("repeats", Integer, nullable=False, server_default="0"),
    Column("promised_rows", Integer),
    Column("promised_clicks", BigInteger),
    Column("promised_impressions", BigInteger),
    Column("flag", String),
    Column("remark", String),
    Column("figures", String),
    Column("promised_figures", String),
    sqlite_with_rowid=False,
)

change = Table(
    "change",
    tables,
    Column("id", Integer, primary_key=True),
    Column("source", Integer, nullable=False),
    Column("dataset", String, nullable=False),
    Column("day", Integer, nullable=False),
    Column("at", String, nullable=False),
    Column("kind", String, nullable=False),
    Column("origin", String, nullable=False),
    *(Column(f"{side}_{name}", kind) for side in ("was", "now") for name, kind in SIDE),
    Index("change_by_day", "dataset", "source", "day"),
    sqlite_autoincrement=True,
)

capture = Table(
    "capture",
    tables,
    Column("id", Integer, primary_key=True),
    Column("source", Integer, nullable=False),
    Column("look", BigInteger, nullable=False),
    Column("day", Integer, nullable=False),
    Column("taken_at", String, nullable=False),
    Column("own", BigInteger, nullable=False),
    Column("base", Integer),
    Column("data", LargeBinary, nullable=False),
    Index("capture_by_look", "look", "day"),
    Index("capture_by_day", "source", "day"),
    sqlite_autoincrement=True,
)
"""Kept answers of lookups. look: what was looked up, hashed; own: what of it is the site's, hashed; base: the capture
that its bytes are told against."""

_LEDGER_SINCE: dict[int, tuple[str, ...]] = {
    2: ("lines", "repeats", "promised_rows", "promised_clicks", "promised_impressions", "flag", "remark"),
    5: ("figures", "promised_figures"),
}
_CHANGE_SINCE: dict[int, tuple[str, ...]] = {5: ("was_figures", "now_figures")}
LATER = frozenset(name for since in (_LEDGER_SINCE, _CHANGE_SINCE) for names in since.values() for name in names)
"""Columns that files of older versions do not have."""


def bring_up(connection: Connection, version: int) -> None:
    """Bring a file of an older version to this one, inside the caller's transaction."""
    _add_columns(connection, ledger, _LEDGER_SINCE, version)
    capture.create(connection, checkfirst=True)
    if version < 2:
        change.create(connection, checkfirst=True)
    else:
        _add_columns(connection, change, _CHANGE_SINCE, version)


def _add_columns(connection: Connection, table: Table, since: dict[int, tuple[str, ...]], version: int) -> None:
    for name in (name for number, names in since.items() if version < number for name in names):
        column = table.c[name]
        kind = column.type.compile(connection.dialect)
        ending = "" if column.nullable else " NOT NULL DEFAULT 0"
        connection.execute(text(f"ALTER TABLE {table.name} ADD COLUMN {name} {kind}{ending}"))
