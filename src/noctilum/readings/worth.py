"""What a session on a page is worth to a site that counts no goals: as the site says, by sets of pages."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from noctilum.readings.both import Both
from noctilum.readings.narrow import narrowing
from noctilum.readings.rows_of import Floats, Ints
from noctilum.readings.site_access import SiteAccess
from noctilum.wire.worth import ValueGiven, ValueUsed


@dataclass(frozen=True)
class Worth:
    """What the site said. by_page: for each page which of the values counts, −1 for none; gone: sets that are not."""

    values: Sequence[ValueGiven]
    by_page: Ints
    gone: frozenset[str]

    def of(self, pages: Ints) -> Floats:
        """Give what a session on each page is worth, NaN where nobody said."""
        rates = np.array([*(each.session for each in self.values), np.nan])
        return rates[self.by_page[pages]]

    def used(self, pages: Ints, sessions: Ints) -> list[ValueUsed]:
        """Say of how many sessions each value is."""
        at = self.by_page[pages]
        return [
            ValueUsed(**each.model_dump(), sessions=float(sessions[at == n].sum()), gone=each.set in self.gone)
            for n, each in enumerate(self.values)
        ]


def worth_of(site: SiteAccess, both: Both) -> Worth | None:
    """Find which value counts for each page, the first whose set has it; None where the site gives none."""
    others = any(not each.set for each in site.page_values)
    usual = [] if site.session_value is None or others else [ValueGiven(amount=site.session_value)]
    values = [*(v for v in site.page_values if v.set), *(v for v in site.page_values if not v.set), *usual]
    if not values:
        return None
    by_page = np.full(len(site.history.all_texts("page")), -1, dtype=np.int64)
    sets = {each.name: each for each in site.words.sets.values() if each.item == "page"}
    for n, each in enumerate(values):
        by_page[_free(site, both, each.set, by_page) if each.set in sets or not each.set else []] = n
    return Worth(values, by_page, frozenset(each.set for each in values if each.set and each.set not in sets))


def _free(site: SiteAccess, both: Both, name: str, by_page: Ints) -> Ints:
    """Give the pages of a set, or all of them, that no value before has."""
    free = by_page < 0
    if name:
        quoted = name.replace('"', '\\"')
        ids = narrowing(site.history, {}, f'set "{quoted}"', site.words, both.of.held.sources).ids or {}
        mine = np.zeros(free.size, dtype=bool)
        mine[list(ids.get("page", ()))] = True
        free &= mine
    return np.flatnonzero(free).astype(np.int64)
