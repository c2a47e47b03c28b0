"""`noctilum weekdays`: show the profile of a week."""

from __future__ import annotations

import argparse

from noctilum.cli.access import add_access, add_frame, filters, service
from noctilum.cli.output import (
    Column,
    add_output,
    caution_lines,
    count,
    percent,
    place,
    print_out,
    said_lines,
    window_line,
)
from noctilum.client import to_rows
from noctilum.words import Numbers

WIDTH = 24


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    parser.add_argument("site")
    add_frame(parser)
    parser.set_defaults(window="P84D")
    add_access(parser)
    add_output(parser)


def run(asked: argparse.Namespace) -> None:
    """Show clicks a day by day of the week."""
    with service(asked) as noctilum:
        found = noctilum.weekdays(asked.site, window=asked.window, against=asked.against, **filters(asked))
    numbers = Numbers(asked.language)
    most = max((row.clicks_a_day or 0 for row in found.rows), default=0) or 1
    columns = [Column("day", right=False), Column("", right=False), Column("clicks a day"), Column("before")]
    columns += [
        Column("of the mean"),
        Column("shown a day"),
        Column("click-through"),
        Column("position"),
        Column("days"),
    ]
    cells = [
        (
            numbers.weekday(row.weekday),
            "█" * round(WIDTH * (row.clicks_a_day or 0) / most),
            count(row.clicks_a_day),
            count(row.clicks_a_day_before),
            percent(row.share, 0),
            count(row.impressions_a_day),
            percent(row.now.ctr, 2),
            place(row.now.position),
            count(row.days),
        )
        for row in found.rows
    ]
    above = [window_line(found), *said_lines(found), ""]
    print_out(
        asked, found.model_dump(mode="json"), to_rows(found), columns, cells, above=above, below=caution_lines(found)
    )
