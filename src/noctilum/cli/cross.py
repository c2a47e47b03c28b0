"""`noctilum cross`: show figures by two dimensions at once."""

from __future__ import annotations

import argparse

from rich.text import Text

from noctilum.cli.output import Column, caution_lines, count, percent, place, print_out, said_lines, window_line
from noctilum.client import to_rows
from noctilum.wire.explain import Cross
from noctilum.wire.readings import Figures

MEASURES = ("impressions", "clicks", "ctr", "position")
SHADES = ("", "on grey11", "on grey19", "on grey27", "on grey35")


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add what only the terminal shows."""
    parser.add_argument("--measure", choices=MEASURES, default="clicks", help="what the cells show (default clicks)")


def show(asked: argparse.Namespace, found: Cross) -> None:
    """Show a crossing, shaded by impressions."""
    most = max((cell.impressions for row in found.rows for cell in row.cells), default=0)
    columns = [Column(found.dimension, right=False, most=40), *(Column(name) for name in found.columns), Column("all")]
    cells: list[tuple[str | Text, ...]] = [
        (
            row.key,
            *(Text(_written(cell, asked.measure), style=_shade(cell, most)) for cell in row.cells),
            _written(row.total, asked.measure),
        )
        for row in found.rows
    ]
    cells.append(
        (
            "everything" if found.dimension == "set" else "all rows",
            *(_written(cell, asked.measure) for cell in found.total),
            "",
        )
    )
    print_out(
        asked,
        found.model_dump(mode="json"),
        to_rows(found),
        columns,
        cells,
        above=[
            window_line(found),
            *said_lines(found),
            f"{asked.measure}; the more impressions, the lighter the cell",
            "",
        ],
        below=caution_lines(found),
    )


def _written(cell: Figures, measure: str) -> str:
    if not cell.impressions:
        return "–"
    if measure == "ctr":
        return percent(cell.ctr, 1)
    return place(cell.position) if measure == "position" else count(getattr(cell, measure))


def _shade(cell: Figures, most: int) -> str:
    """Shade by the root of the share of the largest cell, so that small cells still differ."""
    share = (cell.impressions / most) ** 0.5 if most else 0.0
    return SHADES[min(len(SHADES) - 1, int(share * len(SHADES)))]
