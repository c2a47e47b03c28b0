"""Volume and cost of terms beside the rows of readings that name queries, where term facts are held.

A model of rows says by TERM which field names the query; where only some answers are of queries, also which field of
the answer says so, and the value that does.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from datetime import date
from typing import Any

from pydantic import BaseModel

from noctilum.core.facts import Fact
from noctilum.datasets import DATASETS
from noctilum.readings.facts import newest, on_month
from noctilum.readings.site_access import SiteAccess
from noctilum.readings.standing import held_of
from noctilum.wire.keywords import KeywordOut
from noctilum.wire.specs import ReadingSpec

VOLUMES = DATASETS["volumes"]


def beside_terms(site: SiteAccess, spec: ReadingSpec, answer: BaseModel) -> None:
    """Put what is known of each row's term beside it, as of the window's end; rows stay as they are without facts."""
    named = term_field(spec, answer)
    rows: list[Any] = getattr(answer, spec.rows) if named else []
    if not rows:
        return
    through = getattr(getattr(answer, "window", None), "last", None)
    facts = known_facts(site, (getattr(row, named) for row in rows), through)
    for n, row in enumerate(rows):
        fact = facts.get(getattr(row, named))
        if fact is not None:
            rows[n] = row.model_copy(update={"volume": fact.volume, "cpc": round(fact.cpc, 4) if fact.cpc else None})


def term_field(spec: ReadingSpec, answer: BaseModel) -> str:
    """Give the field of an answer's rows that names a query; empty where none does."""
    told: tuple[str, ...] = getattr(spec.row(), "TERM", ())
    if len(told) == 3 and getattr(answer, told[1]) != told[2]:
        return ""
    return told[0] if told else ""


def known_facts(site: SiteAccess, terms: Iterable[str], through: date | None = None) -> Mapping[str, Fact]:
    """Look some terms up in the newest facts up to a day; nothing where none are held."""
    facts = held_of(site, VOLUMES)
    if facts is None:
        return {}
    month = newest(facts, through or facts.complete_through)
    numbers = {text: n for n, text in enumerate(site.history.all_texts("term"))}
    ids = {numbers[term] for term in terms if term in numbers}
    return on_month(site, facts, VOLUMES, month, {"term": tuple(sorted(ids))}) if ids else {}


def with_facts(site: SiteAccess, tracked: Sequence[KeywordOut]) -> list[KeywordOut]:
    """Give keywords of a site the volume and cost that nobody typed, where term facts are held."""
    facts = known_facts(site, (each.term for each in tracked if each.volume is None or each.cpc is None))
    return [_filled(each, facts[each.term]) if each.term in facts else each for each in tracked]


def _filled(keyword: KeywordOut, fact: Fact) -> KeywordOut:
    cost = round(fact.cpc, 4) if fact.cpc else None
    known = {
        "volume": fact.volume if keyword.volume is None else keyword.volume,
        "cpc": cost if keyword.cpc is None else keyword.cpc,
    }
    return keyword.model_copy(update=known)
