"""`noctilum unclicked`: show queries that are seen and passed over."""

from __future__ import annotations

import argparse

from noctilum.cli.access import add_listing, listing, service
from noctilum.cli.output import Column, caution_lines, count, percent, place, print_out, said_lines, window_line
from noctilum.client import to_rows


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    parser.add_argument("site")
    add_listing(parser, "queries")


def run(asked: argparse.Namespace) -> None:
    """Show queries with far fewer clicks than their places let expect."""
    with service(asked) as noctilum:
        found = noctilum.unclicked(asked.site, against="none", **listing(asked))
    columns = [Column("query", right=False, most=38), Column("page", right=False, most=34)]
    columns += [Column(n) for n in ("impressions", "place", "click-through", "clicks", "expected", "missing")]
    cells = [
        (
            row.query,
            row.page,
            count(row.figures.impressions),
            place(row.figures.position),
            percent(row.figures.ctr, 2),
            count(row.figures.clicks),
            count(row.expected),
            count(row.missing),
        )
        for row in found.rows
    ]
    above = [window_line(found), *said_lines(found), ""]
    print_out(
        asked, found.model_dump(mode="json"), to_rows(found), columns, cells, above=above, below=caution_lines(found)
    )
