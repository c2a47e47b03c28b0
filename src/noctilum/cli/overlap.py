"""`noctilum overlap`: show queries that two or more pages share."""

from __future__ import annotations

import argparse

from noctilum.cli.output import Column, caution_lines, count, percent, place, print_out, said_lines, window_line
from noctilum.client import to_rows
from noctilum.wire.explain import Overlap, OverlapRow


def show(asked: argparse.Namespace, found: Overlap) -> None:
    """Show shared queries, each with its pages below it."""
    columns = [Column("query / page", right=False, most=60)]
    columns += [Column(n) for n in ("clicks", "impressions", "share", "click-through", "position", "days led", "turns")]
    cells = [line for row in found.rows for line in _lines(row)]
    above = [window_line(found), *said_lines(found), ""]
    print_out(
        asked, found.model_dump(mode="json"), to_rows(found), columns, cells, above=above, below=caution_lines(found)
    )


def _lines(row: OverlapRow) -> list[tuple[str, ...]]:
    whole = row.figures
    head = (row.query, count(whole.clicks), count(whole.impressions), "", percent(whole.ctr, 2), place(whole.position))
    turns = f"{row.switches} in {row.days_seen} days"
    pages = [
        (
            f"  {page.page}{'  (clicked more when seen)' if page.page == row.earns_more else ''}",
            count(page.figures.clicks),
            count(page.figures.impressions),
            percent(page.share, 0),
            percent(page.figures.ctr, 2),
            place(page.figures.position),
            str(page.days_led),
            "",
        )
        for page in row.pages
    ]
    return [(*head, "", turns), *pages]
