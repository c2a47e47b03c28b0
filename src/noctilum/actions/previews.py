"""Trying a feed before it is connected: what it sends, and what would be kept of it."""

from __future__ import annotations

import numpy as np
import orjson

from noctilum import machine_time
from noctilum.actions import setup
from noctilum.actions.checks import DEPTH
from noctilum.actions.install import Install
from noctilum.actions.keywords import canonical_term
from noctilum.core.batch import DayBatch, told, told_sums
from noctilum.core.days import DayState
from noctilum.core.errors import FeedFault, Nonsense, NotThere, worded
from noctilum.core.settle import settle
from noctilum.sources.contract import Connector, OfferedDay
from noctilum.sources.lookups import Look, LookupConnector, settled
from noctilum.wire import setup as wire

SHOWN = 5


def try_feed(install: Install, asked: wire.AskTry) -> wire.Tried:
    """Fetch one day at one grain and map it; nothing is kept. Raises FeedFault naming the mapping's line at fault."""
    seen = setup.list_properties(install, asked)
    number = asked.property or (seen[0].id if seen else "")
    if number not in {found.id for found in seen}:
        known = ", ".join(found.id for found in seen) or "none"
        raise NotThere(
            "no-such-property",
            worded("The credential does not see {number!r}.", number=number),
            remedy=worded("it sees {known}", known=known),
        )
    connector = setup.open_connector(install, asked, number)
    try:
        if isinstance(connector, LookupConnector):
            return _looked_up(connector, asked.look, number)
        return _tried(connector, asked, [found.id for found in seen], number)
    finally:
        connector.close()


def _looked_up(connector: LookupConnector, asked: wire.TryLook, number: str) -> wire.Tried:
    """Look one term up; nothing is kept. Raises FeedFault where it failed."""
    if not asked.term.strip():
        raise Nonsense("no-term", "A feed of lookups is tried with a term.", where="look.term", remedy="give --term")
    look = Look(
        canonical_term(asked.term), asked.engine, asked.language, asked.country, asked.place, asked.device, DEPTH
    )
    told = connector.told(look)
    answer = settled(look, told)
    if answer.found is None:
        raise FeedFault("lookup-failed", worded("The lookup failed: {why}.", why=answer.why), where=look.term)
    results, features = answer.found.results, answer.found.features
    rows: list[dict[str, str | int | float]] = [
        {"what": each.kind, "rank": each.rank, "address": each.url, "text": each.title} for each in results
    ]
    rows += [{"what": f.kind, "rank": f.above, "address": " ".join(f.owners), "text": f.text} for f in features]
    raw = [*told.get("results", [])[:SHOWN], *(told.get("features") or [])[:SHOWN]]
    return wire.Tried(
        properties=[number],
        property=number,
        day=machine_time.moment().date(),
        state="found",
        grain="lookup",
        raw=[orjson.dumps(each).decode()[:2000] for each in raw],
        rows=rows,
        total=len(results),
        sums={"features": float(len(features))},
        doubts=list(answer.doubts),
    )


def _tried(connector: Connector, asked: wire.AskTry, seen: list[str], number: str) -> wire.Tried:
    day = _day(connector, asked)
    page = connector.fetch(day.day, asked.grain)
    batch = settle(connector.parse(page)).batch
    lines = page.body.splitlines()
    return wire.Tried(
        properties=seen,
        property=number,
        day=day.day,
        state=day.state.value,
        grain=asked.grain,
        raw=[line.decode("utf-8", "replace")[:2000] for line in lines[:SHOWN]],
        rows=_rows(batch),
        total=len(lines),
        sums=told_sums(batch.kept, batch.figures),
    )


def _day(connector: Connector, asked: wire.AskTry) -> OfferedDay:
    days = [found for found in connector.days(None, None) if found.state is not DayState.MISSING]
    if asked.day is None:
        final = [found for found in days if found.state is DayState.FINAL] or days
        if final:
            return final[-1]
        raise NotThere("nothing-offered", "The feed offers no day.")
    chosen = [found for found in days if found.day == asked.day]
    if not chosen:
        span = f"{days[0].day} to {days[-1].day}" if days else "no day"
        raise NotThere(
            "day-not-offered",
            worded("The feed does not offer {day}.", day=asked.day),
            remedy=worded("it offers {span}", span=span),
        )
    return chosen[0]


def _rows(batch: DayBatch) -> list[dict[str, str | int | float]]:
    """Give the first rows as they would be kept, figures as they are told."""
    first = batch.taken(np.arange(min(SHOWN, len(batch))))
    columns: dict[str, list[str | int | float]] = {name: [*column.decoded()] for name, column in first.dims.items()}
    for name, figures in told(batch.kept, first.values, batch.scale).items():
        columns[name] = [round(each, 3) if isinstance(each, float) else each for each in figures.tolist()]
    return [dict(zip(columns, row, strict=True)) for row in zip(*columns.values(), strict=True)]
