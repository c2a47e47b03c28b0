"""Clusters: queries that say nearly the same."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache, lru_cache

import snowballstemmer

from noctilum.core.brand import folded

NEAR = 0.5
"""Token sets with a Jaccard index from here on belong together (ours)."""
_WORD = re.compile(r"\w+")
STOP_WORDS: dict[str, frozenset[str]] = {
    "en": frozenset("a an and at by for from in is it of on or the to with".split()),  # noqa: SIM905
    "de": frozenset("am an auf bei das dem den der die ein eine für im in mit nach und von zu zum zur".split()),  # noqa: SIM905
    "fr": frozenset("à au aux avec dans de des du en et la le les l d pour sur un une".split()),  # noqa: SIM905
    "es": frozenset("a al con de del el en la las los para por un una y".split()),  # noqa: SIM905
}
STEMMERS = {"en": "english", "de": "german", "fr": "french", "es": "spanish", "nb": "norwegian"}


@dataclass(frozen=True)
class Cluster:
    """Hold places of queries that belong together; the head, first, has the most impressions."""

    head: int
    members: tuple[int, ...]


@cache
def _stemmer(language: str) -> object:
    return snowballstemmer.stemmer(STEMMERS.get(language, "english"))


@lru_cache(maxsize=1 << 16)
def tokens(query: str, language: str = "en") -> frozenset[str]:
    """Cut a query into stems: case and accents folded, stop words out; all words when nothing else is left.

    >>> sorted(tokens("The ferries to Ronsay"))
    ['ferri', 'ronsay']
    """
    words = _WORD.findall(folded(query))
    kept = [word for word in words if word not in STOP_WORDS.get(language, frozenset())] or words
    return frozenset(_stemmer(language).stemWords(kept))  # type: ignore[attr-defined]


def jaccard(left: frozenset[str], right: frozenset[str]) -> float:
    """Divide what two sets share by all they hold (Jaccard 1901); two empty sets share nothing."""
    union = len(left | right)
    return len(left & right) / union if union else 0.0


def clusters(queries: Sequence[str], impressions: Sequence[int], language: str = "en") -> list[Cluster]:
    """Join queries to the head they are nearest to, from 0.5 on; the most shown query becomes the first head.

    Every query is in exactly one cluster; clusters come in the order of their heads' impressions.
    """
    stems = [tokens(query, language) for query in queries]
    order = sorted(range(len(queries)), key=lambda n: (-impressions[n], queries[n]))
    heads_with: dict[str, list[int]] = defaultdict(list)
    members: dict[int, list[int]] = {}
    for at in order:
        near = {head for stem in stems[at] for head in heads_with[stem]}
        best = max(near, key=lambda head: (jaccard(stems[at], stems[head]), -order_of(members, head)), default=None)
        if best is not None and jaccard(stems[at], stems[best]) >= NEAR:
            members[best].append(at)
            continue
        members[at] = [at]
        for stem in stems[at]:
            heads_with[stem].append(at)
    return [Cluster(head, tuple(found)) for head, found in members.items()]


def order_of(members: dict[int, list[int]], head: int) -> int:
    """Say how early a head came, by its first member's place; earlier heads win ties."""
    return members[head][0]
