"""Tables of the console as XLSX."""

from __future__ import annotations

import io

import xlsxwriter

from noctilum.wire.operating import AskTable

WIDEST = 60
CONTENT_TYPE = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"


def as_xlsx(asked: AskTable) -> bytes:
    """Write a table; text stays text, also where it begins like a formula."""
    written = io.BytesIO()
    options = {"in_memory": True, "strings_to_formulas": False, "strings_to_urls": False}
    with xlsxwriter.Workbook(written, options) as book:
        sheet = book.add_worksheet("Table")
        heading = book.add_format({"bold": True, "bottom": 1})
        for n, row in enumerate(asked.cells):
            for at, cell in enumerate(row):
                sheet.write(n, at, cell, heading if n == 0 else None)
        for at in range(max(len(row) for row in asked.cells)):
            lengths = (len(str(row[at])) for row in asked.cells if at < len(row) and row[at] is not None)
            sheet.set_column(at, at, min(WIDEST, max(lengths, default=8) + 2))
        sheet.freeze_panes(1, 0)
        book.set_properties({"title": asked.name})
    return written.getvalue()
