"""A made-up site held twice: in a history, and as plain rows that are added up one by one.

Whatever a reading says is asked of the plain rows as well, without ids, blocks, rollups or masks.
"""

import unicodedata
from collections import defaultdict
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from datetime import date, timedelta
from pathlib import Path
from typing import NamedTuple

import numpy as np
import pytest
from hypothesis import strategies as st
from tests.kept import copied

from noctilum.core.batch import Coded, DayBatch
from noctilum.core.brand import BrandRule
from noctilum.core.days import DayState
from noctilum.history import DayEntry, History
from noctilum.readings.frame import Asked
from noctilum.readings.holding import Holding, holding
from noctilum.readings.narrow import NamedSet, Words
from noctilum.testing.batches import search_day

SITE = "skerryferries.example"
FIRST, DAYS, PROVISIONAL = date(2025, 10, 20), 130, 3
LAST_HELD = FIRST + timedelta(DAYS - PROVISIONAL - 1)
QUERIES = (
    "skerry ferries", "ronsay ferry", "ferry to ronsay times", "Fähre nach Ronsay", "FERRY TIMES", "boat",
    "how long is the ferry", "ronsay ferries", "marn", "fa\u0308hre", "skerryferries login", "ferry, cheap \"deal\"",
)  # fmt: skip
PAGES = ("/", "/timetables/ronsay", "/timetables/marn", "/de/fähre", "/freight/livestock", "/a b?c=1")
COUNTRIES, DEVICES, KINDS = ("NO", "SE", "DE"), ("mobile", "desktop", "tablet"), ("web", "image")
SETS = {
    "times": NamedSet("Times", "query", 'query has "time"', frozenset({"boat"})),
    "tables": NamedSet("Tables", "page", 'path starts "/timetables/"'),
}
WORDS = Words(BrandRule.read("skerry ferries, skerryferries"), SITE, SETS)
Sums = tuple[int, int, int]


class Row(NamedTuple):
    """One plain row. extra: the second page of a result page, counted by page only. withheld: of no query."""

    source: int
    day: date
    query: str
    page: str
    country: str
    device: str
    kind: str
    clicks: int
    impressions: int
    position_sum: int
    extra: bool
    withheld: bool


class World:
    """A site in a history, and its plain rows."""

    def __init__(
        self, history: History, rows: list[Row], states: dict[date, DayState], sources: tuple[int, ...]
    ) -> None:
        self.history, self.rows, self.states, self.sources = history, rows, states, sources
        self.held: Holding = holding(self.history, self.sources, WORDS)
        self.by_day: dict[date, list[Row]] = defaultdict(list)
        self.seen: dict[str, date] = {}
        for row in self.rows:
            self.by_day[row.day].append(row)
            if not row.withheld:
                self.seen[row.query] = min(row.day, self.seen.get(row.query, row.day))

    def days(self, first: date, last: date) -> list[date]:
        """The held days of a window, in order."""
        return [day for day in span(first, last) if self.states.get(day) is DayState.FINAL]

    def of(self, grain: str, days: Iterable[date], passes: "Passes") -> list[Row]:
        """The rows of a grain on some days that pass a test."""
        return [row for day in set(days) for row in self.by_day[day] if counted(row, grain) and passes(self, row)]


Passes = Callable[[World, Row], bool]


def counted(row: Row, grain: str) -> bool:
    """Say whether a provider counts a row at a grain."""
    if grain in ("query", "pair") and row.withheld:
        return False
    return not (row.extra and grain in ("site", "query"))


def span(first: date, last: date) -> list[date]:
    """Every day from first to last."""
    return [first + timedelta(n) for n in range((last - first).days + 1)]


def add(rows: Iterable[Row]) -> Sums:
    """Add rows up."""
    clicks = impressions = places = 0
    for row in rows:
        clicks, impressions, places = clicks + row.clicks, impressions + row.impressions, places + row.position_sum
    return clicks, impressions, places


def add_by(rows: Iterable[Row], *names: str) -> dict[tuple, Sums]:
    """Add rows up by some of their columns; what has no impressions is left out."""
    parts: dict[tuple, list[Row]] = defaultdict(list)
    for row in rows:
        parts[tuple(getattr(row, name) for name in names)].append(row)
    return {key: add(mine) for key, mine in parts.items()}


def of_figures(figures) -> Sums:
    """Give the sums of figures as they cross HTTP."""
    return figures.clicks, figures.impressions, round(figures.position_sum)


def grain_for(dims: set[str]) -> str:
    """The coarsest grain with these columns."""
    if "query" in dims:
        return "pair" if "page" in dims else "query"
    return "page" if "page" in dims else "site"


def build(folder: Path, seed: int) -> World:
    """Make a site: gaps, provisional days, one or two sources, months compacted or not."""
    rng = np.random.default_rng(seed)
    sources = (1,) if seed % 2 else (1, 2)
    missing = {FIRST + timedelta(int(n)) for n in rng.choice(np.arange(1, DAYS - 10), 6, replace=False)}
    days = [day for day in span(FIRST, FIRST + timedelta(DAYS - 1)) if day not in missing]
    states = {day: DayState.PROVISIONAL if day > LAST_HELD else DayState.FINAL for day in days}
    rows = [row for source in sources for day in days for row in rows_of_day(rng, source, day)]

    def fill(to: Path) -> None:
        history = History(to / "history.db", create=True)
        for source in sources:
            order = list(days)
            rng.shuffle(order)
            for start in range(0, len(order), 25):
                put(history, source, order[start : start + 25], rows, states)
        if seed % 3:
            history.compact(date(2026, 2, 1))
        history.close()

    at = copied(f"world-{seed}", fill, folder / f"world-{seed}")
    return World(History(at / "history.db"), rows, states, sources)


def several(made: pytest.TempPathFactory, seeds: Iterable[int]) -> Iterator[list[World]]:
    """Make sites for the tests of a file, and let go of them after."""
    found = [build(made.mktemp("worlds"), seed) for seed in seeds]
    yield found
    for world in found:
        world.history.close()


def rows_of_day(rng: np.random.Generator, source: int, day: date) -> list[Row]:
    """Make up a day's rows, no two alike in their columns."""
    found = {}
    for _ in range(int(rng.integers(4, 22))):
        key = tuple(str(rng.choice(pool)) for pool in (QUERIES, PAGES, COUNTRIES, DEVICES, KINDS))
        impressions = int(rng.integers(1, 60))
        clicks, place = int(rng.integers(0, impressions + 1)), int(rng.integers(1, 30))
        extra, withheld = bool(rng.random() < 0.15), bool(rng.random() < 0.12)
        found[key] = Row(source, day, *key, clicks, impressions, place * impressions, extra, withheld)
    return list(found.values())


def put(history: History, source: int, days: list[date], rows: list[Row], states: dict[date, DayState]) -> None:
    """Put some days at every grain, as a pull does."""
    entries = []
    for day in days:
        mine = [row for row in rows if row.day == day and row.source == source]
        for grain, dims in GRAINS.items():
            batch = batch_of(grain, day, dims, [row for row in mine if counted(row, grain)])
            entries.append(DayEntry(grain, day, states[day], "1", batch, "2026-03-20T09:00:00+00:00", "test"))
    history.put_days(source, entries)


SMALL = ("country", "device", "kind")
GRAINS = {"site": SMALL, "query": ("query", *SMALL), "page": ("page", *SMALL), "pair": ("query", "page", *SMALL)}


def batch_of(grain: str, day: date, dims: tuple[str, ...], rows: list[Row]) -> DayBatch:
    """Add a day's rows up to a grain."""
    summed = add_by(rows, *dims)
    columns = {name: Coded.of([key[n] for key in summed]) for n, name in enumerate(dims)}
    measures = [np.array([sums[n] for sums in summed.values()], dtype=np.int64) for n in range(3)]
    return search_day(grain, day, columns, *measures)


def folded(text: str) -> str:
    """A text as filters compare it."""
    return unicodedata.normalize("NFC", text).casefold()


@dataclass(frozen=True, repr=False)
class Filter:
    """A filter as it is written, what it means of a plain row, and the columns it looks at."""

    text: str
    passes: Passes
    dims: frozenset[str]

    def __repr__(self) -> str:
        return self.text

    def asked(self, window: str, against: str = "none") -> Asked:
        """Ask with it."""
        return Asked(SITE, window, against, filter=self.text)


def _leaf(text: str, dim: str, passes: Passes) -> Filter:
    return Filter(text, passes, frozenset({dim}))


def _brand(_world: World, row: Row) -> bool:
    return "skerry ferries" in row.query or "skerryferries" in row.query


LEAVES = (
    _leaf("country is NO", "country", lambda _, row: row.country == "NO"),
    _leaf("country in (SE, DE)", "country", lambda _, row: row.country in ("SE", "DE")),
    _leaf("device is not mobile", "device", lambda _, row: row.device != "mobile"),
    _leaf("kind is web", "kind", lambda _, row: row.kind == "web"),
    _leaf('query has "FERRY"', "query", lambda _, row: "ferry" in folded(row.query)),
    _leaf('query has exactly "FERRY"', "query", lambda _, row: "FERRY" in row.query),
    _leaf('query starts "fähre"', "query", lambda _, row: folded(row.query).startswith("fähre")),
    _leaf("query matches /^(boat|marn)$/", "query", lambda _, row: row.query in ("boat", "marn")),
    _leaf("words >= 3", "query", lambda _, row: len(row.query.split()) >= 3),
    _leaf("brand", "query", _brand),
    _leaf('path starts "/timetables/"', "page", lambda _, row: row.page.startswith("/timetables/")),
    _leaf('page is "/"', "page", lambda _, row: row.page == "/"),
    _leaf("set Tables", "page", lambda _, row: row.page.startswith("/timetables/")),
    _leaf("set times", "query", lambda _, row: "time" in folded(row.query) or row.query == "boat"),
    _leaf("first seen >= 2025-10-22", "query", lambda world, row: world.seen[row.query] >= date(2025, 10, 22)),
)


def _both(left: Filter, right: Filter) -> Filter:
    text = f"({left.text}) and ({right.text})"
    return Filter(text, lambda w, row: left.passes(w, row) and right.passes(w, row), left.dims | right.dims)


def _either(left: Filter, right: Filter) -> Filter:
    text = f"({left.text}) or ({right.text})"
    return Filter(text, lambda w, row: left.passes(w, row) or right.passes(w, row), left.dims | right.dims)


def _turned(of: Filter) -> Filter:
    return Filter(f"not ({of.text})", lambda w, row: not of.passes(w, row), of.dims)


EVERYTHING = Filter("", lambda _world, _row: True, frozenset())
filters = st.recursive(
    st.sampled_from((EVERYTHING, *LEAVES)).filter(lambda found: found.text) | st.sampled_from(LEAVES),
    lambda inner: st.one_of(
        st.builds(_both, inner, inner), st.builds(_either, inner, inner), st.builds(_turned, inner)
    ),
    max_leaves=4,
) | st.just(EVERYTHING)


@st.composite
def windows(draw, fewest: int = 1, most: int = DAYS) -> tuple[date, date]:
    """A window inside what is held, or reaching a little over its ends."""
    length = draw(st.integers(fewest, most))
    start = draw(st.integers(-3, DAYS - PROVISIONAL - length // 2))
    first = FIRST + timedelta(start)
    return first, first + timedelta(length - 1)


def written(window: tuple[date, date]) -> str:
    """A window as it is asked for."""
    return f"{window[0]}/{window[1]}"
