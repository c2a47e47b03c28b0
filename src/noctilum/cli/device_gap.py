"""`noctilum device-gap`: set mobile against desktop, query by query."""

from __future__ import annotations

import argparse

from noctilum.cli.access import add_listing, listing, service
from noctilum.cli.output import Column, caution_lines, count, percent, place, print_out, said_lines, window_line
from noctilum.client import to_rows


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    parser.add_argument("site")
    parser.add_argument("--fewest", type=int, default=50, help="impressions in 28 days on both devices (default 50)")
    add_listing(parser, "queries")


def run(asked: argparse.Namespace) -> None:
    """Show queries on both devices."""
    with service(asked) as noctilum:
        found = noctilum.device_gap(asked.site, against="none", fewest=asked.fewest, **listing(asked))
    columns = [Column("query", right=False, most=38)]
    columns += [Column(f"{side} {name}") for side in ("mobile", "desktop") for name in ("shown", "place", "rate")]
    columns += [Column("worse", right=False), Column("gain")]
    cells = [
        (
            row.query,
            *(
                cell
                for side in (row.mobile, row.desktop)
                for cell in (count(side.impressions), place(side.position), percent(side.ctr, 1))
            ),
            row.worse,
            count(row.gain),
        )
        for row in found.rows
    ]
    above = [window_line(found), *said_lines(found), ""]
    print_out(
        asked, found.model_dump(mode="json"), to_rows(found), columns, cells, above=above, below=caution_lines(found)
    )
