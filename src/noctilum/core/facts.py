"""Facts of terms: countries put together, and the share of a term's demand that a site gets."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

MONTH_DAYS = 365.25 / 12


@dataclass(frozen=True)
class Fact:
    """Searches of a term in a month, and what a click on it costs."""

    volume: int
    cpc: float


def joined_countries(facts: Sequence[Fact]) -> Fact:
    """Put the facts of one term in several countries together: volumes add up, costs are weighted by them.

    >>> joined_countries([Fact(300, 1.0), Fact(100, 2.0)])
    Fact(volume=400, cpc=1.25)
    """
    volume = sum(each.volume for each in facts)
    if not volume:
        return Fact(0, facts[0].cpc if len(facts) == 1 else 0.0)
    return Fact(volume, sum(each.volume * each.cpc for each in facts) / volume)


def share_of_demand(clicks: int, days: int, volume: int) -> float | None:
    """Say what share of a term's searches led to the site: clicks as of a month over the volume of a month.

    None without days or volume; it may exceed 1, where volumes are estimated too low.

    >>> round(share_of_demand(28, 28, 300), 4)
    0.1015
    """
    if not days or not volume:
        return None
    return clicks / days * MONTH_DAYS / volume
