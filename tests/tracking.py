"""A site whose keywords are tracked, with a desk that does as it is told, for tests of checks and ranks."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime

from noctilum.actions import keywords, setup
from noctilum.actions.install import Install
from noctilum.core.errors import FeedFault
from noctilum.core.found import Found, Result
from noctilum.records.models import Source
from noctilum.sources.contract import FeedSettings, Property
from noctilum.sources.lookups import Answer, Look, LookupConnector
from noctilum.wire import keywords as wire
from noctilum.wire.setup import NewClient, NewSite

SITE = "skerryferries.example"
Page = Callable[[Look, date], Found | None]


def at_rank(rank: int | None, depth: int = 20, page: str = "/fares") -> Found:
    """A result page with the site at a rank, or without it."""
    return Found(
        tuple(
            Result(n, f"https://{SITE}{page}" if n == rank else f"https://other{n}.example/")
            for n in range(1, depth + 1)
        )
    )


@dataclass
class Desk:
    """Answers lookups as `page` says, on a day that is told; None fails. asked: what was looked up, by day."""

    page: Page = lambda look, day: at_rank(3)
    day: date = date(2026, 3, 20)
    asked: list[tuple[date, Look]] = field(default_factory=list)
    down: bool = False
    dies_after: int | None = None


class Desked(LookupConnector):
    """The connector to a desk in this process."""

    def __init__(self, desk: Desk) -> None:
        super().__init__(FeedSettings.model_validate({"url": "http://desk", "client_id": "", "client_secret": ""}))
        self.desk = desk

    def properties(self) -> list[Property]:
        raise NotImplementedError

    def told(self, look: Look) -> dict[str, object]:
        raise NotImplementedError

    def look_up(self, looks: Sequence[Look]) -> list[Answer]:
        if self.desk.down:
            raise FeedFault("feed-unreachable", "The desk is down.")
        if self.desk.dies_after is not None:
            self.desk.dies_after -= 1
            if self.desk.dies_after < 0:
                raise KeyboardInterrupt
        self.desk.asked += [(self.desk.day, look) for look in looks]
        found = [self.desk.page(look, self.desk.day) for look in looks]
        return [Answer(look, each, "" if each else "it failed") for look, each in zip(looks, found, strict=True)]


def tracked_site(install: Install, now: datetime, terms: Sequence[str], **followed: object) -> int:
    """Give an install a site that tracks some keywords, with a source of lookups; returns its number."""
    client = setup.add_client(install, NewClient(name="Skerry Ferries"), now)
    setup.add_site(install, client, NewSite(host=SITE), now)
    with install.records.begin() as db:
        source = Source(
            site_id=1, kind="lookups", connector="open-lookups", label="Lookups", url="http://desk", account="",
            sealed_secret=install.seal("ink"), property=f"lookups for {SITE}", engine="Lookups", time_zone="UTC",
            settings={}, created_at=now,
        )  # fmt: skip
        db.add(source)
        db.flush()
        number = source.id
    asked = wire.AskKeywords.model_validate({"site": SITE, "terms": list(terms), **followed})
    keywords.take(install, asked, now)
    return number
