"""Lookups: asking what an engine shows for a term at a place on a device, and what of an answer may be kept."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import partial
from typing import Any
from unicodedata import category
from urllib.parse import urlsplit

import orjson

from noctilum.core.batch import DayBatch
from noctilum.core.errors import FeedFault
from noctilum.core.found import FEATURES_AT_MOST, Feature, Found, Result
from noctilum.sources.contract import Connector, OfferedDay, Page, Property
from noctilum.sources.open_feed import MOST_PROPERTIES, OpenFeed, listed, property_of, shaped
from noctilum.wire.plain_text import cleaned

BATCH = 100
MOST_URL, MOST_TITLE, MOST_OWNERS = 2000, 200, 20


@dataclass(frozen=True)
class Look:
    """What is looked up, and from where."""

    term: str
    engine: str
    language: str
    country: str
    place: str
    device: str
    depth: int = 20

    @property
    def track(self) -> str:
        """Its language and country."""
        return f"{self.language}-{self.country}"

    @property
    def name(self) -> str:
        """Names it among all lookups of a site."""
        return "\x1f".join((self.term, self.track, self.place, self.device, self.engine))


@dataclass(frozen=True)
class Answer:
    """What came of one lookup: what was found, or why nothing can be kept. doubts: what was left out, and why."""

    look: Look
    found: Found | None
    why: str = ""
    doubts: tuple[str, ...] = ()


class LookupConnector(Connector, ABC):
    """Reach a service that looks terms up."""

    grains = ()

    @abstractmethod
    def look_up(self, looks: Sequence[Look]) -> list[Answer]:
        """Look up to BATCH terms up; an answer for each. Raises FeedFault where the service as a whole says no."""

    @abstractmethod
    def told(self, look: Look) -> Mapping[str, Any]:
        """Ask for one lookup, and give the answer in the terms of the open protocol, unchecked. Raises FeedFault."""

    def days(self, first: Any, last: Any) -> list[OfferedDay]:
        """Lookups have no days to offer: they are of the moment."""
        return []

    def fetch(self, day: Any, grain: str) -> Page:
        """There is nothing to be fetched later."""
        raise FeedFault("no-days", "Lookups are of the moment; days that are gone cannot be had.", lasting=False)

    def parse(self, page: Page) -> DayBatch:
        """There is nothing to be parsed later."""
        raise FeedFault("no-days", "Lookups are of the moment; days that are gone cannot be had.", lasting=False)


class OpenLookups(OpenFeed, LookupConnector):
    """Reach lookups over the open protocol."""

    name = "open-lookups"
    grains = ()

    def properties(self) -> list[Property]:
        """List the desks that the credential may ask."""
        found = self._json("/desks")
        return [shaped("desks", partial(property_of, p)) for p in listed(found, "properties", MOST_PROPERTIES)]

    def days(self, first: Any, last: Any) -> list[OfferedDay]:
        """Lookups have no days to offer."""
        return []

    def look_up(self, looks: Sequence[Look]) -> list[Answer]:
        """Ask for a batch; what is not answered is told as such."""
        by_ref = self._asked(looks)
        return [settled(look, by_ref.get(n)) for n, look in enumerate(looks)]

    def told(self, look: Look) -> Mapping[str, Any]:
        """Ask for one lookup."""
        return self._asked([look]).get(0) or {"state": "failed", "why": "it was not answered"}

    def _asked(self, looks: Sequence[Look]) -> dict[Any, dict[str, Any]]:
        body = {"lookups": [{"ref": n, **_plain(look)} for n, look in enumerate(looks)]}
        answer = self._feed.ask("POST", "/lookups", self._signed, json=body)
        try:
            told = orjson.loads(answer.content)
            answers = told["answers"]
        except (ValueError, KeyError, TypeError) as why:
            raise FeedFault("feed-unreadable", "The answer to lookups cannot be read.", where="/lookups") from why
        if not isinstance(answers, list):
            raise FeedFault("feed-unreadable", "The answers to lookups are no list.", where="/lookups")
        return {each.get("ref"): each for each in answers if isinstance(each, dict) and _is_ref(each.get("ref"))}


def _is_ref(ref: object) -> bool:
    return isinstance(ref, int) and not isinstance(ref, bool)


def _plain(look: Look) -> dict[str, object]:
    names = ("term", "engine", "language", "country", "place", "device", "depth")
    return {name: getattr(look, name) for name in names}


def settled(look: Look, told: Mapping[str, Any] | None) -> Answer:
    """Keep of an answer what can be kept; tell what cannot, and refuse it whole where it is not of this lookup."""
    if told is None:
        return Answer(look, None, "it was not answered")
    if told.get("state") != "found":
        return Answer(look, None, cleaned(str(told.get("why") or "it failed"), MOST_TITLE))
    if " ".join(str(told.get("term", look.term)).split()).lower() != look.term:
        return Answer(look, None, f"it was answered for another term, {cleaned(str(told['term']), 60)!r}")
    doubts: list[str] = []
    results = _results(told.get("results"), look.depth, doubts)
    features = _features(told.get("features"), doubts)
    return Answer(look, Found(results, features), doubts=tuple(doubts))


def _results(told: object, depth: int, doubts: list[str]) -> tuple[Result, ...]:
    if not isinstance(told, list):
        doubts.append("its results are no list")
        return ()
    if len(told) > depth:
        doubts.append(f"{len(told)} results where {depth} were asked for; those beyond are left out")
    kept: dict[int, Result] = {}
    before = 0
    for each in told[: 4 * depth]:
        found = _result(each)
        if found is None:
            doubts.append(f"a result is left out: {_short(each)}")
        elif found.rank > depth:
            continue
        elif found.rank in kept:
            doubts.append(f"rank {found.rank} comes twice; the first stands")
        else:
            if found.rank < before:
                doubts.append("its ranks are out of order; they were put in order")
            before = max(before, found.rank)
            kept[found.rank] = found
    return tuple(kept[rank] for rank in sorted(kept))


def _result(told: object) -> Result | None:
    if not isinstance(told, dict):
        return None
    rank, url = told.get("rank"), address_of(told.get("url"))
    if not isinstance(rank, int) or isinstance(rank, bool) or rank < 1 or url is None:
        return None
    kind = cleaned(str(told.get("kind") or "page"), 40)
    return Result(rank, url, _plain_line(str(told.get("title") or ""), MOST_TITLE), kind)


def _features(told: object, doubts: list[str]) -> tuple[Feature, ...]:
    if told is None:
        return ()
    if not isinstance(told, list):
        doubts.append("its features are no list")
        return ()
    kept: list[Feature] = []
    for each in told[:FEATURES_AT_MOST]:
        kind = cleaned(str(each.get("kind") or ""), 40).strip().lower() if isinstance(each, dict) else ""
        if not kind:
            doubts.append(f"a feature is left out: {_short(each)}")
            continue
        above, owners = each.get("above", 1), each.get("owners", [])
        addresses = [address_of(url) for url in owners[:MOST_OWNERS]] if isinstance(owners, list) else []
        whole = isinstance(above, int) and not isinstance(above, bool)
        kept.append(
            Feature(
                kind,
                min(max(above, 1), 101) if whole else 1,
                tuple(dict.fromkeys(url for url in addresses if url)),
                _plain_line(str(each.get("text") or ""), 500),
            )
        )
    if len(told) > FEATURES_AT_MOST:
        doubts.append(f"{len(told)} features; those beyond {FEATURES_AT_MOST} are left out")
    return tuple(kept)


def address_of(url: object) -> str | None:
    """Give an address that can be kept: http or https with a host, one line of plain text; None for any other."""
    if not isinstance(url, str) or len(url) > MOST_URL or _plain_line(url, MOST_URL) != url or " " in url:
        return None
    try:
        found = urlsplit(url)
        host = found.hostname
    except ValueError:
        return None
    return url if found.scheme in ("http", "https") and host and "." in host and not found.username else None


def _plain_line(text: str, most: int) -> str:
    """Give a text as one line without signs that are not seen or turn others round."""
    return "".join(sign for sign in cleaned(text, most) if category(sign) not in ("Cf", "Co"))


def _short(told: object) -> str:
    return cleaned(str(told), 80)
