"""`noctilum within-reach`: show queries just below a better band, with the clicks to be gained."""

from __future__ import annotations

import argparse

from noctilum.cli.access import add_listing, listing, service
from noctilum.cli.output import Column, caution_lines, count, percent, place, print_out, said_lines, window_line
from noctilum.client import to_rows


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    parser.add_argument("site")
    parser.add_argument("--pages", action="store_true", help="sum by page")
    parser.add_argument("--fewest", type=int, default=50, help="impressions in 28 days a row needs (default 50)")
    add_listing(parser, "rows")


def run(asked: argparse.Namespace) -> None:
    """Show what is within reach."""
    with service(asked) as noctilum:
        found = noctilum.within_reach(asked.site, against="none", fewest=asked.fewest, **listing(asked))
    above = [window_line(found), *said_lines(found), ""]
    full = found.model_dump(mode="json")
    below = caution_lines(found)
    if asked.pages:
        columns = [Column("page", right=False, most=56), Column("queries"), Column("gain"), Column("range")]
        cells = [(row.page, count(row.queries), _gain(row.gain), _range(row)) for row in found.pages[: asked.limit]]
        print_out(asked, full, [row.model_dump() for row in found.pages], columns, cells, above=above, below=below)
        return
    columns = [Column("query", right=False, most=40), Column("page", right=False, most=40)]
    columns += [Column(n) for n in ("clicks", "impressions", "click-through", "position", "target", "gain", "range")]
    rows = [
        (
            row.query,
            row.page,
            count(row.figures.clicks),
            count(row.figures.impressions),
            percent(row.figures.ctr, 2),
            place(row.figures.position),
            str(row.target),
            _gain(row.gain),
            _range(row),
        )
        for row in found.rows
    ]
    print_out(asked, full, to_rows(found), columns, rows, above=above, below=below)


def _gain(value: float) -> str:
    return f"+{value:,.0f}"


def _range(row: object) -> str:
    low, high = getattr(row, "gain_low"), getattr(row, "gain_high")  # noqa: B009
    return f"{low:,.0f}–{high:,.0f}"
