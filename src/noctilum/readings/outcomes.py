"""Outcomes: sessions, conversions and revenue from search, shared out to queries by landing page and day."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date
from itertools import zip_longest

import numpy as np

from noctilum.core.brand import brand_mask
from noctilum.core.clusters import clusters
from noctilum.core.outcomes import SharedOut, shared_out
from noctilum.core.table import Grouped
from noctilum.datasets.visits import ORGANIC
from noctilum.readings.both import VISITS, Both, both_of
from noctilum.readings.header import header
from noctilum.readings.known import known_since
from noctilum.readings.narrow import narrowing
from noctilum.readings.place_up import Ahead, ahead_of, gained
from noctilum.readings.rows_of import Ints
from noctilum.readings.site_access import SiteAccess, rows_asked
from noctilum.wire import outcomes as wire
from noctilum.wire.readings import Caution

TAKEN = ("sessions", "conversions", "revenue")
WHOLE = ("page", "country", "device")
"""What visits say of themselves, so that nothing has to be shared out."""
CENTS = VISITS.measure("revenue").scale


def outcomes(site: SiteAccess, asked: wire.OutcomesQuery) -> wire.Outcomes:
    """Share what organic visits brought out to queries and what they are part of, or list it by page, place or device.

    Raises Nonsense for a filter on anything but queries and pages, NotThere where no visits are held.
    """
    both = both_of(site, asked)
    goals = known_since(both.visits, VISITS, VISITS.measure("conversions"))
    base = asked.by if asked.by in WHOLE else "query"
    found = _whole(both, base) if base in WHOLE else _by_query(both)
    known = _known_names(both, goals)
    worth = None if known["conversions"] else site.session_value
    passing = _passing(both, base, found)
    most = "conversions" if known["conversions"] else "sessions"
    page = rows_asked(asked)
    if asked.by == base:
        order = passing[np.lexsort((found.query[passing], *(-found.figures[n][passing] for n in ("sessions", most))))]
        shown = page.of(order)
        labels = site.history.texts(base, found.query[shown].tolist())
        rows = [_group(label, found, shown[n : n + 1]) for n, label in enumerate(labels)]
        ahead = ahead_of(both, found.query[shown]) if base == "query" else []
        matching = int(order.size)
    else:
        groups = _groups(site, both, asked, found, passing)
        groups.sort(key=lambda each: (-each.figures[most], -each.figures["sessions"], each.key))
        rows, matching, ahead = groups[page.offset : page.offset + page.limit], len(groups), []
    out = np.setdiff1d(np.arange(found.query.size), passing)
    total = {name: float(found.figures[name].sum()) + found.unlisted[name] for name in TAKEN}
    told = header(both.of, "pair")
    if asked.by == "set":
        told["cautions"] = [*told["cautions"], Caution(code="sets-overlap")]
    return wire.Outcomes(
        **told,
        by=asked.by,
        rows=[_row(each, known, worth, ahead_of) for each, ahead_of in zip_longest(rows, ahead)],
        total=_outcome(total, known),
        rest=_outcome({name: float(found.figures[name][out].sum()) for name in TAKEN}, known),
        unlisted=_outcome(found.unlisted, known),
        listed=1 - found.unlisted["sessions"] / total["sessions"] if total["sessions"] else None,
        days=len(both.days),
        goals_since=goals,
        session_value=site.session_value,
        value=None if worth is None else round(total["sessions"] * worth, 2),
        visits_since=both.visits.first_held,
        offset=page.offset,
        matching=matching,
    )


@dataclass(frozen=True)
class Group:
    """What came by some queries together, or by one of anything."""

    key: str
    figures: Mapping[str, float]
    clicks: int


def _groups(site: SiteAccess, both: Both, asked: wire.OutcomesQuery, found: SharedOut, passing: Ints) -> list[Group]:
    """Put the queries that pass together as they are asked for."""
    if asked.by == "set":
        return _by_set(site, both, found, passing)
    texts = site.history.texts("query", found.query[passing].tolist())
    if asked.by == "brand":
        mask = brand_mask(texts, site.words.brand)
        parts = [("brand", passing[mask]), ("generic", passing[~mask])]
    else:
        joined = clusters(texts, found.listed_clicks[passing].tolist(), asked.language)
        parts = [(texts[each.head], passing[list(each.members)]) for each in joined]
    return [_group(key, found, rows) for key, rows in parts if rows.size]


def _by_set(site: SiteAccess, both: Both, found: SharedOut, passing: Ints) -> list[Group]:
    """Add up each saved set of queries, and each of pages with all that came to them."""
    pages = _whole(both, "page")
    groups = []
    for each in site.words.sets.values():
        quoted = each.name.replace('"', '\\"')
        ids = narrowing(site.history, {}, f'set "{quoted}"', site.words, both.of.held.sources).ids or {}
        of, rows = (found, passing) if each.item == "query" else (pages, np.arange(pages.query.size))
        mine = rows[np.isin(of.query[rows], np.array(ids.get(each.item, ()), dtype=np.int64))]
        if mine.size:
            groups.append(_group(each.name, of, mine))
    return groups


def _group(key: str, found: SharedOut, rows: Ints) -> Group:
    figures = {name: float(found.figures[name][rows].sum()) for name in TAKEN}
    return Group(key, figures, int(found.listed_clicks[rows].sum()))


def _known_names(both: Both, goals: date | None) -> Mapping[str, bool]:
    """Say which figures are known: nothing is of goals that were first counted after the window, or never."""
    counted = goals is not None and goals <= both.of.window.last
    return {"sessions": True, "conversions": counted, "revenue": counted}


def _came(both: Both, by: tuple[str, ...]) -> Grouped:
    organic = both.of.held.history.term_id("channel", ORGANIC)
    return both.read("visits", by, TAKEN, channel=() if organic is None else (organic,))


def _by_query(both: Both) -> SharedOut:
    came = _came(both, ("page", "day"))
    clicked = both.read("page", ("page", "day"), ("clicks",))
    pairs = both.read("pair", ("page", "day", "query"), ("clicks",))
    page, day, query = pairs.keys
    return shared_out(
        (came.keys[0], came.keys[1]),
        {name: came.figures[name] for name in TAKEN},
        (clicked.keys[0], clicked.keys[1], clicked.clicks),
        (page, day, query, pairs.clicks),
    )


def _whole(both: Both, by: str) -> SharedOut:
    """Give each page, country or device what it brought: nothing is shared out, and nothing unlisted."""
    came = _came(both, (by,))
    clicked = both.read("page", (by,), ("clicks",))
    clicks = dict(zip(clicked.keys[0].tolist(), clicked.clicks.tolist(), strict=True))
    heard = np.array([clicks.get(key, 0) for key in came.keys[0].tolist()], dtype=np.int64)
    figures = {name: came.figures[name].astype(np.float64) for name in TAKEN}
    return SharedOut(came.keys[0], figures, dict.fromkeys(TAKEN, 0.0), heard)


def _passing(both: Both, by: str, found: SharedOut) -> Ints:
    """Say which rows to list: those that the filter lets pass and that brought anything."""
    there = found.figures["sessions"] + found.figures["conversions"] > 0
    ids = both.of.narrow.ids
    if ids is None:
        return np.zeros(0, dtype=np.int64)
    if by in ids:
        there &= np.isin(found.query, np.array(ids[by], dtype=np.int64))
    return np.flatnonzero(there).astype(np.int64)


def _row(group: Group, known: Mapping[str, bool], worth: float | None, ahead: Ahead | None) -> wire.OutcomeRow:
    told = _outcome(group.figures, known)
    value = None if worth is None else round(group.figures["sessions"] * worth, 2)
    rate = None if told.conversions is None or not told.sessions else told.conversions / told.sessions
    return wire.OutcomeRow(
        **told.model_dump(),
        key=group.key,
        clicks=group.clicks,
        rate=rate,
        value=value,
        **gained(ahead, group.clicks, told.conversions, told.revenue if worth is None else value),
    )


def _outcome(amounts: Mapping[str, float], known: Mapping[str, bool]) -> wire.Outcome:
    told = {name: round(amounts[name], 6) if known[name] else None for name in TAKEN}
    if told["revenue"] is not None:
        told["revenue"] = round(amounts["revenue"] / CENTS, 6)
    return wire.Outcome.model_validate(told)


def answer(site: SiteAccess, asked: wire.OutcomesQuery) -> wire.Outcomes:
    """Answer for a site."""
    return outcomes(site, asked)
