"""`noctilum bands`: count queries or pages by band, month for month."""

from __future__ import annotations

import argparse

from noctilum.cli.output import Column, caution_lines, count, print_out, said_lines, window_line
from noctilum.client import to_rows
from noctilum.wire.explain import BandCounts


def show(asked: argparse.Namespace, found: BandCounts) -> None:
    """Show how many were in each band."""
    columns = [
        Column("month", right=False),
        Column("queries" if found.item == "query" else "pages"),
        *(Column(name) for name in found.bands),
    ]
    columns += [Column("new"), Column("lost")]
    cells = [
        (
            f"{month.start:%Y-%m}{' (part)' if month.partial else ''}",
            count(month.shown),
            *map(count, month.counts),
            count(month.new),
            count(month.lost),
        )
        for month in found.months
    ]
    print_out(
        asked,
        found.model_dump(mode="json"),
        to_rows(found),
        columns,
        cells,
        above=[window_line(found), *said_lines(found), ""],
        below=caution_lines(found),
    )
