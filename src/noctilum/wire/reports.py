"""Report templates, reports of a site, and their editions, as they cross HTTP."""

from __future__ import annotations

from datetime import date, datetime
from typing import Annotated, Any, Literal

from pydantic import Field

from noctilum.wire.base import Asked, Kept, Line, Wire
from noctilum.wire.questions import LARGEST, Question

MOST_BLOCKS = 40
Option = str | int | float | bool | list[str]
State = Literal["draft", "approved", "sent"]
Weekend = Literal["as it falls", "next", "previous"]
ReportFile = Literal["pdf", "html", "xlsx", "zip"]


class BlockSpec(Asked):
    """One block of a report: what it shows, and what is different from the report as a whole."""

    kind: Line = Field(min_length=1, max_length=40, description="A reading by its name, or one of the report's own")
    title: Line = Field(default="", max_length=120, description="In place of its own")
    commentary: str = Field(default="", max_length=6000, description="Markdown; stands above what is shown")
    options: dict[Line, Option] = Field(default={}, max_length=20, description="Parameters of its reading, by name")
    filter: str = Field(default="", max_length=4000, description="In place of the report's")
    window: str = Field(default="", max_length=40, description="In place of the report's")
    against: str = Field(default="", max_length=40, description="In place of the report's")
    columns: list[Line] = Field(default=[], max_length=30, description="Of its table, in this order")
    order: Line = Field(
        default="",
        max_length=61,
        description="The column its rows stand by, largest first, texts from A on; - turns it round",
    )
    limit: int | None = Field(default=None, ge=1, le=200, description="Rows at most")
    stay: bool = Field(default=False, description="Stay with the reason where there is nothing to show")


class ReportBody(Asked):
    """What a report is made of."""

    window: str = Field(default="last-month", max_length=40, description="As of every reading")
    against: str = Field(default="before", max_length=40, description="before, year, none, or a window")
    filter: str = Field(default="", max_length=4000, description="Only what passes, in every block")
    season: bool = Field(default=True, description="Net of what the year does, where a year is held")
    paper: Literal["A4", "Letter"] = "A4"
    cover: bool = Field(default=False, description="Begin what is printed with a page for title, client and days")
    blocks: Annotated[list[BlockSpec], Field(min_length=1, max_length=MOST_BLOCKS)]


class TemplatesQuery(Question):
    """Which templates."""

    find: str = Field(default="", max_length=80, description="Only those whose name holds this")


class NewTemplate(Asked):
    """A template to keep: one of the same name gets a new version."""

    name: Line = Field(min_length=1, max_length=80)
    about: Line = Field(default="", max_length=300)
    body: ReportBody


class TemplateOut(Kept):
    """A kept template, as its newest version is."""

    id: int
    name: str
    about: str
    version: int
    changed_at: str
    shipped: bool = Field(description="Whether it came with the product and was not changed since")
    body: ReportBody


class TemplateText(Asked):
    """A template as its TOML text."""

    text: str = Field(min_length=1, max_length=200_000)


class VersionOut(Wire):
    """One version of a template."""

    version: int
    at: str


class TemplateDiff(Wire):
    """What changed between two versions of a template, line for line of their TOML texts."""

    name: str
    first: int
    last: int
    lines: list[str] = Field(description="As of a unified diff: + added, − taken away, none for what stayed")


class ReportsQuery(Question):
    """Which reports."""

    site: str | None = Field(default=None, max_length=300, description="Those of this site")
    client: str | None = Field(default=None, max_length=80, description="Those of this client's sites")


class Recipient(Asked):
    """Who gets a report's editions."""

    email: Line = Field(min_length=3, max_length=300)
    name: Line = Field(default="", max_length=120)


class NewReport(Asked):
    """A report of a site, made from a template; what is changed in it changes no template."""

    site: Line = Field(min_length=1, max_length=300)
    name: Line = Field(min_length=1, max_length=120)
    template: Line = Field(min_length=1, max_length=80, description="The template's name")
    version: int | None = Field(
        default=None, ge=1, le=LARGEST, description="The template's version; the newest without"
    )
    language: Line = Field(default="", max_length=20, description="In place of the client's")
    body: ReportBody | None = Field(default=None, description="In place of the template's")
    schedule: Line = Field(
        default="",
        max_length=300,
        description="monthly on 1 at 07:00, weekly on monday at 07:00, an RFC 5545 rule, or off",
    )
    time_zone: Line = Field(default="", max_length=60, description="Of the schedule; the client's without")
    weekend: Weekend = Field(default="as it falls", description="Where it falls on a Saturday or Sunday")
    when_late: Literal["wait", "mark"] = Field(
        default="wait", description="While days of its window are missing: wait for them, or go out marked"
    )
    wait_days: int = Field(default=7, ge=0, le=31, description="Wait so long at most, then go out marked")
    approval: bool = Field(default=True, description="Nothing is sent before somebody signs it off")
    recipients: list[Recipient] = Field(default=[], max_length=50)
    attach: list[ReportFile] = Field(default=["pdf"], max_length=4, description="Files that go with the mail")
    message: str = Field(default="", max_length=4000, description="Stands above the summary in the mail; Markdown")
    paused: bool = Field(default=False, description="Nothing falls due while it is")


class ReportOut(Kept):
    """A report of a site."""

    id: int
    site: str
    client: str
    name: str
    template: str
    version: int = Field(description="The template's version it was made from")
    newer: int | None = Field(description="A newer version of the template, where there is one")
    language: str
    changed: bool = Field(description="Whether its blocks differ from its template's")
    body: ReportBody
    schedule: str
    time_zone: str
    weekend: Weekend
    when_late: Literal["wait", "mark"]
    wait_days: int
    approval: bool
    recipients: list[Recipient]
    attach: list[ReportFile]
    message: str
    paused: bool
    coming: list[datetime] = Field(description="The next three times it falls due")
    unsubscribed: list[str] = Field(description="Recipients who want it no longer")


class BlockLook(Wire):
    """Whether a block comes into a report, and why not."""

    kind: str
    title: str
    comes_in: bool
    why: str = Field(description="Why it has nothing to show")


class ReportLook(Wire):
    """What a report would be made of today."""

    site: str
    title: str
    first: date
    last: date
    complete: bool = Field(description="Whether every day of its window is held and settled")
    summary: list[str]
    blocks: list[BlockLook]


class ReportDraft(Wire):
    """A report as it would be today: what comes in, the page, and where its blocks fall in print."""

    look: ReportLook
    html: str
    pages: int | None = Field(description="So many printed; none where they were not asked for")
    page_of: list[int | None] = Field(description="The printed page that each block begins on, as in look.blocks")


class AskDraft(Asked):
    """Draw a report before it is made."""

    body: ReportBody
    language: Line = Field(default="", max_length=20)
    paged: bool = Field(default=False, description="Say which printed page each block begins on; takes a second or two")


class AskLook(Asked):
    """Look over a report before it is made."""

    template: Line = Field(default="", max_length=80, description="A template's name, or a body")
    body: ReportBody | None = None
    language: Line = Field(default="", max_length=20)


class EditionsQuery(Question):
    """Which editions, the newest first."""

    site: str | None = Field(default=None, max_length=300)
    client: str | None = Field(default=None, max_length=80)
    state: State | None = None
    find: str = Field(default="", max_length=120, description="Those whose title, report or site holds this text")
    limit: int = Field(default=100, ge=1, le=1000)
    offset: int = Field(default=0, ge=0, le=1_000_000_000)


class EditionOut(Kept):
    """One edition of a report: frozen when it was made, signed off when it is approved."""

    id: int
    report: int
    name: str
    site: str
    client: str
    state: State
    title: str
    first: date
    last: date
    summary: list[str] = Field(description="As it is printed")
    drafted: list[str] = Field(description="As it was drafted from the figures")
    blocks: list[BlockLook]
    template: str
    version: int
    digest: str = Field(description="BLAKE2b of everything it shows but the summary; the same digest, the same figures")
    generation: int = Field(description="Of the history it was read from")
    made_at: datetime
    made_by: str
    approved_at: datetime | None
    approved_by: str
    looked_at: datetime | None = Field(description="When somebody first opened it")
    looked_by: str
    sent_at: datetime | None
    complete: bool = Field(description="Whether every day of its window was held and settled")
    to: int = Field(description="Recipients that it is on its way to, or went to")
    reached: int = Field(description="Of them, those whose server has taken it")
    troubles: int = Field(description="Of them, those it could not be handed to, or came back from")


class DeliveryOut(Wire):
    """One edition on its way to one recipient."""

    id: int
    email: str
    name: str
    state: Literal["waiting", "handing", "sent", "refused", "failed", "held", "returned"]
    attempts: int
    why: str
    next_try_at: datetime
    queued_at: datetime
    queued_by: str
    sent_at: datetime | None
    message: str = Field(description="Its Message-ID")


class DeliveryAnswer(Asked):
    """What somebody found out about a mail of which it was not known whether it arrived."""

    arrived: bool


class TestMail(Asked):
    """To whom an edition is sent as a test; it counts as sent to nobody."""

    to: Line = Field(min_length=3, max_length=300)


class TestMailSent(Wire):
    """What the mail server said."""

    to: str
    said: str


class Bounce(Asked):
    """A mail that came back: the whole message, as it arrived."""

    text: str = Field(min_length=1, max_length=900_000)


class Bounced(Wire):
    """Whom a mail that came back was for."""

    email: str
    edition: int
    why: str


class DueQuery(Question):
    """What is due."""

    client: str | None = Field(default=None, max_length=80)
    site: str | None = Field(default=None, max_length=300)


DueState = Literal["due", "waiting", "failed", "to approve", "to send", "sending", "trouble", "sent", "coming"]


class DueLine(Wire):
    """One report at the place where it stands: due, waiting for days, to be signed off, on its way, sent."""

    state: DueState
    report: int
    name: str
    site: str
    client: str
    due_at: datetime | None
    slot: int | None = Field(description="The number to make it at once or to skip it by")
    edition: int | None
    title: str
    first: date | None
    last: date | None
    why: str
    to: int
    reached: int
    looked_by: str
    complete: bool


class EditionChange(Asked):
    """What an analyst may write into a draft."""

    summary: list[Annotated[str, Field(max_length=1000)]] | None = Field(default=None, max_length=12)


class Revised(Wire):
    """One figure of an edition that is another today."""

    block: str
    what: str
    then: str
    now: str


class EditionRevised(Wire):
    """What has been revised since an edition was made."""

    edition: int
    same: bool = Field(description="Whether everything it shows would be the same today")
    changed: list[Revised] = Field(description="The first two hundred")


class ComparedQuery(Question):
    """Which edition another is compared with."""

    to: int = Field(ge=1, le=1_000_000_000, description="The other edition")


class EditionsCompared(Wire):
    """How two editions differ."""

    first: EditionOut
    second: EditionOut
    came: list[str] = Field(description="Blocks that only the second has")
    went: list[str] = Field(description="Blocks that only the first has")
    changed: list[Revised] = Field(description="Figures that differ in blocks that both have, the first two hundred")
    more: int = Field(description="So many more")


class ShippedFile(Wire):
    """The manifest of a report's CSV files."""

    title: str
    client: str
    host: str
    first: date
    last: date
    digest: str
    files: list[dict[str, Any]]
