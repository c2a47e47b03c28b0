"""The blocks there are, each declared once; any reading is one as well, as the table of its columns."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from noctilum.core.errors import Nonsense, worded
from noctilum.reports.document import Answers, Ask, Block, Wanted
from noctilum.wire.catalogue import READINGS
from noctilum.wire.reports import BlockSpec
from noctilum.wire.specs import ReadingSpec
from noctilum.words.teller import message

NOTES = "notes"
"""What a block asks for to have the dated notes of the window: no reading, but given with them."""


def _no_notes(answers: Answers) -> str | None:
    return None if answers["notes"] else message("none lies in the window.")


def _no_rows(why: str) -> Any:
    return lambda answers: None if answers["table"].rows else why


STORYLINE = Block("storyline", message("Day by day"), {"line": Ask("timeline"), "notes": Ask(NOTES)}, "storyline")
DATED_NOTES = Block("dated-notes", message("Dated notes"), {"notes": Ask(NOTES)}, "notes", empty=_no_notes)
DRIVERS = Block(
    "drivers",
    message("What moved the clicks"),
    {"drivers": Ask("drivers")},
    "drivers",
    about=message("the parts add up to {change} exactly"),
)
TOP_QUERIES = Block(
    "top-queries",
    message("Top queries"),
    {"table": Ask("breakdown", {"dimension": "query", "limit": 10})},
    "breakdown",
    about=message("by clicks; what people typed"),
    empty=_no_rows(message("no query was listed in the window.")),
    long=True,
)
TOP_PAGES = Block(
    "top-pages",
    message("Top pages"),
    {"table": Ask("breakdown", {"dimension": "page", "limit": 8})},
    "breakdown",
    about=message("by clicks; a result page that shows two pages of the site counts for both"),
    empty=_no_rows(message("no page was listed in the window.")),
    long=True,
)
HEADLINE = Block("headline", message("Figures of the window"), {"line": Ask("timeline")}, "headline")
TEXT = Block("text", "", {}, "nothing", long=True)
PAGE_BREAK = Block("page-break", "", {}, "nothing")
LADDER = Block(
    "ladder",
    message("Rank ladder"),
    {"ladder": Ask("ladder", {"step": "day", "back": 27, "limit": 40, "by": "tag"})},
    "ladder",
    about=message("tracked keywords day by day; n/f is not found, an empty cell was not looked up"),
    empty=lambda answers: None if answers["ladder"].rows else message("no keyword is tracked."),
    long=True,
)
OWN = {
    block.name: block
    for block in (HEADLINE, STORYLINE, DATED_NOTES, DRIVERS, TOP_QUERIES, TOP_PAGES, LADDER, TEXT, PAGE_BREAK)
}
"""Blocks that are drawn in a way of their own; any reading is one as well, by its name."""
SEARCH_REPORT = tuple(
    BlockSpec(kind=name) for name in ("storyline", "dated-notes", "drivers", "top-queries", "top-pages")
)
"""The report of a site that nobody has made a report for."""
FALLERS = Ask("fading", {"item": "page", "limit": 1})
"""Asked for the summary, so that a loss behind a good total is told."""
NOT_GIVEN = message("its option {name} is not given.")
"""Why a block stays out that needs to be told more."""
MOST_ROWS = 15
TITLES = {
    "fading": message("Pages that fade"),
    "worked": message("What was done, and what came of it"),
    "course": message("Targets"),
    "within-reach": message("Within reach"),
    "overlap": message("Pages that share queries"),
    "unclicked": message("Shown and never clicked"),
    "odd-days": message("Odd days"),
    "bands": message("Queries by position"),
    "weekdays": message("By weekday"),
    "device-gap": message("Between devices"),
    "clusters": message("Queries that belong together"),
    "rank-summary": message("Tracked keywords"),
    "share-of-voice": message("Share of voice"),
    "local-grid": message("Ranks around the place"),
    "device-ranks": message("Ranks on each device"),
    "result-features": message("What else result pages show"),
    "feature-owners": message("Whom a feature leads to"),
    "cross-check": message("Tracked ranks beside averages"),
    "timeline": message("Figures over time"),
    "breakdown": message("Figures"),
    "cross": message("Figures two ways"),
    "life": message("From first seen to now"),
    "note-effect": message("Before and after a dated note"),
    "trial": message("A trial"),
    "trial-plan": message("What a trial could show"),
    "target": message("A target and its path"),
    "keyword": message("One keyword"),
    "domain": message("One domain"),
    "feature-turns": message("Features that came and went"),
    "feature-effect": message("What a feature does to click-through"),
    "ledger": message("Days held"),
    "day": message("What a day was made from"),
    "changes": message("Days revised later"),
    "reconcile": message("Why two numbers differ"),
    "outcomes": message("What search brought in"),
    "alarms": message("What calls out"),
    "silent": message("Fallen silent"),
    "slump": message("The last days"),
    "feeds": message("How far days have come"),
    "counting": message("Visits beside clicks"),
    "landing": message("Landing pages"),
    "backlinks": message("Links to the site"),
    "presence": message("Listed, indexed and shown"),
    "arrivals": message("New pages"),
    "terms": message("How much is searched for"),
    "ideas": message("Terms near a word"),
    "ranks": message("Ranks"),
    "listings": message("Result pages"),
    "features": message("Features of result pages"),
    "citations": message("Citations"),
    "visits": message("Visits"),
    "visitors": message("Visitors"),
    "goals": message("Goals"),
    "links": message("Links"),
    "index": message("Index"),
    "indexed": message("Indexed pages"),
    "sitemap": message("Pages in sitemaps"),
}
"""What a reading is called as a block of a report; any other by what it does."""
_DRAWN = {"local-grid": "local-grid"}
"""Readings that are drawn otherwise than as the table of their columns."""
FRAMED = ("window", "against", "filter", "language", "season")
"""What a report says for all its blocks, or a block for itself; no option of a reading."""


def kinds() -> tuple[str, ...]:
    """Name every kind of block there is."""
    return (*OWN, *(name for name in READINGS.names if name not in OWN))


def wanted(spec: BlockSpec) -> Wanted:
    """Find the block that is wanted; raises Nonsense for a kind, an option or a column that there is not."""
    block = OWN.get(spec.kind) or (table_block(READINGS[spec.kind]) if spec.kind in READINGS else None)
    if block is None:
        raise Nonsense(
            "no-such-block",
            worded("There is no block {kind!r}.", kind=spec.kind),
            where="kind",
            remedy=worded("one of {kinds}", kinds=", ".join(kinds())),
        )
    return Wanted(_with_options(block, spec), spec)


def _with_options(block: Block, spec: BlockSpec) -> Block:
    """Put a block's own parameters on the readings that take them."""
    left = dict(spec.options)
    asks: dict[str, Ask] = {}
    for name, ask in block.readings.items():
        if ask.reading == NOTES:
            asks[name] = ask
            continue
        reading = READINGS[ask.reading]
        fields = reading.question.model_fields.keys() - set(FRAMED)
        mine = {option: left.pop(option) for option in list(left) if option in fields}
        rows = {reading.paged: spec.limit} if spec.limit and reading.paged else {}
        asks[name] = replace(ask, parameters={**ask.parameters, **mine, **rows})
        _check_columns(reading, spec)
    if left:
        known = sorted({field for ask in block.readings.values() if ask.reading != NOTES
                        for field in READINGS[ask.reading].question.model_fields.keys() - set(FRAMED)})  # fmt: skip
        raise Nonsense(
            "no-such-option",
            worded("The block {kind} has no option {left!r}.", kind=spec.kind, left=next(iter(left))),
            where=spec.kind,
            remedy=worded("one of {known}", known=", ".join(known)) if known else "it has none",
        )
    return replace(block, readings=asks)


def _check_columns(reading: ReadingSpec, spec: BlockSpec) -> None:
    known = [each.name for each in reading.columns()]
    ordered = [spec.order.removeprefix("-")] if spec.order else []
    unknown = [name for name in (*spec.columns, *ordered) if name not in known]
    if unknown:
        what = worded("{name} has no column {unknown!r}.", name=reading.name, unknown=unknown[0])
        raise Nonsense("no-such-column", what, where=spec.kind, remedy=worded("one of {known}", known=", ".join(known)))


def table_block(spec: ReadingSpec) -> Block:
    """Make a block of any reading: its sentences and the table of its columns, at most 15 rows."""
    given = {spec.paged: MOST_ROWS} if spec.paged else {}

    def empty(answers: Answers) -> str | None:
        return None if spec.found(answers["answer"]) or not spec.rows else message("it found nothing in the window.")

    title = TITLES.get(spec.name, spec.summary)
    drawn = _DRAWN.get(spec.name, "table")
    return Block(spec.name, title, {"answer": Ask(spec.name, given)}, drawn, empty=empty, long=True)
