"""The open feed: Noctilum's own protocol for search data over HTTP."""

from __future__ import annotations

import re
import threading
from collections.abc import Callable, Iterator, Sequence
from datetime import date
from functools import partial
from typing import Any, TypeVar
from urllib.parse import quote

import httpx
import orjson

from noctilum.core.batch import DayBatch
from noctilum.core.days import DayState
from noctilum.core.errors import FeedFault, worded
from noctilum.core.reconcile import Promised
from noctilum.core.windows import EARLIEST, LATEST
from noctilum.datasets import DATASETS
from noctilum.sources.contract import (
    Connector,
    FeedSettings,
    OfferedDay,
    Page,
    Property,
    told_text,
)
from noctilum.sources.http_feed import HttpFeed, token_of
from noctilum.sources.ndjson import counted, parse_rows, parted, short
from noctilum.sources.outgoing import Meter, too_much
from noctilum.wire.plain_text import cleaned

_STATES = {
    "final": DayState.FINAL,
    "fresh": DayState.PROVISIONAL,
    "none": DayState.MISSING,
}

BASE = ("site", "query", "page", "pair")
"""The grains of every open feed; a ledger may name more."""

MOST_PROPERTIES, MOST_OFFERED = 10_000, 40_000
MOST_REVISION = 200
T = TypeVar("T")


class OpenFeed(Connector):
    """Reach an open feed. Tokens are fetched when needed and renewed when refused. Safe to share between threads."""

    name = "open-feed"
    grains: tuple[str, ...] = BASE

    def __init__(self, settings: FeedSettings) -> None:
        super().__init__(settings)
        self._feed = HttpFeed(settings.url, settings.inside, settings.limits)
        self._feed.secrets.learn(settings.client_secret.get_secret_value())
        self._token: str | None = None
        self._together = False
        self._lock = threading.Lock()

    def close(self) -> None:
        """Let go of connections."""
        self._feed.close()

    def properties(self) -> list[Property]:
        """List what the credential can see."""
        found = self._json("/properties")
        return [shaped("properties", partial(property_of, p)) for p in listed(found, "properties", MOST_PROPERTIES)]

    def days(self, first: date | None, last: date | None) -> list[OfferedDay]:
        """List what the provider has, by day; from here on grains are those it counts."""
        asked = {
            "from": first.isoformat() if first else None,
            "to": last.isoformat() if last else None,
        }
        params = {name: value for name, value in asked.items() if value}
        found = self._json(f"/properties/{self._property}/ledger", params)
        self.grains = shaped("ledger", partial(_grains, found))
        self._together = found.get("together") is True
        return [shaped("ledger", partial(_offered, d)) for d in listed(found, "days", MOST_OFFERED)]

    def fetch(self, day: date, grain: str) -> Page:
        """Fetch one day at one grain, following Link rel=next; all pages must be of one revision."""
        asked = f"/properties/{self._property}/days/{day}/{grain}"
        body, revision, headers = self._whole(asked, day, self._feed.meter(f"{day} {grain}"))
        promised = _promised(headers, grain)
        if promised.rows is not None and (lines := body.count(b"\n")) < promised.rows:
            raise short(day, grain, lines, promised.rows)
        return Page(day, grain, body, revision, promised)

    def fetch_several(self, day: date, grains: Sequence[str]) -> Iterator[Page]:
        """Fetch one day at several grains: in one answer, from a feed whose ledger says that it gives them together."""
        if not self._together or len(grains) < 2:
            return super().fetch_several(day, grains)
        asked = f"/properties/{self._property}/days/{day}?grains={','.join(grains)}"
        body, revision, _ = self._whole(asked, day, self._feed.meter(f"{day}", len(grains)))
        parts = parted(body, day, grains)
        return (Page(day, part.grain, part.body, revision, part.promised) for part in parts)

    def _whole(self, asked: str, day: date, meter: Meter) -> tuple[bytes, str | None, httpx.Headers]:
        """Follow the pages of an answer; returns what they hold, their revision, and the headers of the last."""
        url: str | None = asked
        bodies: list[bytes] = []
        revision: str | None = None
        headers, seen = httpx.Headers(), set[str]()
        while url:
            seen.add(url)
            answer = self._get(url)
            meter.page(len(answer.content), answer.content.count(b"\n"))
            told = cleaned(answer.headers.get("ETag", "").strip('"'), MOST_REVISION) or None
            if bodies and told != revision:
                raise FeedFault(
                    "feed-moved",
                    worded("{day} was revised while it was being read.", day=day),
                    remedy="pull again",
                )
            revision, headers = told, answer.headers
            bodies.append(answer.content)
            url = answer.links.get("next", {}).get("url")
            if url in seen:
                raise FeedFault("feed-unreadable", "The feed's pages go round in a circle.", where=cleaned(url, 200))
        return b"".join(bodies), revision, headers

    def parse(self, page: Page) -> DayBatch:
        """Turn NDJSON rows into typed columns."""
        return parse_rows(page.body, page.day, page.grain)

    def _json(self, url: str, params: dict[str, str] | None = None) -> dict[str, Any]:
        answer = self._get(url, params)
        try:
            found = orjson.loads(answer.content)
        except ValueError as why:
            raise FeedFault("feed-unreadable", "The feed's answer is not JSON.", where=url) from why
        if not isinstance(found, dict):
            raise FeedFault("feed-unreadable", "The feed's answer is not an object.", where=url)
        return found

    def _get(self, url: str, params: dict[str, str] | None = None) -> httpx.Response:
        return self._feed.ask("GET", url, self._signed, params=params)

    def _signed(self, renew: bool) -> dict[str, str]:
        with self._lock:
            if self._token is None or renew:
                self._token = self._new_token()
            return {"Authorization": f"Bearer {self._token}"}

    def _new_token(self) -> str:
        form = {
            "grant_type": "client_credentials",
            "client_id": self.settings.client_id,
            "client_secret": self.settings.client_secret.get_secret_value(),
        }
        answer = self._feed.post_form("/token", form)
        token = str(token_of(answer, self.settings.client_id)["access_token"])
        self._feed.secrets.learn(token)
        return token

    @property
    def _property(self) -> str:
        return quote(self.settings.property, safe="")


def listed(found: dict[str, Any], name: str, most: int) -> list[dict[str, Any]]:
    """Give the objects that an answer lists under a name; raises FeedFault for anything else."""
    rows = found.get(name, [])
    if not isinstance(rows, list) or not all(isinstance(row, dict) for row in rows):
        raise FeedFault("feed-unreadable", worded("The feed's {name} are no list of objects.", name=name), where=name)
    if len(rows) > most:
        raise too_much(f"more than {most:,} {name}", name)
    return rows


def _promised(headers: httpx.Headers, grain: str) -> Promised:
    """Read what the feed says the rows of a day and grain add up to: their count, and whole counts by name."""
    named = {name: _count(headers.get(f"{name.replace('_', '-')}-Total", "")) for name in counted(grain)}
    told = {name: count for name, count in named.items() if count is not None}
    return Promised(_count(headers.get("Row-Count", "")), told)


def _count(text: str) -> int | None:
    return int(text) if re.fullmatch(r"\d{1,18}", text, re.ASCII) else None


def shaped(where: str, build: Callable[[], T]) -> T:
    """Build something of an answer; raises FeedFault where the answer lacks what it needs."""
    try:
        return build()
    except (KeyError, TypeError, ValueError) as why:
        raise FeedFault(
            "feed-unreadable",
            worded("The feed's answer lacks something: {why!r}.", why=why),
            where=where,
        ) from why


def property_of(found: dict[str, Any]) -> Property:
    """Read a property as a feed tells it; raises KeyError, TypeError or ValueError."""
    text = {name: told_text(found[name]) for name in ("id", "label", "site", "engine", "time_zone")}
    return Property(
        **text,
        first_day=date.fromisoformat(found["first_day"]),
        last_day=date.fromisoformat(found["last_day"]),
        kind=told_text(found.get("kind", "search"), 40),
        currency=told_text(found.get("currency", ""), 3).upper(),
    )


def _grains(ledger: dict[str, Any]) -> tuple[str, ...]:
    """Read which grains a feed counts; those it names that nobody here knows are left alone.

    A search feed names those beside the four that each has; a feed of anything else says what, under "counts".
    """
    named, counts = ledger.get("grains", []), ledger.get("counts", [])
    if not isinstance(named, list) or not isinstance(counts, list):
        raise TypeError("grains is no list")
    if known := tuple(grain for grain in DATASETS if grain in counts):
        return known
    return (*BASE, *(grain for grain in DATASETS if grain in named and grain not in BASE))


def _offered(found: dict[str, Any]) -> OfferedDay:
    revision = found.get("revision")
    state = _STATES[found["state"]]
    day = date.fromisoformat(found["day"])
    if not EARLIEST <= day <= LATEST:
        raise ValueError(f"{day} is no day that can be kept")
    return OfferedDay(day, state, None if revision is None else cleaned(str(revision), MOST_REVISION))
