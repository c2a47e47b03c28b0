"""The blocks there are, each declared once; any reading is one as well, as the table of its columns."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from noctilum.reports.document import Answers, Ask, Block
from noctilum.wire.specs import ReadingSpec
from noctilum.words.teller import message

NOTES = "notes"
"""What a block asks for to have the dated notes of the window: no reading, but given with them."""


def _no_notes(answers: Answers) -> str | None:
    return None if answers["notes"] else message("none lies in the window.")


def _no_rows(why: str) -> Any:
    return lambda answers: None if answers["table"].rows else why


STORYLINE = Block("storyline", message("Day by day"), {"line": Ask("timeline"), "notes": Ask(NOTES)}, "storyline.html")
DATED_NOTES = Block("dated-notes", message("Dated notes"), {"notes": Ask(NOTES)}, "notes.html", empty=_no_notes)
DRIVERS = Block(
    "drivers",
    message("What moved the clicks"),
    {"drivers": Ask("drivers")},
    "drivers.html",
    about=message("the parts add up to {change} exactly"),
)
TOP_QUERIES = Block(
    "top-queries",
    message("Top queries"),
    {"table": Ask("breakdown", {"dimension": "query", "limit": 10})},
    "breakdown.html",
    about=message("by clicks; what people typed"),
    empty=_no_rows(message("no query was listed in the window.")),
    long=True,
)
TOP_PAGES = Block(
    "top-pages",
    message("Top pages"),
    {"table": Ask("breakdown", {"dimension": "page", "limit": 8})},
    "breakdown.html",
    about=message("by clicks; a result page that shows two pages of the site counts for both"),
    empty=_no_rows(message("no page was listed in the window.")),
    long=True,
)
SEARCH_REPORT: tuple[Block, ...] = (STORYLINE, DATED_NOTES, DRIVERS, TOP_QUERIES, TOP_PAGES)
"""The report as it is sent today."""
FALLERS = Ask("fading", {"item": "page", "limit": 1})
"""Asked for the summary, so that a loss behind a good total is told."""
MOST_ROWS = 15


LADDER = Block(
    "ladder",
    message("Rank ladder"),
    {"ladder": Ask("ladder", {"step": "day", "back": 27, "limit": 40, "by": "tag"})},
    "ladder.html",
    about=message("tracked keywords day by day; n/f is not found, an empty cell was not looked up"),
    empty=lambda answers: None if answers["ladder"].rows else message("no keyword is tracked."),
    long=True,
)
DRAWN = {block.name: block for block in (LADDER,)}
"""Readings that have a block drawn in its own way."""


def block_of(spec: ReadingSpec) -> Block:
    """Make the block of a reading: drawn in its own way where it has one, else as the table of its columns."""
    return DRAWN.get(spec.name) or table_block(spec)


def table_block(spec: ReadingSpec, parameters: Mapping[str, Any] | None = None) -> Block:
    """Make a block of any reading: its sentences and the table of its columns, at most 15 rows."""
    given = {spec.paged: MOST_ROWS} if spec.paged else {}

    def empty(answers: Answers) -> str | None:
        return None if spec.found(answers["answer"]) or not spec.rows else message("it found nothing in the window.")

    return Block(
        spec.name,
        spec.summary,
        {"answer": Ask(spec.name, given | dict(parameters or {}))},
        "table.html",
        empty=empty,
        long=True,
    )
