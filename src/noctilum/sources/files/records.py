"""Files of records: NDJSON, Parquet and XLSX workbooks, given as the same text columns as CSV."""

from __future__ import annotations

import datetime as dt
import fnmatch
from collections.abc import Iterable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import orjson
import pyarrow as pa
import pyarrow.compute as pc
import pyarrow.parquet as pq
from openpyxl import load_workbook

from noctilum.core.errors import Nonsense, worded
from noctilum.sources.files.chunks import Chunk, Rejected
from noctilum.sources.files.mapping import Mapping
from noctilum.sources.files.opening import FAULTS, check_workbook, lines, unreadable
from noctilum.sources.files.words import role_of_header

ROWS_AT_ONCE = 50_000
MOST_COLUMNS = 500
SMALL_ROWS, MOST_ROWS_A_BYTE = 10_000_000, 20


def ndjson_headers(path: Path) -> tuple[str, ...]:
    """Name the fields of the first hundred lines, in order of appearance."""
    seen: dict[str, None] = {}
    for row, _, _ in zip(lines(path), range(100), [None] * 100, strict=False):
        found = _object(row[1])
        if isinstance(found, dict):
            seen.update(dict.fromkeys(map(str, found)))
    if not seen:
        raise Nonsense(
            "header-unknown", worded("{name} has no JSON objects in its first lines.", name=path.name), where="line 1"
        )
    return tuple(seen)


def _object(line: bytes) -> Any:
    try:
        return orjson.loads(line)
    except orjson.JSONDecodeError:
        return None


def read_ndjson(path: Path, wanted: Sequence[str]) -> Iterator[Chunk]:
    """Read one object a line."""
    rows: list[tuple[int, list[str]]] = []
    rejected: list[Rejected] = []
    read = 0
    for number, line in lines(path):
        read += len(line)
        found = _object(line)
        if isinstance(found, dict):
            rows.append((number, [_text(found.get(name)) for name in wanted]))
        elif line.strip():
            shown = line.decode("utf-8", "replace").strip()[:500]
            rejected.append(Rejected(path.name, number, "it is no JSON object", shown))
        if len(rows) >= ROWS_AT_ONCE:
            yield _chunk(rows, wanted, rejected, read)
            rows, rejected = [], []
    if rows or rejected:
        yield _chunk(rows, wanted, rejected, read)


def _text(value: Any) -> str:
    """Write a value as text; decimals keep their point."""
    if value is None:
        return ""
    if isinstance(value, dt.datetime):
        return value.date().isoformat()
    if isinstance(value, bool | dict | list):
        return orjson.dumps(value).decode()
    return value.isoformat() if isinstance(value, dt.date) else str(value)


def _chunk(
    rows: Sequence[tuple[int, Sequence[str]]], wanted: Sequence[str], rejected: Iterable[Rejected], read: int
) -> Chunk:
    lines = np.array([number for number, _ in rows], dtype=np.int64)
    columns = {name: pa.array([row[at] for _, row in rows], pa.string()) for at, name in enumerate(wanted)}
    return Chunk(columns, lines, tuple(rejected), read)


def parquet_headers(path: Path) -> tuple[str, ...]:
    """Name the columns of a Parquet file."""
    return tuple(_parquet(path).schema_arrow.names)


def _parquet(path: Path) -> pq.ParquetFile:
    try:
        found = pq.ParquetFile(path)
    except FAULTS as why:
        raise unreadable(path, f"it is no Parquet file: {why}") from why
    if found.metadata.num_rows > SMALL_ROWS and found.metadata.num_rows > MOST_ROWS_A_BYTE * path.stat().st_size:
        raise unreadable(path, f"it claims {found.metadata.num_rows:,} rows, far more than a file of its size holds")
    return found


def read_parquet(path: Path, wanted: Sequence[str]) -> Iterator[Chunk]:
    """Read a Parquet file batch by batch; its rows are counted from 1."""
    first = 1
    size = path.stat().st_size
    with _parquet(path) as file:
        total = max(file.metadata.num_rows, 1)
        for batch in file.iter_batches(batch_size=ROWS_AT_ONCE, columns=list(wanted)):
            columns = {name: _as_text(batch.column(name)) for name in wanted}
            lines = np.arange(first, first + batch.num_rows)
            first += batch.num_rows
            yield Chunk(columns, lines, (), size * (first - 1) // total)


def _as_text(column: pa.Array) -> pa.Array:
    if pa.types.is_timestamp(column.type):
        column = pc.cast(column, pa.date32())
    return pc.fill_null(pc.cast(column, pa.string()), "")


def workbook_sheets(path: Path, mapping: Mapping) -> dict[str, tuple[int, tuple[str, ...]]]:
    """Find the sheets to be read: name → (header row, headers). Sheets without known columns are left out."""
    pattern = mapping.sheets.lower()
    with _workbook(path) as book:
        names = list(book.sheetnames)
        chosen = [name for name in names if fnmatch.fnmatchcase(name.lower(), pattern)]
        found = {name: header for name in chosen if (header := _sheet_header(book[name], mapping))}
    if not found:
        raise Nonsense(
            "sheets-unknown",
            worded(
                "{name} has no sheet like {sheets!r} with columns Noctilum knows.",
                name=path.name,
                sheets=mapping.sheets,
            ),
            where=f"sheets {', '.join(names)}",
            remedy="choose with --sheets PATTERN, or name columns with --column HEADER=ROLE",
        )
    headers = next(iter(found.values()))[1]
    return {name: header for name, header in found.items() if set(headers) <= set(header[1])}


@contextmanager
def _workbook(path: Path) -> Iterator[Any]:
    """Open a workbook, and close it also when it turns out to be damaged."""
    check_workbook(path)
    with path.open("rb") as stream:
        try:
            book = load_workbook(stream, read_only=True, data_only=True)
        except FAULTS as why:
            raise unreadable(path, f"it is no XLSX workbook: {why}") from why
        try:
            yield book
        finally:
            book.close()


def _sheet_header(sheet: Any, mapping: Mapping) -> tuple[int, tuple[str, ...]] | None:
    best: tuple[int, int, tuple[str, ...]] = (1, 0, ())
    for number, row in enumerate(sheet.iter_rows(max_row=20, max_col=MOST_COLUMNS, values_only=True), start=1):
        fields = tuple(_text(value).strip() for value in row)
        known = {mapping.columns.get(f) or role_of_header(f) for f in fields if f} - {None}
        if len(known) > best[0]:
            best = (len(known), number, fields)
    return (best[1], best[2]) if best[0] >= 2 else None


def _sheet_rows(sheet: Any, header: int) -> Iterator[Any]:
    rows: Iterator[Any] = sheet.iter_rows(min_row=header + 1, max_col=MOST_COLUMNS, values_only=True)
    return rows


def read_workbook(path: Path, sheets: dict[str, tuple[int, tuple[str, ...]]], wanted: Sequence[str]) -> Iterator[Chunk]:
    """Read the sheets of a workbook one after the other; lines are those of each sheet."""
    size = path.stat().st_size
    with _workbook(path) as book:
        for done, (name, (header, headers)) in enumerate(sheets.items(), start=1):
            places = [headers.index(each) for each in wanted]
            rows: list[tuple[int, list[str]]] = []
            for number, row in enumerate(_sheet_rows(book[name], header), start=header + 1):
                if any(value is not None for value in row):
                    rows.append((number, [_text(row[at]) if at < len(row) else "" for at in places]))
                if len(rows) >= ROWS_AT_ONCE:
                    yield replace(_chunk(rows, wanted, (), size * (done - 1) // len(sheets)), part=name)
                    rows = []
            if rows:
                yield replace(_chunk(rows, wanted, (), size * done // len(sheets)), part=name)
