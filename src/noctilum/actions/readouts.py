"""Any reading read out whole, as the rows of a file."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from typing import Any

from noctilum.actions import dated_notes, take
from noctilum.actions.install import Install
from noctilum.core.verdicts import VERDICTS
from noctilum.readings.breakdown import Page
from noctilum.readings.frame import Asked
from noctilum.readings.reach import FEWEST
from noctilum.readings.rows_of import Slice
from noctilum.wire.operating import AskExport
from noctilum.wire.plain import Plain, to_rows

ROWS_AT_ONCE = 500
MOST_MOVERS = 200

Make = Callable[[take.Opened, Asked, str], Any]
MakePage = Callable[[take.Opened, Asked, str, Slice], Any]


def _cross(opened: take.Opened, asked: Asked, by: str, page: Slice) -> Any:
    rows, columns = by.split(",")
    return take.cross(opened, asked, rows, columns, page)


WHOLE: Mapping[str, Make] = {
    "timeline": take.timeline,
    "bands": take.band_counts,  # type: ignore[dict-item]
    "weekdays": lambda opened, asked, by: take.weekdays(opened, asked),
    "drivers": lambda opened, asked, by: take.drivers(opened, asked, MOST_MOVERS),
    "life": lambda opened, asked, by: take.life(opened, by, asked.where[by], asked.language),  # type: ignore[arg-type]
}
PAGED: Mapping[str, MakePage] = {
    "cross": _cross,
    "fading": lambda opened, asked, by, page: take.fading(opened, asked, by, VERDICTS, page),  # type: ignore[arg-type]
    "overlap": lambda opened, asked, by, page: take.overlap(opened, asked, page, FEWEST),
    "clusters": lambda opened, asked, by, page: take.clusters(opened, asked, page, asked.language),
    "unclicked": lambda opened, asked, by, page: take.unclicked(opened, asked, page),
    "device-gap": lambda opened, asked, by, page: take.device_gap(opened, asked, page, FEWEST),
}


def rows(install: Install, opened: take.Opened, asked: AskExport) -> Iterator[Plain]:
    """Read a reading out, page after page where it has pages. Raises what the reading raises."""
    by = asked.goes_by
    where = {str(name): text for name, text in asked.where.items()}
    question = Asked(opened.key, asked.window, asked.against, where, asked.filter, asked.language)
    if asked.what in PAGED:
        yield from _all_pages(lambda page: PAGED[asked.what](opened, question, by, page))
    elif asked.what == "breakdown":
        yield from _all_pages(lambda page: take.breakdown(opened, question, by, _sorted(asked.sort, page)))  # type: ignore[arg-type]
    elif asked.what == "within-reach":
        yield from _reach(opened, question, by)
    elif asked.what == "odd-days":
        yield from to_rows(take.odd_days(opened, question, dated_notes.list_notes(install, opened.key)))
    elif asked.what == "ledger":
        last = max(opened.holding.states)
        yield from to_rows(take.ledger(opened, asked.source, by, None, last, last))
    else:
        yield from to_rows(WHOLE[asked.what](opened, question, by))


def _sorted(sort: str, page: Slice) -> Page:
    return Page("", sort, page.limit, page.offset)


def _all_pages(make: Callable[[Slice], Any]) -> Iterator[Plain]:
    offset = 0
    while True:
        found = make(Slice(ROWS_AT_ONCE, offset))
        yield from to_rows(found)
        offset += ROWS_AT_ONCE
        if offset >= found.matching:
            return


def _reach(opened: take.Opened, asked: Asked, by: str) -> Iterator[Plain]:
    """Give what is within reach by query, or its sums by page."""
    if by == "query":
        yield from _all_pages(lambda page: take.reach(opened, asked, page, FEWEST))
        return
    for row in take.reach(opened, asked, Slice(1, 0), FEWEST).pages:
        yield row.model_dump(mode="json")
