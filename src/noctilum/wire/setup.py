"""Clients, sites, sources, users and jobs as they cross HTTP."""

from __future__ import annotations

from datetime import date, datetime
from typing import Annotated, Any, Literal

from pydantic import Field, SecretStr

from noctilum.wire.base import Asked, Day, Line, Wire
from noctilum.wire.declared import Grain, SourceKind
from noctilum.wire.worth import MOST_VALUES, PageValue, ValueGiven

LANGUAGE = r"^[a-z]{2,3}(-[A-Za-z0-9]{2,8})*$"
Colour = Annotated[str, Field(pattern=r"^#[0-9A-Fa-f]{6}$", description="An sRGB colour like #0F5A66")]


class Me(Wire):
    """Who is signed in."""

    id: int
    name: str
    email: str
    role: str
    second_factor: bool = Field(description="Whether a code is asked for at signing in")
    language: str = Field(description="They read in, BCP 47; empty: the one their browser asks for")
    csrf: str | None = Field(description="Send it as X-CSRF-Token with every change made from the console")
    today: date | None = Field(default=None, description="The day, in UTC, as the service has it")


class SignIn(Asked):
    """What somebody types to sign in."""

    email: Line = Field(max_length=300)
    password: SecretStr = Field(max_length=1000)
    code: Line = Field(default="", max_length=12, description="Of the authenticator, for who has one")


class NewClient(Asked):
    """A client to add."""

    name: Line = Field(min_length=1, max_length=200)
    language: Line = Field(default="en", pattern=LANGUAGE, description="BCP 47")
    time_zone: Line = Field(default="UTC", max_length=60, description="IANA name")
    currency: Line = Field(default="EUR", pattern=r"^[A-Z]{3}$")
    colour: Colour = "#0F5A66"
    accent: Colour = "#8A5A00"


class SiteSummary(Wire):
    """A site in a list."""

    key: str
    host: str
    client: str
    client_name: str
    sources: int
    brand_terms: str = ""
    session_value: float | None = Field(default=None, description="In the client's currency")
    values: list[ValueGiven] = Field(description="What is earned on pages of a set, in its place")


class Client(Wire):
    """A customer of the agency."""

    key: str
    name: str
    language: str
    time_zone: str
    currency: str
    colour: str
    accent: str
    printed: str = Field(description="The colour as it is printed: darkened until it reads on white (4.5 to 1)")
    logo: str = Field(description="Its logo's media type; none without")
    sender: str
    footer: str
    keep_months: int | None = Field(description="How long history is kept; for ever without")
    sites: list[SiteSummary]


class NewSite(Asked):
    """A site to add."""

    host: Line = Field(min_length=3, max_length=300, description="A host, or host/path")
    brand_terms: Line = Field(
        default="",
        max_length=500,
        description="Words that name the client, comma between them",
    )


class Credential(Asked):
    """How to reach a feed. The secret is encrypted when kept and never shown again."""

    connector: Line = Field(default="open-feed", max_length=60)
    url: Line = Field(max_length=500)
    account: Line = Field(default="", max_length=200, description="OAuth 2.0 client id; none for a sitemap")
    secret: SecretStr = Field(
        default=SecretStr(""), max_length=10_000, description="OAuth 2.0 client secret, or a token"
    )
    mapping: str = Field(default="", max_length=100_000, description="TOML, for a mapped feed")
    grant: str | None = Field(default=None, max_length=100, description="What a person granted, in place of a secret")


class NewSource(Credential):
    """A property to connect to a site."""

    property: Line = Field(max_length=200)
    schedule: Line = Field(default="daily at 06:00", max_length=300, description="Also an RFC 5545 rule, or off")
    part: Line = Field(
        default="",
        max_length=120,
        description="Of a property that counts several sites: the host, or host and path, that is this one's",
    )


class SiteChange(Asked):
    """What to change of a site; what is left out stays."""

    brand_terms: Line | None = Field(
        default=None, max_length=500, description="Words that name the client; a leading minus makes an exception"
    )
    session_value: float | None = Field(
        default=None,
        ge=0,
        le=1_000_000,
        allow_inf_nan=False,
        description="What a session is worth where no goals are counted; 0 for no value",
    )
    values: list[PageValue] | None = Field(
        default=None,
        max_length=MOST_VALUES,
        description="What is earned where no goals are counted, by sets of pages; the first that has a page counts",
    )


class NewFileSource(Asked):
    """A source that only ever gets files."""

    label: Line = Field(min_length=1, max_length=200)
    engine: Line = Field(default="", max_length=60, description="Which engine the figures are of")
    time_zone: Line = Field(default="UTC", max_length=60, description="IANA name")
    kind: SourceKind = Field(default="search", description="What its files count")


class SourceChange(Asked):
    """What to change of a source; what is left out stays."""

    schedule: Line | None = Field(default=None, max_length=300, description="hourly, daily at 06:00, RFC 5545, off")
    paused: bool | None = None
    secret: SecretStr | None = Field(
        default=None, max_length=10_000, description="Enter the secret again; it is tried at once"
    )
    counted: bool | None = Field(default=None, description="Whether it is read together with the site's others")
    a_month: int | None = Field(
        default=None, ge=0, le=10**9, description="Lookups a month that it may use at most; 0 for no limit"
    )


class PullSpan(Asked):
    """Which days to ask for again."""

    first: Day | None = None
    last: Day | None = None
    again: bool = Field(default=False, description="Also days already held in the revision offered")


class Notice(Wire):
    """Something somebody should know of."""

    id: int
    at: datetime
    code: str
    text: str
    source: int | None
    site: str | None


class TryLook(Asked):
    """What to look up once."""

    term: Line = Field(default="", max_length=200, description="Needed for a feed of lookups")
    engine: Line = Field(default="Quillon", max_length=60)
    language: Line = Field(default="en", max_length=3)
    country: Line = Field(default="GB", max_length=2)
    place: Line = Field(default="", max_length=120)
    device: Literal["desktop", "mobile", "map"] = "desktop"


class AskTry(Credential):
    """What to try of a feed before it is connected."""

    property: Line = Field(default="", max_length=200, description="The first that is seen without")
    day: Day | None = Field(default=None, description="The newest settled day without")
    grain: Grain = "site"
    look: TryLook = Field(default=TryLook(), description="What is looked up once, where the feed is of lookups")


class Tried(Wire):
    """What a feed sent, and what became of it. Of lookups: grain is `lookup`, rows are results, then features."""

    properties: list[str]
    property: str
    day: date
    state: str
    grain: str
    raw: list[str] = Field(description="The first rows as they came")
    rows: list[dict[str, str | int | float]] = Field(description="The same rows as they would be kept")
    total: int
    sums: dict[str, float] = Field(description="Every measure, added up, by name")
    doubts: list[str] = Field(default=[], description="What of a lookup would be left out, and why")


class AskGrant(Asked):
    """Where somebody is to be sent to grant access."""

    url: Line = Field(max_length=500)
    account: Line = Field(max_length=200)
    secret: SecretStr = Field(default=SecretStr(""), max_length=10_000)
    mapping: str = Field(max_length=100_000)
    back: str = Field(
        default="/sources",
        max_length=300,
        pattern=r"^(/([A-Za-z0-9_~.%-][A-Za-z0-9_~.%/?&=:,+-]*)?)?$",
        description="Where in the console to come back; empty for a plain page, as for a command line",
    )


class Grant(Wire):
    """What a grant was begun for, and whether somebody has agreed."""

    connector: str
    url: str
    account: str
    mapping: str
    grant: str
    granted: bool


class GrantBegun(Wire):
    """Where to send somebody, and the name of what they will grant."""

    go: str
    grant: str


class Property(Wire):
    """One thing a credential can see."""

    id: str
    label: str
    site: str
    engine: str
    time_zone: str
    first_day: date
    last_day: date
    connected_to: str | None = Field(description="The site it is connected to already")
    overlaps: str | None = Field(default=None, description="What it would count twice, and what is done about it")


class Job(Wire):
    """One piece of long work."""

    id: int
    name: str
    state: Literal["queued", "running", "done", "failed", "cancelled"]
    stopping: bool = Field(default=False, description="Somebody asked it to stop")
    waits_until: datetime | None = Field(default=None, description="It waits until then, as for room on the disk")
    site: str | None
    source: int | None
    done: int = Field(description="Days done")
    due: int = Field(description="Days due")
    rows: int
    rows_per_second: float | None
    seconds_left: float | None
    stage: str
    attempts: int
    expires_in: int | None = Field(description="Days until the provider drops the oldest day that was due")
    fault: str | None
    log: list[str]
    result: dict[str, Any]
    created_at: datetime
    started_at: datetime | None
    ended_at: datetime | None


class Source(Wire):
    """One thing a site draws data from."""

    id: int
    site: str
    kind: str
    connector: str
    label: str
    url: str
    account: str
    property: str
    engine: str
    time_zone: str
    state: Literal["ready", "broken"]
    fault: str | None
    pulled_at: datetime | None
    first_held: date | None
    complete_through: date | None
    days_held: int
    days_lost: int
    days_flagged: int
    scope: str = Field(description="The hosts and paths it counts")
    counted: bool = Field(description="Whether it is read together with the site's others")
    part_of: int | None = Field(description="The source that counts this one's visits too")
    schedule: str = Field(description="RFC 5545; empty for none")
    paused: bool
    next_run_at: datetime | None
    retry_at: datetime | None
    failures: int
    a_month: int | None = Field(default=None, description="Lookups a month that it may use; none without limit")
    used: int = Field(default=0, description="Lookups used in the newest month in which it used some")
    job: Job | None = Field(description="The pull that is queued or running")


class Site(Wire):
    """One website of a client."""

    key: str
    host: str
    client: str
    client_name: str
    colour: str
    brand_terms: str
    session_value: float | None = Field(description="In the client's currency; none where none is given")
    values: list[ValueGiven] = Field(description="What is earned on pages of a set, in its place")
    sources: list[Source]


class Health(Wire):
    """Whether the service works. What strangers need not know is told to who is signed in."""

    status: Literal["ok", "degraded"]
    records: bool
    worker_seen_seconds_ago: float | None = Field(description="Below zero: the last sign lies in the future")
    today: date
    version: str | None = Field(default=None, description="Told to who is signed in")
    disk_free_bytes: int | None = Field(default=None, description="Told to who is signed in")
    last_whole_night: date | None = Field(
        default=None, description="When all nightly work last went through; told to who is signed in"
    )
    troubles: list[str] = Field(default=[], description="What is wrong, in words; told to who is signed in")
