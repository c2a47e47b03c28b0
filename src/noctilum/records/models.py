"""The tables of the records, as ORM classes."""

from __future__ import annotations

from datetime import UTC, date, datetime
from typing import Any

from sqlalchemy import (
    JSON,
    DateTime,
    Dialect,
    ForeignKey,
    Index,
    LargeBinary,
    String,
    TypeDecorator,
    UniqueConstraint,
)
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column, relationship

from noctilum.records.sqlite import NEVER_AGAIN

LARGEST_NUMBER = 2**63 - 1
"""The largest key the database can hold; anything above belongs to nothing."""


class Moment(TypeDecorator[datetime]):
    """Keep a moment in UTC and give it back aware; SQLite itself forgets the zone."""

    impl = DateTime
    cache_ok = True

    def process_bind_param(self, value: datetime | None, dialect: Dialect) -> datetime | None:
        """Store UTC."""
        return None if value is None else value.astimezone(UTC).replace(tzinfo=None)

    def process_result_value(self, value: datetime | None, dialect: Dialect) -> datetime | None:
        """Read UTC."""
        return None if value is None else value.replace(tzinfo=UTC)


class Base(DeclarativeBase):
    """The records' declarative base."""

    type_annotation_map = {datetime: Moment, dict[str, Any]: JSON, list[str]: JSON}


class Client(Base):
    """A customer of the agency, with how its reports look."""

    __tablename__ = "client"
    __table_args__ = (NEVER_AGAIN,)

    id: Mapped[int] = mapped_column(primary_key=True)
    key: Mapped[str] = mapped_column(String(80), unique=True)
    name: Mapped[str] = mapped_column(String(200))
    language: Mapped[str] = mapped_column(String(20), default="en")
    time_zone: Mapped[str] = mapped_column(String(60), default="UTC")
    currency: Mapped[str] = mapped_column(String(3), default="EUR")
    colour: Mapped[str] = mapped_column(String(7), default="#0F5A66")
    accent: Mapped[str] = mapped_column(String(7), default="#8A5A00")
    logo: Mapped[bytes | None] = mapped_column(LargeBinary)
    logo_type: Mapped[str | None] = mapped_column(String(40))
    sender: Mapped[str] = mapped_column(String(120), default="")
    footer: Mapped[str] = mapped_column(String(200), default="")
    keep_months: Mapped[int | None]
    created_at: Mapped[datetime]
    sites: Mapped[list[Site]] = relationship(back_populates="client", order_by="Site.id")


class Site(Base):
    """One website of a client. session_value: in hundredths of its currency; None where none is given.

    page_values: as the interface writes them, in the order in which they count.
    """

    __tablename__ = "site"
    __table_args__ = (NEVER_AGAIN,)

    id: Mapped[int] = mapped_column(primary_key=True)
    key: Mapped[str] = mapped_column(String(200), unique=True)
    host: Mapped[str] = mapped_column(String(300), unique=True)
    client_id: Mapped[int] = mapped_column(ForeignKey("client.id"))
    brand_terms: Mapped[str] = mapped_column(String(500), default="")
    session_value: Mapped[int | None]
    page_values: Mapped[list[Any]] = mapped_column(JSON, default=list)
    created_at: Mapped[datetime]
    client: Mapped[Client] = relationship(back_populates="sites")
    sources: Mapped[list[Source]] = relationship(back_populates="site", order_by="Source.id")


class Source(Base):
    """One thing a site draws data from. The secret is kept encrypted and never leaves.

    scope: the hosts and paths its property counts. counted: among the sources that are read together;
    a property inside another of the same engine is not, and part_of names that other. schedule: an
    RFC 5545 recurrence rule, empty for none. retry_at: when a failed pull is tried again; failures
    counts those in a row. settings: what its connector needs besides.
    """

    __tablename__ = "source"
    __table_args__ = (UniqueConstraint("connector", "url", "property", name="one_source_a_property"), NEVER_AGAIN)

    id: Mapped[int] = mapped_column(primary_key=True)
    site_id: Mapped[int] = mapped_column(ForeignKey("site.id"))
    kind: Mapped[str] = mapped_column(String(30))
    connector: Mapped[str] = mapped_column(String(60))
    label: Mapped[str] = mapped_column(String(200))
    url: Mapped[str] = mapped_column(String(500))
    account: Mapped[str] = mapped_column(String(200))
    sealed_secret: Mapped[bytes] = mapped_column(LargeBinary)
    property: Mapped[str] = mapped_column(String(200))
    engine: Mapped[str] = mapped_column(String(60))
    time_zone: Mapped[str] = mapped_column(String(60))
    state: Mapped[str] = mapped_column(String(20), default="ready")
    fault: Mapped[str | None]
    pulled_at: Mapped[datetime | None]
    scope: Mapped[str] = mapped_column(String(300), default="")
    counted: Mapped[bool] = mapped_column(default=True)
    part_of: Mapped[int | None]
    schedule: Mapped[str] = mapped_column(String(300), default="")
    paused: Mapped[bool] = mapped_column(default=False)
    next_run_at: Mapped[datetime | None]
    retry_at: Mapped[datetime | None]
    failures: Mapped[int] = mapped_column(default=0)
    settings: Mapped[dict[str, Any]] = mapped_column(default=dict)
    created_at: Mapped[datetime]
    site: Mapped[Site] = relationship(back_populates="sources")


class User(Base):
    """Somebody who may sign in. role: owner, analyst or reader. some: for the clients named, not for all of them.

    second: the sealed secret of a second factor (RFC 6238), asked for once second_on; second_used: the newest time step
    whose code was taken, as none is taken twice. language: the one they read in; empty: the browser's. calendar: goes
    into the address of their calendar, so that a new one ends the old.
    """

    __tablename__ = "user"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(120))
    email: Mapped[str] = mapped_column(String(300), unique=True)
    password_hash: Mapped[str] = mapped_column(String(200))
    role: Mapped[str] = mapped_column(String(20), default="analyst")
    some: Mapped[bool] = mapped_column(default=False)
    second: Mapped[bytes | None] = mapped_column(LargeBinary)
    second_on: Mapped[bool] = mapped_column(default=False)
    second_used: Mapped[int] = mapped_column(default=0)
    language: Mapped[str] = mapped_column(String(20), default="")
    calendar: Mapped[int] = mapped_column(default=0)
    created_at: Mapped[datetime]


class UserClient(Base):
    """A client that a user works for, or reads of; an analyst with none works for all of them."""

    __tablename__ = "user_client"

    user_id: Mapped[int] = mapped_column(ForeignKey("user.id", ondelete="CASCADE"), primary_key=True)
    client_id: Mapped[int] = mapped_column(ForeignKey("client.id", ondelete="CASCADE"), primary_key=True)


class Audit(Base):
    """One change that somebody made, or something that was sent: who, what, from where. Never what it held."""

    __tablename__ = "audit"
    __table_args__ = (Index("audit_by_time", "at"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    at: Mapped[datetime]
    who: Mapped[str] = mapped_column(String(300))
    what: Mapped[str] = mapped_column(String(200))
    where: Mapped[str] = mapped_column(String(300), default="")
    address: Mapped[str] = mapped_column(String(60), default="")
    status: Mapped[int]


class Token(Base):
    """A bearer token of a program; only its digest is kept."""

    __tablename__ = "token"

    id: Mapped[int] = mapped_column(primary_key=True)
    user_id: Mapped[int] = mapped_column(ForeignKey("user.id"))
    label: Mapped[str] = mapped_column(String(120))
    digest: Mapped[str] = mapped_column(String(64), unique=True)
    created_at: Mapped[datetime]
    used_at: Mapped[datetime | None]
    until: Mapped[datetime | None]
    reads: Mapped[bool] = mapped_column(default=False)
    user: Mapped[User] = relationship()


class Passkey(Base):
    """What a device of somebody signs in with (WebAuthn): its public key; uses: how often it says it was used."""

    __tablename__ = "passkey"
    __table_args__ = {"sqlite_autoincrement": True}

    id: Mapped[int] = mapped_column(primary_key=True)
    user_id: Mapped[int] = mapped_column(ForeignKey("user.id", ondelete="CASCADE"), index=True)
    credential: Mapped[bytes] = mapped_column(LargeBinary, unique=True)
    public_key: Mapped[bytes] = mapped_column(LargeBinary)
    uses: Mapped[int]
    label: Mapped[str] = mapped_column(String(120))
    created_at: Mapped[datetime]
    used_at: Mapped[datetime | None]


class SpentChallenge(Base):
    """A challenge that was answered, and is taken no more."""

    __tablename__ = "spent_challenge"

    digest: Mapped[str] = mapped_column(String(64), primary_key=True)
    spent_at: Mapped[datetime]


class SignIn(Base):
    """Somebody signed in to the console, from one browser; only the digest of its cookie is kept."""

    __tablename__ = "sign_in"
    __table_args__ = (NEVER_AGAIN,)

    id: Mapped[int] = mapped_column(primary_key=True)
    user_id: Mapped[int] = mapped_column(ForeignKey("user.id", ondelete="CASCADE"))
    digest: Mapped[str] = mapped_column(String(64), unique=True)
    csrf: Mapped[str] = mapped_column(String(64))
    address: Mapped[str] = mapped_column(String(60))
    agent: Mapped[str] = mapped_column(String(200))
    created_at: Mapped[datetime]
    seen_at: Mapped[datetime]
    until: Mapped[datetime]
    user: Mapped[User] = relationship()


class FailedSignIn(Base):
    """How often signing in has failed in a row, for an account, an address, or an account from an address."""

    __tablename__ = "failed_sign_in"

    key: Mapped[str] = mapped_column(String(400), primary_key=True)
    count: Mapped[int]
    last_at: Mapped[datetime]


class KnownAddress(Base):
    """An address somebody has signed in from: what others try elsewhere costs them nothing there."""

    __tablename__ = "known_address"

    user_id: Mapped[int] = mapped_column(ForeignKey("user.id", ondelete="CASCADE"), primary_key=True)
    address: Mapped[str] = mapped_column(String(60), primary_key=True)
    seen_at: Mapped[datetime]


class Job(Base):
    """One piece of long work: a name and JSON arguments, with a lease for whoever does it.

    lane: what it shares with others that may not all run at once, as the address of one provider.
    stopping: somebody asked it to stop. not_before: it waits until then, as for room on the disk.
    log: what was worth saying on the way; result: what it came to.
    """

    __tablename__ = "job"
    __table_args__ = (Index("job_by_state", "state", "id"), NEVER_AGAIN)

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(60))
    arguments: Mapped[dict[str, Any]]
    state: Mapped[str] = mapped_column(String(20), default="queued")
    progress: Mapped[dict[str, Any]] = mapped_column(default=dict)
    attempts: Mapped[int] = mapped_column(default=0)
    worker: Mapped[str | None] = mapped_column(String(80))
    leased_until: Mapped[datetime | None]
    fault: Mapped[str | None]
    lane: Mapped[str] = mapped_column(String(200), default="")
    stopping: Mapped[bool] = mapped_column(default=False)
    not_before: Mapped[datetime | None]
    log: Mapped[list[str]] = mapped_column(default=list)
    result: Mapped[dict[str, Any]] = mapped_column(default=dict)
    created_at: Mapped[datetime]
    started_at: Mapped[datetime | None]
    ended_at: Mapped[datetime | None]


class Notice(Base):
    """Something somebody should know of: a source that stopped, days that were lost. Seen once read."""

    __tablename__ = "notice"

    id: Mapped[int] = mapped_column(primary_key=True)
    at: Mapped[datetime]
    code: Mapped[str] = mapped_column(String(60))
    text: Mapped[str]
    source_id: Mapped[int | None]
    site_key: Mapped[str | None] = mapped_column(String(200))
    seen_at: Mapped[datetime | None]


class FileMapping(Base):
    """How the columns of a kind of file are to be read, kept under a name."""

    __tablename__ = "file_mapping"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(80), unique=True)
    mapping: Mapped[dict[str, Any]]
    created_at: Mapped[datetime]


class SavedSet(Base):
    """A rule or a list that names queries or pages; of one client, or of the agency without one."""

    __tablename__ = "saved_set"
    __table_args__ = (UniqueConstraint("name", "client_id", name="one_set_a_name"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(80))
    item: Mapped[str] = mapped_column(String(10))
    client_id: Mapped[int | None] = mapped_column(ForeignKey("client.id", ondelete="CASCADE"))
    rule: Mapped[str] = mapped_column(String(4000), default="")
    members: Mapped[list[str]] = mapped_column(default=list)
    created_at: Mapped[datetime]


class DatedNote(Base):
    """Something that happened on a day or over days: to a page or set of a site, a site, a client, or the agency."""

    __tablename__ = "dated_note"
    __table_args__ = (Index("dated_note_by_day", "first"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    first: Mapped[date]
    last: Mapped[date]
    kind: Mapped[str] = mapped_column(String(20))
    text: Mapped[str] = mapped_column(String(1000))
    client_id: Mapped[int | None] = mapped_column(ForeignKey("client.id", ondelete="CASCADE"))
    site_id: Mapped[int | None] = mapped_column(ForeignKey("site.id", ondelete="CASCADE"))
    page: Mapped[str | None] = mapped_column(String(4000))
    set_name: Mapped[str | None] = mapped_column(String(80))
    origin: Mapped[str] = mapped_column(String(200), default="")
    created_at: Mapped[datetime]


class Work(Base):
    """Something to do about a page, query, keyword or set of a site, or the site. note_id: what its being done set.

    baseline: the figures it stood at when it was put on the list, as they were then; empty where none were held.
    """

    __tablename__ = "work"
    __table_args__ = (Index("work_by_site", "site_id", "state"), NEVER_AGAIN)

    id: Mapped[int] = mapped_column(primary_key=True)
    site_id: Mapped[int] = mapped_column(ForeignKey("site.id", ondelete="CASCADE"))
    of: Mapped[str] = mapped_column(String(10))
    key: Mapped[str] = mapped_column(String(4000), default="")
    todo: Mapped[str] = mapped_column(String(1000))
    why: Mapped[str] = mapped_column(String(2000), default="")
    kind: Mapped[str] = mapped_column(String(20), default="other")
    owner_id: Mapped[int | None] = mapped_column(ForeignKey("user.id", ondelete="SET NULL"))
    due: Mapped[date | None]
    state: Mapped[str] = mapped_column(String(10), default="to do")
    done_on: Mapped[date | None]
    reason: Mapped[str] = mapped_column(String(1000), default="")
    baseline: Mapped[dict[str, Any]] = mapped_column(default=dict)
    note_id: Mapped[int | None] = mapped_column(ForeignKey("dated_note.id", ondelete="SET NULL"))
    created_at: Mapped[datetime]
    changed_at: Mapped[datetime]


class Trial(Base):
    """A planned test of pages or queries that are changed, against a control that is not, or the rest of the site."""

    __tablename__ = "trial"
    __table_args__ = (Index("trial_by_site", "site_id"), NEVER_AGAIN)

    id: Mapped[int] = mapped_column(primary_key=True)
    site_id: Mapped[int] = mapped_column(ForeignKey("site.id", ondelete="CASCADE"))
    name: Mapped[str] = mapped_column(String(120))
    what: Mapped[str] = mapped_column(String(2000), default="")
    of: Mapped[str] = mapped_column(String(10))
    treated: Mapped[list[str]] = mapped_column(default=list)
    control: Mapped[list[str]] = mapped_column(default=list)
    starts: Mapped[date]
    weeks: Mapped[int] = mapped_column(default=4)
    ended_on: Mapped[date | None]
    log: Mapped[list[Any]] = mapped_column(JSON, default=list)
    created_at: Mapped[datetime]


class Target(Base):
    """A figure to be reached by a day, of a site or of all sites of its client."""

    __tablename__ = "target"
    __table_args__ = (Index("target_by_site", "site_id"), NEVER_AGAIN)

    id: Mapped[int] = mapped_column(primary_key=True)
    site_id: Mapped[int] = mapped_column(ForeignKey("site.id", ondelete="CASCADE"))
    name: Mapped[str] = mapped_column(String(120))
    metric: Mapped[str] = mapped_column(String(20))
    over: Mapped[str] = mapped_column(String(10), default="site")
    filter: Mapped[str] = mapped_column(String(2000), default="")
    tagged: Mapped[str] = mapped_column(String(60), default="")
    value: Mapped[float]
    starts: Mapped[date]
    by: Mapped[date]
    created_at: Mapped[datetime]


class Alert(Base):
    """Something that called out on a site by a rule, about a key. facts: the row it is from, as last found.

    A muted one is never closed, so that it never calls again. until: of a snoozed one. by: who saw to it.
    """

    __tablename__ = "alert"
    __table_args__ = (Index("alert_by_site", "site_id", "rule"), NEVER_AGAIN)

    id: Mapped[int] = mapped_column(primary_key=True)
    site_id: Mapped[int] = mapped_column(ForeignKey("site.id", ondelete="CASCADE"))
    rule: Mapped[str] = mapped_column(String(40))
    key: Mapped[str] = mapped_column(String(4000), default="")
    since: Mapped[date | None]
    sure: Mapped[str] = mapped_column(String(20))
    look: Mapped[str] = mapped_column(String(40))
    facts: Mapped[dict[str, Any]] = mapped_column(default=dict)
    state: Mapped[str] = mapped_column(String(12), default="open")
    until: Mapped[date | None]
    reason: Mapped[str] = mapped_column(String(500), default="")
    by: Mapped[str | None] = mapped_column(String(300))
    opened_at: Mapped[datetime]
    closed_at: Mapped[datetime | None]


class AlertRule(Base):
    """A rule of what calls out that somebody keeps. Under a shipped one's name it stands in its place.

    sites: only of these, by key; of all where there are none. lasting: on so many days in a row it must hold.
    """

    __tablename__ = "alert_rule"
    __table_args__ = (NEVER_AGAIN,)

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(40), unique=True)
    on: Mapped[bool] = mapped_column(default=True)
    sites: Mapped[list[str]]
    lasting: Mapped[int] = mapped_column(default=1)
    reading: Mapped[str] = mapped_column(String(40), default="")
    condition: Mapped[str] = mapped_column(String(2000), default="")
    window: Mapped[str] = mapped_column(String(40), default="")
    asked: Mapped[dict[str, Any]]
    key: Mapped[str] = mapped_column(String(60), default="")
    since: Mapped[str] = mapped_column(String(60), default="")
    sure: Mapped[str] = mapped_column(String(20), default="likely")
    created_at: Mapped[datetime]


class MonthlyDone(Base):
    """A step of the monthly check that was gone through for a client's month, which goes by its first day."""

    __tablename__ = "monthly_step"
    __table_args__ = (UniqueConstraint("client_id", "month", "step"), NEVER_AGAIN)

    id: Mapped[int] = mapped_column(primary_key=True)
    client_id: Mapped[int] = mapped_column(ForeignKey("client.id", ondelete="CASCADE"))
    month: Mapped[date]
    step: Mapped[str] = mapped_column(String(20))
    by: Mapped[str] = mapped_column(String(300))
    at: Mapped[datetime]


class Keyword(Base):
    """A term whose rank is tracked for a site, as looked up from one place on one device of one engine.

    checked_at: when it was last looked up with an answer. cpc: in hundredths of the client's currency.
    """

    __tablename__ = "keyword"
    __table_args__ = (
        UniqueConstraint(
            *("site_id", "term", "engine", "language", "country", "place", "device"), name="one_keyword_a_look"
        ),
        NEVER_AGAIN,
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    site_id: Mapped[int] = mapped_column(ForeignKey("site.id", ondelete="CASCADE"))
    term: Mapped[str] = mapped_column(String(200))
    engine: Mapped[str] = mapped_column(String(60))
    language: Mapped[str] = mapped_column(String(3))
    country: Mapped[str] = mapped_column(String(2))
    place: Mapped[str] = mapped_column(String(120), default="")
    device: Mapped[str] = mapped_column(String(10))
    page: Mapped[str] = mapped_column(String(4000), default="")
    weight: Mapped[int] = mapped_column(default=3)
    tags: Mapped[list[str]] = mapped_column(default=list)
    pinned: Mapped[bool] = mapped_column(default=False)
    note: Mapped[str] = mapped_column(String(500), default="")
    volume: Mapped[int | None]
    cpc: Mapped[int | None]
    interval: Mapped[str] = mapped_column(String(10), default="daily")
    checked_at: Mapped[datetime | None]
    created_at: Mapped[datetime]


class Competitor(Base):
    """A domain that a site's ranks are set beside."""

    __tablename__ = "competitor"
    __table_args__ = (UniqueConstraint("site_id", "domain", name="one_competitor_a_domain"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    site_id: Mapped[int] = mapped_column(ForeignKey("site.id", ondelete="CASCADE"))
    domain: Mapped[str] = mapped_column(String(300))
    label: Mapped[str] = mapped_column(String(120), default="")
    created_at: Mapped[datetime]


class Grid(Base):
    """Points around a place from which one term is looked up: size × size of them, so many kilometres apart."""

    __tablename__ = "grid"
    __table_args__ = (NEVER_AGAIN,)

    id: Mapped[int] = mapped_column(primary_key=True)
    site_id: Mapped[int] = mapped_column(ForeignKey("site.id", ondelete="CASCADE"))
    label: Mapped[str] = mapped_column(String(120))
    term: Mapped[str] = mapped_column(String(200))
    engine: Mapped[str] = mapped_column(String(60))
    language: Mapped[str] = mapped_column(String(3))
    country: Mapped[str] = mapped_column(String(2))
    device: Mapped[str] = mapped_column(String(10))
    latitude: Mapped[float]
    longitude: Mapped[float]
    spacing: Mapped[float]
    size: Mapped[int]
    interval: Mapped[str] = mapped_column(String(10), default="weekly")
    checked_at: Mapped[datetime | None]
    created_at: Mapped[datetime]


class Template(Base):
    """A named list of blocks that reports are made from; version: of its newest body."""

    __tablename__ = "template"
    __table_args__ = (NEVER_AGAIN,)

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(80), unique=True)
    about: Mapped[str] = mapped_column(String(300), default="")
    version: Mapped[int] = mapped_column(default=1)
    shipped: Mapped[bool] = mapped_column(default=False)
    changed_at: Mapped[datetime]


class TemplateVersion(Base):
    """A template's body as it was from one change to the next."""

    __tablename__ = "template_version"
    __table_args__ = (UniqueConstraint("template_id", "version", name="one_body_a_version"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    template_id: Mapped[int] = mapped_column(ForeignKey("template.id", ondelete="CASCADE"))
    version: Mapped[int]
    body: Mapped[dict[str, Any]]
    at: Mapped[datetime]


class Report(Base):
    """A report of a site. template, version: what it was made from; body: its own, None while it is its template's.

    schedule: an RFC 5545 recurrence rule, empty for none. sending: to whom and how its editions go out.
    """

    __tablename__ = "report"
    __table_args__ = (UniqueConstraint("site_id", "name", name="one_report_a_name"), NEVER_AGAIN)

    id: Mapped[int] = mapped_column(primary_key=True)
    site_id: Mapped[int] = mapped_column(ForeignKey("site.id", ondelete="CASCADE"))
    name: Mapped[str] = mapped_column(String(120))
    template: Mapped[str] = mapped_column(String(80))
    version: Mapped[int]
    language: Mapped[str] = mapped_column(String(20), default="")
    body: Mapped[dict[str, Any] | None] = mapped_column(JSON)
    schedule: Mapped[str] = mapped_column(String(300), default="")
    paused: Mapped[bool] = mapped_column(default=False)
    next_run_at: Mapped[datetime | None]
    sending: Mapped[dict[str, Any]] = mapped_column(default=dict)
    created_at: Mapped[datetime]


class Slot(Base):
    """One time a report fell due. state: due, waiting (for days), made, skipped, or failed; why: the reason for it."""

    __tablename__ = "slot"
    __table_args__ = (UniqueConstraint("report_id", "due_at", name="one_slot_a_time"), NEVER_AGAIN)

    id: Mapped[int] = mapped_column(primary_key=True)
    report_id: Mapped[int] = mapped_column(ForeignKey("report.id", ondelete="CASCADE"))
    due_at: Mapped[datetime]
    state: Mapped[str] = mapped_column(String(10), default="due", index=True)
    why: Mapped[str] = mapped_column(String(600), default="")
    edition_id: Mapped[int | None] = mapped_column(ForeignKey("edition.id", ondelete="SET NULL"))
    tried: Mapped[int] = mapped_column(default=0)
    next_try_at: Mapped[datetime]


class Edition(Base):
    """One edition of a report. frozen: everything it shows but its summary, packed; digest: of it unpacked.

    looks: which blocks came in and which did not, and why. drafted: the summary as the figures gave it.
    """

    __tablename__ = "edition"
    __table_args__ = (NEVER_AGAIN,)

    id: Mapped[int] = mapped_column(primary_key=True)
    report_id: Mapped[int] = mapped_column(ForeignKey("report.id", ondelete="CASCADE"), index=True)
    state: Mapped[str] = mapped_column(String(20), default="draft")
    title: Mapped[str] = mapped_column(String(400))
    first: Mapped[date]
    last: Mapped[date]
    summary: Mapped[list[str]]
    drafted: Mapped[list[str]]
    looks: Mapped[dict[str, Any]]
    template: Mapped[str] = mapped_column(String(80))
    version: Mapped[int]
    generation: Mapped[int]
    digest: Mapped[str] = mapped_column(String(32))
    frozen: Mapped[bytes] = mapped_column(LargeBinary, deferred=True)
    made_at: Mapped[datetime]
    made_by: Mapped[str] = mapped_column(String(120), default="")
    approved_at: Mapped[datetime | None]
    approved_by: Mapped[str] = mapped_column(String(120), default="")
    looked_at: Mapped[datetime | None]
    looked_by: Mapped[str] = mapped_column(String(120), default="")
    sent_at: Mapped[datetime | None]
    complete: Mapped[bool] = mapped_column(default=True)


class Mailed:
    """What all mails on their way have, whatever they bring.

    state: waiting, handing (over, by `claim`), sent, refused (by the recipient's server), failed (after many tries),
    held (whether it arrived is not known), or returned (it came back). message: its Message-ID, the same with each try.
    """

    id: Mapped[int] = mapped_column(primary_key=True)
    email: Mapped[str] = mapped_column(String(300))
    name: Mapped[str] = mapped_column(String(120), default="")
    state: Mapped[str] = mapped_column(String(10), default="waiting", index=True)
    message: Mapped[str] = mapped_column(String(200), unique=True)
    attempts: Mapped[int] = mapped_column(default=0)
    claim: Mapped[str] = mapped_column(String(120), default="")
    why: Mapped[str] = mapped_column(String(600), default="")
    next_try_at: Mapped[datetime]
    queued_at: Mapped[datetime]
    queued_by: Mapped[str] = mapped_column(String(120), default="")
    sent_at: Mapped[datetime | None]


class Delivery(Mailed, Base):
    """One edition on its way to one recipient; no two of the same."""

    __tablename__ = "delivery"
    __table_args__ = (UniqueConstraint("edition_id", "email", name="one_mail_a_recipient"), NEVER_AGAIN)

    edition_id: Mapped[int] = mapped_column(ForeignKey("edition.id", ondelete="CASCADE"))


class Digest(Base):
    """How often somebody is mailed what calls out. told_until: when they were told last.

    told_alert: the newest alert they were told of or passed over; told: alerts that are over, and work, by name.
    """

    __tablename__ = "digest"

    user_id: Mapped[int] = mapped_column(ForeignKey("user.id", ondelete="CASCADE"), primary_key=True)
    every: Mapped[str] = mapped_column(String(5))
    weekday: Mapped[int]
    at: Mapped[str] = mapped_column(String(5))
    time_zone: Mapped[str] = mapped_column(String(60))
    quiet_from: Mapped[str] = mapped_column(String(5), default="")
    quiet_to: Mapped[str] = mapped_column(String(5), default="")
    told_until: Mapped[datetime]
    told_alert: Mapped[int] = mapped_column(default=0)
    told: Mapped[list[str]]


class DigestMail(Mailed, Base):
    """One digest on its way to whom it is for, with what it tells."""

    __tablename__ = "digest_mail"
    __table_args__ = (NEVER_AGAIN,)

    user_id: Mapped[int] = mapped_column(ForeignKey("user.id", ondelete="CASCADE"))
    content: Mapped[dict[str, Any]]


class AgencyLook(Base):
    """How everything looks that a client has no look of its own for; there is one row at most."""

    __tablename__ = "agency_look"

    id: Mapped[int] = mapped_column(primary_key=True)
    logo: Mapped[bytes | None] = mapped_column(LargeBinary)
    logo_type: Mapped[str | None] = mapped_column(String(40))
    sender: Mapped[str] = mapped_column(String(120), default="")
    footer: Mapped[str] = mapped_column(String(200), default="")
    credit: Mapped[bool] = mapped_column(default=False)


class Share(Base):
    """An address by which somebody without an account sees one edition, or a report as it is today.

    allowed: what a reader of the live page may change. password_hash: empty for none.
    """

    __tablename__ = "share"
    __table_args__ = (NEVER_AGAIN,)

    id: Mapped[int] = mapped_column(primary_key=True)
    report_id: Mapped[int] = mapped_column(ForeignKey("report.id", ondelete="CASCADE"))
    edition_id: Mapped[int | None] = mapped_column(ForeignKey("edition.id", ondelete="CASCADE"))
    label: Mapped[str] = mapped_column(String(120), default="")
    nonce: Mapped[str] = mapped_column(String(40), unique=True)
    password_hash: Mapped[str] = mapped_column(String(200), default="")
    allowed: Mapped[list[str]] = mapped_column(default=list)
    until: Mapped[datetime | None]
    revoked_at: Mapped[datetime | None]
    created_at: Mapped[datetime]
    created_by: Mapped[str] = mapped_column(String(120), default="")


class ShareView(Base):
    """One look at a shared page. address: of whom, cut so that it names a network and nobody."""

    __tablename__ = "share_view"
    __table_args__ = (Index("share_view_by_share", "share_id", "at"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    share_id: Mapped[int] = mapped_column(ForeignKey("share.id", ondelete="CASCADE"))
    at: Mapped[datetime]
    address: Mapped[str] = mapped_column(String(60))
    what: Mapped[str] = mapped_column(String(40))


class Unsubscribed(Base):
    """Somebody who wants a report's mails no longer."""

    __tablename__ = "unsubscribed"

    report_id: Mapped[int] = mapped_column(ForeignKey("report.id", ondelete="CASCADE"), primary_key=True)
    email: Mapped[str] = mapped_column(String(300), primary_key=True)
    at: Mapped[datetime]


class Webhook(Base):
    """An address that is told when something happens; its secret is sealed."""

    __tablename__ = "webhook"
    __table_args__ = (NEVER_AGAIN,)

    id: Mapped[int] = mapped_column(primary_key=True)
    url: Mapped[str] = mapped_column(String(500))
    label: Mapped[str] = mapped_column(String(120), default="")
    events: Mapped[list[str]] = mapped_column(default=list)
    sealed: Mapped[bytes] = mapped_column(LargeBinary)
    created_at: Mapped[datetime]
    time_zone: Mapped[str] = mapped_column(String(60), default="UTC", server_default="UTC")
    quiet_from: Mapped[str] = mapped_column(String(5), default="", server_default="")
    quiet_to: Mapped[str] = mapped_column(String(5), default="", server_default="")


class WebhookPost(Base):
    """One thing that happened, on its way to one address. key: its number, the same with each try."""

    __tablename__ = "webhook_post"
    __table_args__ = (UniqueConstraint("webhook_id", "key", name="one_post_an_event"), NEVER_AGAIN)

    id: Mapped[int] = mapped_column(primary_key=True)
    webhook_id: Mapped[int] = mapped_column(ForeignKey("webhook.id", ondelete="CASCADE"))
    key: Mapped[str] = mapped_column(String(80))
    body: Mapped[dict[str, Any]]
    state: Mapped[str] = mapped_column(String(10), default="waiting", index=True)
    tries: Mapped[int] = mapped_column(default=0)
    why: Mapped[str] = mapped_column(String(300), default="")
    next_try_at: Mapped[datetime]
    told_at: Mapped[datetime | None]


class Erasure(Base):
    """What was deleted for good: never what it held, only how much of what."""

    __tablename__ = "erasure"

    id: Mapped[int] = mapped_column(primary_key=True)
    at: Mapped[datetime]
    who: Mapped[str] = mapped_column(String(120))
    what: Mapped[str] = mapped_column(String(300))
    went: Mapped[dict[str, Any]]
