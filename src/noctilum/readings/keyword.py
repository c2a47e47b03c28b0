"""One keyword's whole history: its ranks, pages, features, rivals, and the provider's average beside it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import date, timedelta

import numpy as np
import numpy.typing as npt

from noctilum.core.errors import NotThere, worded
from noctilum.core.table import Grouped
from noctilum.core.windows import Window
from noctilum.datasets.lookups import TRACKED
from noctilum.history import Question
from noctilum.readings.cross_check import Days, averages, counted
from noctilum.readings.frame import Frame
from noctilum.readings.rank_rows import Looked, Named, frame_of, looked, name_of, rank_header
from noctilum.readings.site_access import SiteAccess
from noctilum.wire import ranks as wire
from noctilum.wire.keywords import KeywordOut

MOST_RIVALS = 8
BACK = 28


def history(site: SiteAccess, asked: wire.KeywordQuery) -> wire.KeywordHistory:
    """Tell one keyword's history over a window; raises NotThere for one the site does not track."""
    keyword = next((each for each in site.keywords() if each.id == asked.number), None)
    if keyword is None:
        raise NotThere(
            "no-such-keyword",
            worded("{key} has no keyword {number}.", key=site.key, number=asked.number),
            remedy="list them with `noctilum keywords`",
        )
    frame = frame_of(site, asked)
    held = looked(site.history, frame.held.sources)
    ids = _ids(held, name_of(keyword))
    mine = _slice(held, name_of(keyword))
    inside = mine[
        (held.day[mine] >= frame.window.first.toordinal()) & (held.day[mine] <= frame.window.last.toordinal())
    ]
    days = held.day[inside].astype(np.int64)
    provider = averages(site, keyword, frame.window)
    features = _features(site, frame, ids)
    rows = _rows(site, held, inside, provider, features)
    clicks = _clicks(site, keyword, frame.window)
    best, best_day = _best(held, mine)
    return wire.KeywordHistory(
        **rank_header(frame, "ranks"),
        number=keyword.id,
        term=keyword.term,
        engine=keyword.engine,
        track=keyword.track,
        place=keyword.place,
        device=keyword.device,
        target=keyword.page,
        weight=keyword.weight,
        tags=keyword.tags,
        pinned=keyword.pinned,
        volume=keyword.volume,
        cpc=keyword.cpc,
        now=rows[-1].rank if rows else None,
        before=_before(rows),
        best=best,
        best_day=best_day,
        top3_days=int((held.rank[inside] <= 3).sum()),
        found_days=int(np.isfinite(held.rank[inside]).sum()),
        last_day=rows[-1].day if rows else None,
        clicks=clicks[0],
        clicks_before=clicks[1],
        rows=rows,
        rivals=_rivals(site, frame, ids, days),
        cross=counted([each.rank for each in rows], [each.provider for each in rows]),
    )


def _ids(held: Looked, name: Named) -> dict[str, tuple[int, ...]] | None:
    """Give the ids that narrow a dataset to one keyword; None where it was never looked up."""
    at = held.at.get(name)
    if at is None:
        return None
    return {dim: (number,) for dim, number in zip(TRACKED, held.ids[at].tolist(), strict=True)}


def _slice(held: Looked, name: Named) -> npt.NDArray[np.intp]:
    at = held.at.get(name)
    if at is None:
        return np.arange(0)
    whole = held.held.slice_of(at, 1, date.max.toordinal())
    return np.arange(whole.start, whole.stop)


Features = Mapping[int, tuple[list[str], list[str]]]


def _features(site: SiteAccess, frame: Frame, ids: dict[str, tuple[int, ...]] | None) -> Features:
    """Give the features of each day (ordinal): those there, and those of them that led to the site."""
    if ids is None:
        return {}
    window = frame.window
    asked = Question(
        "features", window.first, window.last, by=("feature", "day"), where=ids, sources=frame.held.sources
    )
    found = site.history.read(asked)
    kinds = site.history.texts("feature", found.keys[0].tolist())
    days: dict[int, tuple[list[str], list[str]]] = {}
    for kind, day, owned in zip(kinds, found.keys[1].tolist(), found.figures["owned"].tolist(), strict=True):
        there = days.setdefault(day, ([], []))
        there[0].append(kind)
        if owned:
            there[1].append(kind)
    return days


def _rows(
    site: SiteAccess, held: Looked, inside: npt.NDArray[np.intp], provider: Days, features: Features
) -> list[wire.RankDay]:
    pages = site.history.texts("page", held.page[inside].tolist())
    columns = zip(held.day[inside].tolist(), _told(held.rank[inside]), _told(held.spot[inside]), pages, strict=True)
    rows: dict[int, wire.RankDay] = {}
    for day, rank, spot, page in columns:
        average, shown = provider.get(day, (None, 0))
        there = features.get(day, ([], []))
        rows[day] = wire.RankDay.unchecked(
            day=date.fromordinal(day),
            rank=rank,
            spot=spot,
            page=page,
            provider=None if average is None else round(average, 2),
            impressions=shown,
            features=there[0],
            owned=there[1],
        )
    return list(rows.values())


def _told(ranks: npt.NDArray[np.float32]) -> list[float | None]:
    """Round ranks; None where not found."""
    told = np.round(ranks.astype(np.float64), 3).astype(object)
    told[~np.isfinite(ranks)] = None
    found: list[float | None] = told.tolist()
    return found


def _before(rows: Sequence[wire.RankDay]) -> float | None:
    if not rows:
        return None
    limit = rows[-1].day - timedelta(BACK)
    return next((row.rank for row in reversed(rows) if row.day <= limit), None)


def _best(held: Looked, mine: npt.NDArray[np.intp]) -> tuple[float | None, date | None]:
    rank = held.rank[mine]
    if not np.isfinite(rank).any():
        return None, None
    best = float(np.nanmin(rank))
    return round(best, 3), date.fromordinal(int(held.day[mine][np.flatnonzero(rank == best)[-1]]))


def _clicks(site: SiteAccess, keyword: KeywordOut, window: Window) -> tuple[int | None, int | None]:
    """Give the clicks of the query in the newest 28 days of a window, and in the 28 before; None where not known."""
    number = site.history.term_id("query", keyword.term)
    if number is None or not site.sources:
        return None, None
    last = window.last
    spans = (Window(last - timedelta(BACK - 1), last), Window(last - timedelta(2 * BACK - 1), last - timedelta(BACK)))
    now, before = (
        site.history.read(
            Question("query", span.first, span.last, where={"query": (number,)}, sources=site.sources)
        ).totals.get("clicks", 0)
        for span in spans
    )
    return now, before


def _rivals(
    site: SiteAccess, frame: Frame, ids: dict[str, tuple[int, ...]] | None, days: npt.NDArray[np.int64]
) -> list[wire.Rival]:
    """Give the ranks of the domains that were named and of those that were seen most, best of them first."""
    if ids is None or not days.size:
        return []
    window = frame.window
    asked = Question("listings", window.first, window.last, ("domain", "day"), ids, sources=frame.held.sources)
    found = site.history.read(asked)
    named = {each.domain for each in site.competitors()}
    domains, at = np.unique(found.keys[0], return_inverse=True)
    texts = site.history.texts("domain", domains.tolist())
    seen = np.bincount(at, minlength=domains.size)
    worth = np.bincount(at, weights=found.figures["worth"], minlength=domains.size)
    own = site.words.host.partition("/")[0].removeprefix("www.")
    order = sorted(
        (n for n, text in enumerate(texts) if text != own), key=lambda n: (texts[n] not in named, -worth[n], texts[n])
    )[:MOST_RIVALS]
    listed = np.unique(days)
    return [_rival(found, at == n, texts[n], texts[n] in named, int(seen[n]), listed) for n in order]


def _rival(
    found: Grouped,
    mine: npt.NDArray[np.bool_],
    domain: str,
    named: bool,
    seen: int,
    listed: npt.NDArray[np.int64],
) -> wire.Rival:
    figures, days = found.figures, found.keys[1][mine]
    means = np.round(figures["listed_milli"][mine] / 1000 / np.maximum(figures["seen"][mine], 1), 2)
    at = np.minimum(np.searchsorted(listed, days), listed.size - 1)
    there = listed[at] == days
    placed = np.full(listed.size, None, dtype=object)
    placed[at[there]] = means[there]
    ranks: list[float | None] = placed.tolist()
    return wire.Rival(domain=domain, named=named, seen=seen, now=ranks[-1] if ranks else None, ranks=ranks)
