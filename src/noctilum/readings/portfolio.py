"""All sites at a glance."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date, timedelta
from typing import Literal

from noctilum.core.days import DayState
from noctilum.core.errors import Nonsense, NotThere
from noctilum.core.timeline import steps
from noctilum.core.windows import Bucket, Window, shift_months
from noctilum.readings.drivers import drivers
from noctilum.readings.fading import fading
from noctilum.readings.frame import Asked
from noctilum.readings.holding import Holding
from noctilum.readings.portfolio_ranks import is_fresh, of_all, of_clients
from noctilum.readings.rows_of import Slice
from noctilum.readings.timeline import daily_sums, point, timeline
from noctilum.wire import portfolio as wire
from noctilum.wire import readings as read
from noctilum.wire.explain import Judgement

Attention = Literal["look now", "keep an eye on", "quiet", "stale", "waiting"]

LOOK_NOW = -0.10
KEEP_AN_EYE = -0.05
FEWEST_CLICKS = 200
WORST_SHARE = 0.02
MOST_LOOKED_AT = 20
"""Thresholds of attention (ours): a fall of a tenth, or of a twentieth, on at least 200 clicks before; a page that
fades by a fiftieth of them beyond the site's own fall."""
STALE_DAYS = 35
"""A site whose last complete day is older has no last 28 days to speak of; files by the month come in time (ours)."""

SAID = {
    "season": "Season",
    "demand": "Demand",
    "demand_beyond": "Demand",
    "rank": "Rank",
    "appeal": "Appeal",
    "entered": "New queries",
    "left": "Lost queries",
    "unlisted": "Unlisted",
}


@dataclass(frozen=True)
class SiteOf:
    """Name a site and whose it is."""

    key: str
    host: str
    client: str
    client_name: str
    currency: str = "EUR"


def row(site: SiteOf, held: Holding) -> wire.PortfolioRow:
    """Read one site: the last 28 complete days against the 28 before, and sixteen months by week."""
    asked = Asked(site.key)
    line = timeline(held, asked)
    span = Window(max(held.first_held, shift_months(held.complete_through, -16)), held.complete_through)
    weeks = steps(span, Bucket.WEEK, daily_sums(held, "site", span, {}), held.states)
    worst = _worst(held, asked)
    attention, why = _attention(line, worst)
    left = _beyond(line)
    return wire.PortfolioRow(
        client=site.client,
        client_name=site.client_name,
        site=site.key,
        host=site.host,
        weeks=[point(week) for week in weeks],
        now=line.now,
        before=line.before,
        change=line.change,
        driver=_driver(held, asked),
        window=line.window,
        complete_through=held.complete_through,
        last_days=_last_days(held),
        attention=attention,
        why=why,
        worst=worst.key if worst else None,
        worst_change=worst.change.clicks if worst and worst.change else None,
        expected=line.season.expected,
        beyond_season=left,
    )


def _beyond(line: read.Timeline) -> float | None:
    """Give the clicks now less those that the year alone would have left; None where no year is held."""
    season, change = line.season, line.change
    if season.expected is None or season.change is None or change is None:
        return None
    return round(line.now.clicks * (1 - (1 + season.expected) / (1 + season.change)), 3)


def _worst(held: Holding, asked: Asked) -> Judgement | None:
    """Find the page that fades most beyond the site's own fall; none where all fell with it, or no pages are held."""
    try:
        found = fading(held, asked, "page", ("fading",), Slice(limit=MOST_LOOKED_AT)).rows
    except (Nonsense, NotThere):
        return None
    alone = (row for row in found if row.heir is None and (row.beyond_season is not None or _alone(row)))
    return next(alone, None)


def _alone(row: Judgement) -> bool:
    return row.beside_site == "more than the site"


def _driver(held: Holding, asked: Asked) -> str | None:
    try:
        found = drivers(held, asked, most=1)
    except (Nonsense, NotThere):
        return None
    parts = found.ladder
    moved = abs(found.change.clicks)
    largest = max(parts, key=lambda name: parts[name] * (1 if found.change.clicks >= 0 else -1))
    return SAID[largest] if moved else None


def _attention(line: read.Timeline, worst: Judgement | None) -> tuple[Attention, str]:
    if line.change is None or line.before is None:
        return "keep an eye on", "The window is not full."
    ratio = line.change.clicks_ratio
    if line.before.clicks < FEWEST_CLICKS or ratio is None:
        return "quiet", "Too few clicks to tell."
    season = line.season
    if season.beyond is None:
        found = _by_fall(ratio, "Clicks fell by {share} or more.")
    elif season.verdict == "fell":
        found = _by_fall(season.beyond, "Clicks fell by {share} or more beyond their season.")
    else:
        found = None
    if found is not None:
        return found
    left = worst.beyond_season if worst is not None and worst.beyond_season is not None else None
    lost = -((left if left is not None else worst.beyond_site) or 0.0) if worst is not None else 0.0
    if worst is not None and lost >= WORST_SHARE * line.before.clicks:
        return "keep an eye on", f"{worst.key} fades behind the total."
    if ratio <= KEEP_AN_EYE:
        every = season.verdict == "as every year"
        return "quiet", "Down as every year at this time." if every else "Down, but not surely beyond its season."
    return "quiet", "No fall of a twentieth or more."


def _by_fall(ratio: float, said: str) -> tuple[Attention, str] | None:
    if ratio <= LOOK_NOW:
        return "look now", said.format(share="a tenth")
    return ("keep an eye on", said.format(share="a twentieth")) if ratio <= KEEP_AN_EYE else None


def _last_days(held: Holding) -> list[read.State]:
    newest = max(held.states)
    days = [newest - timedelta(n) for n in range(9, -1, -1)]
    return [held.states.get(day, DayState.MISSING).value for day in days]


def waiting(site: SiteOf, why: str, ranks: wire.RanksAtAGlance | None = None) -> wire.PortfolioRow:
    """Show a site whose search days cannot be read yet, with the reason; its tracked keywords may be."""
    return _without_figures(site, "waiting", why).model_copy(update={"ranks": ranks})


def unreadable(site: SiteOf, why: str) -> wire.PortfolioRow:
    """Show a site whose history cannot be read, with the reason and the remedy; it needs a look before all others."""
    return _without_figures(site, "look now", why)


def _without_figures(site: SiteOf, attention: Attention, why: str) -> wire.PortfolioRow:
    return wire.PortfolioRow(
        client=site.client,
        client_name=site.client_name,
        site=site.key,
        host=site.host,
        weeks=[],
        now=None,
        before=None,
        change=None,
        driver=None,
        window=None,
        complete_through=None,
        last_days=[],
        attention=attention,
        why=why,
    )


_ORDER: tuple[Attention, ...] = ("look now", "keep an eye on", "quiet", "stale", "waiting")


def arranged(rows: Iterable[wire.PortfolioRow], today: date) -> wire.Portfolio:
    """Order sites: attention first, then most clicks lost beyond season, then by name.

    Those whose last days are the last are added up. A site whose days end long ago is stale, and in no total.
    """

    def lost(found: wire.PortfolioRow) -> float:
        if found.beyond_season is not None:
            return found.beyond_season
        return found.change.clicks if found.change else 0.0

    seen = [_seen(row, today) for row in rows]
    counted = [row for row in seen if row.now is not None and row.attention != "stale"]
    ordered = sorted(seen, key=lambda r: (_ORDER.index(r.attention), lost(r), r.client_name, r.host))
    clicks = sum(row.now.clicks for row in counted if row.now)
    return wire.Portfolio(
        today=today,
        rows=ordered,
        clicks=clicks,
        sites_counted=len(counted),
        clients=of_clients(seen, today),
        ranks=of_all(seen, today),
    )


def _seen(row: wire.PortfolioRow, today: date) -> wire.PortfolioRow:
    """Say of a site that its days end long ago, or that its ranks want a look where its clicks want none."""
    through = row.complete_through
    if through is not None and (today - through).days > STALE_DAYS:
        why = (
            f"Its last complete day is {through}, {(today - through).days} days ago: pull its source, or import files."
        )
        return row.model_copy(update={"attention": "stale", "why": why})
    ranks = row.ranks
    if row.attention == "quiet" and ranks is not None and ranks.verdict == "fell" and is_fresh(ranks, today):
        return row.model_copy(update={"attention": "keep an eye on", "why": _fallen(ranks)})
    return row


def _fallen(ranks: wire.RanksAtAGlance) -> str:
    was, now = ranks.before, ranks.now
    assert was is not None
    return f"Visibility of tracked keywords fell from {was.visibility:.1f} to {now.visibility:.1f}."
