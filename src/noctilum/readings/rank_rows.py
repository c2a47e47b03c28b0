"""The checks of a site's tracked keywords, as columns; and the frame in which a question about them is answered."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Hashable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from functools import cached_property

import numpy as np
import numpy.typing as npt

from noctilum.core.days import HELD
from noctilum.core.errors import NotThere
from noctilum.core.ranks import Checks
from noctilum.core.windows import Bucket, Window, bucket_end, bucket_start
from noctilum.datasets import DATASETS
from noctilum.datasets.lookups import KIND, TRACKED
from noctilum.history import History, Question
from noctilum.readings.frame import Asked, Frame, frame_at
from noctilum.readings.header import Header, header
from noctilum.readings.narrow import narrowing
from noctilum.readings.site_access import SiteAccess
from noctilum.wire.keywords import KeywordOut
from noctilum.wire.ranks import TrackedQuery
from noctilum.wire.readings import Caution

Ints = npt.NDArray[np.int32]
Named = tuple[str, str, str, str, str]
_BOUND = 160 << 20


@dataclass(frozen=True)
class Looked:
    """Every check of a site's history, in order of what was looked up and day.

    names: of what was looked up, as TRACKED; ids: of the same texts, shape (names, 5). look (its place in names), day
    (ordinals), rank and spot (NaN where not found), page (ids), checks: each of shape (checks,).
    """

    names: tuple[Named, ...]
    ids: npt.NDArray[np.int64]
    look: Ints
    day: Ints
    rank: npt.NDArray[np.float32]
    spot: npt.NDArray[np.float32]
    page: Ints
    checks: Ints

    @property
    def nbytes(self) -> int:
        """How much memory the columns take."""
        return sum(each.nbytes for each in (self.look, self.day, self.rank, self.spot, self.page, self.checks))

    @cached_property
    def at(self) -> Mapping[Named, int]:
        """The place of every name."""
        return {name: n for n, name in enumerate(self.names)}

    @cached_property
    def starts(self) -> npt.NDArray[np.intp]:
        """Where the checks of each look begin; one more at the end."""
        return np.searchsorted(self.look, np.arange(len(self.names) + 1))


class _Kept:
    """Checks read once, up to a bound, by the file and its generation. Safe to share between threads."""

    def __init__(self) -> None:
        self._held: OrderedDict[Hashable, Looked] = OrderedDict()
        self._lock = threading.Lock()

    def get(self, key: Hashable) -> Looked | None:
        """Give what is kept."""
        with self._lock:
            if key in self._held:
                self._held.move_to_end(key)
            return self._held.get(key)

    def keep(self, key: Hashable, made: Looked) -> None:
        """Keep it; what was not asked for longest goes first."""
        with self._lock:
            self._held[key] = made
            while len(self._held) > 1 and sum(each.nbytes for each in self._held.values()) > _BOUND:
                self._held.popitem(last=False)


_KEPT = _Kept()


def looked(history: History, sources: tuple[int, ...]) -> Looked:
    """Read every check of some sources; what was read is kept until the next change."""
    key = (str(history.path), history.generation, sources)
    found = _KEPT.get(key)
    if found is None:
        found = _read(history, sources)
        _KEPT.keep(key, found)
    return found


def _read(history: History, sources: tuple[int, ...]) -> Looked:
    asked = Question("ranks", date.min, date.max, sources=sources)
    parts = history.rows(asked, (*TRACKED, "page", "day"))
    columns = {
        name: np.concatenate([part.columns[name] for part in parts]) if parts else np.zeros(0, dtype=np.int64)
        for name in (*TRACKED, "page", "day", "checks", "found")
    }
    rank, spot = (
        np.concatenate([part.columns[name] / part.scale for part in parts]) if parts else np.zeros(0)
        for name in ("rank_sum", "spot_sum")
    )
    look, keys = _numbered([columns[name] for name in TRACKED])
    order = np.lexsort((columns["day"], look))
    found = columns["found"][order]
    weight = np.where(found > 0, found, np.nan)
    return Looked(
        _named(history, keys),
        keys,
        look[order].astype(np.int32),
        columns["day"][order].astype(np.int32),
        (rank[order] / weight).astype(np.float32),
        (spot[order] / weight).astype(np.float32),
        columns["page"][order].astype(np.int32),
        columns["checks"][order].astype(np.int32),
    )


def _numbered(columns: Sequence[npt.NDArray[np.int64]]) -> tuple[npt.NDArray[np.int64], npt.NDArray[np.int64]]:
    """Number rows by what they name: (number of each row, the distinct keys, shape (names, columns))."""
    if not columns[0].size:
        return np.zeros(0, dtype=np.int64), np.zeros((0, len(columns)), dtype=np.int64)
    whole = np.zeros(columns[0].size, dtype=np.int64)
    for column in columns:
        whole = whole * (int(column.max()) + 1) + column
    _, first, number = np.unique(whole, return_index=True, return_inverse=True)
    return number.ravel(), np.stack([column[first] for column in columns], axis=1)


def _named(history: History, keys: npt.NDArray[np.int64]) -> tuple[Named, ...]:
    texts = [history.texts(name, keys[:, n].tolist()) for n, name in enumerate(TRACKED)]
    return tuple(zip(*texts, strict=True)) if len(keys) else ()


def name_of(keyword: KeywordOut) -> Named:
    """Name a keyword as the history does."""
    return keyword.term, keyword.track, keyword.place, keyword.device, keyword.engine


@dataclass(frozen=True)
class Tracked:
    """The keywords a question is about, with the frame it is answered in."""

    site: SiteAccess
    frame: Frame
    keywords: tuple[KeywordOut, ...]
    looked: Looked

    @cached_property
    def looks(self) -> npt.NDArray[np.int64]:
        """The place of each keyword among the looks; -1 for one never looked up."""
        return np.array([self.looked.at.get(name_of(each), -1) for each in self.keywords], dtype=np.int64)

    def owners(self, keys: Sequence[npt.NDArray[np.int64]]) -> npt.NDArray[np.int64]:
        """Say of which of these keywords rows are; -1 of none. keys: their ids as TRACKED, each of shape (rows,)."""
        owner = np.full(keys[0].size, -1, dtype=np.int64)
        mine = np.flatnonzero(self.looks >= 0)
        if not owner.size or not mine.size:
            return owner
        ids = self.looked.ids[self.looks[mine]]
        widths = [max(int(key.max()), int(ids[:, n].max())) + 1 for n, key in enumerate(keys)]
        codes, wanted = np.zeros(owner.size, dtype=np.int64), np.zeros(mine.size, dtype=np.int64)
        for n, (key, width) in enumerate(zip(keys, widths, strict=True)):
            codes, wanted = codes * width + key, wanted * width + ids[:, n]
        order = np.argsort(wanted)
        place = np.minimum(np.searchsorted(wanted[order], codes), mine.size - 1)
        there = wanted[order][place] == codes
        owner[there] = mine[order][place[there]]
        return owner

    @cached_property
    def weight(self) -> npt.NDArray[np.float64]:
        """The weight of each keyword."""
        return np.array([each.weight for each in self.keywords], dtype=np.float64)

    @cached_property
    def volume(self) -> npt.NDArray[np.float64]:
        """The searches a month of each keyword; NaN where not known."""
        return np.array([np.nan if each.volume is None else each.volume for each in self.keywords], dtype=np.float64)

    @cached_property
    def price(self) -> npt.NDArray[np.float64]:
        """What a click would cost, of each keyword; NaN where not known."""
        return np.array([np.nan if each.cpc is None else each.cpc for each in self.keywords], dtype=np.float64)

    @cached_property
    def _rows(self) -> tuple[npt.NDArray[np.intp], npt.NDArray[np.int64]]:
        """Which checks are of these keywords, and of which of them."""
        of_look = np.full(len(self.looked.names) + 1, -1, dtype=np.int64)
        of_look[self.looks] = np.arange(len(self.keywords))
        of_look[-1] = -1
        owner = of_look[self.looked.look]
        rows = np.flatnonzero(owner >= 0)
        return rows, owner[rows]

    @cached_property
    def checks(self) -> Checks:
        """Every check of these keywords."""
        rows, owner = self._rows
        return Checks(owner, self.looked.day[rows].astype(np.int64), self.looked.rank[rows].astype(np.float64))

    @cached_property
    def pages(self) -> npt.NDArray[np.int64]:
        """The id of the page found at each check."""
        return self.looked.page[self._rows[0]].astype(np.int64)


def tracked(site: SiteAccess, asked: TrackedQuery) -> Tracked:
    """Find the keywords that a question is about. Raises NotThere where none is tracked, or none was looked up yet."""
    return Tracked(site, frame_of(site, asked), kept_of(site, asked), looked(site.history, site.sources_of(KIND)))


def kept_of(site: SiteAccess, asked: TrackedQuery) -> tuple[KeywordOut, ...]:
    """Pick keywords as a question narrows them; raises NotThere where the site tracks none at all."""
    every = site.keywords()
    if not every:
        raise NotThere(
            "no-keywords",
            f"{site.key} tracks no keyword yet.",
            remedy="add some under Keywords, or with `noctilum keywords`",
        )
    return tuple(each for each in every if _wanted(each, asked))


def _wanted(keyword: KeywordOut, asked: TrackedQuery) -> bool:
    exact = (
        (asked.device, keyword.device),
        (asked.place, keyword.place),
        (asked.track, keyword.track),
        (asked.on and asked.on.lower(), keyword.engine.lower()),
    )
    return (
        all(wanted is None or wanted == is_ for wanted, is_ in exact)
        and (asked.tag is None or asked.tag in keyword.tags)
        and asked.find.strip().lower() in keyword.term
        and (keyword.pinned or not asked.pinned)
    )


def frame_of(site: SiteAccess, asked: object) -> Frame:
    """Resolve the windows of a question against the days on which keywords were looked up."""
    window, against = getattr(asked, "window"), getattr(asked, "against", "none")  # noqa: B009
    language = getattr(asked, "language", "en")
    try:
        held = site.held_of(DATASETS["ranks"])
    except NotThere as why:
        raise NotThere(
            "no-checks",
            f"No keyword of {site.key} was looked up yet.",
            remedy="connect lookups under Sources, then check now",
        ) from why
    put = Asked(site.key, window, against, {}, "", language)
    return frame_at(held, put, narrowing(site.history, {}, "", site.words, held.sources))


def rank_header(of: Frame, grain: str) -> Header:
    """Give the fields that every reading has, with what is to be known of days without checks."""
    return header(of, grain, _cautions(of))


def _cautions(of: Frame) -> list[Caution]:
    """Say on how many days keywords were looked up: one that lies between two weekly checks is no gap in anything."""
    found = []
    held = sum(of.held.states.get(day) in HELD for day in of.window.days())
    if held < len(of.window):
        found.append(Caution(code="checks-lacking", facts={"held": held, "days": len(of.window)}))
    if of.against is not None and of.against.last < of.held.first_held:
        found.append(Caution(code="comparison-not-held", facts={"first_held": of.held.first_held}))
    return found


_BUCKETS = {"day": Bucket.DAY, "week": Bucket.WEEK, "month": Bucket.MONTH}


def steps_of(window: Window, step: str) -> list[Window]:
    """Cut a window into days, weeks from Monday or months.

    A part at its beginning is left out where whole steps follow; the last may be a part.
    """
    bucket = _BUCKETS[step]
    found: list[Window] = []
    day = window.first
    if (whole := bucket_start(day, bucket)) != day and bucket_end(whole, bucket) < window.last:
        day = bucket_end(whole, bucket) + timedelta(1)
    while day <= window.last:
        end = min(bucket_end(bucket_start(day, bucket), bucket), window.last)
        found.append(Window(day, end))
        day = end + timedelta(1)
    return found


def ends_of(steps: Sequence[Window]) -> npt.NDArray[np.int64]:
    """Give the last day of each step, as ordinals."""
    return np.array([step.last.toordinal() for step in steps], dtype=np.int64)


def known(value: float) -> float | None:
    """Give a number, or None for NaN."""
    return None if np.isnan(value) else round(float(value), 3)
