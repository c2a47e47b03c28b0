"""Term facts beside what the site gets: volume, cost, share of demand, value; and terms near a word."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import date

import numpy as np

from noctilum.core.facts import Fact, joined_countries, share_of_demand
from noctilum.core.questions import question_mask, word_counts
from noctilum.core.windows import Window, shift_months
from noctilum.datasets import DATASETS
from noctilum.datasets.declaring import Dataset
from noctilum.history import Question
from noctilum.readings.frame import Frame
from noctilum.readings.grains import read
from noctilum.readings.header import header
from noctilum.readings.holding import Holding
from noctilum.readings.rows_of import Slice
from noctilum.readings.site_access import SiteAccess, rows_asked
from noctilum.readings.standing import Only, frame_over, held_of, last_held
from noctilum.wire import facts as wire

VOLUMES, RELATED, QUERY = DATASETS["volumes"], DATASETS["related"], DATASETS["query"]
MONTHS = 12
LONG_FROM = 4
"""Words of a term from which on it is a long one."""


@dataclass(frozen=True)
class Gotten:
    """What a site got of a query in the window."""

    clicks: int
    position: float | None


def terms(site: SiteAccess, asked: wire.TermsQuery) -> wire.Terms:
    """List the terms whose facts are held, with what the site got of them; raises NotThere where none are held."""
    facts = site.held_of(VOLUMES)
    of, got, days = _searched(site, facts, asked.window, asked.language)
    month = _newest(facts, of.window)
    only = _country(site, asked.country)
    months = _by_month(facts, month, only)
    known = {term: found for term, found in months.items() if month in found}
    named = dict(zip(known, site.history.texts("term", list(known)), strict=True))
    wanted = asked.find.casefold()
    rows = [
        _term_row(named[term], found, month, got, days)
        for term, found in known.items()
        if wanted in named[term].casefold()
    ]
    rows.sort(key=lambda row: (-(getattr(row, asked.sort) or 0), row.term))
    values = [row.value for row in rows if row.value is not None]
    part = rows_asked(asked)
    return wire.Terms(
        **header(of, VOLUMES.name, []),
        rows=rows[part.offset : part.offset + part.limit],
        month=month,
        volume=sum(row.volume for row in rows),
        value=round(sum(values), 2) if got is not None else None,
        offset=part.offset,
        matching=len(rows),
    )


def _searched(
    site: SiteAccess, facts: Holding, window: str, language: str
) -> tuple[Frame, Mapping[str, Gotten] | None, int]:
    """Read what the site got of each query in the window, and on how many days; None where no searches are held."""
    held = held_of(site, QUERY) if site.sources else None
    of = frame_over(site, held or facts, window, language)
    if held is None:
        return of, None, 0
    found = of.read("query", ("query",))
    labels = site.history.texts("query", found.keys[0].tolist())
    figures = zip(
        labels,
        found.clicks.tolist(),
        found.figures["impressions"].tolist(),
        found.figures["position_milli"].tolist(),
        strict=True,
    )
    got = {
        query: Gotten(clicks, milli / 1000 / impressions if impressions else None)
        for query, clicks, impressions, milli in figures
    }
    return of, got, len(of.now_days)


def _newest(facts: Holding, window: Window) -> date:
    """Give the newest month known by the window's end, or else the first one there is."""
    return last_held(facts, window.last) or facts.first_held


def _country(site: SiteAccess, country: str | None) -> Only:
    if country is None:
        return {}
    number = site.history.term_id("country", country.upper())
    return {"country": () if number is None else (number,)}


def _by_month(facts: Holding, month: date, only: Only) -> dict[int, dict[date, Fact]]:
    """Read the facts of each term in the twelve months up to one, countries put together."""
    first = shift_months(month, 1 - MONTHS)
    asked = Question(VOLUMES.name, first, month, ("term", "country", "day"), dict(only), frozenset(), facts.sources)
    found = read(facts.history, asked)
    term, _, day = found.keys
    parts: dict[int, dict[date, list[Fact]]] = {}
    rows = zip(term.tolist(), day.tolist(), *_figures(found.figures), strict=True)
    for key, at, volume, cpc in rows:
        parts.setdefault(key, {}).setdefault(date.fromordinal(at), []).append(Fact(volume, cpc))
    return {key: {at: joined_countries(each) for at, each in days.items()} for key, days in parts.items()}


def _figures(figures: Mapping[str, np.ndarray]) -> tuple[list[int], list[float]]:
    """Give volumes and costs, the latter as told."""
    scale = VOLUMES.measure("cpc").scale
    return figures["volume"].tolist(), (figures["cpc"] / scale).tolist()


def _term_row(
    term: str, found: Mapping[date, Fact], month: date, got: Mapping[str, Gotten] | None, days: int
) -> wire.TermRow:
    fact = found[month]
    year = [found.get(shift_months(month, n - MONTHS + 1)) for n in range(MONTHS)]
    told = wire.TermRow(
        term=term,
        volume=fact.volume,
        year=[None if each is None else each.volume for each in year],
        cpc=round(fact.cpc, 4) if fact.cpc else None,
        clicks=None,
        position=None,
        share=None,
        value=None,
    )
    if got is None:
        return told
    mine = got.get(term, Gotten(0, None))
    value = round(mine.clicks * fact.cpc, 2) if fact.cpc else None
    share = share_of_demand(mine.clicks, days, fact.volume)
    return told.model_copy(update={"clicks": mine.clicks, "position": mine.position, "share": share, "value": value})


def answer(site: SiteAccess, asked: wire.TermsQuery) -> wire.Terms:
    """Answer for a site."""
    return terms(site, asked)


def ideas(site: SiteAccess, asked: wire.IdeasQuery) -> wire.Ideas:
    """List terms near a word: those its source relates to it, and those with facts that hold it."""
    facts = held_of(site, RELATED) or site.held_of(VOLUMES)
    of, got, _ = _searched(site, facts, asked.window, asked.language)
    month = _newest(facts, of.window)
    near = {**_holding_word(site, asked.word, month), **_related(site, facts, asked.word, month)}
    tracked = {each.term for each in site.keywords()}
    rows = _idea_rows(near, got or {}, tracked)
    passing = [row for row in rows if _passes(row, asked.only)]
    passing.sort(key=lambda row: (-row.volume, row.term))
    part = Slice(asked.limit, asked.offset)
    return wire.Ideas(
        **header(of, RELATED.name, []),
        word=asked.word,
        rows=passing[part.offset : part.offset + part.limit],
        month=month,
        known=_known_words(site, facts, month),
        new=sum(row.mark == "new" for row in passing),
        offset=part.offset,
        matching=len(passing),
    )


def _related(site: SiteAccess, facts: Holding, word: str, month: date) -> dict[str, Fact]:
    number = site.history.term_id("word", word.casefold())
    if number is None or facts.grain != RELATED.name:
        return {}
    return _on(site, facts, RELATED, month, {"word": (number,)})


def _holding_word(site: SiteAccess, word: str, month: date) -> dict[str, Fact]:
    """Give the terms with facts that hold the word as a word of theirs."""
    facts = held_of(site, VOLUMES)
    day = last_held(facts, month) if facts else None
    if facts is None or day is None:
        return {}
    wanted = word.casefold().split()
    return {
        term: fact
        for term, fact in _on(site, facts, VOLUMES, day, {}).items()
        if set(wanted) <= set(term.casefold().split())
    }


def _on(site: SiteAccess, facts: Holding, kept: Dataset, day: date, only: Only) -> dict[str, Fact]:
    """Read facts of one month by term."""
    found = read(facts.history, Question(kept.name, day, day, ("term", "country"), dict(only), sources=facts.sources))
    parts: dict[int, list[Fact]] = {}
    for term, volume, cpc in zip(found.keys[0].tolist(), *_figures(found.figures), strict=True):
        parts.setdefault(term, []).append(Fact(volume, cpc))
    return dict(zip(site.history.texts("term", list(parts)), map(joined_countries, parts.values()), strict=True))


def _idea_rows(near: Mapping[str, Fact], got: Mapping[str, Gotten], tracked: Iterable[str]) -> list[wire.IdeaRow]:
    names = list(near)
    asks, lengths = question_mask(names), word_counts(names)
    rows = []
    for n, term in enumerate(names):
        mark = "tracked" if term in tracked else "shown" if term in got else "new"
        told = {
            "term": term,
            "mark": mark,
            "volume": near[term].volume,
            "cpc": round(near[term].cpc, 4) if near[term].cpc else None,
            "position": got[term].position if term in got else None,
            "question": bool(asks[n]),
            "words": int(lengths[n]),
        }
        rows.append(wire.IdeaRow.model_validate(told))
    return rows


def _passes(row: wire.IdeaRow, only: str) -> bool:
    if only == "questions":
        return row.question
    if only == "long":
        return row.words >= LONG_FROM
    return only in ("all", row.mark)


def _known_words(site: SiteAccess, facts: Holding, month: date) -> list[str]:
    if facts.grain != RELATED.name:
        return []
    found = read(facts.history, Question(RELATED.name, month, month, ("word",), sources=facts.sources))
    return sorted(site.history.texts("word", found.keys[0].tolist()))


def answer_ideas(site: SiteAccess, asked: wire.IdeasQuery) -> wire.Ideas:
    """Answer for a site."""
    return ideas(site, asked)
