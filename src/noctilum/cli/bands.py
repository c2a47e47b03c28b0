"""`noctilum bands`: count queries or pages by band, month for month."""

from __future__ import annotations

import argparse

from noctilum.cli.access import add_access, add_frame, filters, service
from noctilum.cli.output import Column, add_output, caution_lines, count, print_out, said_lines, window_line
from noctilum.client import to_rows


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    parser.add_argument("site")
    parser.add_argument("--of", choices=("query", "page"), default="query", help="what is counted (default query)")
    add_frame(parser)
    parser.set_defaults(window="P12M")
    add_access(parser)
    add_output(parser)


def run(asked: argparse.Namespace) -> None:
    """Show how many were in each band."""
    with service(asked) as noctilum:
        found = noctilum.bands(asked.site, of=asked.of, window=asked.window, **filters(asked))
    columns = [
        Column("month", right=False),
        Column("queries" if asked.of == "query" else "pages"),
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
