"""`noctilum domain`: a domain that was seen beside the site, opened like one's own."""

from __future__ import annotations

import argparse

from noctilum.cli.output import Column, caution_lines, count, place, print_out, said_lines, window_line
from noctilum.cli.rank_cells import rank_cell
from noctilum.client import to_rows
from noctilum.wire.ranks import DomainReading


def show(asked: argparse.Namespace, found: DomainReading) -> None:
    """Show its keywords beside the site's own ranks, then its pages."""
    columns = [Column("keyword", right=False, most=36), Column("from", right=False), Column("on", right=False)]
    columns += [Column("rank"), Column("before"), Column("ours"), Column("its page", right=False, most=50)]
    cells = [
        (
            row.term,
            row.place or "–",
            row.device,
            rank_cell(row.rank),
            place(row.before),
            rank_cell(row.own or 0),
            row.address,
        )
        for row in found.rows
    ]
    pages = [f"{each.address}: {count(each.keywords)} keywords, best {each.best}" for each in found.pages[:10]]
    print_out(
        asked,
        found.model_dump(mode="json"),
        to_rows(found),
        columns,
        cells,
        above=[window_line(found), *said_lines(found), ""],
        below=["", "pages", *pages, *caution_lines(found)],
    )
