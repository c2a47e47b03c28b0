"""One seeded model of searching: demand, seasons, ranks and clicks of a made-up site, day by day.

The same seed, anchor and day give the same rows, in whatever order days are asked for.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from functools import cached_property, lru_cache
from threading import Lock

import numpy as np
import numpy.typing as npt

from noctilum.standins.worlds import NEWEST, OLDEST, WORLDS, Story, World, pages, phrases

Ints = npt.NDArray[np.int64]
Floats = npt.NDArray[np.float64]

GRAINS = ("site", "query", "page", "pair", "look")
DEVICES = ("mobile", "desktop", "tablet")
DEVICE_SHARE = np.array([0.61, 0.34, 0.05])
WITHHELD_BELOW = 3
"""A query shown fewer times than this in a day, over all places and devices, is withheld."""
_CLICK_RATES = np.array([0.31, 0.17, 0.105, 0.072, 0.054, 0.043, 0.035, 0.029, 0.024, 0.021])
_SEASON = {
    "flat": (0.0, 0.0),
    "summer": (0.75, 196.0),
    "spring": (0.55, 135.0),
    "autumn": (0.5, 280.0),
    "winter": (0.6, 15.0),
}


@dataclass(frozen=True)
class Grain:
    """Hold one day at one grain: columns of codes into names, and the sums of clicks, impressions and positions."""

    codes: Mapping[str, Ints]
    names: Mapping[str, tuple[str, ...]]
    sums: tuple[Ints, Ints, Ints]

    @cached_property
    def texts(self) -> Mapping[str, list[str]]:
        """The columns as texts."""
        return {name: [self.names[name][at] for at in codes.tolist()] for name, codes in self.codes.items()}

    @cached_property
    def clicks(self) -> list[int]:
        """Clicks of each row."""
        return _listed(self.sums[0])

    @cached_property
    def impressions(self) -> list[int]:
        """Impressions of each row."""
        return _listed(self.sums[1])

    @cached_property
    def position_sum(self) -> list[int]:
        """Positions of each row, added up over its impressions."""
        return _listed(self.sums[2])


def _listed(values: Ints) -> list[int]:
    found: list[int] = values.tolist()
    return found


class SearchModel:
    """Answer for any day what a world's site was shown and clicked for."""

    def __init__(self, world: World, anchor: date) -> None:
        self.world, self.anchor = world, anchor
        rng = np.random.default_rng([world.seed, 1])
        spelled = [(text, share, topic) for topic in world.topics for text, share in phrases(topic)]
        unique = {text: (share, topic) for text, share, topic in reversed(spelled)}
        self.queries = tuple(unique)
        topics = [topic for _, topic in unique.values()]
        self.pages = known = tuple(pages(world))
        self._page = np.array([known.index(t.page) for t in topics])
        self._second = np.array([known.index(t.second) if t.second else -1 for t in topics])
        jitter = rng.lognormal(0, 0.35, len(topics))
        self._demand = np.array([share * t.demand for share, t in unique.values()]) * world.size * jitter
        self._place = np.array([t.place for t in topics]) * rng.lognormal(0, 0.28, len(topics))
        self._place = np.where([t.brand for t in topics], np.minimum(self._place, 1.4), self._place)
        self._appeal = np.array([t.appeal for t in topics]) * rng.lognormal(0, 0.18, len(topics))
        self._season = np.array([_SEASON[t.season] for t in topics])
        self._image = rng.random(len(topics)) < 0.03
        tilts = {language: _country_tilt(world, language) for language in {t.language for t in topics}}
        self._abroad = np.array([tilts[t.language] for t in topics])
        self._born, self._gone = self._lives(rng)
        self._drift = self._drifts(rng)
        self._codes, weights = zip(*world.countries, strict=True)
        cells = np.asarray(weights)[None, :, None] * self._abroad[:, :, None] * DEVICE_SHARE[None, None, :]
        cells = cells.reshape(len(topics), -1)
        self._cells_sum = cells.sum(axis=1)
        self._cells = cells / self._cells_sum[:, None]
        self._masks: dict[str, npt.NDArray[np.bool_]] = {}

    def _lives(self, rng: np.random.Generator) -> tuple[Ints, Ints]:
        """A sixth of the rarer queries is born within the span, and a tenth dies."""
        size = len(self.queries)
        fleeting = self._demand < np.quantile(self._demand, 0.8)
        born = np.where(fleeting & (rng.random(size) < 0.17), rng.integers(OLDEST, 0, size), OLDEST)
        gone = np.where(
            fleeting & (rng.random(size) < 0.10),
            rng.integers(OLDEST, NEWEST, size),
            NEWEST,
        )
        return born, gone

    def _drifts(self, rng: np.random.Generator) -> npt.NDArray[np.float32]:
        """Smooth wandering of each page's and query's log rank (AR(1), steps of a day); shape (days, queries)."""
        days = NEWEST - OLDEST + 1
        page = _wander(rng, len(self.pages), days, 0.985, 0.018)
        query = _wander(rng, len(self.queries), days, 0.96, 0.030)
        query += page[:, self._page]
        return query

    def page_of(self, query: int) -> int:
        """Say which page a query leads to."""
        return int(self._page[query])

    def usual_demand(self) -> Floats:
        """Give each query's impressions on a usual day, whoever's page is shown."""
        return self._demand

    def second_of(self, query: int) -> int:
        """Say which page is sometimes shown besides; -1 for none."""
        return int(self._second[query])

    def ranks(self, offset: int) -> tuple[Floats, Floats, npt.NDArray[np.bool_]]:
        """Give each query's rank, appeal and whether its page is there, on a day counted from the anchor."""
        place = self._place * np.exp(self._drift[offset - OLDEST])
        appeal = self._appeal.copy()
        there = (self._born <= offset) & (offset < self._gone)
        for story in self.world.stories:
            part = _part_done(story, offset)
            if part == 0:
                continue
            mine = self._of_pages(story.page)
            place = np.where(mine, place * story.places**part, place)
            appeal = np.where(mine, appeal * story.appeal**part, appeal)
            if story.gone:
                there &= ~mine
        return np.clip(place, 1.0, 95.0), appeal, there

    def _of_pages(self, path: str) -> npt.NDArray[np.bool_]:
        """Say which queries have a page; with a * at the end, a page that begins so."""
        if path not in self._masks:
            self._masks[path] = self._with_pages(path)
        return self._masks[path]

    def _with_pages(self, path: str) -> npt.NDArray[np.bool_]:
        head = path.rstrip("*")
        pages = [n for n, page in enumerate(self.pages) if page == head or (path != head and page.startswith(head))]
        return np.isin(self._page, pages)

    def _asked_more(self, offset: int) -> Floats:
        """What stories multiply each query's demand by on a day."""
        more = np.ones(len(self.queries))
        for story in self.world.stories:
            part = _part_done(story, offset)
            if story.shown != 1.0 and part > 0:
                more[self._of_pages(story.page)] *= story.shown**part
        return more

    def day(self, day: date, share: float = 1.0, grains: Sequence[str] = GRAINS) -> dict[str, Grain]:
        """Give one day at some grains. share below 1: only so much of it is counted as yet."""
        offset = (day - self.anchor).days
        if not OLDEST <= offset <= NEWEST:
            raise ValueError(f"{day} is outside of this world, {OLDEST} to {NEWEST} days from {self.anchor}")
        rng = np.random.default_rng([self.world.seed, 2, day.toordinal()])
        place, appeal, there = self.ranks(offset)
        expected = self._expected(day, offset, place, rng) * there
        codes = self._codes
        query, country, device, impressions = self._shown(rng, expected)
        tilts = dict(self.world.country_places)
        tilted = np.array([tilts.get(code, 1.0) for code in codes])
        at = np.clip(
            place[query] * tilted[country]
            + np.asarray(self.world.device_places)[device]
            + rng.normal(0, 0.35, query.size),
            1,
            100,
        )
        sums = np.maximum(np.rint(at * impressions).astype(np.int64), impressions)
        rate = click_rate(sums / impressions) * appeal[query]
        clicks = rng.binomial(impressions, np.clip(rate, 0, 0.75))
        if share < 1:
            counted = rng.binomial(impressions, share)
            clicks = np.minimum(rng.binomial(clicks, share), counted)
            sums = np.maximum(np.rint(sums / impressions * counted).astype(np.int64), counted)
            keep = counted > 0
            query, country, device = query[keep], country[keep], device[keep]
            impressions, clicks, sums = counted[keep], clicks[keep], sums[keep]
        make = self._grains(rng, offset, codes, query, country, device, clicks, impressions, sums)
        make["look"] = lambda: self._looks(day, offset, (query, country, device), (clicks, impressions, sums))
        return {grain: make[grain]() for grain in grains}

    def _shown(self, rng: np.random.Generator, expected: Floats) -> tuple[Ints, Ints, Ints, Ints]:
        """Draw what each query is shown, and part it by place and device; gives query, country, device, impressions.

        A Poisson number parted by chance is a Poisson number in each part.
        """
        often = rng.poisson(expected * self._cells_sum)
        asked = np.flatnonzero(often)
        parted = rng.multinomial(often[asked], self._cells[asked])
        at, cell = np.nonzero(parted)
        country, device = np.divmod(cell, len(DEVICES))
        return asked[at], country, device, parted[at, cell]

    def _looks(self, day: date, offset: int, rows: tuple[Ints, Ints, Ints], counts: tuple[Ints, Ints, Ints]) -> Grain:
        """Count what was shown in other looks than a plain result; whatever falls to one look is out of the next."""
        rng = np.random.default_rng([self.world.seed, 4, day.toordinal()])
        query, country, device = rows
        clicks, impressions, sums = counts
        left, left_clicks = impressions.copy(), clicks.copy()
        parts = [np.zeros((6, 0), dtype=np.int64)]
        for number, look in enumerate(self.world.looks):
            mine = self._of_pages(look.page)[query] & ~self._image[query] & (offset >= look.first)
            clicked = rng.binomial(left_clicks, np.where(mine, min(1.0, look.share * look.clicked), 0.0))
            shown = clicked + rng.binomial(left - left_clicks, np.where(mine, look.share, 0.0))
            left, left_clicks = left - shown, left_clicks - clicked
            at = np.flatnonzero(shown)
            places = np.maximum(np.rint(sums[at] / impressions[at] * shown[at]).astype(np.int64), shown[at])
            parts.append(np.stack([np.full(at.size, number), country[at], device[at], clicked[at], shown[at], places]))
        look_of, where, on, *sums_of = np.concatenate(parts, axis=1)
        columns = {"look": look_of, "country": where, "device": on, "kind": np.zeros(where.size, dtype=np.int64)}
        names = {"look": tuple(look.name for look in self.world.looks), "kind": ("web",)}
        codes, _ = zip(*self.world.countries, strict=True)
        return _summed(columns, tuple(sums_of), names | {"country": codes, "device": DEVICES})

    def _expected(self, day: date, offset: int, place: Floats, rng: np.random.Generator) -> Floats:
        year_day = day.timetuple().tm_yday
        swing, peak = self._season[:, 0], self._season[:, 1]
        season = 1 + swing * np.cos(2 * np.pi * (year_day - peak) / 365.25)
        growth = (1 + self.world.growth) ** (offset / 365)
        noise = rng.gamma(14.0, 1 / 14.0, len(self.queries)) * rng.gamma(160.0, 1 / 160.0)
        weekday = self.world.weekday[day.weekday()]
        demand = self._demand * self._asked_more(offset)
        expected: Floats = demand * season * growth * weekday * noise * _seen_share(place)
        return expected

    def _grains(
        self,
        rng: np.random.Generator,
        offset: int,
        codes: tuple[str, ...],
        query: Ints,
        country: Ints,
        device: Ints,
        clicks: Ints,
        impressions: Ints,
        sums: Ints,
    ) -> dict[str, Callable[[], Grain]]:
        """Say how each grain of a day is made."""
        kind = self._image[query].astype(np.int64)
        total = np.bincount(query, weights=impressions, minlength=len(self.queries))
        listed = total[query] >= WITHHELD_BELOW
        columns = {"country": country, "device": device, "kind": kind}
        names = {
            "country": codes,
            "device": DEVICES,
            "kind": ("web", "image"),
            "query": self.queries,
            "page": self.pages,
        }
        rows = (clicks, impressions, sums)
        pair = self._pairs(rng, offset, query, rows)
        where, page, pair_rows = pair
        paired = {
            "query": query[where],
            "page": page,
            **{k: v[where] for k, v in columns.items()},
        }
        seen = listed[where]
        by_page = {k: v for k, v in paired.items() if k != "query"}
        return {
            "site": lambda: _summed(columns, rows, names),
            "query": lambda: _summed(
                {"query": query[listed]} | {k: v[listed] for k, v in columns.items()},
                tuple(r[listed] for r in rows),
                names,
            ),
            "page": lambda: _summed(by_page, pair_rows, names),
            "pair": lambda: _summed(
                {k: v[seen] for k, v in paired.items()},
                tuple(r[seen] for r in pair_rows),
                names,
            ),
        }

    def _pairs(
        self,
        rng: np.random.Generator,
        offset: int,
        query: Ints,
        rows: tuple[Ints, Ints, Ints],
    ) -> tuple[Ints, Ints, tuple[Ints, Ints, Ints]]:
        """Say which pages each row was shown with: some result pages show two pages of the site.

        Page counting counts such a result page once for either page, site counting once.
        """
        clicks, impressions, sums = rows
        second = self._second[query]
        lead_swaps = np.random.default_rng([self.world.seed, 3, offset - OLDEST]).random(len(self.queries)) < 0.3
        swapped = lead_swaps[query] & (second >= 0)
        first_page = np.where(swapped, second, self._page[query])
        other_page = np.where(swapped, self._page[query], second)
        both = np.where(second >= 0, rng.binomial(impressions, 0.22), 0)
        other = np.flatnonzero(both > 0)
        moved = rng.binomial(clicks[other], 0.12)
        moved = np.minimum(moved, both[other])
        main = (clicks.copy(), impressions, sums)
        main[0][other] -= moved
        lower = np.rint((sums[other] / impressions[other] + 1.8) * both[other]).astype(np.int64)
        where = np.concatenate([np.arange(query.size), other])
        page = np.concatenate([first_page, other_page[other]])
        return (
            where,
            page,
            (
                np.concatenate([main[0], moved]),
                np.concatenate([impressions, both[other]]),
                np.concatenate([sums, lower]),
            ),
        )


def _part_done(story: Story, offset: int) -> float:
    if story.until is not None and offset >= story.until:
        return 0.0
    return float(np.clip((offset - story.first + 1) / story.days, 0.0, 1.0))


def _wander(rng: np.random.Generator, size: int, days: int, keep: float, step: float) -> npt.NDArray[np.float32]:
    """Wander from 0, a step a day; shape (days, size)."""
    path = np.empty((days, size), dtype=np.float32)
    for day in range(days):
        path[day] = rng.normal(0, step, size)
    path[0] = 0
    kept = np.empty(size, dtype=np.float32)
    for day in range(1, days):
        np.multiply(path[day - 1], keep, out=kept)
        path[day] += kept
    return path


def _country_tilt(world: World, language: str) -> Floats:
    """Queries in a language are typed mostly where it is spoken; weights keep their mean."""
    home = {"no": ("NO",), "de": ("DE",)}.get(language)
    shares = np.array([share for _, share in world.countries])
    if home is None:
        return np.ones(shares.size)
    tilt = np.array([1.0 if code in home else 0.04 for code, _ in world.countries])
    tilted: Floats = tilt / float((tilt * shares).sum())
    return tilted


def _seen_share(place: Floats) -> Floats:
    """The share of searches that get far enough down to see a place."""
    return np.interp(
        place,
        [1, 8, 10.5, 11.5, 20.5, 22, 50, 95],
        [1, 0.95, 0.85, 0.4, 0.3, 0.12, 0.05, 0.01],
    )


def click_rate(place: Floats) -> Floats:
    """The share of impressions clicked at a place, in this model."""
    head = np.interp(place, np.arange(1, 11), _CLICK_RATES)
    rate: Floats = np.where(place > 10, _CLICK_RATES[-1] * 0.87 ** (place - 10), head)
    return rate


def _summed(
    columns: Mapping[str, Ints],
    rows: tuple[Ints, ...],
    names: Mapping[str, tuple[str, ...]],
) -> Grain:
    key = np.zeros(rows[0].size, dtype=np.int64)
    for name, values in columns.items():
        key = key * len(names[name]) + values
    distinct, first, inverse = np.unique(key, return_index=True, return_inverse=True)
    clicks, impressions, places = (
        np.bincount(inverse, weights=m, minlength=distinct.size).astype(np.int64) for m in rows
    )
    return Grain({name: values[first] for name, values in columns.items()}, names, (clicks, impressions, places))


def model_of(world_id: str, anchor: date) -> SearchModel:
    """Build a world's model once a process, however many threads ask for it at a time."""
    with _building:
        return _built(world_id, anchor)


_building = Lock()


@lru_cache(maxsize=32)
def _built(world_id: str, anchor: date) -> SearchModel:
    return SearchModel(WORLDS[world_id], anchor)
