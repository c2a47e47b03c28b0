"""`noctilum weekdays`: show the profile of a week."""

from __future__ import annotations

import argparse

from noctilum.cli.output import (
    Column,
    caution_lines,
    count,
    percent,
    place,
    print_out,
    said_lines,
    window_line,
)
from noctilum.client import to_rows
from noctilum.wire.compare import Weekdays
from noctilum.words import Numbers

WIDTH = 24


def show(asked: argparse.Namespace, found: Weekdays) -> None:
    """Show clicks a day by day of the week."""
    numbers = Numbers(asked.language or "en")
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
