"""Trying a feed before it is connected: what it sends, and what would be kept of it."""

from __future__ import annotations

from noctilum.actions import setup
from noctilum.actions.install import Install
from noctilum.core.batch import DayBatch
from noctilum.core.days import DayState
from noctilum.core.errors import NotThere
from noctilum.core.settle import settle
from noctilum.sources.contract import Connector, OfferedDay
from noctilum.wire import setup as wire

SHOWN = 5


def try_feed(install: Install, asked: wire.AskTry) -> wire.Tried:
    """Fetch one day at one grain and map it; nothing is kept. Raises FeedFault naming the mapping's line at fault."""
    seen = setup.list_properties(install, asked)
    number = asked.property or (seen[0].id if seen else "")
    if number not in {found.id for found in seen}:
        known = ", ".join(found.id for found in seen) or "none"
        raise NotThere("no-such-property", f"The credential does not see {number!r}.", remedy=f"it sees {known}")
    connector = setup.open_connector(install, asked, number)
    try:
        return _tried(connector, asked, [found.id for found in seen], number)
    finally:
        connector.close()


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
        clicks=batch.sums.clicks,
        impressions=batch.sums.impressions,
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
        raise NotThere("day-not-offered", f"The feed does not offer {asked.day}.", remedy=f"it offers {span}")
    return chosen[0]


def _rows(batch: DayBatch) -> list[dict[str, str | int | float]]:
    dims = {name: column.decoded()[:SHOWN] for name, column in batch.dims.items()}
    rows: list[dict[str, str | int | float]] = []
    for at in range(min(SHOWN, len(batch))):
        row: dict[str, str | int | float] = {name: values[at] for name, values in dims.items()}
        shown = int(batch.impressions[at])
        place = int(batch.position_sum[at]) / batch.position_scale / shown if shown else 0.0
        rows.append(row | {"clicks": int(batch.clicks[at]), "impressions": shown, "position": round(place, 3)})
    return rows
