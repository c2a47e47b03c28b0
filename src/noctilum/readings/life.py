"""The whole life of one query or page, as far as it is held."""

from __future__ import annotations

from typing import Literal

from noctilum.core.days import HELD
from noctilum.core.errors import NotThere, worded
from noctilum.core.measures import add_up
from noctilum.core.pages import path_on
from noctilum.core.timeline import Step, steps
from noctilum.core.windows import Bucket, Window
from noctilum.readings.header import figures
from noctilum.readings.holding import Holding
from noctilum.readings.site_access import SiteAccess
from noctilum.readings.timeline import daily_sums, point
from noctilum.wire import questions as ask
from noctilum.wire import readings as wire

TOP_TEN = 10.5
FEWEST_SHOWN = 10
"""A week counts for best-ever only with so many impressions (ours)."""


def life(held: Holding, site: str, item: Literal["query", "page"], key: str) -> wire.Life:
    """Read a query's or page's weeks since the first held day. Raises NotThere when it was never seen."""
    number = held.history.term_id(item, key)
    held = held.at(item)
    span = Window(held.first_held, held.complete_through)
    daily = daily_sums(held, item, span, {item: (number,)}) if number is not None else {}
    seen = sorted(day for day in daily if held.states.get(day) in HELD)
    if not seen:
        raise NotThere(
            "never-seen", worded("This site was never shown for the {item} {key!r}.", item=item, key=key), where=site
        )
    weeks = steps(span, Bucket.WEEK, daily, held.states)
    shown = [week for week in weeks if week.sums and week.sums.position is not None]
    return wire.Life(
        site=site,
        item=item,
        key=key,
        grain=item,
        first_held=held.first_held,
        complete_through=held.complete_through,
        first_seen=seen[0],
        last_seen=seen[-1],
        days_held=sum(state in HELD for day, state in held.states.items() if day <= span.last),
        days_seen=len(seen),
        weeks_held=sum(week.held > 0 for week in weeks),
        weeks_in_top_ten=sum(_position(week) < TOP_TEN for week in shown),
        best_week=_best(shown),
        total=figures(add_up(daily[day] for day in seen)),
        weeks=[point(week) for week in weeks],
        generation=held.history.generation,
    )


def _position(week: Step) -> float:
    found = week.sums.position if week.sums else None
    return found if found is not None else float("inf")


def _best(shown: list[Step]) -> wire.BestWeek | None:
    enough = [week for week in shown if week.sums and week.sums.impressions >= FEWEST_SHOWN]
    if not enough:
        return None
    best = min(enough, key=_position)
    return wire.BestWeek(start=best.start, position=_position(best))


def answer(site: SiteAccess, asked: ask.LifeQuery) -> wire.Life:
    """Answer for a site."""
    key = path_on(site.words.host, asked.key) if asked.item == "page" else asked.key
    return life(site.holding, site.key, asked.item, key)
