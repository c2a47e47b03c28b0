"""`noctilum clusters`: join queries that say nearly the same."""

from __future__ import annotations

import argparse

from noctilum.cli.access import add_listing, listing, service
from noctilum.cli.output import Column, caution_lines, count, place, print_out, said_lines, signed, window_line
from noctilum.client import to_rows


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    parser.add_argument("site")
    add_listing(parser, "clusters")


def run(asked: argparse.Namespace) -> None:
    """Show clusters."""
    with service(asked) as noctilum:
        found = noctilum.clusters(asked.site, against=asked.against, **listing(asked))
    columns = [Column("cluster", right=False, most=36), Column("queries")]
    columns += [Column(n) for n in ("clicks", "change", "impressions", "position")]
    columns += [Column("page", right=False, most=36), Column("", right=False)]
    cells = [
        (
            row.head,
            count(row.size),
            count(row.now.clicks),
            signed(row.change.clicks if row.change else None),
            count(row.now.impressions),
            place(row.now.position),
            row.page or "–",
            "deserves a page of its own" if row.own_page else "",
        )
        for row in found.rows
    ]
    above = [window_line(found), *said_lines(found), ""]
    print_out(
        asked, found.model_dump(mode="json"), to_rows(found), columns, cells, above=above, below=caution_lines(found)
    )
