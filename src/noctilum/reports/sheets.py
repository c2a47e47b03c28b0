"""A report as tables: a workbook with a sheet a block, and CSV files with a manifest."""

from __future__ import annotations

import csv
import io
import json
import re
import zipfile
from collections.abc import Iterator, Sequence
from datetime import date
from typing import Any

import xlsxwriter

from noctilum.core.cells import cell
from noctilum.reports.document import Document, Made
from noctilum.reports.numbers import readable, verdict
from noctilum.reports.tables import tables
from noctilum.reports.titles import title_of_block
from noctilum.wire.columns import Column
from noctilum.words.describe import title_of
from noctilum.words.speech import Speech

XLSX = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"
FORMATS = {
    "count": "#,##0", "rate": "0.00%", "share": "0.0%", "place": "0.0", "places": "0.0", "points": "0.00",
    "money": "#,##0.00", "number": "#,##0.00", "day": "yyyy-mm-dd",
}  # fmt: skip
WIDEST, MOST_BARS = 60, 12


def render_xlsx(document: Document) -> bytes:
    """Write a workbook: what the report says on the first sheet, then a sheet a block with typed values."""
    out = io.BytesIO()
    speech = Speech(document.look.language)
    with xlsxwriter.Workbook(out, {"in_memory": True, "default_date_format": FORMATS["day"]}) as book:
        book.set_properties({"title": document.title, "company": document.look.client_name, "author": ""})
        _first_sheet(book, document, speech)
        used = {speech.say("Search report, {host}", host="").lower()}
        for made in document.blocks:
            for _, columns, rows, answer in tables(made):
                name = _free_name(title_of_block(made, speech) or made.spec.kind, used)
                sheet = _sheet(book, name, columns, rows, answer, speech)
                _chart(book, sheet, name, columns, len(rows), readable(document.look.colour))
    return out.getvalue()


def _first_sheet(book: Any, document: Document, speech: Speech) -> None:
    sheet = book.add_worksheet(re.sub(r"[^\w -]", "", document.look.client_name)[:31] or "1")
    bold = book.add_format({"bold": True, "font_size": 14})
    wrapped = book.add_format({"text_wrap": True, "valign": "top"})
    sheet.set_column(0, 0, 110)
    sheet.write_string(0, 0, document.title, bold)
    window = document.head.window
    lines = [
        speech.say("Search report, {host}", host=document.host),
        speech.numbers.span(window.first, window.last),
        *document.summary,
        *(f"{left.block}: {left.why}" for left in document.left_out),
    ]
    for row, text in enumerate(lines, 2):
        sheet.write_string(row, 0, text, wrapped)


def _free_name(title: str, used: set[str]) -> str:
    """Give a sheet a name that no other has: 31 signs at most, without those that none may hold."""
    plain = re.sub(r"[\[\]:*?/\\]", " ", title).strip("' ")[:31] or "table"
    name, n = plain, 2
    while name.lower() in used:
        name, n = f"{plain[:27]} {n}", n + 1
    used.add(name.lower())
    return name


def _chart(book: Any, sheet: Any, name: str, columns: Sequence[Column], rows: int, colour: str) -> None:
    """Draw a sheet's first counts beside it: a line over days or months, bars for the first named rows.

    A sheet of one row, or with nothing counted, has no chart.
    """
    at = next((n for n, each in enumerate(columns) if n and each.kind == "count" and not each.signed), None)
    along = columns[0].kind if columns else ""
    if at is None or rows < 2 or along not in ("day", "month", "text"):
        return
    lines = along != "text"
    last = rows if lines else min(rows, MOST_BARS)
    chart = book.add_chart({"type": "line" if lines else "bar"})
    drawn = {"line": {"color": colour, "width": 1.5}} if lines else {"fill": {"color": colour}, "gap": 40}
    chart.add_series(
        {"name": [name, 0, at], "categories": [name, 1, 0, last, 0], "values": [name, 1, at, last, at], **drawn}
    )
    chart.set_legend({"none": True})
    chart.set_title({"name": [name, 0, at], "name_font": {"size": 11, "bold": False}})
    faint = {"major_gridlines": {"visible": True, "line": {"color": "#DED5C2"}}}
    chart.set_x_axis({"date_axis": True, "num_format": "d mmm"} if lines else faint)
    chart.set_y_axis(faint if lines else {"reverse": True})
    chart.set_size({"width": 620, "height": 320})
    sheet.insert_chart(1, len(columns) + 1, chart, {"description": f"{name}: {columns[at].name}"})


def _sheet(book: Any, name: str, columns: Sequence[Column], rows: Sequence[Any], answer: Any, speech: Speech) -> Any:
    sheet = book.add_worksheet(name)
    sheet.freeze_panes(1, 1)
    head = book.add_format({"bold": True, "bottom": 1, "text_wrap": True, "valign": "bottom"})
    formats = {kind: book.add_format({"num_format": text}) for kind, text in FORMATS.items()}
    for at, column in enumerate(columns):
        sheet.write_string(0, at, title_of(column, speech, answer), head)
        widest = 8
        for row, found in enumerate(rows, 1):
            value = column.value(found)
            if column.kind == "verdict" and value is not None:
                value = verdict(str(value), speech)
            _write(sheet, row, at, value, formats.get(column.kind))
            widest = max(widest, len(_text(value)))
        sheet.set_column(at, at, min(WIDEST, widest + 2))
    return sheet


def _write(sheet: Any, row: int, at: int, value: Any, form: Any) -> None:
    if value is None:
        return
    if isinstance(value, bool):
        sheet.write_boolean(row, at, value)
    elif isinstance(value, int | float):
        sheet.write_number(row, at, value, form)
    elif isinstance(value, date):
        sheet.write_datetime(row, at, value, form)
    else:
        sheet.write_string(row, at, _text(value))


def _text(value: Any) -> str:
    return "" if value is None else "; ".join(map(str, value)) if isinstance(value, list) else str(value)


def render_csv(document: Document, digest: str) -> bytes:
    """Write a ZIP of one CSV file (RFC 4180) a table, with a manifest that says what each is."""
    out = io.BytesIO()
    speech = Speech(document.look.language)
    files = []
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as packed:
        for name, made, reading, columns, rows in _csv_tables(document):
            packed.writestr(_stable(name), _csv(columns, rows))
            files.append(
                {
                    "file": name,
                    "block": title_of_block(made, speech) or made.spec.kind,
                    "reading": reading,
                    "rows": len(rows),
                    "columns": {each.name: speech.text(each.how) for each in columns},
                }
            )
        window = document.head.window
        told = {
            "title": document.title,
            "client": document.look.client_name,
            "host": document.host,
            "first": str(window.first),
            "last": str(window.last),
            "digest": digest,
            "files": files,
        }
        packed.writestr(_stable("manifest.json"), json.dumps(told, ensure_ascii=False, indent=1))
    return out.getvalue()


def csv_of(made: Made) -> bytes | None:
    """Write the first table of a block as CSV (RFC 4180); None for a block without one."""
    found = next(iter(tables(made)), None)
    return _csv(found[1], found[2]).encode() if found is not None else None


def _stable(name: str) -> zipfile.ZipInfo:
    """Name a file of a ZIP without the time it was written, so that the same report is the same bytes."""
    info = zipfile.ZipInfo(name, (1980, 1, 1, 0, 0, 0))
    info.compress_type = zipfile.ZIP_DEFLATED
    return info


def _csv_tables(document: Document) -> Iterator[tuple[str, Made, str, Sequence[Column], Sequence[Any]]]:
    number = 0
    for made in document.blocks:
        for reading, columns, rows, _ in tables(made):
            number += 1
            yield f"{number:02d}-{made.spec.kind}.csv", made, reading, columns, rows


def _csv(columns: Sequence[Column], rows: Sequence[Any]) -> str:
    text = io.StringIO()
    writer = csv.writer(text)
    writer.writerow([each.name for each in columns])
    for row in rows:
        writer.writerow([cell(_text(value)) if _is_text(value := each.value(row)) else value for each in columns])
    return text.getvalue()


def _is_text(value: Any) -> bool:
    return value is None or not isinstance(value, bool | int | float | date)
