"""Term facts beside what the site gets: volume, cost, share of demand, value; and terms near a word."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import date

import numpy as np

from noctilum.core.facts import Fact, joined_countries, share_of_demand
from noctilum.core.questions import question_mask, word_counts
from noctilum.core.table import nothing
from noctilum.core.windows import shift_months
from noctilum.datasets import DATASETS
from noctilum.datasets.declaring import Dataset
from noctilum.history import Question
from noctilum.readings.frame import Frame
from noctilum.readings.grains import read
from noctilum.readings.header import header
from noctilum.readings.holding import Holding
from noctilum.readings.rows_of import Floats, Ints, Slice
from noctilum.readings.site_access import SiteAccess, rows_asked
from noctilum.readings.standing import Only, frame_over, held_of, last_held
from noctilum.wire import facts as wire

VOLUMES, RELATED, QUERY = DATASETS["volumes"], DATASETS["related"], DATASETS["query"]
MONTHS = 12
CENTS = VOLUMES.measure("cpc").scale
LONG_FROM = 4
"""Words of a term from which on it is a long one."""


@dataclass(frozen=True)
class Gotten:
    """What a site got of a query in the window."""

    clicks: int
    position: float | None


@dataclass(frozen=True)
class Known:
    """The facts of terms in one month, countries put together, all of shape (terms,)."""

    terms: Ints
    volume: Ints
    cpc: Floats


def terms(site: SiteAccess, asked: wire.TermsQuery) -> wire.Terms:
    """List the terms whose facts are held, with what the site got of them; raises NotThere where none are held."""
    facts = site.held_of(VOLUMES)
    of, got, days = _searched(site, facts, asked.window, asked.language)
    month, only = newest(facts, of.window.last), _country(site, asked.country)
    known = _known(facts, month, only)
    names = site.history.texts("term", known.terms.tolist())
    wanted = asked.find.casefold()
    rows = np.array([n for n, name in enumerate(names) if wanted in name.casefold()], dtype=np.int64)
    clicks = np.array([got[name].clicks if got and name in got else 0 for name in names], dtype=np.int64)
    share = share_of_demand(clicks, days, known.volume)
    value = np.round(clicks * known.cpc, 2)
    most = {"volume": known.volume, "cpc": known.cpc, "clicks": clicks, "share": share, "value": value}[asked.sort]
    order = rows[np.lexsort((known.terms[rows], -np.nan_to_num(most[rows].astype(np.float64))))]
    part = rows_asked(asked)
    shown = part.of(order)
    years = _years(facts, month, known.terms[shown], only)
    told = []
    for at, n in enumerate(shown.tolist()):
        row = wire.TermRow(
            term=names[n],
            volume=int(known.volume[n]),
            year=years[at],
            cpc=_told_cpc(known.cpc[n]),
            clicks=None,
            position=None,
            share=None,
            value=None,
        )
        if got is not None:
            mine = {"clicks": int(clicks[n]), "position": got[names[n]].position if names[n] in got else None}
            mine |= {"share": None if np.isnan(share[n]) else float(share[n])}
            row = row.model_copy(update={**mine, "value": float(value[n]) if row.cpc is not None else None})
        told.append(row)
    return wire.Terms(
        **header(of, VOLUMES.name, []),
        rows=told,
        month=month,
        volume=int(known.volume[rows].sum()),
        value=round(float(value[rows].sum()), 2) if got is not None else None,
        offset=part.offset,
        matching=int(rows.size),
    )


def _told_cpc(cpc: float) -> float | None:
    return round(float(cpc), 4) if cpc else None


def _known(facts: Holding, month: date, only: Only) -> Known:
    """Read the facts of one month, volumes added up over countries and costs weighted by them."""
    asked = Question(VOLUMES.name, month, month, ("term", "country"), dict(only), sources=facts.sources)
    found = read(facts.history, asked)
    terms, at = np.unique(found.keys[0], return_inverse=True)
    volume, cpc = joined_countries(at, terms.size, found.figures["volume"], found.figures["cpc"] / CENTS)
    return Known(terms, volume, cpc)


def _years(facts: Holding, month: date, terms: Ints, only: Only) -> list[list[int | None]]:
    """Give the volumes of some terms in the twelve months up to one; None for months without."""
    first = shift_months(month, 1 - MONTHS)
    where = {**only, "term": tuple(terms.tolist())}
    asked = Question(VOLUMES.name, first, month, ("term", "day"), where, frozenset(), facts.sources, ("volume",))
    found = read(facts.history, asked) if terms.size else nothing(2, ("volume",))
    known = {
        (term, day): volume
        for term, day, volume in zip(
            found.keys[0].tolist(), found.keys[1].tolist(), found.figures["volume"].tolist(), strict=True
        )
    }
    months = [shift_months(first, n).toordinal() for n in range(MONTHS)]
    return [[known.get((term, each)) for each in months] for term in terms.tolist()]


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


def newest(facts: Holding, through: date) -> date:
    """Give the newest month known by a day, or else the first one there is."""
    return last_held(facts, through) or facts.first_held


def _country(site: SiteAccess, country: str | None) -> Only:
    if country is None:
        return {}
    number = site.history.term_id("country", country.upper())
    return {"country": () if number is None else (number,)}


def answer(site: SiteAccess, asked: wire.TermsQuery) -> wire.Terms:
    """Answer for a site."""
    return terms(site, asked)


def ideas(site: SiteAccess, asked: wire.IdeasQuery) -> wire.Ideas:
    """List terms near a word: those its source relates to it, and those with facts that hold it."""
    facts = held_of(site, RELATED) or site.held_of(VOLUMES)
    of, got, _ = _searched(site, facts, asked.window, asked.language)
    month = newest(facts, of.window.last)
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
    return on_month(site, facts, RELATED, month, {"word": (number,)})


def _holding_word(site: SiteAccess, word: str, month: date) -> dict[str, Fact]:
    """Give the terms with facts that hold the word as a word of theirs."""
    facts = held_of(site, VOLUMES)
    day = last_held(facts, month) if facts else None
    if facts is None or day is None:
        return {}
    wanted = word.casefold().split()
    return {
        term: fact
        for term, fact in on_month(site, facts, VOLUMES, day, {}).items()
        if set(wanted) <= set(term.casefold().split())
    }


def on_month(site: SiteAccess, facts: Holding, kept: Dataset, day: date, only: Only) -> dict[str, Fact]:
    """Read facts of one month by term."""
    found = read(facts.history, Question(kept.name, day, day, ("term", "country"), dict(only), sources=facts.sources))
    terms, at = np.unique(found.keys[0], return_inverse=True)
    volume, cpc = joined_countries(at, terms.size, found.figures["volume"], found.figures["cpc"] / CENTS)
    names = site.history.texts("term", terms.tolist())
    return {name: Fact(v, c) for name, v, c in zip(names, volume.tolist(), cpc.tolist(), strict=True)}


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
            "cpc": _told_cpc(near[term].cpc),
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
