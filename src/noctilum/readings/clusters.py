"""Clusters: the queries of a page or a site joined by what they say."""

from __future__ import annotations

import numpy as np

from noctilum.core.bands import EDGES
from noctilum.core.clusters import Cluster, clusters
from noctilum.core.table import Grouped, SideBySide, side_by_side
from noctilum.readings.frame import Asked, Frame, frame, grain_of
from noctilum.readings.header import change_of, figures, header
from noctilum.readings.holding import Holding
from noctilum.readings.rows_of import Ints, Slice
from noctilum.readings.site_access import SiteAccess, rows_asked
from noctilum.wire import explain as wire
from noctilum.wire import questions as ask

MOST_QUERIES = 4000
"""Only the queries shown most are joined (ours)."""
MOST_NAMED = 10
LOW, OFTEN = EDGES[2], 100


def cluster(held: Holding, asked: Asked, page: Slice | None = None, language: str = "en") -> wire.Clusters:
    """Join queries to clusters with totals, those shown most first.

    language: of stop words and stems. A cluster of a page that is not its main one, is shown 100 times or more
    and placed beyond the first page deserves a page of its own (ours).
    """
    page = page or Slice()
    of = frame(held, asked, ("query",))
    of.refuse_results("Clusters")
    grain = grain_of({"query"} | of.dims)
    both = side_by_side(of.read(grain, ("query",)), of.read(grain, ("query",), before=True))
    top = np.argsort(-both.now.impressions, kind="stable")[:MOST_QUERIES]
    top = top[both.now.impressions[top] > 0]
    texts = held.history.texts("query", both.keys[0][top].tolist())
    found = clusters(texts, both.now.impressions[top].tolist(), language)
    sizes = [sum(int(both.now.impressions[top[at]]) for at in each.members) for each in found]
    order = sorted(range(len(found)), key=lambda n: (-sizes[n], texts[found[n].head]))
    shown = order[page.offset : page.offset + page.limit]
    pages = _pages(of, both.keys[0][[top[at] for n in shown for at in found[n].members]])
    mains = _main_clusters(found, order, both, top, pages)
    return wire.Clusters(
        **header(of, grain),
        rows=[_row(held, of, both, top, texts, found[n], pages, mains) for n in shown],
        offset=page.offset,
        matching=len(found),
        queries=len(texts),
    )


def _pages(of: Frame, queries: Ints) -> Grouped:
    return of.read("pair", ("query", "page"), only={"query": tuple(queries.tolist())})


def _main_clusters(
    found: list[Cluster], order: list[int], both: SideBySide, top: np.ndarray, pages: Grouped
) -> dict[int, int]:
    """Say which cluster has most impressions on each page: page id → head."""
    head_of = {int(both.keys[0][top[at]]): found[n].head for n in order for at in found[n].members}
    sums: dict[tuple[int, int], int] = {}
    for query, page, shown in zip(*(c.tolist() for c in (*pages.keys, pages.impressions)), strict=True):
        key = (page, head_of[query])
        sums[key] = sums.get(key, 0) + shown
    mains: dict[int, int] = {}
    for (page, head), shown in sums.items():
        if page not in mains or shown > sums[page, mains[page]]:
            mains[page] = head
    return mains


def _row(
    held: Holding,
    of: Frame,
    both: SideBySide,
    top: np.ndarray,
    texts: list[str],
    found: Cluster,
    pages: Grouped,
    mains: dict[int, int],
) -> wire.ClusterRow:
    rows = top[list(found.members)]
    now, before = both.now.taken(rows).sums, both.before.taken(rows).sums
    mine = pages.taken(np.isin(pages.keys[0], both.keys[0][rows]))
    page, place = np.unique(mine.keys[1], return_inverse=True)
    weight = np.bincount(place, weights=mine.impressions, minlength=page.size)
    main = int(page[np.argmax(weight)]) if page.size else None
    low = now.position is not None and now.position >= LOW and now.impressions >= OFTEN
    return wire.ClusterRow(
        head=texts[found.head],
        queries=[texts[at] for at in found.members[:MOST_NAMED]],
        size=len(found.members),
        now=figures(now),
        before=figures(before) if of.against else None,
        change=change_of(of.change(now, before)),
        pages=int(page.size),
        own_page=bool(low and main is not None and mains.get(main) != found.head),
        page=held.history.texts("page", [main])[0] if main is not None else None,
    )


def answer(site: SiteAccess, asked: ask.ClustersQuery) -> wire.Clusters:
    """Answer for a site."""
    return cluster(site.holding, site.asked(asked), rows_asked(asked), asked.language)
