"""The day ledger as a reading."""

from __future__ import annotations

from datetime import date

from noctilum.core.days import HELD, DayState, complete_through, day_range
from noctilum.core.errors import Nonsense
from noctilum.core.windows import MOST_DAYS
from noctilum.history import History, LedgerRow
from noctilum.history.datasets import dataset
from noctilum.wire import readings as wire


def ledger(
    history: History, site: str, source: int, grain: str, first: date | None, last: date | None, today: date
) -> wire.Ledger:
    """Read every day from first to last, those not known as missing.

    Without first it starts on the first known day, without last it ends on the newer of the last
    known day and yesterday, so that days overdue show as missing.
    """
    dataset(grain)
    rows = {row.day: row for row in history.ledger(sources=[source], dataset=grain)}
    start = first or min(rows, default=today)
    end = last or max([*rows, min(today, max(rows, default=today))])
    if end < start:
        raise Nonsense("window-backwards", f"The ledger cannot end on {end} before it begins on {start}.", where="last")
    if (end - start).days > MOST_DAYS:
        raise Nonsense("window-too-long", "A ledger spans at most 60 years.", where="first, last")
    days = [_day(day, rows.get(day)) for day in day_range(start, end)]
    states = [day.state for day in days]
    held = {state.value for state in HELD}
    return wire.Ledger(
        site=site,
        source=source,
        grain=grain,
        first=start,
        last=end,
        held=sum(state in held for state in states),
        provisional=states.count("provisional"),
        missing=states.count("missing"),
        complete_through=complete_through({row.day: row.state for row in rows.values()}),
        days=days,
        generation=history.generation,
    )


def _day(day: date, row: LedgerRow | None) -> wire.LedgerDay:
    if row is None:
        return wire.LedgerDay(
            day=day,
            state=DayState.MISSING.value,
            revision=None,
            taken_at=None,
            origin=None,
            rows=0,
            clicks=0,
            impressions=0,
            position_sum=0,
            digest=None,
        )
    return wire.LedgerDay(
        day=day,
        state=row.state.value,
        revision=row.revision,
        taken_at=row.taken_at,
        origin=row.origin,
        rows=row.rows,
        clicks=row.sums.clicks,
        impressions=row.sums.impressions,
        position_sum=row.sums.position_milli / 1000,
        digest=row.digest,
    )
