"""Printing: tables for people, JSON and CSV for programs."""

from __future__ import annotations

import argparse
import csv
import json
import sys
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from rich.console import Console
from rich.table import Table
from rich.text import Text

from noctilum.cli.fitting import BETWEEN, BLOCKS, fitted
from noctilum.core.cells import cell
from noctilum.datasets import DATASETS
from noctilum.wire.readings import Point

NO_ROWS = "No rows."


def add_output(parser: argparse.ArgumentParser) -> None:
    """Add --output and --raw."""
    parser.add_argument("--output", choices=("table", "json", "csv"), default="table", help="default table")
    parser.add_argument("--raw", action="store_true", help="in CSV, leave texts that spreadsheets take for formulas")


@dataclass(frozen=True)
class Column:
    """Describe one column of a printed table."""

    name: str
    right: bool = True
    most: int | None = None


def print_out(
    asked: argparse.Namespace,
    whole: Mapping[str, Any] | Sequence[Any],
    rows: Sequence[Mapping[str, Any]],
    columns: Sequence[Column],
    cells: Iterable[Sequence[str | Text]],
    *,
    above: Sequence[str] = (),
    below: Sequence[str] = (),
) -> None:
    """Print what was asked for: whole as JSON, rows as CSV, or cells as a table with lines around it."""
    if asked.output == "json":
        print(json.dumps(whole, ensure_ascii=False, indent=2))
    elif asked.output == "csv":
        print_csv(rows, raw=asked.raw)
    else:
        print_table(columns, cells, above, below)


def print_csv(rows: Sequence[Mapping[str, Any]], *, raw: bool = False) -> None:
    """Print rows as RFC 4180 CSV; nested values become JSON, and texts like formulas are made harmless unless raw."""
    if not rows:
        return
    writer = csv.DictWriter(sys.stdout, fieldnames=list(rows[0]), lineterminator="\r\n")
    writer.writeheader()
    for row in rows:
        cells = {k: json.dumps(v) if isinstance(v, dict | list) else v for k, v in row.items()}
        writer.writerow({name: cell(value, raw=raw) for name, value in cells.items()})


def console() -> Console:
    """Open the terminal; piped output is plain and as wide as it needs to be."""
    if sys.stdout.isatty():
        return Console(highlight=False)
    return Console(highlight=False, width=200, color_system=None)


def print_table(
    columns: Sequence[Column], cells: Iterable[Sequence[str | Text]], above: Sequence[str], below: Sequence[str]
) -> None:
    """Print an aligned table without boxes; without rows only the lines around it."""
    out = console()
    for line in above:
        out.print(line, markup=False, soft_wrap=True)
    rows = list(cells)
    if not rows:
        out.print(NO_ROWS, markup=False)
    else:
        _print_rows(out, columns, rows)
    for line in below:
        out.print(line, markup=False, soft_wrap=True)


def _print_rows(out: Console, columns: Sequence[Column], rows: Sequence[Sequence[str | Text]]) -> None:
    """Print rows under their heads, fitted to the terminal; wider than it where figures would be cut."""
    texts = [[cell.plain if isinstance(cell, Text) else cell for cell in row] for row in rows]
    right, most = [column.right for column in columns], [column.most for column in columns]
    widths, heads = fitted([column.name for column in columns], texts, right, most, out.width)
    table = Table(box=None, pad_edge=False, header_style="bold" if out.is_terminal else "", padding=(0, BETWEEN, 0, 0))
    for column, head, width in zip(columns, heads, widths, strict=True):
        justify = "right" if column.right else "left"
        table.add_column(head, justify=justify, width=width, no_wrap=True, overflow="ellipsis", vertical="bottom")  # type: ignore[arg-type]
    for row in rows:
        table.add_row(*[cell if isinstance(cell, Text) else Text(cell) for cell in row])
    out.width = max(out.width, sum(widths) + BETWEEN * len(widths))
    out.print(table)


def sparkline(values: Sequence[float | None]) -> str:
    """Draw a line of blocks from 0 to the largest value; a gap is a space.

    >>> sparkline([0, None, 7])
    '▁ █'
    """
    known = [value for value in values if value is not None]
    top = max(known, default=0) or 1
    return "".join(" " if v is None else BLOCKS[min(7, int(v / top * 7.999))] for v in values)


def whole(points: Sequence[Point], name: str) -> list[float | None]:
    """Give a figure of each step, none of steps not wholly held: a sum of fewer days would look like a fall."""
    added = name in ("clicks", "impressions")
    return [None if added and point.partial else getattr(point, name) for point in points]


def count(value: float | None) -> str:
    """Write a count; an en dash where it is not known."""
    return "–" if value is None else f"{value:,.0f}".replace("-", "−")


def number(value: float | None) -> str:
    """Write any figure: whole as it is, others with two decimals."""
    return count(value) if value is None or value == int(value) else f"{value:,.2f}".replace("-", "−")


def counted(grain: str) -> list[str]:
    """Name the measures of a grain that add up as they are, in their order; none of a grain that is not known here."""
    if grain not in DATASETS:
        return []
    return [measure.name for measure in DATASETS[grain].measures if measure.merge == "sum"]


def signed(value: float | None) -> Text:
    """Write a change with its sign, in blue for more and rust for fewer."""
    if value is None:
        return Text("–")
    text = f"{value:+,.0f}".replace("-", "−")
    return Text(text if value else "0", style="blue" if value > 0 else "red" if value < 0 else "")


def percent(value: float | None, digits: int = 1) -> str:
    """Write a ratio as percent."""
    return "–" if value is None else f"{value * 100:.{digits}f}%".replace("-", "−")


def signed_percent(value: float | None) -> str:
    """Write a relative change; "new" from nothing."""
    return "new" if value is None else f"{value * 100:+.1f}%".replace("-", "−")


def place(value: float | None) -> str:
    """Write an average place."""
    return "–" if value is None else f"{value:.1f}"


def window_line(reading: Any) -> str:
    """Say which days a reading counts and how complete they are."""
    text = f"{reading.site} · {reading.window.first} to {reading.window.last}"
    if reading.against:
        text += f" against {reading.against.first} to {reading.against.last}"
    return f"{text} · complete through {reading.complete_through}"


def said_lines(reading: Any) -> list[str]:
    """Give what a reading says of itself as lines."""
    return [sentence.text for sentence in reading.sentences]


def caution_lines(reading: Any) -> list[str]:
    """Give a reading's cautions as lines."""
    return [f"! {caution.text}" for caution in reading.cautions]
