"""Clusters: queries that say nearly the same."""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cache, lru_cache
from itertools import chain

import snowballstemmer

from noctilum.core.brand import folded

NEAR = 0.5
"""Token sets with a Jaccard index (Jaccard 1901: shared over all) from here on belong together (ours)."""
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


def clusters(queries: Sequence[str], impressions: Sequence[int], language: str = "en") -> list[Cluster]:
    """Join queries to the head they are nearest to, from 0.5 on; the most shown query becomes the first head.

    Every query is in exactly one cluster; clusters come in the order of their heads' impressions.
    """
    stems = [tokens(query, language) for query in queries]
    order = sorted(range(len(queries)), key=lambda n: (-impressions[n], queries[n]))
    members: list[list[int]] = []
    sizes: list[int] = []
    heads_with: dict[str, list[int]] = defaultdict(list)
    for at in order:
        nearest = _nearest(stems[at], heads_with, sizes)
        if nearest is not None:
            members[nearest].append(at)
            continue
        for stem in stems[at]:
            heads_with[stem].append(len(members))
        sizes.append(len(stems[at]))
        members.append([at])
    return [Cluster(found[0], tuple(found)) for found in members]


def _nearest(stems: frozenset[str], heads_with: Mapping[str, Sequence[int]], sizes: Sequence[int]) -> int | None:
    """Give the cluster with the nearest head from 0.5 on, the earliest of equals; None when none is near enough."""
    shared = Counter(chain.from_iterable(heads_with.get(stem, ()) for stem in stems))
    best, nearest = NEAR, None
    for head, common in shared.items():
        index = common / (len(stems) + sizes[head] - common)
        if index > best or (index == best and (nearest is None or head < nearest)):
            best, nearest = index, head
    return nearest
