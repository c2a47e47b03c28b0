"""Tracked keywords of all sites at a glance: of each, of each client, of all together."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from datetime import date, timedelta

from noctilum.core.errors import NotThere
from noctilum.readings.ranks import summary
from noctilum.readings.site_access import SiteAccess
from noctilum.wire import portfolio as wire
from noctilum.wire.ranks import Movements, RankFigures, RankSummaryQuery

FRESH_DAYS = 35
"""Keywords not looked up for longer stand in no total (ours; as long as a site's search days may be old)."""
COUNTS = ("checked", "found", "top3", "top10", "top20")
SUMS = ("clicks", "value")


def at_a_glance(site: SiteAccess, currency: str) -> wire.RanksAtAGlance | None:
    """Sum up a site's tracked keywords over its last 28 days looked up; None where none is tracked or looked up."""
    try:
        found = summary(site, RankSummaryQuery())
    except NotThere:
        return None
    return wire.RanksAtAGlance(
        tracked=found.tracked,
        now=found.now,
        before=found.before,
        moved=found.moved,
        currency=currency,
        verdict=found.verdict,
        weeks=[point.visibility for point in found.points],
        last_day=found.window.last,
    )


def of_clients(rows: Iterable[wire.PortfolioRow], today: date) -> list[wire.ClientRanks]:
    """Put the sites of each client together, the largest visibility lost first."""
    named: dict[tuple[str, str], list[wire.RanksAtAGlance]] = {}
    for row in rows:
        if row.ranks is not None and is_fresh(row.ranks, today):
            named.setdefault((row.client, row.client_name), []).append(row.ranks)
    found = [
        wire.ClientRanks(client=key, client_name=name, sites=len(sites), **dict(_together(sites)))
        for (key, name), sites in named.items()
    ]
    return sorted(found, key=lambda each: (_gained(each), each.client_name))


def of_all(rows: Iterable[wire.PortfolioRow], today: date) -> wire.RanksTogether | None:
    """Put all sites together; None where no keyword was looked up lately."""
    sites = [row.ranks for row in rows if row.ranks is not None and is_fresh(row.ranks, today)]
    return _together(sites) if sites else None


def is_fresh(ranks: wire.RanksAtAGlance, today: date) -> bool:
    """Say whether keywords were looked up lately."""
    return ranks.last_day >= today - timedelta(FRESH_DAYS)


def _gained(found: wire.RanksTogether) -> float:
    was = found.before.visibility if found.before else None
    return 0.0 if was is None or found.now.visibility is None else found.now.visibility - was


def _together(sites: Sequence[wire.RanksAtAGlance]) -> wire.RanksTogether:
    currencies = {each.currency for each in sites}
    before = [each.before for each in sites if each.before is not None]
    moved = [each.moved for each in sites if each.moved is not None]
    return wire.RanksTogether(
        tracked=sum(each.tracked for each in sites),
        now=_pooled([each.now for each in sites], priced=len(currencies) == 1),
        before=_pooled(before, priced=len(currencies) == 1) if before else None,
        moved=Movements(**{name: sum(getattr(each, name) for each in moved) for name in Movements.model_fields})
        if moved
        else None,
        currency=currencies.pop() if len(currencies) == 1 else "",
    )


def _pooled(parts: Sequence[RankFigures], *, priced: bool) -> RankFigures:
    """Give the figures that the keywords of all parts have together; no value where currencies differ."""
    counts = {name: sum(getattr(part, name) for part in parts) for name in COUNTS}
    sums = {name: _sum([getattr(part, name) for part in parts]) for name in SUMS if priced or name != "value"}
    return RankFigures(
        **counts,
        average=_mean([(part.average, part.found) for part in parts]),
        visibility=_mean([(part.visibility, part.weight) for part in parts], 4),
        visibility_by_volume=_mean([(part.visibility_by_volume, part.weight_by_volume) for part in parts], 4),
        clicks=sums["clicks"],
        value=sums.get("value"),
        weight=sum(part.weight for part in parts),
        weight_by_volume=sum(part.weight_by_volume for part in parts),
    )


def _mean(parts: Sequence[tuple[float | None, float]], digits: int = 3) -> float | None:
    known = [(value, weight) for value, weight in parts if value is not None and weight > 0]
    whole = sum(weight for _, weight in known)
    return round(sum(value * weight for value, weight in known) / whole, digits) if whole else None


def _sum(parts: Sequence[float | None]) -> float | None:
    known = [part for part in parts if part is not None]
    return round(sum(known), 2) if known else None
