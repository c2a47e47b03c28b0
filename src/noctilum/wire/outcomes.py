"""Outcomes: what visits from search brought, shared out to the queries they came from."""

from __future__ import annotations

from datetime import date
from typing import ClassVar, Literal

from pydantic import Field

from noctilum.wire.base import Wire
from noctilum.wire.columns import column
from noctilum.wire.common_columns import MATCHING, TERM_CPC, TERM_VOLUME
from noctilum.wire.questions import Paged, Windowed
from noctilum.wire.readings import Reading
from noctilum.wire.worth import ValueUsed

SHARED = "An estimate: of each page and day by the query’s share of its clicks."


class OutcomesQuery(Windowed, Paged):
    """A window, what rows are by, and a page of rows."""

    by: Literal["query", "page", "brand", "set", "cluster", "country", "device"] = Field(
        default="query", description="What rows are by; sets may share queries"
    )


class Outcome(Wire):
    """What came of some visits. conversions and revenue: none where no goal was counted, so that nothing is known."""

    sessions: float = column("number", "sessions", SHARED, better="higher", decimals=1)
    conversions: float | None = column("number", "conversions", SHARED, better="higher", decimals=1)
    revenue: float | None = column("money", "revenue", SHARED, better="higher", decimals=2)


class OutcomeRow(Outcome):
    """What came of the visits by one query or several, to one page, or from one place or device."""

    TERM: ClassVar[tuple[str, ...]] = ("key", "by", "query")
    SHOWN: ClassVar[tuple[str, ...]] = (
        *("key", "clicks", "sessions", "conversions", "rate", "revenue", "value"),
        *("position", "gain", "gain_conversions", "gain_value", "volume", "cpc"),
    )

    key: str = column("text", "what", titled_by="by", named_by="by")
    clicks: int = column("count", "clicks", "Clicks on the days and pages that visits are counted of.", better="higher")
    rate: float | None = column("rate", "conversion rate", "Conversions over sessions.", better="higher")
    value: float | None = column(
        "money",
        "estimated value",
        "Sessions × what the site says one on that page is worth, only where no goals are counted.",
        better="higher",
    )
    position: float | None = column("place", "position", "Of a query on the days whose visits are held.")
    gain: float | None = column(
        "number",
        "one place up",
        "Clicks that one place more would bring a query, by the site’s own click-through curve.",
        better="higher",
        decimals=1,
    )
    gain_conversions: float | None = column(
        "number", "conversions, one place up", "Those clicks × what a click brings now.", better="higher", decimals=1
    )
    gain_value: float | None = column(
        "money",
        "value, one place up",
        "Those clicks × what a click earns now; an estimate where sessions have a value for want of goals.",
        better="higher",
        decimals=2,
    )
    volume: int | None = TERM_VOLUME
    cpc: float | None = TERM_CPC


class Outcomes(Reading):
    """What organic visits brought; rows, rest and unlisted add up to the total; rows by set may overlap.

    goals_since: the first day on which any goal was counted; none where none ever was. session_value: what the site
    says a session is worth; value: of all sessions, an estimate for want of goals.
    """

    by: str
    rows: list[OutcomeRow]
    total: Outcome
    rest: Outcome = Field(description="Of listed queries that the filter leaves out")
    unlisted: Outcome = Field(description="Of queries that the provider withholds")
    listed: float | None = column("share", "listed", "The share of sessions whose queries are listed.")
    days: int = column("count", "days", "Days of the window whose searches and visits are both held.")
    goals_since: date | None
    session_value: float | None
    value: float | None = column("money", "estimated value", "Sessions × the value of a session.", better="higher")
    values: list[ValueUsed] = Field(description="What the estimated value rests on, where no goals are counted")
    valued: float | None = column("share", "with a value", "The share of sessions on pages that were given a value.")
    visits_since: date
    offset: int
    matching: int = MATCHING
