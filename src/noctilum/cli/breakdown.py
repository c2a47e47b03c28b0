"""`noctilum breakdown`: show figures by query, page, country, device, kind or look."""

from __future__ import annotations

import argparse

from rich.text import Text

from noctilum.cli.output import Column, caution_lines, count, percent, place, print_out, said_lines, signed, window_line
from noctilum.cli.written import written
from noctilum.client import to_rows
from noctilum.wire.columns import shown_of
from noctilum.wire.readings import Breakdown, RestRow, Row
from noctilum.words.describe import title_of
from noctilum.words.speech import Speech

UNLISTED = {"look": "unlisted (looked like any other)"}
SORTS = ("clicks", "impressions", "ctr", "position", "change", "before", "key")


def show(asked: argparse.Namespace, found: Breakdown) -> None:
    """Show a breakdown."""
    columns = [Column(found.dimension, right=False, most=46)]
    columns += [Column(n) for n in ("clicks", "before", "change", "impressions", "click-through", "position", "band")]
    known = [each for each in shown_of(Row) if each.name in ("volume", "cpc")]
    facts = [each for each in known if any(each.value(row) is not None for row in found.rows)]
    speech = Speech(asked.language or "en")
    columns += [Column(title_of(each, speech)) for each in facts]
    print_out(
        asked,
        found.model_dump(mode="json"),
        to_rows(found),
        columns,
        [
            *((*_row(row), *(written(each, each.value(row), speech) for each in facts)) for row in found.rows),
            *((*row, *("" for _ in facts)) for row in _sums(found)),
        ],
        above=[window_line(found), *said_lines(found), ""],
        below=caution_lines(found),
    )


def _row(row: Row) -> tuple[str | Text, ...]:
    change = Text(row.verdict, style="dim") if row.verdict else signed(row.change.clicks if row.change else None)
    return row.key, *_clicks(row, change), *_others(row), row.band or "–"


def _clicks(row: Row | RestRow, change: Text) -> tuple[str | Text, ...]:
    return count(row.now.clicks), count(row.before.clicks if row.before else None), change


def _others(row: Row | RestRow) -> tuple[str, ...]:
    return count(row.now.impressions), percent(row.now.ctr, 2), place(row.now.position)


def _sums(found: Breakdown) -> list[tuple[str | Text, ...]]:
    parts = (
        (f"{count(found.rest.rows)} more" if found.rest else "", found.rest),
        (f"{count(found.outside.rows)} outside the text" if found.outside else "", found.outside),
        (UNLISTED.get(found.dimension, "unlisted (withheld by the source)"), found.unlisted),
        ("total", found.total),
    )
    return [
        (name, *_clicks(part, signed(part.change.clicks if part.change else None)), *_others(part), "")
        for name, part in parts
        if part
    ]
