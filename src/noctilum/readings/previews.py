"""Trying a filter or brand terms on a site before they are used: what they find among all it was ever shown for."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt

from noctilum.core.brand import BrandRule, brand_mask, known_by, near, slips
from noctilum.core.errors import Nonsense, worded
from noctilum.core.filters import dimensions, divide, parse, to_form, written
from noctilum.history import History
from noctilum.readings.narrow import Terms, Words
from noctilum.wire import explain
from noctilum.wire import noted as wire

SAMPLES = 20


def try_filter(history: History, words: Words, text: str, item: explain.Item) -> wire.FilterTry:
    """Try a filter against every query or page of a history. What it asks of other things is left out of account."""
    node = parse(text)
    rows = divide(node).rows
    looks_at = dimensions(rows, lambda name: words.named(name).item) if rows else set()
    if rows is None or looks_at != {item}:
        raise Nonsense(
            "not-to-be-tried",
            worded("Only what looks at nothing but the {item} can be tried on it.", item=item),
            where="filter",
            remedy="try its parts one by one, or ask for the breakdown",
        )
    texts = history.all_texts(item)
    mask = Terms(history, words).passing(rows)
    found, left = np.flatnonzero(mask), np.flatnonzero(~mask)
    return wire.FilterTry(
        text=written(node),
        form=to_form(node),
        item=item,
        known=len(texts),
        matching=int(found.size),
        samples=[texts[n] for n in found[:SAMPLES].tolist()],
        others=[texts[n] for n in left[:SAMPLES].tolist()],
    )


def try_brand(queries: Sequence[str], saved: BrandRule, rule: BrandRule, texts: Sequence[str]) -> wire.BrandTry:
    """Try brand terms on all queries a site was ever shown for, and on some texts; saved: the terms now in use."""
    held = brand_mask(queries, rule)
    before = held if saved == rule else brand_mask(queries, saved)
    slipped = slips(queries, rule)
    written = held.copy()
    written[[n for n, _ in slipped]] = False

    def picked(mask: npt.NDArray[np.bool_]) -> list[str]:
        return [queries[n] for n in np.flatnonzero(mask)[:SAMPLES].tolist()]

    return wire.BrandTry(
        terms=list(rule.terms),
        exceptions=list(rule.exceptions),
        known=len(queries),
        matching=int(held.sum()),
        samples=picked(written),
        slips=_variants(queries, slipped),
        near=_variants(queries, near(queries, rule)),
        gained=int((held & ~before).sum()),
        gained_samples=picked(held & ~before),
        lost=int((before & ~held).sum()),
        lost_samples=picked(before & ~held),
        tested=[_tested(text, rule) for text in texts],
    )


def _variants(queries: Sequence[str], found: Sequence[tuple[int, str]]) -> list[wire.BrandVariant]:
    """Gather queries by the words found in them, most queries first."""
    gathered: dict[str, list[int]] = {}
    for number, words in found:
        gathered.setdefault(words, []).append(number)
    most = sorted(gathered.items(), key=lambda each: (-len(each[1]), each[0]))[:SAMPLES]
    return [wire.BrandVariant(words=w, queries=len(ns), sample=queries[ns[0]]) for w, ns in most]


def _tested(text: str, rule: BrandRule) -> wire.BrandTested:
    found = known_by(text, rule)
    if found is None:
        return wire.BrandTested(text=text, brand=False, term=None, how=None)
    return wire.BrandTested(text=text, brand=found.how != "exception", term=found.term, how=found.how)
