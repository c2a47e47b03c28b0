"""The worklist as it crosses HTTP: what is to be done, what was done, and what came of it."""

from __future__ import annotations

from datetime import date, datetime
from typing import Annotated, ClassVar, Literal

from pydantic import Field, model_validator

from noctilum.wire.base import Asked, Day, Kept, Line, Wire
from noctilum.wire.columns import column
from noctilum.wire.common_columns import MATCHING
from noctilum.wire.questions import Paged, Question
from noctilum.wire.readings import Reading

Of = Literal["site", "page", "query", "keyword", "set"]
WorkKind = Literal["refresh", "new content", "title and snippet", "links", "technical", "other"]
State = Literal["to do", "doing", "done", "dropped"]
Came = Literal["better", "worse", "no effect can be shown", "too few to tell", "waits"]
ReadOn = Literal["clicks", "rank"]
MOST_AT_ONCE = 500


class WorkQuery(Question):
    """Which items."""

    site: str | None = Field(default=None, max_length=300, description="Those of this site")
    client: str | None = Field(default=None, max_length=80, description="Those of this client's sites")
    owner: str | None = Field(default=None, max_length=300, description="Those of this person, by e-mail address")
    state: Literal["open", "to do", "doing", "done", "dropped", "all"] = Field(
        default="all", description="open: to do and doing"
    )
    find: str = Field(default="", max_length=200, description="Those that hold this text")


class _Work(Asked):
    """What an item says besides what it is on."""

    site: Line = Field(min_length=1, max_length=300)
    of: Of = Field(default="page", description="What it is on")
    todo: Line = Field(min_length=1, max_length=1000, description="What to do")
    why: str = Field(default="", max_length=2000, description="The finding it was made on")
    kind: WorkKind = Field(default="other", description="The kind of work")
    owner: Line | None = Field(default=None, max_length=300, description="Who does it, by e-mail address")
    due: Day | None = None


class NewWork(_Work):
    """Something to do about a page, query, keyword, set or the site. Done ones set a dated note on their day."""

    key: Line = Field(default="", max_length=4000, description="The page, query, keyword or set; empty for the site")
    state: State = "to do"
    done_on: Day | None = Field(
        default=None, description="The day it was done; today where it is done and none is said"
    )
    reason: str = Field(default="", max_length=1000, description="Why it was dropped")

    @model_validator(mode="after")
    def _fits(self) -> NewWork:
        if (self.of == "site") == bool(self.key):
            raise ValueError("what it is on is named, unless it is the site as a whole")
        if self.state == "dropped" and not self.reason.strip():
            raise ValueError("an item is dropped with a reason")
        return self


class ManyWork(_Work):
    """The same to do about several pages, queries, keywords or sets."""

    keys: list[Annotated[Line, Field(min_length=1, max_length=4000)]] = Field(min_length=1, max_length=MOST_AT_ONCE)


class Baseline(Wire):
    """How the item stood on the day it was put on the list, over the 28 days held by then; it never changes."""

    first: date
    last: date
    clicks: int
    impressions: int
    ctr: float | None
    position: float | None


class WorkOut(Kept):
    """An item of the worklist."""

    id: int
    site: str
    client: str
    of: Of
    key: str
    todo: str
    why: str
    kind: WorkKind
    owner: str | None
    due: date | None
    state: State
    done_on: date | None
    reason: str
    baseline: Baseline | None = Field(description="None where no searches were held then")
    note: int | None = Field(description="The dated note that its being done has set")
    created_at: datetime
    changed_at: datetime


class WorkTaken(Wire):
    """What came of several items at once."""

    added: list[WorkOut]
    repeated: list[str] = Field(description="What the same was to be done about already; left as it was")


class CalendarOut(Wire):
    """Where a calendar reads somebody's open items; whoever has the address may read them."""

    address: str


class WorkedQuery(Paged):
    """What was done in a window, and what came of it."""

    window: str = Field(default="P12M", max_length=40, description="In which it was done")
    work_kind: WorkKind | None = Field(default=None, description="Only this kind of work")
    only: Literal["all", "better", "worse", "read", "waits"] = Field(default="all", description="read: not waiting")
    language: Literal["en", "de", "fr", "es", "nb"] = Field(default="en", description="Of the sentences")


class WorkedRow(Wire):
    """One item that was done. verdict: after 84 complete days, else after 28; waits until these are held."""

    SHOWN: ClassVar[tuple[str, ...]] = (
        *("key", "todo", "kind", "done_on", "verdict", "days"),
        *("before", "expected", "now", "moved", "rank_before", "rank_now", "ready"),
    )

    number: int
    done_on: date = column("day", "done")
    of: Of = column("text", "on")
    key: str = column("text", "what")
    todo: str = column("text", "work")
    kind: WorkKind = column("verdict", "kind")
    owner: str | None = column("text", "by whom")
    verdict: Came = column(
        "verdict",
        "what came of it",
        "Clicks after it against those to be expected from the rest of the site and its own season: better or worse "
        "from a tenth on, where chance would do as much in at most 5 of 100 cases. A keyword is read on its rank, "
        "beside what the other keywords did meanwhile, where enough of them are looked up.",
    )
    read_on: ReadOn = column("verdict", "read on")
    days: int | None = column("count", "days after", "So many complete days on either side were read.")
    before: int | None = column("count", "clicks before", "Of as many days before it.")
    expected: float | None = column(
        "count", "expected", "Clicks before it, times the change of what it is set beside, and times its own season."
    )
    now: int | None = column("count", "clicks after", better="higher")
    moved: float | None = column("share", "moved", "Clicks after it over those expected, less one.", signed=True)
    p: float | None = column("number", "p", "How likely such a difference would be by chance.")
    rank_before: float | None = column("place", "rank before", "A keyword's, on average of the days before it.")
    rank_now: float | None = column("place", "rank after", better="lower")
    ready: date | None = column("day", "to be read", "When the days after it are complete, while they are not.")


class WorkedKind(Wire):
    """What came of one kind of work."""

    kind: WorkKind = column("verdict", "kind")
    done: int = column("count", "done")
    better: int = column("count", "better")
    worse: int = column("count", "worse")
    unclear: int = column("count", "no effect can be shown", "Of those read.")
    few: int = column("count", "too few to tell")
    waits: int = column("count", "waits")


class Worked(Reading):
    """What was done, the newest first, and what came of it. open, overdue: what is still to be done, as of today."""

    rows: list[WorkedRow]
    kinds: list[WorkedKind]
    done: int = column("count", "done", "Items done in the window.")
    better: int = column("count", "better", "Of those read.")
    worse: int = column("count", "worse", "Of those read.")
    unclear: int = column("count", "no effect can be shown", "Of those read.")
    few: int = column("count", "too few to tell", "Of those read.")
    waits: int = column("count", "waits", "Done too lately to be read.")
    open: int = column("count", "open", "To do and doing.")
    overdue: int = column("count", "overdue", "Open, and due before today.")
    offset: int
    matching: int = MATCHING
