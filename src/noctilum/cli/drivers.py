"""`noctilum drivers`: show what drove the change in clicks."""

from __future__ import annotations

import argparse

from rich.text import Text

from noctilum.cli.output import (
    Column,
    caution_lines,
    count,
    print_out,
    print_table,
    said_lines,
    signed,
    window_line,
)
from noctilum.client import to_rows
from noctilum.wire.readings import Drivers

WORDS = {
    "season": "as every year at this time",
    "demand_beyond": "more or fewer than the season brings",
    "demand": "people searching more or fewer",
    "rank": "placed higher or lower",
    "appeal": "chosen more or less often when seen",
    "entered": "new queries",
    "left": "lost queries",
    "unlisted": "withheld by the source",
}
WIDTH = 36


def show(asked: argparse.Namespace, found: Drivers) -> None:
    """Show the parts, then the queries that moved most."""
    if asked.output == "table":
        _parts(found)
    columns = [Column("query", right=False, most=44)]
    columns += [Column(n) for n in ("before", "now", "change", "demand", "rank", "appeal", "entered", "left")]
    cells: list[tuple[str | Text, ...]] = [
        (
            row.query,
            count(row.before.clicks),
            count(row.now.clicks),
            *(signed(getattr(row, name)) for name in ("change", "demand", "rank", "appeal", "entered", "left")),
        )
        for row in found.movers
    ]
    caveat = "A fall in rank can itself lower impressions."
    below = [caveat, *caution_lines(found)]
    print_out(asked, found.model_dump(mode="json"), to_rows(found), columns, cells, below=below)


def _parts(found: Drivers) -> None:
    parts = found.ladder
    whole = found.before.clicks
    scaled = "" if found.times == 1.0 else f"{count(whole)} × {found.times:.3f}, for as many days as now"
    cells: list[tuple[str | Text, ...]] = [("before", Text(""), count(whole * found.times), scaled)]
    at, ends = 0.0, [0.0]
    for part in parts.values():
        at += part
        ends.append(at)
    low, span = min(ends), (max(ends) - min(ends)) or 1.0
    for (name, part), start in zip(parts.items(), ends, strict=False):
        cells.append((name.replace("_", " "), _bar(start, part, low, span), signed(part), WORDS[name]))
    cells.append(("now", Text(""), count(found.now.clicks), ""))
    columns = [Column("driver", right=False), Column("", right=False), Column("clicks"), Column("", right=False)]
    print_table(columns, cells, [window_line(found), *said_lines(found), ""], [""])


def _bar(start: float, part: float, low: float, span: float) -> Text:
    left, right = sorted((start, start + part))
    first = round((left - low) / span * WIDTH)
    length = max(1, round((right - left) / span * WIDTH)) if part else 0
    return Text(" " * first + "█" * length, style="blue" if part > 0 else "red")
