"""The day ledger as a reading."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from datetime import date

from noctilum.core.batch import told_sums
from noctilum.core.days import HELD, DayState, complete_through, day_range
from noctilum.core.errors import Nonsense, worded
from noctilum.core.measures import Sums
from noctilum.core.reconcile import Promised
from noctilum.core.windows import MOST_DAYS
from noctilum.datasets import DATASETS
from noctilum.datasets.declaring import Dataset
from noctilum.history import DayChange, History, LedgerRow
from noctilum.history.changes import Side
from noctilum.readings.site_access import SiteAccess
from noctilum.wire import questions as ask
from noctilum.wire import readings as wire


def ledger(
    history: History, site: str, source: int, grain: str | None, first: date | None, last: date | None, today: date
) -> wire.Ledger:
    """Read every day from first to last, those not known as missing.

    grain: None takes the coarsest that the source has any day of. Without first it starts on the first
    known day, without last it ends on the newer of the last known day and yesterday, so that
    days overdue show as missing.
    """
    grain = DATASETS[grain].name if grain is not None else _coarsest(history, source)
    rows = {row.day: row for row in history.ledger(sources=[source], dataset=grain)}
    changes = Counter(change.day for change in history.changes(sources=[source], dataset=grain))
    start = first or min(rows, default=today)
    end = last or max([*rows, min(today, max(rows, default=today))])
    if end < start:
        raise Nonsense(
            "window-backwards",
            worded("The ledger cannot end on {end} before it begins on {start}.", end=end, start=start),
            where="last",
        )
    if (end - start).days > MOST_DAYS:
        raise Nonsense("window-too-long", "A ledger spans at most 60 years.", where="first, last")
    days = [ledger_day(day, rows.get(day), changes[day]) for day in day_range(start, end)]
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
        lost=states.count("lost"),
        flagged=sum(day.flag not in (None, "lost") for day in days),
        changed=sum(day.changes > 0 for day in days),
        complete_through=complete_through({row.day: row.state for row in rows.values()}),
        days=days,
        generation=history.generation,
    )


def _coarsest(history: History, source: int) -> str:
    """Find the coarsest grain that a source holds a day of: that of totals where it holds nothing."""
    known = (name for name in DATASETS.daily if any(s in HELD for s in history.states((source,), name).values()))
    return next(known, DATASETS.daily[0])


def ledger_day(day: date, row: LedgerRow | None, changes: int = 0) -> wire.LedgerDay:
    """Write one day of the ledger for the wire; a day nobody knows is missing."""
    return wire.LedgerDay.model_validate(_fields(day, row) | {"changes": changes})


def _fields(day: date, row: LedgerRow | None) -> dict[str, object]:
    sums = row.sums if row else Sums()
    promised = row.promised if row else Promised()
    return {
        "day": day,
        "state": row.state.value if row else DayState.MISSING.value,
        "revision": row.revision if row else None,
        "taken_at": row.taken_at if row else None,
        "origin": row.origin if row else None,
        "rows": row.rows if row else 0,
        "clicks": sums.clicks,
        "impressions": sums.impressions,
        "position_sum": sums.position_milli / 1000,
        "figures": told_sums(DATASETS[row.dataset], row.figures) if row else {},
        "digest": row.digest if row else None,
        "lines": row.lines if row else 0,
        "repeats": row.repeats if row else 0,
        "promised_rows": promised.rows,
        "promised_clicks": promised.figures.get("clicks"),
        "promised_impressions": promised.figures.get("impressions"),
        "promised": promised.figures,
        "flag": row.flag if row else None,
        "remark": row.remark if row else None,
    }


def grain_day(row: LedgerRow) -> wire.GrainDay:
    """Write one day of one grain for the wire."""
    return wire.GrainDay.model_validate(_fields(row.day, row) | {"grain": row.dataset})


def making(history: History, site: str, source: int, label: str, day: date) -> wire.DayMaking:
    """Show what a day was made from, at every grain, and how it changed since."""
    rows = history.ledger(sources=[source], first=day, last=day)
    order = list(DATASETS)
    return wire.DayMaking(
        site=site,
        source=source,
        label=label,
        day=day,
        grains=[grain_day(row) for row in sorted(rows, key=lambda row: order.index(row.dataset))],
        changes=changes(history, [source], None, day, day),
    )


def changes(
    history: History, sources: Sequence[int], grain: str | None, first: date | None, last: date | None
) -> list[wire.DayChange]:
    """List changes of days that were final, newest change first."""
    found = history.changes(sources=sources, dataset=grain, first=first, last=last)
    return [_change(each) for each in found]


def _change(found: DayChange) -> wire.DayChange:
    return wire.DayChange.model_validate(
        {
            "id": found.id,
            "source": found.source,
            "grain": found.dataset,
            "day": found.day,
            "at": found.at,
            "kind": found.kind,
            "origin": found.origin,
            "was": _side(DATASETS[found.dataset], found.was),
            "now": _side(DATASETS[found.dataset], found.now),
        }
    )


def _side(kept: Dataset, found: Side) -> dict[str, object]:
    return {
        "state": found.state.value,
        "revision": found.revision,
        "rows": found.rows,
        "clicks": found.sums.clicks,
        "impressions": found.sums.impressions,
        "position_sum": found.sums.position_milli / 1000,
        "figures": told_sums(kept, found.figures),
    }


def answer(site: SiteAccess, asked: ask.LedgerQuery) -> wire.Ledger:
    """Answer for one source of a site; where nobody said which day it is, up to the last that is known."""
    today = site.today or max(site.held_first.states)
    number = site.source(asked.source).number
    return ledger(site.history, site.key, number, asked.grain, asked.first, asked.last, today)


def answer_day(site: SiteAccess, asked: ask.DayQuery) -> wire.DayMaking:
    """Answer for one source of a site."""
    found = site.source(asked.source)
    return making(site.history, site.key, found.number, found.label, asked.day)


def answer_changes(site: SiteAccess, asked: ask.ChangesQuery) -> wire.Changes:
    """Answer for the sources of a site that are read, or for one."""
    numbers = site.sources if asked.source is None else (site.source(asked.source).number,)
    return wire.Changes(changes(site.history, numbers, asked.grain, asked.first, asked.last))
