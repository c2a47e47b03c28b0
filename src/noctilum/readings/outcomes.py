"""Outcomes: sessions, conversions and revenue from search, shared out to queries by landing page and day."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date
from itertools import zip_longest

import numpy as np

from noctilum.core.brand import brand_mask
from noctilum.core.clusters import clusters
from noctilum.core.filters.rows import result_mask
from noctilum.core.outcomes import SharedOut, shared_out
from noctilum.core.table import Grouped
from noctilum.datasets.visits import ORGANIC
from noctilum.readings.both import SHARED, VISITS, Both, both_of, fields_of_results
from noctilum.readings.header import header
from noctilum.readings.known import known_since
from noctilum.readings.narrow import narrowing
from noctilum.readings.place_up import Ahead, ahead_of, gained
from noctilum.readings.rows_of import Floats, Ints
from noctilum.readings.site_access import SiteAccess, rows_asked
from noctilum.readings.worth import Worth, worth_of
from noctilum.wire import outcomes as wire
from noctilum.wire.readings import Caution
from noctilum.wire.worth import ValueUsed

TAKEN = ("sessions", "conversions", "revenue")
WHOLE = ("page", "country", "device")
"""What visits say of themselves, so that nothing has to be shared out."""
Amounts = Ints | Floats
FILTERED = fields_of_results("clicks", "sessions", *TAKEN[1:])
CENTS = VISITS.measure("revenue").scale


def outcomes(site: SiteAccess, asked: wire.OutcomesQuery) -> wire.Outcomes:
    """Share what organic visits brought out to queries and what they are part of, or list it by page, place or device.

    Raises Nonsense for a filter on anything but queries and pages, NotThere where no visits are held.
    """
    both = both_of(site, asked, FILTERED, ("query", *SHARED))
    goals = known_since(both.visits, VISITS, VISITS.measure("conversions"))
    base = asked.by if asked.by in WHOLE else "query"
    known = _known_names(both, goals)
    worth = None if known["conversions"] else worth_of(site, both)
    found = _whole(both, base, worth) if base in WHOLE else _by_query(both, worth)
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
        groups = _groups(site, both, asked, found, passing, worth)
        groups.sort(key=lambda each: (-each.figures[most], -each.figures["sessions"], each.key))
        rows, matching, ahead = groups[page.offset : page.offset + page.limit], len(groups), []
    out = np.setdiff1d(np.arange(found.query.size), passing)
    total = {name: float(found.figures[name].sum()) + found.unlisted[name] for name in found.figures}
    told = header(both.of, "pair")
    if asked.by == "set":
        told["cautions"] = [*told["cautions"], Caution(code="sets-overlap")]
    return wire.Outcomes(
        **told,
        by=asked.by,
        rows=[_row(each, known, ahead_of) for each, ahead_of in zip_longest(rows, ahead)],
        total=_outcome(total, known),
        rest=_outcome({name: float(found.figures[name][out].sum()) for name in TAKEN}, known),
        unlisted=_outcome(found.unlisted, known),
        listed=1 - found.unlisted["sessions"] / total["sessions"] if total["sessions"] else None,
        days=len(both.days),
        goals_since=goals,
        session_value=site.session_value,
        value=_value(total),
        values=[] if worth is None else _used(both, worth),
        valued=total["valued"] / total["sessions"] if worth is not None and total["sessions"] else None,
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


def _groups(
    site: SiteAccess, both: Both, asked: wire.OutcomesQuery, found: SharedOut, passing: Ints, worth: Worth | None
) -> list[Group]:
    """Put the queries that pass together as they are asked for."""
    if asked.by == "set":
        return _by_set(site, both, found, passing, worth)
    texts = site.history.texts("query", found.query[passing].tolist())
    if asked.by == "brand":
        mask = brand_mask(texts, site.words.brand)
        parts = [("brand", passing[mask]), ("generic", passing[~mask])]
    else:
        joined = clusters(texts, found.listed_clicks[passing].tolist(), asked.language)
        parts = [(texts[each.head], passing[list(each.members)]) for each in joined]
    return [_group(key, found, rows) for key, rows in parts if rows.size]


def _by_set(site: SiteAccess, both: Both, found: SharedOut, passing: Ints, worth: Worth | None) -> list[Group]:
    """Add up each saved set of queries, and each of pages with all that came to them."""
    pages = _whole(both, "page", worth)
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
    figures = {name: float(found.figures[name][rows].sum()) for name in found.figures}
    return Group(key, figures, int(found.listed_clicks[rows].sum()))


def _known_names(both: Both, goals: date | None) -> Mapping[str, bool]:
    """Say which figures are known: nothing is of goals that were first counted after the window, or never."""
    counted = goals is not None and goals <= both.of.window.last
    return {"sessions": True, "conversions": counted, "revenue": counted}


def _came(both: Both, by: tuple[str, ...]) -> Grouped:
    organic = both.of.held.history.term_id("channel", ORGANIC)
    return both.read("visits", by, TAKEN, channel=() if organic is None else (organic,))


def _amounts(came: Grouped, pages: Ints, worth: Worth | None) -> dict[str, Amounts]:
    """Give what came; where the site says what a session is worth, that and of how many sessions it does."""
    taken: dict[str, Amounts] = {name: came.figures[name] for name in TAKEN}
    if worth is not None:
        rate, sessions = worth.of(pages), came.figures["sessions"]
        taken["value"] = sessions * np.nan_to_num(rate)
        taken["valued"] = np.where(np.isnan(rate), 0, sessions)
    return taken


def _used(both: Both, worth: Worth) -> list[ValueUsed]:
    came = _came(both, ("page",))
    return worth.used(came.keys[0], came.figures["sessions"])


def _by_query(both: Both, worth: Worth | None) -> SharedOut:
    came = _came(both, ("page", "day"))
    clicked = both.read("page", ("page", "day"), ("clicks",))
    pairs = both.read("pair", ("page", "day", "query"), ("clicks",))
    page, day, query = pairs.keys
    return shared_out(
        (came.keys[0], came.keys[1]),
        _amounts(came, came.keys[0], worth),
        (clicked.keys[0], clicked.keys[1], clicked.clicks),
        (page, day, query, pairs.clicks),
    )


def _whole(both: Both, by: str, worth: Worth | None) -> SharedOut:
    """Give each page, country or device what it brought: nothing is shared out, and nothing unlisted."""
    came = _came(both, (by,) if by == "page" or worth is None else (by, "page"))
    keys, place = np.unique(came.keys[0], return_inverse=True)
    amounts = _amounts(came, came.keys[-1], worth)
    clicked = both.read("page", (by,), ("clicks",))
    clicks = dict(zip(clicked.keys[0].tolist(), clicked.clicks.tolist(), strict=True))
    heard = np.array([clicks.get(key, 0) for key in keys.tolist()], dtype=np.int64)
    figures = {
        name: np.bincount(place, weights=each, minlength=keys.size).astype(np.float64) for name, each in amounts.items()
    }
    return SharedOut(keys, figures, dict.fromkeys(amounts, 0.0), heard)


def _passing(both: Both, by: str, found: SharedOut) -> Ints:
    """Say which rows to list: those that the filter lets pass and that brought anything."""
    there = found.figures["sessions"] + found.figures["conversions"] > 0
    narrow = both.of.narrow
    if narrow.ids is None:
        return np.zeros(0, dtype=np.int64)
    if by in narrow.ids:
        there &= np.isin(found.query, np.array(narrow.ids[by], dtype=np.int64))
    if narrow.results is not None:
        there &= result_mask(narrow.results, _results(found, both))
    return np.flatnonzero(there).astype(np.int64)


def _results(found: SharedOut, both: Both) -> Mapping[str, Floats]:
    """Give the fields of results of each row; what no goal was counted of is not known."""
    unknown = np.full(found.query.size, np.nan)
    goals = known_since(both.visits, VISITS, VISITS.measure("conversions"))
    counted = _known_names(both, goals)["conversions"]
    conversions = found.figures["conversions"] if counted else unknown
    revenue = found.figures["revenue"] / CENTS if counted else unknown
    return {
        "clicks": found.listed_clicks.astype(np.float64),
        "sessions": found.figures["sessions"],
        "conversions": conversions,
        "revenue": revenue,
    }


def _value(amounts: Mapping[str, float]) -> float | None:
    """Give the estimated value of some sessions; none where none of them was given one."""
    return round(amounts["value"], 6) if amounts.get("valued") else None


def _row(group: Group, known: Mapping[str, bool], ahead: Ahead | None) -> wire.OutcomeRow:
    told = _outcome(group.figures, known)
    value = _value(group.figures)
    rate = None if told.conversions is None or not told.sessions else told.conversions / told.sessions
    return wire.OutcomeRow(
        **told.model_dump(),
        key=group.key,
        clicks=group.clicks,
        rate=rate,
        value=value,
        **gained(ahead, group.clicks, told.conversions, told.revenue if value is None else value),
    )


def _outcome(amounts: Mapping[str, float], known: Mapping[str, bool]) -> wire.Outcome:
    told = {name: round(amounts[name], 6) if known[name] else None for name in TAKEN}
    if told["revenue"] is not None:
        told["revenue"] = round(amounts["revenue"] / CENTS, 6)
    return wire.Outcome.model_validate(told)


def answer(site: SiteAccess, asked: wire.OutcomesQuery) -> wire.Outcomes:
    """Answer for a site."""
    return outcomes(site, asked)
