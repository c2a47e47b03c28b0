"""`noctilum odd-days`: show days far from what the same weekdays before let expect."""

from __future__ import annotations

import argparse

from noctilum.cli.access import add_access, add_frame, filters, service
from noctilum.cli.output import Column, add_output, caution_lines, count, print_out, said_lines, window_line
from noctilum.client import to_rows


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    parser.add_argument("site")
    add_frame(parser)
    add_access(parser)
    add_output(parser)


def run(asked: argparse.Namespace) -> None:
    """Show odd days, newest first."""
    with service(asked) as noctilum:
        found = noctilum.odd_days(asked.site, window=asked.window, **filters(asked))
    columns = [Column("day", right=False), Column("measure", right=False), Column("value"), Column("expected")]
    columns += [Column("range"), Column("score"), Column("what", right=False), Column("noted", right=False, most=50)]
    cells = [
        (
            f"{row.day:%a %Y-%m-%d}",
            row.measure,
            count(int(row.value)),
            f"{row.expected:,.0f}",
            f"{row.low:,.0f}–{row.high:,.0f}",
            f"{row.score:+.1f}".replace("-", "−"),
            row.kind,
            "; ".join(row.beside),
        )
        for row in found.rows
    ]
    above = [window_line(found), *said_lines(found), "" if found.rows else "No odd day in this window."]
    print_out(
        asked, found.model_dump(mode="json"), to_rows(found), columns, cells, above=above, below=caution_lines(found)
    )
