"""Why two numbers for the same thing differ: one window at every grain, with what lies between them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import date

from noctilum.core.batch import told_sums
from noctilum.core.days import HELD, DayState
from noctilum.core.measures import Sums
from noctilum.core.windows import Window, month_start, parse_window
from noctilum.datasets import DATASETS
from noctilum.history import History, LedgerRow
from noctilum.readings.ledger import grain_day
from noctilum.readings.site_access import SiteAccess, SourceOf
from noctilum.wire import questions as ask
from noctilum.wire import readings as wire


def reconcile(history: History, site: str, sources: Sequence[SourceOf], window: Window) -> wire.Reconciliation:
    """Set every source's totals side by side over a window."""
    return wire.Reconciliation(
        site=site,
        first=window.first,
        last=window.last,
        sources=[_totals(history, source, window) for source in sources],
        generation=history.generation,
    )


def _totals(history: History, source: SourceOf, window: Window) -> wire.SourceTotals:
    rows = history.ledger(sources=[source.number], first=window.first, last=window.last)
    by_grain = {grain: [row for row in rows if row.dataset == grain] for grain in DATASETS}
    sums = {grain: _added(found) for grain, found in by_grain.items() if found}
    return wire.SourceTotals(
        source=source.number,
        label=source.label,
        engine=source.engine,
        time_zone=source.time_zone,
        counted=source.counted,
        grains=[_grain(grain, by_grain[grain], added) for grain, added in sums.items()],
        steps=_steps(source, by_grain, sums, window),
        unlisted=_shares(by_grain["site"], by_grain["query"]),
        flagged=[grain_day(row) for row in rows if row.flag not in (None, "lost")],
    )


def _added(rows: Sequence[LedgerRow]) -> Sums:
    held = [row.sums for row in rows if row.state in HELD]
    return Sums(sum(s.clicks for s in held), sum(s.impressions for s in held), sum(s.position_milli for s in held))


def _grain(grain: str, rows: Sequence[LedgerRow], added: Sums) -> wire.GrainTotal:
    held = [row for row in rows if row.state in HELD]
    return wire.GrainTotal(
        grain=grain,
        days=len(held),
        rows=sum(row.rows for row in held),
        clicks=added.clicks,
        impressions=added.impressions,
        figures=told_sums(DATASETS[grain], _figures(held)),
    )


def _figures(rows: Sequence[LedgerRow]) -> dict[str, int]:
    """Add up what adds up over days."""
    found: dict[str, int] = {}
    for row in rows:
        for measure in DATASETS[row.dataset].added:
            found[measure.tallied_as] = found.get(measure.tallied_as, 0) + row.figures[measure.tallied_as]
    return found


def _steps(
    source: SourceOf, by_grain: Mapping[str, Sequence[LedgerRow]], sums: Mapping[str, Sums], window: Window
) -> list[wire.Step]:
    steps = [
        _between(code, why, sums[whole], sums[kept.name])
        for kept in (DATASETS[name] for name in DATASETS.daily)
        for whole, code, why in kept.differs
        if kept.name in sums and whole in sums
    ]
    steps += _open_days(next((by_grain[grain] for grain in DATASETS.daily if by_grain[grain]), []), window)
    if source.time_zone != source.client_zone:
        text = f"Its days begin and end in {source.time_zone}, the client's in {source.client_zone}."
        steps.append(wire.Step(code="time-zones", text=text, clicks=None, impressions=None))
    if not source.counted:
        text = "Another source of this site counts the same visits; this one is read only when asked for."
        steps.append(wire.Step(code="not-counted", text=text, clicks=None, impressions=None))
    return steps


def _between(code: str, text: str, one: Sums, other: Sums) -> wire.Step:
    clicks, impressions = other.clicks - one.clicks, other.impressions - one.impressions
    return wire.Step(code=code, text=text, clicks=clicks, impressions=impressions)


def _open_days(rows: Sequence[LedgerRow], window: Window) -> list[wire.Step]:
    steps = []
    open_rows = [row for row in rows if row.state is DayState.PROVISIONAL]
    if open_rows:
        clicks = sum(row.sums.clicks for row in open_rows)
        impressions = sum(row.sums.impressions for row in open_rows)
        text = f"{len(open_rows)} provisional days are shown by the provider and counted in no total here."
        steps.append(wire.Step(code="provisional", text=text, clicks=clicks, impressions=impressions))
    lacking = len(window) - sum(row.state in HELD or row.state is DayState.PROVISIONAL for row in rows)
    if lacking:
        text = f"{lacking} days of the window are not held."
        steps.append(wire.Step(code="not-held", text=text, clicks=None, impressions=None))
    return steps


def _shares(site: Sequence[LedgerRow], query: Sequence[LedgerRow]) -> list[wire.Share]:
    """Give the unlisted share by month, over days held at both grains."""
    listed = {row.day: row.sums for row in query if row.state in HELD}
    months: dict[date, list[tuple[Sums, Sums]]] = {}
    for row in site:
        if row.state in HELD and row.day in listed:
            months.setdefault(month_start(row.day), []).append((row.sums, listed[row.day]))
    return [_share(month, pairs) for month, pairs in sorted(months.items())]


def _share(month: date, pairs: Sequence[tuple[Sums, Sums]]) -> wire.Share:
    def part(whole: int, listed: int) -> float | None:
        return (whole - listed) / whole if whole else None

    return wire.Share(
        month=month,
        clicks=part(sum(t.clicks for t, _ in pairs), sum(q.clicks for _, q in pairs)),
        impressions=part(sum(t.impressions for t, _ in pairs), sum(q.impressions for _, q in pairs)),
    )


def answer(site: SiteAccess, asked: ask.ReconcileQuery) -> wire.Reconciliation:
    """Answer over every source of a site, also those kept apart."""
    held = site.held_first
    span = parse_window(asked.window, ends_on=held.complete_through, starts_on=held.first_held)
    return reconcile(site.history, site.key, site.all_sources, span)
