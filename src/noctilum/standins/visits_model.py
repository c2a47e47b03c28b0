"""Made-up visits that follow the made-up searches: who clicked came, most of them, and others came by themselves.

The same seed gives the same days. Days in stories count from the anchor.
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from datetime import date
from functools import lru_cache
from itertools import accumulate

import numpy as np

from noctilum.standins.search_model import model_of

CAME = 0.93
"""Share of clicks from search that become a session."""
ALONE = {"direct": 0.34, "referral": 0.11, "mail": 0.07}
"""Sessions of other channels beside those from search."""
CITIES: Mapping[str, tuple[tuple[str, str, float], ...]] = {
    "GB": (("Saltmarch", "Ember Bay", 0.42), ("Saltmarch", "Copsely", 0.33), ("High Fells", "Toller", 0.25)),
    "NO": (("Skjelland", "Ronsay", 0.55), ("Skjelland", "Hallowick", 0.45)),
    "DE": (("Moorland", "Altenfurt", 0.6), ("Seeland", "Kranhafen", 0.4)),
}


_UP_TO = {country: list(accumulate(part for _, _, part in towns)) for country, towns in CITIES.items()}
"""Country → up to which draw of a number below 1 each of its towns is meant."""


@dataclass(frozen=True)
class Goal:
    """Something to be reached: how often a session does on a page, what it earns, and since when it is counted."""

    name: str
    page: str
    rate: float
    worth: float = 0.0
    first: int = -2000


@dataclass(frozen=True)
class Stream:
    """Describe one stream of visits. world: the searches it follows; none: a site that nobody counts searches of.

    first: the day it begins. silent: pages whose counting stopped, and from which day on.
    """

    id: str
    label: str
    site: str
    seed: int
    currency: str = "GBP"
    time_zone: str = "Europe/London"
    world: str = ""
    first: int = -2000
    goals: tuple[Goal, ...] = ()
    silent: tuple[tuple[str, int], ...] = ()
    pages: tuple[tuple[str, float], ...] = ()


STREAMS = {
    each.id: each
    for each in (
        Stream(
            "visits-hivewright",
            "Hivewright shop",
            "hivewright.example",
            41,
            world="quillon-hivewright",
            goals=(
                Goal("order", "/shop", 0.035, 46.0),
                Goal("order", "/guides", 0.006, 31.0),
                Goal("newsletter", "", 0.02, first=-60),
            ),
        ),
        Stream(
            "visits-hivewright-blog",
            "Hivewright blog",
            "blog.hivewright.example",
            42,
            world="quillon-hivewright-blog",
            goals=(Goal("newsletter", "", 0.015),),
            silent=(("/", -17),),
        ),
        Stream(
            "visits-umbra",
            "Umbra Point",
            "umbrapoint.example",
            43,
            world="quillon-umbra",
            goals=(Goal("booking", "/events", 0.06, 18.5), Goal("booking", "/visit", 0.04, 14.0)),
        ),
        Stream(
            "visits-wickham",
            "Wickham Tools",
            "wickhamtools.example",
            44,
            first=-21,
            pages=(("/", 60.0), ("/hire", 34.0), ("/hire/mixers", 18.0), ("/members", 12.0), ("/opening-hours", 9.0)),
        ),
    )
}


@dataclass(frozen=True)
class Visit:
    """Sessions that are alike in everything, and what came of them; earned in hundredths."""

    page: str
    channel: str
    device: str
    country: str
    region: str
    city: str
    sessions: int
    engaged: int
    new_users: int
    reached: tuple[tuple[str, int, int], ...]

    @property
    def title(self) -> str:
        """The page's title."""
        return self.page.strip("/").replace("/", ": ").replace("-", " ").capitalize() or "Home"


@lru_cache(maxsize=256)
def visits_of(stream: str, anchor: date, day: date, share: float = 1.0) -> tuple[Visit, ...]:
    """Give one day's visits; share below 1: only so much of it is counted as yet."""
    told, offset = STREAMS[stream], (day - anchor).days
    draw = np.random.default_rng([told.seed, 5, day.toordinal()])
    return tuple(_counted(told, offset, share, draw, day, anchor))


def _counted(
    told: Stream, offset: int, share: float, draw: np.random.Generator, day: date, anchor: date
) -> Iterator[Visit]:
    for page, device, country, came in _arrivals(told, day, anchor):
        stopped = any(page.startswith(path) and offset >= first for path, first in told.silent)
        for channel, part in (("organic", CAME), *ALONE.items()):
            sessions = int(draw.poisson(came * part * share * (0.04 if stopped else 1.0)))
            if sessions:
                yield _visit(told, offset, (page, channel, device, country), sessions, draw)


def _arrivals(told: Stream, day: date, anchor: date) -> Iterator[tuple[str, str, str, float]]:
    if told.world:
        rows = model_of(told.world, anchor).day(day, grains=("page",))["page"]
        sums: dict[tuple[str, str, str], int] = {}
        keys = zip(rows.texts["page"], rows.texts["device"], rows.texts["country"], strict=True)
        for key, clicks in zip(keys, rows.clicks, strict=True):
            sums[key] = sums.get(key, 0) + clicks
        yield from ((*key, float(clicks)) for key, clicks in sums.items() if clicks)
        return
    for page, often in told.pages:
        for device, part in (("desktop", 0.46), ("mobile", 0.54)):
            yield page, device, "GB", often * part * (0.7 if day.weekday() > 4 else 1.0)


def _visit(told: Stream, offset: int, of: tuple[str, str, str, str], sessions: int, draw: np.random.Generator) -> Visit:
    page, channel, device, country = of
    known = CITIES.get(country, (("", "", 1.0),))
    region, city, _ = known[bisect_right(_UP_TO.get(country, [1.0]), draw.random())]
    reached: dict[str, tuple[int, int]] = {}
    for goal in told.goals:
        if offset < goal.first or not page.startswith(goal.page or "/"):
            continue
        times = int(draw.binomial(sessions, goal.rate))
        before = reached.get(goal.name, (0, 0))
        worth = round(100 * goal.worth * times * float(draw.uniform(0.6, 1.4))) if times and goal.worth else 0
        reached[goal.name] = before[0] + times, before[1] + worth
    kept = tuple((name, times, worth) for name, (times, worth) in reached.items() if times)
    engaged, new = int(draw.binomial(sessions, 0.62)), int(draw.binomial(sessions, 0.55))
    return Visit(page, channel, device, country, region, city, sessions, engaged, new, kept)
