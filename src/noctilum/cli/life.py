"""`noctilum life`: show one query's or page's whole life."""

from __future__ import annotations

import argparse

from noctilum.cli.output import Column, count, percent, place, print_out, said_lines, sparkline, whole
from noctilum.client import to_rows
from noctilum.wire.readings import Life


def show(asked: argparse.Namespace, found: Life) -> None:
    """Show a life: what is known of it, then its weeks."""
    above = [
        f"{found.item} “{found.key}” on {found.site}",
        *said_lines(found),
        f"clicks by whole week, last year and a half  {sparkline(whole(found.weeks[-78:], 'clicks'))}",
        "",
    ]
    columns = [Column("week of", right=False), Column("state", right=False)]
    columns += [Column(n) for n in ("clicks", "impressions", "click-through", "position")]
    cells = [
        (
            str(w.start),
            "partial" if w.partial else w.state,
            count(w.clicks),
            count(w.impressions),
            percent(w.ctr, 2),
            place(w.position),
        )
        for w in found.weeks[-12:]
    ]
    below = [f"the last {min(12, len(found.weeks))} of {len(found.weeks)} weeks; all of them with --output csv"]
    print_out(asked, found.model_dump(mode="json"), to_rows(found), columns, cells, above=above, below=below)
