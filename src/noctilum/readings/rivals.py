"""Who stands beside a site: share of voice step for step, keyword by keyword, and one domain opened like one's own."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from noctilum.core.errors import NotThere, worded
from noctilum.core.windows import Window
from noctilum.datasets.lookups import TRACKED
from noctilum.history import Question
from noctilum.readings.rank_rows import Listed, Tracked, known, listed, rank_header, steps_of, tracked
from noctilum.readings.site_access import SiteAccess
from noctilum.wire import ranks as wire

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
COMPARED = 6
"""So many domains are compared keyword by keyword."""
MOST_TABLE = 200


@dataclass(frozen=True)
class Seen:
    """Domains at keywords over some days: each of shape (pairs,). rank: average best rank, worth: Σ reference rates."""

    domain: Ints
    keyword: Ints
    seen: Floats
    rank: Floats
    worth: Floats

    def shares(self, weight: Floats) -> dict[int, float]:
        """Give each domain's share of voice: Σ weight × worth over that of all."""
        if not self.domain.size:
            return {}
        return _shares(self.domain, weight[self.keyword] * self.worth)


def _shares(domain: npt.NDArray[np.integer], worth: Floats) -> dict[int, float]:
    """Give each domain's part of all worth; none where there is no worth."""
    earned = np.bincount(domain, weights=worth)
    total = earned.sum()
    domains = np.flatnonzero(np.bincount(domain))
    return dict(zip(domains.tolist(), (earned[domains] / total).tolist(), strict=True)) if total > 0 else {}


def _shares_in(of: Tracked, found: Listed) -> dict[int, float]:
    """Give each domain's share of voice over some days, and nothing else of them."""
    weight = np.append(of.weight, 0.0)[of.of_looks(found.look)]
    mine = weight > 0
    return _shares(found.domain[mine], weight[mine] * found.worth[mine])


def seen_in(of: Tracked, windows: Sequence[Window]) -> list[Seen]:
    """Read whose results stood beside the tracked keywords, over each window."""
    return [_of_keywords(of, each) for each in listed(of.site.history, of.frame.held.sources, windows)]


def _of_keywords(of: Tracked, found: Listed) -> Seen:
    owner = of.of_looks(found.look)
    rows = np.flatnonzero(owner >= 0)
    times = found.seen[rows].astype(np.float64)
    return Seen(
        found.domain[rows].astype(np.int64),
        owner[rows],
        times,
        found.listed[rows] / np.maximum(times, 1),
        found.worth[rows].astype(np.float64),
    )


def voice(site: SiteAccess, asked: wire.VoiceQuery) -> wire.ShareOfVoice:
    """Tell each domain's share of voice, now, before and step for step; and the first ones keyword by keyword."""
    of = tracked(site, asked)
    window, against = of.frame.window, of.frame.against
    steps = steps_of(window, asked.step)
    whole, *by_steps = listed(of.site.history, of.frame.held.sources, [window, *steps])
    now = _of_keywords(of, whole)
    before = seen_in(of, [against])[0] if against else None
    shares, were = now.shares(of.weight), before.shares(of.weight) if before else {}
    by_step = [_shares_in(of, each) for each in by_steps]
    numbers = sorted({*shares, *were}, key=lambda each: (-shares.get(each, 0.0), -were.get(each, 0.0), each))
    texts = dict(zip(numbers, site.history.texts("domain", numbers), strict=True))
    own = own_domain(site)
    named = {each.domain for each in site.competitors()}
    gains = _gains(of, now, before, _number_of(site, own))
    page = numbers[asked.offset : asked.offset + asked.limit]
    compared = _compared(numbers, texts, own, named)
    return wire.ShareOfVoice(
        **rank_header(of.frame, "listings"),
        step=asked.step,
        offset=asked.offset,
        matching=len(numbers),
        steps=[
            wire.VoiceSteps(first=step.first, last=step.last, checks=checks)
            for step, checks in zip(steps, of.checks_in(steps), strict=True)
        ],
        rows=[
            _voice_row(of, number, texts[number], now, (shares, were, before is not None), by_step)
            .model_copy(update={
                "own": texts[number] == own,
                "named": texts[number] in named,
                "gained": gains.get(number, 0),
            })
            for number in page
        ],
        domains=[texts[number] for number in compared],
        table=_table(of, now, compared, _number_of(site, own)),
    )  # fmt: skip


def own_domain(site: SiteAccess) -> str:
    """Name the site as listings do."""
    return site.words.host.partition("/")[0].removeprefix("www.")


def _number_of(site: SiteAccess, domain: str) -> int:
    found = site.history.term_id("domain", domain)
    return -1 if found is None else found


def _voice_row(
    of: Tracked,
    number: int,
    domain: str,
    now: Seen,
    shares: tuple[dict[int, float], dict[int, float], bool],
    by_step: Sequence[dict[int, float]],
) -> wire.VoiceRow:
    mine = now.domain == number
    share, was = shares[0].get(number, 0.0), shares[1].get(number, 0.0) if shares[2] and shares[1] else None
    times = now.seen[mine]
    return wire.VoiceRow(
        domain=domain,
        share=round(share, 6),
        share_before=None if was is None else round(was, 6),
        change=None if was is None else round(share - was, 6),
        keywords=int(mine.sum()),
        top3=int((now.rank[mine] <= 3).sum()),
        average=known(float((now.rank[mine] * times).sum() / times.sum())) if times.sum() else None,
        gained=0,
        named=False,
        own=False,
        shares=[round(step.get(number, 0.0), 6) if step else None for step in by_step],
    )


def _gains(of: Tracked, now: Seen, before: Seen | None, own: int) -> dict[int, int]:
    """Count for each domain the keywords at which it gained while the site lost, by worth a lookup.

    Keywords that were not looked up on one side are left out.
    """
    if before is None:
        return {}
    size = len(of.keywords)
    looked_up = _lookups(of, of.frame.window), _lookups(of, of.frame.against)
    both = (looked_up[0] > 0) & (looked_up[1] > 0)
    codes = [side.domain * size + side.keyword for side in (now, before)]
    pairs = np.unique(np.concatenate(codes))
    change = np.zeros(pairs.size)
    for side, code, times, sign in zip((now, before), codes, looked_up, (1, -1), strict=True):
        change[np.searchsorted(pairs, code)] += sign * side.worth / np.maximum(times[side.keyword], 1)
    domain, keyword = pairs // size, pairs % size
    change[~both[keyword]] = 0.0
    lost = np.zeros(size, dtype=bool)
    lost[keyword[(domain == own) & (change < -1e-9)]] = True
    gained = domain[(domain != own) & (change > 1e-9) & lost[keyword]]
    numbers, many = np.unique(gained, return_counts=True)
    return dict(zip(numbers.tolist(), many.tolist(), strict=True))


def _lookups(of: Tracked, window: Window | None) -> Ints:
    return np.zeros(len(of.keywords), dtype=np.int64) if window is None else of.counts(window)


def _compared(numbers: Sequence[int], texts: dict[int, str], own: str, named: set[str]) -> list[int]:
    """Choose which domains are compared: the site, those named, and those with the largest shares."""
    mine = [number for number in numbers if texts[number] == own]
    others = sorted(
        (number for number in numbers if texts[number] != own),
        key=lambda each: (texts[each] not in named, numbers.index(each)),
    )
    return [*mine, *others][:COMPARED]


def _table(of: Tracked, now: Seen, compared: Sequence[int], own: int) -> list[wire.RivalRow]:
    mine = np.isin(now.domain, [own, *compared])
    pairs = zip(now.domain[mine].tolist(), now.keyword[mine].tolist(), now.rank[mine].tolist(), strict=True)
    ranks = {(domain, keyword): rank for domain, keyword, rank in pairs}
    order = sorted(range(len(of.keywords)), key=lambda at: (-of.weight[at], of.keywords[at].term, of.keywords[at].id))
    return [
        wire.RivalRow(
            number=of.keywords[at].id,
            term=of.keywords[at].term,
            place=of.keywords[at].place,
            device=of.keywords[at].device,
            own=_told(ranks.get((own, at))),
            cells=[_told(ranks.get((number, at))) for number in compared],
        )
        for at in order[:MOST_TABLE]
    ]


def _told(rank: float | None) -> float | None:
    return None if rank is None else round(rank, 1)


def domain(site: SiteAccess, asked: wire.DomainQuery) -> wire.DomainReading:
    """Open a domain like one's own: its keywords with places, its pages by number of keywords. Raises NotThere."""
    of = tracked(site, asked)
    name = asked.domain.strip().lower().removeprefix("www.")
    number = _number_of(site, name)
    if number < 0:
        raise NotThere("never-seen", worded("{name!r} was on no result page.", name=name[:80]), where="domain")
    now, addresses = _of_domain(of, number, of.frame.window)
    before = _of_domain(of, number, of.frame.against)[0] if of.frame.against else {}
    own = _of_domain(of, _number_of(site, own_domain(site)), of.frame.window)[0]
    order = sorted(now, key=lambda at: (now[at][0], of.keywords[at].term, of.keywords[at].id))
    rows = [_domain_row(of, at, now, before, own) for at in order]
    return wire.DomainReading(
        **rank_header(of.frame, "listings"),
        domain=name,
        offset=asked.offset,
        matching=len(rows),
        rows=rows[asked.offset : asked.offset + asked.limit],
        pages=_pages(of, addresses),
    )


Ranks = dict[int, tuple[float, str]]
"""Keyword → (average best rank, its best placed page)."""


def _of_domain(of: Tracked, number: int, window: Window) -> tuple[Ranks, list[tuple[int, str, float]]]:
    """Give a domain's rank and page at each keyword, and (keyword, page, rank) of every pair of them."""
    if number < 0:
        return {}, []
    names = ("domain", *TRACKED, "address")
    sources = of.frame.held.sources
    found = of.site.history.read(
        Question("listings", window.first, window.last, names, {"domain": (number,)}, sources=sources)
    )
    owner = of.owners(found.keys[1:6])
    pages = of.site.history.texts("address", found.keys[6].tolist())
    times, total = found.figures["seen"], found.figures["listed_milli"] / 1000
    ranks: dict[int, list[float]] = {}
    best: Ranks = {}
    pairs = []
    for n in np.flatnonzero(owner >= 0).tolist():
        at, rank = int(owner[n]), float(total[n] / times[n])
        pairs.append((at, pages[n], rank))
        sums = ranks.setdefault(at, [0.0, 0.0])
        sums[0] += float(total[n])
        sums[1] += float(times[n])
        if at not in best or rank < best[at][0]:
            best[at] = rank, pages[n]
    return {at: (sums[0] / sums[1], best[at][1]) for at, sums in ranks.items()}, pairs


def _domain_row(of: Tracked, at: int, now: Ranks, before: Ranks, own: Ranks) -> wire.DomainRow:
    was = before.get(at)
    return wire.DomainRow(
        number=of.keywords[at].id,
        term=of.keywords[at].term,
        place=of.keywords[at].place,
        device=of.keywords[at].device,
        address=now[at][1],
        rank=round(now[at][0], 2),
        before=round(was[0], 2) if was else None,
        change=round(now[at][0] - was[0], 2) if was else None,
        own=round(own[at][0], 2) if at in own else None,
    )


def _pages(of: Tracked, pairs: Sequence[tuple[int, str, float]]) -> list[wire.DomainPage]:
    by_page: dict[str, list[tuple[float, int]]] = {}
    for at, page, rank in pairs:
        by_page.setdefault(page, []).append((rank, at))
    found = [
        wire.DomainPage(
            address=page,
            keywords=len(ranks),
            rank=round(sum(rank for rank, _ in ranks) / len(ranks), 2),
            best=of.keywords[min(ranks)[1]].term,
        )
        for page, ranks in by_page.items()
    ]
    return sorted(found, key=lambda each: (-each.keywords, each.address))
