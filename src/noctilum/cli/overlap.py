"""`noctilum overlap`: show queries that two or more pages share."""

from __future__ import annotations

import argparse

from noctilum.cli.access import add_listing, listing, service
from noctilum.cli.output import Column, caution_lines, count, percent, place, print_out, said_lines, window_line
from noctilum.wire.explain import OverlapRow


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    parser.add_argument("site")
    parser.add_argument("--fewest", type=int, default=50, help="impressions in 28 days a query needs (default 50)")
    add_listing(parser, "queries", 10)


def run(asked: argparse.Namespace) -> None:
    """Show shared queries, each with its pages below it."""
    with service(asked) as noctilum:
        found = noctilum.overlap(asked.site, against="none", fewest=asked.fewest, **listing(asked))
    columns = [Column("query / page", right=False, most=60)]
    columns += [Column(n) for n in ("clicks", "impressions", "share", "click-through", "position", "days led", "turns")]
    cells = [line for row in found.rows for line in _lines(row)]
    plain = [
        {"query": row.query, **page.model_dump(exclude={"figures"}), **page.figures.model_dump()}
        for row in found.rows
        for page in row.pages
    ]
    above = [window_line(found), *said_lines(found), ""]
    print_out(asked, found.model_dump(mode="json"), plain, columns, cells, above=above, below=caution_lines(found))


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
