"""What broke between two looks: rows that fell silent, a fall of the whole, and all that rules find."""

from __future__ import annotations

from datetime import date
from typing import ClassVar, Literal, get_args

from pydantic import Field

from noctilum.wire.base import Day, Wire
from noctilum.wire.columns import column
from noctilum.wire.common_columns import MATCHING
from noctilum.wire.questions import Paged, Windowed, word
from noctilum.wire.readings import Caution, Reading, Sentence

SILENT_LEAST = 0.001
"""The most that the chances of all rows together may come to for a silence to be one (ours)."""


class SilentQuery(Windowed, Paged):
    """What is looked through. A silence begins in the window and lasts to its end."""

    window: str = Field(default="P28D", max_length=40, description="In which it began; it lasts to its end")

    item: Literal["page", "query"] = word("page", in_path=False, description="What is looked through")


class SilentRow(Wire):
    """A page or query that was shown day by day and of late is not."""

    SHOWN: ClassVar[tuple[str, ...]] = ("key", "since", "days", "usual", "clicks", "queries", "chance")

    key: str = column("text", "what", titled_by="item", named_by="item")
    since: date = column("day", "silent since", "The first day without an impression.")
    days: int = column("count", "days", "Days without an impression, up to the last complete one.")
    usual: int = column("count", "usual impressions", "Of a day: the median of the 28 days before.")
    clicks: int = column("count", "clicks before", "In the 28 days before.", better="higher")
    queries: int | None = column(
        "count", "queries before", "Listed queries that it was shown for in the 28 days before; none where not held."
    )
    chance: float = column(
        "number", "chance", "How likely such a silence is by chance, by its own scatter.", decimals=6
    )


class Silent(Reading):
    """Pages or queries that fell silent, those with the most clicks first."""

    item: Literal["page", "query"]
    rows: list[SilentRow]
    looked_at: int = column("count", "looked at", "Rows that were shown on most days, so that a silence would tell.")
    offset: int
    matching: int = MATCHING


class SlumpQuery(Windowed):
    """As of the last day of the window."""


class SlumpRow(Wire):
    """Clicks or impressions of the last days beside what was to be expected of them."""

    SHOWN: ClassVar[tuple[str, ...]] = ("measure", "verdict", "since", "days", "now", "expected", "change", "score")

    measure: Literal["clicks", "impressions"] = column("verdict", "measure")
    verdict: Literal["fell", "as expected", "too few to tell"] = column(
        "verdict",
        "verdict",
        "fell: under 0.85 of what was to be expected, and farther below it than its own scatter does by chance.",
    )
    since: date | None = column("day", "since", "The first of the days that tell it most clearly.")
    days: int | None = column("count", "days", "How many these are: 3, 5 or 7.")
    now: int | None = column("count", "counted", "Over these days.", better="higher")
    expected: float | None = column(
        "count", "expected", "By the same weekdays before, the level of late, and what a year ago did."
    )
    change: float | None = column("share", "change", "Of what was to be expected.", better="higher", signed=True)
    score: float | None = column(
        "number", "how far", "How many times its usual scatter it lies off.", decimals=1, signed=True
    )


class Slumped(Reading):
    """Whether the last days of a site lie under what is usual, for clicks and for impressions."""

    rows: list[SlumpRow]


RuleName = Literal[
    "page gone",
    "site fell",
    "counting broke",
    "odd day",
    "keyword lost",
    "written answer came",
    "written answer left",
    "index fell",
    "competitor jumped",
    "days late",
    "source fault",
]
Sure = Literal["certain", "almost certain", "likely"]


class Rule(Wire):
    """What calls out: a reading, and a condition in the filter language on the columns of its rows.

    window: over which it is asked, up to the day looked at. key, since: the columns that say what it is about and since
    when. Of a column x that stands beside x_before, x_relative is its change over what was before. lasting: on so many
    complete days in a row it must hold.
    """

    name: RuleName | str
    reading: str
    condition: str
    window: str = ""
    asked: dict[str, str | int] = {}
    key: str = ""
    since: str = ""
    sure: Sure = "almost certain"
    lasting: int = 1


RULES: tuple[Rule, ...] = (
    Rule(name="page gone", reading="silent", window="P28D", condition="days >= 1", key="key", since="since"),
    Rule(
        name="site fell",
        reading="slump",
        window="P7D",
        condition='verdict is "fell" and measure is "clicks"',
        since="since",
    ),
    Rule(
        name="counting broke",
        reading="counting",
        window="P14D",
        condition='verdict is "stopped"',
        key="key",
        since="since",
    ),
    Rule(
        name="odd day",
        reading="odd-days",
        window="P3D",
        condition='measure is "clicks" and (score >= 9 or score <= -9) or kind is "shown, not clicked" and score >= 9',
        key="measure",
        since="day",
        sure="likely",
    ),
    Rule(
        name="keyword lost",
        reading="ladder",
        window="P14D",
        asked={"step": "week", "against": "before"},
        condition='before <= 10 and (movement is "lost" or now > 20)',
        key="term",
        sure="certain",
    ),
    Rule(
        name="written answer came",
        reading="feature-turns",
        window="P28D",
        asked={"feature": "written answer"},
        condition='turned is "came"',
        key="term",
        since="since",
    ),
    Rule(
        name="written answer left",
        reading="feature-turns",
        window="P28D",
        asked={"feature": "written answer"},
        condition='turned is "left"',
        key="term",
        since="since",
    ),
    Rule(
        name="index fell",
        reading="index",
        window="P7D",
        asked={"by": "status", "against": "before"},
        condition='key is "indexed" and counted_relative <= -10%',
        sure="certain",
    ),
    Rule(
        name="competitor jumped",
        reading="share-of-voice",
        window="P14D",
        asked={"step": "week", "against": "before"},
        condition="not own and change >= 0.08",
        key="domain",
        sure="likely",
    ),
    Rule(name="days late", reading="feeds", condition="late > 0", key="label", since="due", sure="certain"),
    Rule(name="source fault", reading="feeds", condition="faulty", key="label", sure="certain"),
)
"""What calls out by itself. How often each does on quiet sites: tests/core/test_breaks.py, docs/alarms.md."""


SHIPPED: frozenset[str] = frozenset(get_args(RuleName))
"""The names of those that ship."""


class AlarmsQuery(Paged):
    """As of which day."""

    on: Day | None = Field(default=None, description="As of this day; the last complete one without")
    rule: str | None = Field(default=None, max_length=40, description="Only this rule")
    language: Literal["en", "de", "fr", "es", "nb"] = Field(default="en", description="Of the sentences")


class AlarmRow(Wire):
    """Something that calls out."""

    SHOWN: ClassVar[tuple[str, ...]] = ("rule", "key", "since", "sure", "look")

    rule: RuleName | str = column("verdict", "what")
    key: str = column("text", "of what", "The page, keyword, domain or source; empty for the site.")
    since: date | None = column("day", "since")
    sure: Sure = column("verdict", "how sure", "almost certain: at most once in a thousand by chance.")
    look: str = column("text", "to look at", "The reading that tells more.")
    facts: dict[str, float | int | str | bool | None] = Field(description="The row of that reading which it is from")


class LeftOut(Wire):
    """A rule that could not be asked, as when its feed is not connected."""

    rule: RuleName | str = column("verdict", "rule")
    why: str = column("text", "why not")


class Alarms(Wire):
    """What calls out on a site as of a day, the surest first."""

    site: str
    rows: list[AlarmRow]
    left_out: list[LeftOut]
    looked_at: int = column("count", "rules", "How many could be asked.")
    generation: int
    cautions: list[Caution] = []
    sentences: list[Sentence] = []
    offset: int
    matching: int = MATCHING


class FeedsQuery(Paged):
    """Of all of a site's sources."""

    language: Literal["en", "de", "fr", "es", "nb"] = Field(default="en", description="Of the sentences")


class FeedRow(Wire):
    """How far a source's days have come."""

    SHOWN: ClassVar[tuple[str, ...]] = ("label", "kind", "last", "due", "behind", "late", "faulty")

    source: int
    label: str = column("text", "source")
    kind: str = column("text", "counts")
    files: bool = column("flag", "from files", "Its newest day came in a file.")
    last: date | None = column("day", "last day", "The newest complete day.")
    due: date | None = column(
        "day", "due", "The day to be held by now: by how soon its days used to come, and two more."
    )
    behind: int | None = column("count", "days behind", "Today less the newest complete day.")
    late: int = column("count", "days late", "How many days before the one that is due it ends; 0 where it does not.")
    faulty: bool = column("flag", "at fault", "Its credential is refused, or its pulls failed three times in a row.")


class Feeds(Wire):
    """The sources of a site and how far their days have come, the latest first."""

    site: str
    rows: list[FeedRow]
    generation: int
    cautions: list[Caution] = []
    sentences: list[Sentence] = []
    offset: int
    matching: int = MATCHING
