"""What a connector is: settings it takes, properties it can list, days it can fetch."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from datetime import date
from importlib.metadata import entry_points

from pydantic import BaseModel, ConfigDict, SecretStr

from noctilum.core.batch import DayBatch
from noctilum.core.days import DayState
from noctilum.core.errors import NotThere, worded
from noctilum.core.reconcile import NOTHING_PROMISED, Promised
from noctilum.sources.outgoing import Limits
from noctilum.wire.plain_text import cleaned, unkeepable


class FeedSettings(BaseModel):
    """Hold what a connector needs to reach its service. Secrets have no repr. mapping: TOML, for a mapped feed.

    inside: hosts inside the network that the operator allows. limits: how much is taken, and for how long. today: for
    what tells of no other day.
    """

    model_config = ConfigDict(extra="forbid", frozen=True)

    url: str
    client_id: str
    client_secret: SecretStr
    property: str = ""
    mapping: str = ""
    inside: tuple[str, ...] = ()
    limits: Limits = Limits()
    today: date | None = None


@dataclass(frozen=True)
class Property:
    """Describe one thing a credential can see at a feed. kind: what it counts, as datasets are declared.

    currency: of its money, ISO 4217; "" where it says none.
    """

    id: str
    label: str
    site: str
    engine: str
    time_zone: str
    first_day: date
    last_day: date
    kind: str = "search"
    currency: str = ""


@dataclass(frozen=True)
class OfferedDay:
    """Say what the provider has of a day. MISSING means nothing yet, or nothing any more."""

    day: date
    state: DayState
    revision: str | None


@dataclass(frozen=True)
class Page:
    """Hold the raw bytes of one day and grain, as fetched; a saved page is a test case.

    promised: what the provider says the rows add up to, where it says so.
    """

    day: date
    grain: str
    body: bytes
    revision: str | None
    promised: Promised = NOTHING_PROMISED


def told_text(value: object, most: int = 200) -> str:
    """Give what a feed says something is called; raises ValueError for what no name can be."""
    text = str(value)
    if len(text) > most or unkeepable(text, line=True):
        raise ValueError(f"{cleaned(text, 60)!r} is no name")
    return text


class Connector(ABC):
    """Reach one outside service. Implementations raise FeedFault for whatever goes wrong there."""

    name: str
    grains: tuple[str, ...]
    """What the provider counts; where only it can say, settled once days were asked."""
    keeps_past: bool = True
    """Whether days that were not had can be asked for later; what cannot is not missed."""
    keep_secret: Callable[[str], None] | None = None
    """Told when a provider hands out a new lasting secret in place of the old one."""

    def __init__(self, settings: FeedSettings) -> None:
        self.settings = settings

    @abstractmethod
    def properties(self) -> list[Property]:
        """List what the credential can see."""

    @abstractmethod
    def days(self, first: date | None, last: date | None) -> list[OfferedDay]:
        """List what the provider has, by day; None asks for all it keeps."""

    @abstractmethod
    def fetch(self, day: date, grain: str) -> Page:
        """Fetch one day at one grain, whole."""

    def fetch_several(self, day: date, grains: Sequence[str]) -> Iterator[Page]:
        """Fetch one day at several grains, whole, in their order; one by one unless a connector can do better."""
        return (self.fetch(day, grain) for grain in grains)

    @abstractmethod
    def parse(self, page: Page) -> DayBatch:
        """Turn a page into typed columns; pure."""

    def close(self) -> None:
        """Let go of connections."""


def connector_class(name: str) -> type[Connector]:
    """Find a connector registered under the entry-point group noctilum.connectors."""
    found = {point.name: point for point in entry_points(group="noctilum.connectors")}
    if name not in found:
        raise NotThere(
            "no-such-connector",
            worded("There is no connector {name!r}.", name=name),
            remedy=worded("one of {found}", found=", ".join(sorted(found))),
        )
    loaded: type[Connector] = found[name].load()
    return loaded
