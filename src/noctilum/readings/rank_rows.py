"""The checks of a site's tracked keywords, as columns; and the frame in which a question about them is answered."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from functools import cached_property

import numpy as np
import numpy.typing as npt

from noctilum.core.days import HELD
from noctilum.core.errors import NotThere, worded
from noctilum.core.held_checks import HeldChecks
from noctilum.core.ranks import Choice
from noctilum.core.windows import Bucket, Window, bucket_end, bucket_start, month_end
from noctilum.datasets import DATASETS
from noctilum.datasets.lookups import KIND, TRACKED
from noctilum.history import History, Question
from noctilum.readings.frame import Asked, Frame, frame_at
from noctilum.readings.header import Header, header
from noctilum.readings.narrow import narrowing
from noctilum.readings.site_access import SiteAccess
from noctilum.readings.term_facts import with_facts
from noctilum.wire.keywords import KeywordOut
from noctilum.wire.ranks import TrackedQuery
from noctilum.wire.readings import Caution

Ints = npt.NDArray[np.int32]
Named = tuple[str, str, str, str, str]
_Key = tuple[str, int, tuple[int, ...], Window]
_BOUND = 224 << 20
MOST_ROWS_OF_DAYS = 45
"""Longer windows are added up from their months."""


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

    def looks_of(self, keys: Sequence[npt.NDArray[np.int64]]) -> npt.NDArray[np.int64]:
        """Say what rows are of, by its place among the names; -1 of nothing. keys: their ids as TRACKED."""
        owner = np.full(keys[0].size, -1, dtype=np.int64)
        if not owner.size or not len(self.names):
            return owner
        widths = [max(int(key.max()), int(self.ids[:, n].max())) + 1 for n, key in enumerate(keys)]
        codes = np.zeros(owner.size, dtype=np.int64)
        wanted = np.zeros(len(self.names), dtype=np.int64)
        for n, (key, width) in enumerate(zip(keys, widths, strict=True)):
            codes, wanted = codes * width + key, wanted * width + self.ids[:, n]
        order = np.argsort(wanted)
        place = np.minimum(np.searchsorted(wanted[order], codes), order.size - 1)
        there = wanted[order][place] == codes
        owner[there] = order[place[there]]
        return owner

    @cached_property
    def held(self) -> HeldChecks:
        """The checks, to be asked what stood at a time."""
        return HeldChecks(self.look, self.day, self.rank)


@dataclass(frozen=True)
class Listed:
    """Whose results stood beside what was looked up, over some days, each of shape (pairs of domain and look,).

    look: its place among the names of Looked. seen: lookups; listed: Σ best ranks; worth: Σ reference rates, in
    millionths.
    """

    domain: Ints
    look: Ints
    seen: Ints
    listed: npt.NDArray[np.float32]
    worth: npt.NDArray[np.float32]

    @property
    def nbytes(self) -> int:
        """How much memory the columns take."""
        return sum(each.nbytes for each in (self.domain, self.look, self.seen, self.listed, self.worth))


class _Kept:
    """What was read once, up to a bound, by the file and its generation. Safe to share between threads."""

    def __init__(self) -> None:
        self._held: OrderedDict[Hashable, Looked | Listed] = OrderedDict()
        self._bytes = 0
        self._lock = threading.Lock()

    def get(self, key: Hashable) -> Looked | Listed | None:
        """Give what is kept."""
        with self._lock:
            if key in self._held:
                self._held.move_to_end(key)
            return self._held.get(key)

    def keep(self, key: Hashable, made: Looked | Listed) -> None:
        """Keep it; what was not asked for longest goes first."""
        with self._lock:
            if key in self._held:
                self._bytes -= self._held.pop(key).nbytes
            self._held[key] = made
            self._bytes += made.nbytes
            while len(self._held) > 1 and self._bytes > _BOUND:
                self._bytes -= self._held.popitem(last=False)[1].nbytes

    def forget(self) -> None:
        """Let go of everything."""
        with self._lock:
            self._held.clear()
            self._bytes = 0


_KEPT = _Kept()


def looked(history: History, sources: tuple[int, ...]) -> Looked:
    """Read every check of some sources; what was read is kept until the next change."""
    key = (str(history.path), history.generation, sources)
    found = _KEPT.get(key)
    if not isinstance(found, Looked):
        found = _read(history, sources)
        _KEPT.keep(key, found)
    return found


def listed(history: History, sources: tuple[int, ...], windows: Sequence[Window]) -> list[Listed]:
    """Read whose results stood beside what was looked up, for each window; what was read is kept until the next change.

    Windows of months come from the sums of those; of others the rows are read once for all that are not kept.
    """
    looks = looked(history, sources)
    pieces = {window: _pieces(window) for window in windows}
    if any(len(parts) > 1 for parts in pieces.values()):
        return _joined(history, sources, pieces, len(looks.names) + 1)
    keys = [(str(history.path), history.generation, sources, window) for window in windows]
    found = {key: kept for key in keys if isinstance(kept := _KEPT.get(key), Listed)}
    lacking = [(key, window) for key, window in zip(keys, windows, strict=True) if key not in found]
    loose = [(key, window) for key, window in lacking if not _is_of_months(window)]
    for key, window in lacking:
        if (key, window) not in loose:
            found[key] = _summed(history, sources, looks, window)
    for run in _runs(loose):
        rows = _ListedRows.read(history, sources, looks, [window for _, window in run])
        found |= {key: rows.within(window) for key, window in run}
    for key, _ in lacking:
        _KEPT.keep(key, found[key])
    return [found[key] for key in keys]


def _runs(windows: Sequence[tuple[_Key, Window]]) -> list[list[tuple[_Key, Window]]]:
    """Put windows that follow each other together, so that their rows are read at once and no others."""
    runs: list[list[tuple[_Key, Window]]] = []
    last = date.min
    for key, window in sorted(windows, key=lambda each: each[1].first):
        if runs and window.first <= last + timedelta(1):
            runs[-1].append((key, window))
        else:
            runs.append([(key, window)])
        last = max(last, window.last)
    return runs


def _pieces(window: Window) -> list[Window]:
    """Cut a long window into whole months and what is left at its ends; a short one stays whole."""
    if len(window) <= MOST_ROWS_OF_DAYS or (_is_of_months(window) and len(window) <= 31):
        return [window]
    found, day = [], window.first
    while day <= window.last:
        end = min(month_end(day), window.last)
        found.append(Window(day, end))
        day = end + timedelta(1)
    return found


def _joined(
    history: History, sources: tuple[int, ...], pieces: Mapping[Window, list[Window]], looks: int
) -> list[Listed]:
    """Read windows piece by piece, and add the pieces of each up."""
    every = list(dict.fromkeys(part for parts in pieces.values() for part in parts))
    found = dict(zip(every, listed(history, sources, every), strict=True))
    whole = []
    for window, parts in pieces.items():
        key = (str(history.path), history.generation, sources, window)
        kept = _KEPT.get(key)
        if not isinstance(kept, Listed):
            kept = found[parts[0]] if len(parts) == 1 else _added_up([found[part] for part in parts], looks)
            _KEPT.keep(key, kept)
        whole.append(kept)
    return whole


def _added_up(parts: Sequence[Listed], looks: int) -> Listed:
    codes = np.concatenate([part.domain.astype(np.int64) * looks + part.look + 1 for part in parts])
    pairs, at = np.unique(codes, return_inverse=True)

    def summed(name: str) -> npt.NDArray[np.float64]:
        values = np.concatenate([getattr(part, name) for part in parts]).astype(np.float64)
        return np.bincount(at, weights=values, minlength=pairs.size).astype(np.float64)

    return Listed(
        (pairs // looks).astype(np.int32),
        (pairs % looks - 1).astype(np.int32),
        summed("seen").astype(np.int32),
        summed("listed").astype(np.float32),
        summed("worth").astype(np.float32),
    )


def _is_of_months(window: Window) -> bool:
    return window.first.day == 1 and window.last == month_end(window.last)


def _summed(history: History, sources: tuple[int, ...], looks: Looked, window: Window) -> Listed:
    asked = Question("listings", window.first, window.last, ("domain", *TRACKED), sources=sources)
    read = history.read(asked)
    look = looks.looks_of(read.keys[1:])
    return Listed(
        read.keys[0].astype(np.int32),
        look.astype(np.int32),
        read.figures["seen"].astype(np.int32),
        (read.figures["listed_milli"] / 1000).astype(np.float32),
        read.figures["worth"].astype(np.float32),
    )


@dataclass(frozen=True)
class _ListedRows:
    """Single rows of listings, each of shape (rows,)."""

    code: npt.NDArray[np.int64]
    day: Ints
    listed: npt.NDArray[np.float64]
    worth: npt.NDArray[np.float64]
    looks: int

    @classmethod
    def read(cls, history: History, sources: tuple[int, ...], looks: Looked, windows: Sequence[Window]) -> _ListedRows:
        """Read the rows of the days from the first window to the last."""
        first, last = min(each.first for each in windows), max(each.last for each in windows)
        many = len(looks.names) + 1
        codes, days, ranks, worth = [], [], [], []
        for part in history.rows(Question("listings", first, last, sources=sources), ("domain", *TRACKED, "day")):
            look = looks.looks_of([part.columns[name] for name in TRACKED])
            codes.append(part.columns["domain"] * many + look + 1)
            days.append(part.columns["day"].astype(np.int32))
            ranks.append(part.columns["listed_sum"] / part.scale)
            worth.append(part.columns["worth"].astype(np.float64))
        if not codes:
            none = np.zeros(0)
            return cls(none.astype(np.int64), none.astype(np.int32), none, none, many)
        return cls(np.concatenate(codes), np.concatenate(days), np.concatenate(ranks), np.concatenate(worth), many)

    def within(self, window: Window) -> Listed:
        """Sum the rows of a window."""
        mine = (self.day >= window.first.toordinal()) & (self.day <= window.last.toordinal())
        codes, at, seen = np.unique(self.code[mine], return_inverse=True, return_counts=True)
        return Listed(
            (codes // self.looks).astype(np.int32),
            (codes % self.looks - 1).astype(np.int32),
            seen.astype(np.int32),
            np.bincount(at, weights=self.listed[mine], minlength=codes.size).astype(np.float32),
            np.bincount(at, weights=self.worth[mine], minlength=codes.size).astype(np.float32),
        )


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
        return self.of_looks(self.looked.looks_of(keys))

    def of_looks(self, looks: npt.NDArray[np.integer]) -> npt.NDArray[np.int64]:
        """Say which keyword each of these looks is; -1 for none of them."""
        owner = np.full(len(self.looked.names) + 1, -1, dtype=np.int64)
        mine = np.flatnonzero(self.looks >= 0)
        owner[self.looks[mine]] = mine
        owner[-1] = -1
        found: npt.NDArray[np.int64] = owner[looks]
        return found

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

    @property
    def held(self) -> HeldChecks:
        """Every check of the site, of these keywords and others."""
        return self.looked.held

    def latest(self, last: date) -> tuple[npt.NDArray[np.float64], npt.NDArray[np.bool_]]:
        """Give each keyword's rank at its latest check in the seven days up to one, and whether there is one."""
        return self.held.latest(self.looks, last.toordinal())

    def by_step(
        self, steps: Sequence[Window], choice: Choice = "last"
    ) -> tuple[npt.NDArray[np.float64], npt.NDArray[np.bool_]]:
        """Lay each keyword's checks out by steps that follow each other: (rank, checked), shape (keywords, steps)."""
        ends = [step.last.toordinal() for step in steps]
        return self.held.by_step(self.looks, steps[0].first.toordinal(), ends, choice)

    def counts(self, window: Window) -> npt.NDArray[np.int64]:
        """Count each keyword's checks in a window."""
        return self.held.counts(self.looks, window.first.toordinal(), window.last.toordinal())

    def checks_in(self, windows: Sequence[Window]) -> list[int]:
        """Count the checks of all these keywords in each window."""
        return self.held.many(self.looks, [(each.first.toordinal(), each.last.toordinal()) for each in windows])

    def checks_of(self, at: int, window: Window) -> slice:
        """Say where one keyword's checks of a window stand among all."""
        return self.held.slice_of(int(self.looks[at]), window.first.toordinal(), window.last.toordinal())


def tracked(site: SiteAccess, asked: TrackedQuery) -> Tracked:
    """Find the keywords that a question is about. Raises NotThere where none is tracked, or none was looked up yet."""
    return Tracked(site, frame_of(site, asked), kept_of(site, asked), looked(site.history, site.sources_of(KIND)))


def kept_of(site: SiteAccess, asked: TrackedQuery) -> tuple[KeywordOut, ...]:
    """Pick keywords as a question narrows them; raises NotThere where the site tracks none at all."""
    every = with_facts(site, site.keywords())
    if not every:
        raise NotThere(
            "no-keywords",
            worded("{key} tracks no keyword yet.", key=site.key),
            remedy="add some under Keywords, or with `noctilum keywords`",
        )
    tests = _tests(asked)
    return tuple(each for each in every if all(test(each) for test in tests))


def _tests(asked: TrackedQuery) -> list[Callable[[KeywordOut], bool]]:
    """Give what a question asks of each keyword; nothing where it asks for all."""
    tests: list[Callable[[KeywordOut], bool]] = []
    if asked.device is not None:
        tests.append(lambda keyword: keyword.device == asked.device)
    if asked.place is not None:
        tests.append(lambda keyword: keyword.place == asked.place)
    if asked.track is not None:
        tests.append(lambda keyword: keyword.track == asked.track)
    if asked.on is not None:
        engine = asked.on.lower()
        tests.append(lambda keyword: keyword.engine.lower() == engine)
    if asked.tag is not None:
        tests.append(lambda keyword: asked.tag in keyword.tags)
    if find := asked.find.strip().lower():
        tests.append(lambda keyword: find in keyword.term)
    if asked.pinned:
        tests.append(lambda keyword: keyword.pinned)
    return tests


def frame_of(site: SiteAccess, asked: object) -> Frame:
    """Resolve the windows of a question against the days on which keywords were looked up."""
    window, against = getattr(asked, "window"), getattr(asked, "against", "none")  # noqa: B009
    language = getattr(asked, "language", "en")
    try:
        held = site.held_of(DATASETS["ranks"])
    except NotThere as why:
        raise NotThere(
            "no-checks",
            worded("No keyword of {key} was looked up yet.", key=site.key),
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


def known(value: float) -> float | None:
    """Give a number, or None for NaN."""
    return None if np.isnan(value) else round(float(value), 3)
