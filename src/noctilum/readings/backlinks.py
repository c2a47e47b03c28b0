"""Who links to a site: what stands, what came and went, and links to pages that are gone."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, timedelta

import numpy as np

from noctilum.core.errors import Nonsense
from noctilum.core.pages import path_on
from noctilum.core.standing import standing_at
from noctilum.core.windows import Window
from noctilum.datasets import DATASETS
from noctilum.history import Question
from noctilum.readings.frame import Frame
from noctilum.readings.grains import read
from noctilum.readings.header import header
from noctilum.readings.holding import Holding
from noctilum.readings.rows_of import Ints
from noctilum.readings.site_access import SiteAccess, rows_asked
from noctilum.readings.standing import Only, first_day, frame_over, held_of, last_held, moves, unknown_days, weeks_of
from noctilum.wire import links as wire

LINKS, SITEMAP, PAGE = DATASETS["links"], DATASETS["sitemap"], DATASETS["page"]
SHOWN_WITHIN = 14
"""A page that was not shown for so many days, and that no sitemap lists, is gone."""


@dataclass(frozen=True)
class Keyed:
    """Links by key, all of shape (keys,)."""

    keys: Ints
    links: Ints
    before: Ints
    gained: Ints
    lost: Ints


def backlinks(site: SiteAccess, asked: wire.BacklinksQuery) -> wire.Backlinks:
    """List who links, or to what, with what came and went in the window.

    Raises NotThere where no links are held, Nonsense for rows of pages that are gone by anything but page.
    """
    if asked.only == "gone" and asked.by != "page":
        raise Nonsense(
            "gone-by-page", "Only pages can be gone.", where="only", remedy="ask for it by page: by=page, only=gone"
        )
    held = site.held_of(LINKS)
    of = frame_over(site, held, asked.window, asked.language)
    only = _narrowed(site, asked)
    found = _by(held, of.window, asked.by, only)
    there = _there(site, held, of.window)
    order = _ordered(found, asked, there)
    page = rows_asked(asked)
    shown = page.of(order)
    weeks = _weeks(held, of.window, only)
    before = _standing_before(held, of.window, only)
    return wire.Backlinks(
        **header(of, LINKS.name),
        by=asked.by,
        rows=_rows(site, of, asked.by, found, shown, there),
        weeks=weeks,
        links=weeks[-1].links,
        links_before=before[0],
        domains=weeks[-1].domains,
        domains_before=before[1],
        gained=int(found.gained.sum()),
        lost=int(found.lost.sum()),
        gone=_to_gone(held, of.window, only, there),
        unknown_days=unknown_days(held, of.window.last),
        offset=page.offset,
        matching=int(order.size),
    )


def _narrowed(site: SiteAccess, asked: wire.BacklinksQuery) -> Only:
    """Say which terms rows must have; a text that was never seen lets nothing pass."""
    where = {"domain": asked.domain, "page": asked.page, "anchor": asked.anchor}
    if asked.page is not None:
        where["page"] = path_on(site.words.host, asked.page)
    found = {}
    for name, text in where.items():
        if text is not None:
            number = site.history.term_id(name, text)
            found[name] = () if number is None else (number,)
    return found


def _by(held: Holding, window: Window, by: str, only: Only) -> Keyed:
    (keys,), began, ended = moves(held, LINKS, Window(held.first_held, window.last), (by,), only)
    gained, lost = np.zeros_like(began), np.zeros_like(ended)
    (inside,), came, went = moves(held, LINKS, window, (by,), only)
    at = np.searchsorted(keys, inside)
    gained[at], lost[at] = came, went
    links = began - ended
    return Keyed(keys, np.maximum(links, 0), np.maximum(links - gained + lost, 0), gained, lost)


@dataclass(frozen=True)
class There:
    """Which pages are there, by term; None where nothing of the kind is held.

    clicks: of those shown in the window; shown: in its last two weeks; listed: in the newest sitemaps.
    """

    clicks: dict[int, int] | None
    shown: frozenset[int] | None
    listed: frozenset[int] | None

    @property
    def known(self) -> bool:
        """Whether anything can be said of a page."""
        return self.shown is not None or self.listed is not None

    def state(self, page: int) -> wire.Where | None:
        """Say whether a page is there."""
        if not self.known:
            return None
        if page in (self.shown or ()) or page in (self.listed or ()):
            return "there"
        return "not shown" if self.listed is None else "gone"


def _there(site: SiteAccess, links: Holding, window: Window) -> There:
    """Look at searches and sitemaps; a window up to the newest links is looked at up to their own newest day."""
    newest = window.last == links.complete_through
    searches = held_of(site, PAGE) if site.sources else None
    through = window.last if searches is None or not newest else searches.complete_through
    clicks = shown = None
    if searches is not None:
        clicks = _clicks(searches, window)
        shown = frozenset(_clicks(searches, Window(through - timedelta(SHOWN_WITHIN - 1), through)))
    return There(clicks, shown, _listed(site, window.last, newest=newest))


def _clicks(held: Holding, window: Window) -> dict[int, int]:
    """Give the clicks of every page shown in a window."""
    asked = Question("page", window.first, window.last, ("page",), sources=held.sources, measures=("clicks",))
    found = read(held.history, asked)
    return dict(zip(found.keys[0].tolist(), found.clicks.tolist(), strict=True))


def _listed(site: SiteAccess, through: date, *, newest: bool) -> frozenset[int] | None:
    held = held_of(site, SITEMAP)
    day = last_held(held, held.complete_through if newest else through) if held else None
    if held is None or day is None:
        return None
    found = read(held.history, Question(SITEMAP.name, day, day, ("page",), sources=held.sources))
    return frozenset(found.keys[0].tolist())


def _ordered(found: Keyed, asked: wire.BacklinksQuery, there: There) -> Ints:
    """Order the rows asked for: the most first, then by key."""
    wanted = {
        "all": (found.links > 0) | (found.gained > 0) | (found.lost > 0),
        "gained": found.gained > 0,
        "lost": found.lost > 0,
        "gone": found.links > 0,
    }[asked.only]
    rows = np.flatnonzero(wanted)
    if asked.only == "gone":
        rows = np.array([n for n in rows.tolist() if there.state(int(found.keys[n])) == "gone"], dtype=np.int64)
    most = {"links": found.links, "gained": found.gained, "lost": found.lost}[asked.sort]
    return rows[np.lexsort((found.keys[rows], -found.gained[rows], -most[rows]))]


def _rows(site: SiteAccess, of: Frame, by: str, found: Keyed, shown: Ints, there: There) -> list[wire.BacklinkRow]:
    keys = found.keys[shown].tolist()
    firsts = site.history.first_days(by, of.held.sources)
    rows = []
    for at, key, label in zip(shown.tolist(), keys, site.history.texts(by, keys), strict=True):
        clicks = there.clicks.get(key, 0) if by == "page" and there.clicks is not None else None
        rows.append(
            wire.BacklinkRow(
                key=label,
                links=int(found.links[at]),
                before=int(found.before[at]),
                gained=int(found.gained[at]),
                lost=int(found.lost[at]),
                first_seen=first_day(firsts, key),
                state=there.state(key) if by == "page" else None,
                clicks=clicks,
            )
        )
    return rows


def _weeks(held: Holding, window: Window, only: Only) -> list[wire.LinkWeek]:
    (keys, days), began, ended = moves(held, LINKS, Window(held.first_held, window.last), ("domain", "day"), only)
    weeks = weeks_of(window)
    ends = np.array([week.last.toordinal() for week in weeks], dtype=np.int64)
    links, domains = standing_at(keys, days, began - ended, ends)
    at = np.searchsorted(ends, days)
    inside = days >= window.first.toordinal()
    came, went = (np.bincount(at[inside], weights=v[inside], minlength=ends.size) for v in (began, ended))
    return [
        wire.LinkWeek(
            first=week.first,
            gained=int(came[n]),
            lost=int(went[n]),
            links=max(0, int(links[n])),
            domains=int(domains[n]),
        )
        for n, week in enumerate(weeks)
    ]


def _standing_before(held: Holding, window: Window, only: Only) -> tuple[int, int]:
    """Count links and domains that stood when the window began."""
    day = window.first - timedelta(1)
    if day < held.first_held:
        return 0, 0
    (_,), began, ended = moves(held, LINKS, Window(held.first_held, day), ("domain",), only)
    net = began - ended
    return max(0, int(net.sum())), int((net > 0).sum())


def _to_gone(held: Holding, window: Window, only: Only, there: There) -> int | None:
    if there.listed is None:
        return None
    found = _by(held, window, "page", only)
    gone = np.array([there.state(key) == "gone" for key in found.keys.tolist()], dtype=bool)
    return int(found.links[gone & (found.links > 0)].sum())


def answer(site: SiteAccess, asked: wire.BacklinksQuery) -> wire.Backlinks:
    """Answer for a site."""
    return backlinks(site, asked)
