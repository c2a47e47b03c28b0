"""Whom a feature of result pages leads to: which domains, which of our pages, and how steadily."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
import numpy.typing as npt

from noctilum.core.cited import volatility
from noctilum.core.errors import NotThere, worded
from noctilum.core.found import page_of
from noctilum.core.windows import Window
from noctilum.datasets.lookups import TRACKED
from noctilum.history import Question
from noctilum.readings.rank_rows import Tracked, rank_header, steps_of, tracked
from noctilum.readings.result_features import share_of
from noctilum.readings.rivals import own_domain
from noctilum.readings.site_access import SiteAccess
from noctilum.wire import ranks as wire

Ints = npt.NDArray[np.int64]
OTHERS = 3


@dataclass(frozen=True)
class _Cited:
    """What a feature led to over a window: each of shape (rows,). keyword: its place among those asked about."""

    keyword: Ints
    day: Ints
    domain: Ints
    address: Ints
    led: Ints

    def taken(self, mine: npt.NDArray[np.bool_]) -> _Cited:
        """Keep some rows."""
        return _Cited(self.keyword[mine], self.day[mine], self.domain[mine], self.address[mine], self.led[mine])

    @cached_property
    def by_domain(self) -> Ints:
        """How often each domain was led to, at its number."""
        return np.bincount(self.domain, weights=self.led).astype(np.int64)

    def by_step(self, steps: Sequence[Window], wide: int) -> Ints:
        """How often each domain was led to in each step, shape (steps, wide)."""
        step = np.searchsorted([each.last.toordinal() for each in steps], self.day)
        inside = (self.day >= steps[0].first.toordinal()) & (step < len(steps))
        codes = (step * wide + self.domain)[inside]
        sums = np.bincount(codes, weights=self.led[inside], minlength=len(steps) * wide)
        return sums.astype(np.int64).reshape(len(steps), wide)


@dataclass(frozen=True)
class _Side:
    """One window: what was led to; and each keyword's lookups, those that showed the feature, those that led to us."""

    cited: _Cited
    checks: Ints
    present: Ints
    owned: Ints

    @property
    def share(self) -> float | None:
        """Of lookups that showed the feature, the share that led to the site."""
        return share_of(int(self.owned.sum()), int(self.present.sum()))


def owners(site: SiteAccess, asked: wire.FeatureOwnersQuery) -> wire.FeatureOwners:
    """Tell whom a feature leads to, now, before and step for step; and keyword by keyword. Raises NotThere."""
    of = tracked(site, asked)
    feature = site.history.term_id("feature", asked.feature.strip().lower())
    if feature is None:
        raise NotThere(
            "never-seen", worded("No result page showed {feature!r}.", feature=asked.feature[:40]), where="feature",
            remedy="see `noctilum result-features`",
        )  # fmt: skip
    window, against = of.frame.window, of.frame.against
    now = _side(of, feature, window)
    before = _side(of, feature, against) if against else None
    steps = steps_of(window, asked.step)
    shown = [int(_shown(of, feature, step)[0].sum()) for step in steps]
    found_own = site.history.term_id("domain", own_domain(site))
    own = -1 if found_own is None else found_own
    led = now.cited.by_domain
    every = np.argsort(-led, kind="stable")[: int((led > 0).sum())].tolist()
    page = every[asked.offset : asked.offset + asked.limit]
    unrest = dict(zip(*(each.tolist() for each in volatility(*_sets(now.cited))), strict=True))
    known = [value for value in unrest.values() if np.isfinite(value)]
    return wire.FeatureOwners(
        **rank_header(of.frame, "citations"),
        feature=asked.feature.strip().lower(),
        step=asked.step,
        offset=asked.offset,
        matching=len(every),
        lookups=int(now.present.sum()),
        owned=now.share,
        owned_before=before.share if before else None,
        volatility=round(float(np.mean(known)), 4) if known else None,
        steps=[wire.VoiceSteps(first=s.first, last=s.last, checks=n) for s, n in zip(steps, shown, strict=True)],
        rows=_rows(of, page, (now, before), own, now.cited.by_step(steps, led.size), shown),
        keywords=_keywords(of, (now, before), own, unrest),
    )


def _sets(cited: _Cited) -> tuple[Ints, Ints, Ints]:
    return cited.keyword, cited.day, cited.domain


def _side(of: Tracked, feature: int, window: Window) -> _Side:
    return _Side(_cited(of, feature, window), of.counts(window), *_shown(of, feature, window))


def _shown(of: Tracked, feature: int, window: Window) -> tuple[Ints, Ints]:
    """Count each keyword's lookups that showed the feature, and of them those that led to the site."""
    where = {"feature": (feature,)}
    asked = Question("features", window.first, window.last, TRACKED, where, sources=of.frame.held.sources)
    found = of.site.history.read(asked)
    owner = of.owners(found.keys)
    mine = owner >= 0
    present, owned = (
        np.bincount(owner[mine], weights=found.figures[name][mine], minlength=len(of.keywords)).astype(np.int64)
        for name in ("present", "owned")
    )
    return present, owned


def _cited(of: Tracked, feature: int, window: Window) -> _Cited:
    names = (*TRACKED, "domain", "address", "day")
    asked = Question(
        "citations", window.first, window.last, where={"feature": (feature,)}, sources=of.frame.held.sources
    )
    parts = of.site.history.rows(asked, (*names, "feature"))
    columns = {
        name: np.concatenate([part.columns[name] for part in parts]).astype(np.int64)
        if parts
        else np.zeros(0, dtype=np.int64)
        for name in (*names, "led")
    }
    owner = of.owners([columns[name] for name in TRACKED])
    found = _Cited(owner, columns["day"], columns["domain"], columns["address"], columns["led"])
    return found.taken(owner >= 0)


def _share(side: _Side, domain: int) -> float | None:
    led = side.cited.by_domain
    return share_of(int(led[domain]) if domain < led.size else 0, int(side.present.sum()))


def _rows(
    of: Tracked,
    page: Sequence[int],
    sides: tuple[_Side, _Side | None],
    own: int,
    led: Ints,
    shown: Sequence[int],
) -> list[wire.OwnerRow]:
    now, before = sides
    cited = now.cited.taken(np.isin(now.cited.domain, page))
    addresses = _most_of_each(cited.domain, cited.address, cited.led, 1)
    domains, texts = _texts(of, "domain", page), _texts(of, "address", [each for [each] in addresses.values()])
    keywords = _many_of_each(cited.domain, cited.keyword)
    named = {each.domain for each in of.site.competitors()}
    found = []
    for domain in page:
        is_, was = _share(now, domain) or 0.0, _share(before, domain) if before else None
        found.append(
            wire.OwnerRow(
                domain=domains[domain],
                share=is_,
                share_before=was,
                change=None if was is None else round(is_ - was, 4),
                keywords=keywords[domain],
                address=texts[addresses[domain][0]],
                named=domains[domain] in named,
                own=domain == own,
                shares=[share_of(int(n), whole) for n, whole in zip(led[:, domain], shown, strict=True)],
            )
        )
    return found


def _many_of_each(of: Ints, what: Ints) -> dict[int, int]:
    """Count what differs of each."""
    wide = int(what.max(initial=0)) + 1
    names, many = np.unique(np.unique(of * wide + what) // wide, return_counts=True)
    return dict(zip(names.tolist(), many.tolist(), strict=True))


def _keywords(
    of: Tracked, sides: tuple[_Side, _Side | None], own: int, unrest: dict[int, float]
) -> list[wire.OwnedKeyword]:
    """Tell every keyword that shows the feature, the heaviest first."""
    now, cited = sides[0], sides[0].cited
    ours, rest = cited.taken(cited.domain == own), cited.taken(cited.domain != own)
    pages = _most_of_each(ours.keyword, ours.address, ours.led, 1)
    others = _most_of_each(rest.keyword, rest.domain, rest.led, OTHERS)
    texts = {
        name: _texts(of, name, [number for numbers in found.values() for number in numbers])
        for name, found in (("address", pages), ("domain", others))
    }
    shown = np.flatnonzero(now.present).tolist()
    return [
        _keyword(
            of,
            at,
            sides,
            unrest.get(at),
            [texts["address"][each] for each in pages.get(at, [])],
            [texts["domain"][each] for each in others.get(at, [])],
        )
        for at in sorted(shown, key=lambda at: (-of.keywords[at].weight, of.keywords[at].term, of.keywords[at].id))
    ]


def _texts(of: Tracked, name: str, numbers: Sequence[int]) -> dict[int, str]:
    once = sorted(set(numbers))
    return dict(zip(once, of.site.history.texts(name, once), strict=True)) if once else {}


def _most_of_each(of: Ints, what: Ints, led: Ints, many: int) -> dict[int, list[int]]:
    """Name for each keyword or domain what was led to most often, domains or addresses."""
    if not of.size:
        return {}
    wide = int(what.max()) + 1
    codes, at = np.unique(of * wide + what, return_inverse=True)
    sums = np.bincount(at, weights=led, minlength=codes.size)
    order = np.lexsort((codes, -sums, codes // wide))
    found: dict[int, list[int]] = {}
    for code in codes[order].tolist():
        kept = found.setdefault(code // wide, [])
        if len(kept) < many:
            kept.append(code % wide)
    return found


def _keyword(
    of: Tracked,
    at: int,
    sides: tuple[_Side, _Side | None],
    unrest: float | None,
    pages: Sequence[str],
    others: list[str],
) -> wire.OwnedKeyword:
    now, before = sides
    keyword = of.keywords[at]
    return wire.OwnedKeyword(
        number=keyword.id,
        term=keyword.term,
        place=keyword.place,
        device=keyword.device,
        present=share_of(int(now.present[at]), int(now.checks[at])) or 0.0,
        present_before=share_of(int(before.present[at]), int(before.checks[at])) if before else None,
        owned=share_of(int(now.owned[at]), int(now.present[at])),
        owned_before=share_of(int(before.owned[at]), int(before.present[at])) if before else None,
        page=page_of(of.site.words.host, f"https://{pages[0]}") if pages else "",
        others=others,
        volatility=None if unrest is None or not np.isfinite(unrest) else round(unrest, 4),
    )
