"""Exporting: raw days or any reading, as one file of CSV, NDJSON, Parquet or XLSX, written as it is read."""

from __future__ import annotations

import csv
import re
import zipfile
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from contextlib import closing, contextmanager, suppress
from dataclasses import dataclass
from datetime import date, timedelta
from pathlib import Path
from typing import Any, Literal, Protocol

import numpy as np
import orjson
import pyarrow as pa
import pyarrow.parquet as pq
import xlsxwriter

from noctilum.core.batch import told
from noctilum.core.cells import cell
from noctilum.core.errors import Nonsense, Stopped, StoreFault, worded
from noctilum.core.windows import Window, month_end, month_start, parse_window
from noctilum.datasets import DATASETS
from noctilum.datasets.declaring import Dataset
from noctilum.history import Question
from noctilum.readings.site_access import SiteAccess
from noctilum.sqlite_files import common_fault
from noctilum.wire.columns import Kind
from noctilum.wire.specs import ReadingSpec

Format = Literal["csv", "ndjson", "parquet", "xlsx"]
Split = Literal["none", "month"]
FORMATS: tuple[Format, ...] = ("csv", "ndjson", "parquet", "xlsx")
RANK_BANDS = (
    (1, "#1E2A52", "#FFFFFF"),
    (3, "#35477D", "#FFFFFF"),
    (10, "#5A6CA3", "#FFFFFF"),
    (20, "#96A3CB", "#171C2E"),
    (50, "#C0C9E1", "#241F19"),
    (100, "#E1E5F0", "#241F19"),
)
"""The last rank of each band, with its ground and ink, as the console draws them."""
_DAY_HEAD = re.compile(r"\d{4}-\d\d-\d\d")
MOST_SHEET_ROWS = 1_048_575
"""An XLSX sheet has no more rows below its header."""


@dataclass(frozen=True)
class ExportProgress:
    """Say how far an export is, in months."""

    stage: str
    done: int
    due: int
    rows: int


@dataclass(frozen=True)
class Exported:
    """Say what was written."""

    path: Path
    rows: int


Part = tuple[str, Mapping[str, Sequence[Any]]]
"""A name (a month, or "rows") and columns, all equally long."""
Types = Mapping[str, pa.DataType]
"""The Arrow types of columns by name, where they are known before the values."""
_ARROW: Mapping[Kind, pa.DataType] = {
    "text": pa.string(),
    "verdict": pa.string(),
    "count": pa.float64(),
    "rate": pa.float64(),
    "money": pa.float64(),
    "place": pa.float64(),
    "places": pa.float64(),
    "points": pa.float64(),
    "number": pa.float64(),
    "share": pa.float64(),
    "day": pa.date32(),
    "month": pa.date32(),
    "flag": pa.bool_(),
    "weekday": pa.int64(),
    "texts": pa.list_(pa.string()),
    "series": pa.list_(pa.float64()),
}
_WHOLE = pa.int64()


def ending(form: Format, split: Split = "none") -> str:
    """Say how the name of a file ends."""
    return ".parquet.zip" if split == "month" else f".{form}"


def types_of(spec: ReadingSpec, table: str = "") -> Types:
    """Give the Arrow types of a reading's columns, so that a file has them also where every value is missing."""
    return {column.name: _ARROW[column.kind] for column in spec.columns(table)}


def export_days(
    opened: SiteAccess,
    grain: str,
    window: str,
    form: Format,
    path: Path,
    report: Callable[[ExportProgress], bool],
    raw: bool = False,
    split: Split = "none",
) -> Exported:
    """Write every held row of a grain over a window, month by month in bounded memory.

    split "month" gives Parquet as a ZIP of one file a month, in folders named month=2026-03; else it is one file.
    """
    if grain not in DATASETS.daily:
        known = ", ".join(DATASETS.daily)
        raise Nonsense(
            "no-such-grain",
            worded("There is no grain {grain!r} of days.", grain=grain),
            remedy=worded("one of {known}", known=known),
        )
    kept = DATASETS[grain]
    held = opened.held_of(DATASETS.totals_of(kept))
    span = parse_window(window, ends_on=held.complete_through, starts_on=held.first_held)
    months = _months(span)
    rows = 0
    types = {"day": pa.date32(), "source": _WHOLE} | dict.fromkeys(kept.dims, pa.string())
    types |= {each.name: pa.float64() if each.has_decimals else _WHOLE for each in kept.measures}
    with _writer(form, path, raw, types, split) as sink:
        for number, (first, last) in enumerate(months):
            columns = _days(opened, kept, first, last)
            rows += len(columns["day"])
            sink.write((f"{first:%Y-%m}", columns))
            if not report(ExportProgress("writing", number + 1, len(months), rows)):
                raise Stopped("The export was stopped.", "start it again")
    return Exported(path, rows)


def _months(span: Window) -> list[tuple[date, date]]:
    found, first = [], span.first
    while first <= span.last:
        last = min(month_end(month_start(first)), span.last)
        found.append((first, last))
        first = last + timedelta(1)
    return found


def _days(opened: SiteAccess, kept: Dataset, first: date, last: date) -> dict[str, Sequence[Any]]:
    """Read a stretch of days as columns in the order of a file: day, source, dimensions, measures."""
    names = ("day", "source", *kept.dims, *(measure.name for measure in kept.measures))
    parts: dict[str, list[Any]] = {name: [] for name in names}
    texts = {dim: opened.history.all_texts(dim) for dim in kept.dims}
    for source in opened.sources_of(kept.kind):
        question = Question(kept.name, first, last, sources=(source,))
        for rows in opened.history.rows(question, kept.dims):
            columns = rows.columns
            parts["day"].append(columns["day"])
            parts["source"].append(np.full(len(rows), source))
            for dim in kept.dims:
                parts[dim].append(columns[dim])
            for name, figures in told(kept, columns, rows.scale).items():
                parts[name].append(figures)
    joined = {name: np.concatenate(values) if values else np.zeros(0, dtype=np.int64) for name, values in parts.items()}
    order = np.argsort(joined["day"], kind="stable")
    out: dict[str, Sequence[Any]] = {}
    for name, values in joined.items():
        ordered = values[order].tolist()
        if name == "day":
            out[name] = [date.fromordinal(day) for day in ordered]
        else:
            out[name] = [texts[name][number] for number in ordered] if name in texts else ordered
    return out


def export_rows(
    rows: Iterable[Mapping[str, Any]], form: Format, path: Path, raw: bool = False, types: Types | None = None
) -> Exported:
    """Write the plain rows of a reading. Lists stay lists where the format knows them, else they are JSON."""
    kept = list(rows)
    names = list(dict.fromkeys(name for row in kept for name in row))
    with _writer(form, path, raw, types) as sink:
        sink.write(("rows", {name: [row.get(name) for row in kept] for name in names}))
    return Exported(path, len(kept))


class _Sink(Protocol):
    def write(self, part: Part) -> None: ...

    def close(self) -> None: ...


@contextmanager
def _writer(
    form: Format, path: Path, raw: bool = False, types: Types | None = None, split: Split = "none"
) -> Iterator[_Sink]:
    """Open the right sink: what is written appears under its name only when it is whole."""
    if form not in FORMATS:
        raise Nonsense(
            "no-such-format",
            worded("There is no format {form!r}.", form=form),
            remedy=worded("one of {formats}", formats=", ".join(FORMATS)),
        )
    partial = path.with_name(path.name + ".partial")
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        with closing(_sink(form, partial, raw, types or {}, split)) as sink:
            yield sink
        partial.rename(path)
    except OSError as why:
        what = worded("The export could not be written: {strerror}.", strerror=why.strerror)
        raise common_fault(why, path) or StoreFault(
            "export-failed", what, where=str(path), remedy="check that the disk has room"
        ) from why
    finally:
        with suppress(OSError):
            partial.unlink(missing_ok=True)


def _sink(form: Format, path: Path, raw: bool, types: Types, split: Split) -> _Sink:
    if form == "parquet":
        return _ParquetZip(path, types) if split == "month" else _Parquet(path, types)
    return _RawCsv(path) if raw and form == "csv" else _SINKS[form](path)


def _cells(values: Sequence[Any]) -> Sequence[Any]:
    """Write lists as JSON, for formats that know none."""
    return [orjson.dumps(value).decode() if isinstance(value, list) else value for value in values]


class _Csv:
    """Rows as RFC 4180 CSV; texts that a spreadsheet would run are made harmless."""

    raw = False

    def __init__(self, path: Path) -> None:
        self._stream = path.open("w", encoding="utf-8", newline="")
        self._writer: Any = None

    def write(self, part: Part) -> None:
        if self._writer is None:
            self._writer = csv.writer(self._stream)
            self._writer.writerow([cell(name, raw=self.raw) for name in part[1]])
        columns = [[cell(value, raw=self.raw) for value in _cells(values)] for values in part[1].values()]
        self._writer.writerows(zip(*columns, strict=True))

    def close(self) -> None:
        self._stream.close()


class _RawCsv(_Csv):
    """The same with every text as it is, for programs."""

    raw = True


class _Ndjson:
    def __init__(self, path: Path) -> None:
        self._stream = path.open("wb")

    def write(self, part: Part) -> None:
        names = list(part[1])
        for row in zip(*part[1].values(), strict=True):
            self._stream.write(orjson.dumps(dict(zip(names, row, strict=True)), option=orjson.OPT_APPEND_NEWLINE))

    def close(self) -> None:
        self._stream.close()


class _Parquet:
    """One Parquet file; every part is a row group of its own."""

    def __init__(self, path: Path, types: Types) -> None:
        self._stream, self._types = path.open("wb"), types
        self._writer: pq.ParquetWriter | None = None

    def write(self, part: Part) -> None:
        table = _arrow(part, self._types)
        if self._writer is None:
            self._writer = pq.ParquetWriter(self._stream, table.schema, compression="zstd")
        self._writer.write_table(table.cast(self._writer.schema))

    def close(self) -> None:
        try:
            if self._writer is None:
                pq.write_table(pa.table({}), self._stream)
            else:
                self._writer.close()
        finally:
            self._stream.close()


class _ParquetZip:
    """A ZIP with one Parquet file a month."""

    def __init__(self, path: Path, types: Types) -> None:
        self._archive, self._types = zipfile.ZipFile(path, "w", zipfile.ZIP_STORED), types

    def write(self, part: Part) -> None:
        sink = pa.BufferOutputStream()
        pq.write_table(_arrow(part, self._types), sink, compression="zstd")
        self._archive.writestr(f"month={part[0]}/rows.parquet", sink.getvalue().to_pybytes())

    def close(self) -> None:
        self._archive.close()


def _arrow(part: Part, types: Types) -> pa.Table:
    """Make an Arrow table; whole numbers stay whole where all of a column's are."""
    return pa.table({name: _array(values, types.get(name)) for name, values in part[1].items()})


def _array(values: Sequence[Any], known: pa.DataType | None) -> pa.Array:
    found = pa.array(values)
    if pa.types.is_null(found.type):
        return found.cast(known or pa.string())
    if known is None or (pa.types.is_integer(found.type) and known == pa.float64()):
        return found
    return found.cast(known)


class _Xlsx:
    def __init__(self, path: Path) -> None:
        options = {"constant_memory": True, "default_date_format": "yyyy-mm-dd", "strings_to_urls": False}
        self._book = xlsxwriter.Workbook(str(path), {**options, "strings_to_formulas": False})
        self._bold = self._book.add_format({"bold": True})
        self._bands = [
            (last, self._book.add_format({"bg_color": ground, "font_color": ink, "align": "center"}))
            for last, ground, ink in RANK_BANDS
        ]

    def write(self, part: Part) -> None:
        name, columns = part
        size = len(next(iter(columns.values()), ()))
        for number, start in enumerate(range(0, max(size, 1), MOST_SHEET_ROWS)):
            title = name if not number else f"{name} ({number + 1})"
            self._sheet(title, columns, start, min(start + MOST_SHEET_ROWS, size))

    def _sheet(self, title: str, columns: Mapping[str, Sequence[Any]], start: int, end: int) -> None:
        sheet = self._book.add_worksheet(title)
        sheet.freeze_panes(1, 0)
        sheet.write_row(0, 0, list(columns), self._bold)
        values = [_cells(each) for each in columns.values()]
        for row in range(start, end):
            sheet.write_row(row - start + 1, 0, [column[row] for column in values])
        self._colour(sheet, list(columns), end - start)

    def _colour(self, sheet: Any, names: Sequence[str], rows: int) -> None:
        """Set ranks by days, whose columns are headed by their days, on the colours of their bands; 0 was not found."""
        days = [n for n, name in enumerate(names) if _DAY_HEAD.fullmatch(name)]
        if not days or not rows:
            return
        sheet.set_column(days[0], days[-1], 4.5)
        before = 0
        for last, look in self._bands:
            rule = {
                "type": "cell",
                "criteria": "between",
                "minimum": before + 0.5,
                "maximum": last + 0.499,
                "format": look,
            }
            sheet.conditional_format(1, days[0], rows, days[-1], rule)
            before = last

    def close(self) -> None:
        if not self._book.worksheets():
            self._book.add_worksheet("rows")
        self._book.close()


_SINKS: dict[str, Callable[[Path], _Sink]] = {"csv": _Csv, "ndjson": _Ndjson, "xlsx": _Xlsx}
