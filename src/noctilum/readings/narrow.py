"""Narrowing rows: filters and exact texts turned into term ids that the history can look for."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from datetime import date
from functools import lru_cache
from hashlib import blake2b
from typing import Any
from urllib.parse import urlsplit

import numpy as np
import numpy.typing as npt

from noctilum.core.brand import BrandRule, brand_mask
from noctilum.core.errors import Nonsense, NotThere, worded
from noctilum.core.filters import FIELDS, And, Fields, Node, SetTest, Test, dimensions, divide, parse, tests_of
from noctilum.core.filters.periods import day_mask
from noctilum.core.filters.rows import (
    Floats,
    Mask,
    compared,
    number_mask,
    result_mask,
    row_mask,
    term_mask,
)
from noctilum.core.questions import question_mask, word_counts
from noctilum.core.table import Grouped, SideBySide, regrouped
from noctilum.history import History
from noctilum.history.first_seen import NEVER

MOST_UNSEEN = 20
PLURAL = {"query": "queries", "page": "pages"}
Ids = Mapping[str, tuple[int, ...]]


@dataclass(frozen=True)
class NamedSet:
    """A saved set: item is what it names, query or page; by a rule, by a list of texts, or both."""

    name: str
    item: str
    rule: str = ""
    members: frozenset[str] = frozenset()


@dataclass(frozen=True)
class Words:
    """What a site's filters may speak of: its brand, its host, the sets that can be named.

    holidays: those that come back every year on other days, by name, with their days in order.
    """

    brand: BrandRule = field(default_factory=BrandRule)
    host: str = ""
    sets: Mapping[str, NamedSet] = field(default_factory=dict)
    holidays: Mapping[str, tuple[date, ...]] = field(default_factory=dict)

    def __hash__(self) -> int:
        return hash((self.brand, self.host, len(self.sets)))

    @property
    def stamp(self) -> str:
        """Stand for all of it: what is read with the same words is read alike."""
        told = repr(
            (self.brand, self.host, sorted((s.name, s.item, s.rule, sorted(s.members)) for s in self.sets.values()))
        )
        if self.holidays:
            told += repr(sorted(self.holidays.items()))
        return blake2b(told.encode(), digest_size=8).hexdigest()

    def named(self, name: str) -> NamedSet:
        """Find a set by its name, however its letters are cased; raises NotThere."""
        found = self.sets.get(compared(name))
        if found is None:
            known = ", ".join(sorted(each.name for each in self.sets.values()))
            remedy = (
                worded("one of {known}", known=known) if known else "none is saved yet: save one with `noctilum sets`"
            )
            raise NotThere("no-such-set", worded("There is no set {name!r}.", name=name), where="filter", remedy=remedy)
        return found


@dataclass(frozen=True)
class Narrowing:
    """A filter resolved against a site. ids: what every row must have; None when a text was never seen.

    rest: what looks at several dimensions at once and is tried row by row. results: tried after counting.
    dims: the dimensions that any of it looks at. unseen: texts asked for that no row ever had.
    """

    ids: Ids | None
    rest: Node | None
    results: Node | None
    dims: frozenset[str]
    terms: Terms
    unseen: tuple[str, ...] = ()

    @property
    def rest_dims(self) -> set[str]:
        """The dimensions that rest looks at."""
        if self.rest is None:
            return set()
        return dimensions(self.rest, lambda name: self.terms.words.named(name).item, self.terms.fields)

    def taken(self, found: Grouped, by: tuple[str, ...], keep: tuple[str, ...]) -> Grouped:
        """Take the rows that pass rest out of sums grouped by some dimensions, and sum them by fewer."""
        if self.rest is None:
            return found
        columns = dict(zip(by, found.keys, strict=True))
        passing = found.taken(row_mask(self.rest, self.terms.of, columns))
        left = dict(zip(by, passing.keys, strict=True))
        return regrouped([left[name] for name in keep], passing)

    def listed(self, both: SideBySide, times: float = 1.0) -> npt.NDArray[np.intp] | None:
        """Say which rows pass the filter on results; None when there is none. times: what before counts times."""
        if self.results is None:
            return None
        return np.flatnonzero(result_mask(self.results, result_columns(both, times)))


def result_columns(both: SideBySide, times: float = 1.0) -> dict[str, Floats]:
    """Give the fields of results for every row: NaN where they are undefined. Shape (rows,) each."""
    found: dict[str, Floats] = {}
    sides = {"now": both.now, "before": both.before}
    ratios = {name: _ratios(side) for name, side in sides.items()}
    for name in ("clicks", "impressions", "ctr", "position"):
        found[name] = ratios["now"][name]
        before = ratios["before"][name] * (times if name in ("clicks", "impressions") else 1.0)
        found[f"change in {name}"] = ratios["now"][name] - before
    return found


def _ratios(side: Grouped) -> dict[str, Floats]:
    shown = np.where(side.impressions > 0, side.impressions, np.nan)
    return {
        "clicks": side.clicks.astype(np.float64),
        "impressions": side.impressions.astype(np.float64),
        "ctr": side.clicks / shown,
        "position": side.position_milli / 1000 / shown,
    }


@dataclass(frozen=True)
class Terms:
    """The terms of one history, tried against tests; what was tried is kept while no term is new.

    All tries of one instance see as many terms of a dimension as the first did, also when a pull adds some meanwhile.
    """

    history: History
    words: Words
    sources: tuple[int, ...] | None = None
    fields: Fields = field(default_factory=lambda: FIELDS)
    _counts: dict[str, int] = field(default_factory=dict, compare=False, repr=False)

    def of(self, test: Test | SetTest) -> tuple[str, Mask]:
        """Give a test's dimension and which of its terms pass."""
        dimension = self.words.named(test.name).item if isinstance(test, SetTest) else self.fields[test.field].dimension
        assert dimension is not None
        count = self._counts.setdefault(dimension, len(self.history.all_texts(dimension)))
        if isinstance(test, Test) and self.fields[test.field].kind == "day":
            return dimension, self._first_seen(test, dimension, count)
        since = self.history.generation if isinstance(test, SetTest) else 0
        return dimension, _passing(self, test, dimension, count, since)

    def _first_seen(self, test: Test, dimension: str, count: int) -> Mask:
        """Try first days: an older file can change them without a new term, so they are tried each time."""
        days = self.history.first_days(dimension, self.sources)[:count]
        return day_mask(test, days) & (days < NEVER)

    def passing(self, node: Node) -> Mask:
        """Say which terms pass a filter on one dimension."""
        return term_mask(node, self.of)

    def __hash__(self) -> int:
        return hash((id(self.history), self.words, self.sources))


@lru_cache(maxsize=512)
def _passing(terms: Terms, test: Test | SetTest, dimension: str, count: int, generation: int) -> Mask:
    """Try a test on terms; a set's rule may ask when they were first seen, so it is tried anew after each change."""
    if isinstance(test, SetTest):
        return _in_set(terms, terms.words.named(test.name), count)
    kind = terms.fields[test.field].kind
    if kind == "number":
        return number_mask(test, word_counts(terms.history.all_texts(dimension)[:count]))
    if kind == "flag":
        return _flagged(terms.history, test.field, terms.words.brand, count)
    return _tried(test, _texts(terms.history, test.field, dimension, count, test.exactly, terms.words.host))


def _tried(test: Test, texts: Any) -> Mask:
    from noctilum.core.filters.texts import text_mask

    return text_mask(test, texts)


def _in_set(terms: Terms, found: NamedSet, count: int) -> Mask:
    members = Test(found.item, "in", tuple(found.members))
    listed = _tried(members, _texts(terms.history, found.item, found.item, count, False, terms.words.host))
    if not found.rule:
        return listed
    rule = _rule(found.rule)
    check_nesting(rule, terms.words, found.name)
    looks_at = dimensions(rule, lambda name: terms.words.named(name).item)
    if looks_at != {found.item}:
        raise Nonsense(
            "set-unusable",
            worded(
                "The rule of the set {name!r} looks at more than its {plural}.",
                name=found.name,
                plural=PLURAL[found.item],
            ),
        )
    return listed | terms.passing(rule)


MOST_NESTED = 8
"""Sets that name sets go so deep and no deeper."""


def check_nesting(rule: Node, words: Words, name: str) -> None:
    """Refuse a set whose rule leads back to it, or that names sets that name sets too deep.

    Each set that is named is looked into once, however often it is named.
    """
    _nested(rule, words, (name,), {})


def _nested(rule: Node, words: Words, path: tuple[str, ...], known: dict[str, int]) -> int:
    """Say how many levels of sets a rule names; path: the sets that led to it, known: levels found already."""
    levels = 0
    for name in sorted(set_names(rule)):
        inner = words.named(name)
        here = compared(inner.name)
        if here in map(compared, path):
            raise Nonsense(
                "set-circle",
                worded("The sets {what} name each other in a circle.", what=" → ".join((*path, inner.name))),
            )
        if len(path) > MOST_NESTED:
            raise _too_deep(path[0])
        if here not in known:
            known[here] = 1 + (_nested(_rule(inner.rule), words, (*path, inner.name), known) if inner.rule else 0)
        levels = max(levels, known[here])
    if len(path) + levels > MOST_NESTED + 1:
        raise _too_deep(path[0])
    return levels


def _too_deep(name: str) -> Nonsense:
    return Nonsense(
        "set-too-deep",
        worded(
            "The set {name!r} names sets that name sets, more than {most_nested} deep.",
            name=name,
            most_nested=MOST_NESTED,
        ),
        where="rule",
        remedy="write out what the inner sets say",
    )


def set_names(node: Node) -> set[str]:
    """Name the sets that a rule speaks of."""
    return {test.name for test in tests_of(node) if isinstance(test, SetTest)}


@lru_cache(maxsize=1024)
def _rule(text: str) -> Node:
    return parse(text)


@lru_cache(maxsize=64)
def _flagged(history: History, name: str, brand: BrandRule, count: int) -> Mask:
    texts = history.all_texts("query")[:count]
    return brand_mask(texts, brand) if name == "brand" else question_mask(texts)


@lru_cache(maxsize=64)
def _texts(history: History, name: str, dimension: str, count: int, exactly: bool, host: str) -> Any:
    from noctilum.core.filters.texts import comparable

    texts = history.all_texts(dimension)[:count]
    if name == "path":
        texts = [urlsplit(text).path or "/" for text in texts]
    elif name == "host":
        texts = [urlsplit(text).netloc or host for text in texts]
    return comparable(texts, exactly=exactly)


def narrowing(
    history: History,
    where: Mapping[str, str],
    text: str,
    words: Words,
    sources: tuple[int, ...] | None = None,
    fields: Fields = FIELDS,
) -> Narrowing:
    """Resolve exact texts and a filter; sources: those that say when a term was first seen. fields: that it may name.

    Raises FilterFault, Nonsense or NotThere for what cannot be used.
    """
    terms = Terms(history, words, sources, fields)
    exact = _exact(history, where)
    if not text.strip():
        return Narrowing(exact, None, None, frozenset(where), terms, _never_seen(history, where))
    parts = divide(parse(text, fields), fields)

    def item(name: str) -> str:
        return words.named(name).item

    looks_at = dimensions(parts.rows, item, fields) if parts.rows else set()
    ids = None if exact is None else dict(exact)
    rest: list[Node] = []
    masks: dict[str, Mask] = {}
    for part in _joined_parts(parts.rows):
        over = dimensions(part, item, fields)
        if len(over) > 1:
            rest.append(part)
            continue
        (dimension,) = over
        mask = terms.passing(part)
        masks[dimension] = masks[dimension] & mask if dimension in masks else mask
    if ids is not None:
        ids = {**ids, **{name: _both(mask, ids.get(name)) for name, mask in masks.items()}}
    left = None if not rest else rest[0] if len(rest) == 1 else And(tuple(rest))
    unseen = (*_never_seen(history, where), *(_unseen(parts.rows, terms) if parts.rows else ()))
    return Narrowing(ids, left, parts.results, frozenset({*where, *looks_at}), terms, unseen)


def _never_seen(history: History, where: Mapping[str, str]) -> tuple[str, ...]:
    return tuple(text for name, text in where.items() if history.term_id(name, text) is None)


def _unseen(node: Node, terms: Terms) -> Iterator[str]:
    """Give the whole texts a filter asks for that no row ever had, as a country by its name instead of its code."""
    for test in tests_of(node):
        if isinstance(test, Test) and terms.fields[test.field].kind == "text" and test.op in ("is", "is not", "in"):
            alone = (Test(test.field, "is", (value,), test.exactly) for value in test.values[:MOST_UNSEEN])
            yield from (str(each.values[0]) for each in alone if not terms.of(each)[1].any())


def _joined_parts(node: Node | None) -> tuple[Node, ...]:
    """Give the parts that must all hold."""
    if node is None:
        return ()
    return node.parts if isinstance(node, And) else (node,)


def _exact(history: History, where: Mapping[str, str]) -> Ids | None:
    ids: dict[str, tuple[int, ...]] = {}
    for name, text in where.items():
        found = history.term_id(name, text)
        if found is None:
            return None
        ids[name] = (found,)
    return ids


def _both(mask: Mask, exact: tuple[int, ...] | None) -> tuple[int, ...]:
    found = np.flatnonzero(mask).tolist()
    return tuple(found) if exact is None else tuple(number for number in exact if number < mask.size and mask[number])
