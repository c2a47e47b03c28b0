"""Landing pages: their clicks and their organic visits judged side by side, and what fell told apart."""

from __future__ import annotations

from typing import ClassVar, Literal

from pydantic import Field

from noctilum.wire.base import Wire
from noctilum.wire.columns import column
from noctilum.wire.common_columns import MATCHING
from noctilum.wire.explain import Verdict
from noctilum.wire.questions import Paged, Seasoned
from noctilum.wire.readings import Reading, Season

Told = Literal["clicks fell", "visits fell", "counting broke", "clicks fell alone", "rose", "level", "too few to tell"]
_VERDICT = "Against the scatter of its own 26 weeks before, as far as they are held."

_YEAR = "What the year alone would have done: at the same time of earlier years of which searches and visits are held."


class LandingQuery(Seasoned, Paged):
    """Two windows, and which pages are wanted."""

    only: Literal["fell", "counting", "rose", "all"] = Field(default="fell", description="Which pages")


class LandingRow(Wire):
    """One landing page over both windows, on days on which clicks and visits are both held."""

    SHOWN: ClassVar[tuple[str, ...]] = (
        *("page", "told", "clicks", "clicks_before", "clicks_expected", "clicks_verdict"),
        *("sessions", "sessions_before", "sessions_expected", "sessions_verdict", "per_click", "per_click_before"),
    )

    page: str = column("text", "page")
    told: Told = column(
        "verdict",
        "what fell",
        "counting broke: visits fell, and sessions per click are at most half of what they were.",
    )
    clicks: int = column("count", "clicks", "In the window.", better="higher")
    clicks_before: int = column("count", "clicks before", "In the window compared with.", better="higher")
    clicks_verdict: Verdict = column("verdict", "clicks are", _VERDICT)
    clicks_expected: float | None = column("share", "clicks, as every year", _YEAR, signed=True)
    sessions: int = column("count", "sessions", "Organic ones in the window.", better="higher")
    sessions_before: int = column("count", "sessions before", "In the window compared with.", better="higher")
    sessions_verdict: Verdict = column("verdict", "sessions are", _VERDICT)
    sessions_expected: float | None = column("share", "sessions, as every year", _YEAR, signed=True)
    per_click: float | None = column("number", "per click", "Organic sessions per click.", decimals=2)
    per_click_before: float | None = column("number", "per click before", "Organic sessions per click.", decimals=2)


class ToldCount(Wire):
    """How many pages it is so of, and by how much their clicks and sessions changed."""

    told: Told = column("verdict", "what fell")
    pages: int = column("count", "pages", "Pages that it is so of.")
    clicks: float = column("count", "clicks change", "Less those before, as many days.", better="higher", signed=True)
    sessions: float = column(
        "count", "sessions change", "Less those before, as many days.", better="higher", signed=True
    )


class Landing(Reading):
    """Organic landing pages, month against month, beside their clicks; the most lost sessions and clicks first."""

    season: Season = Field(description="What the year does to the clicks of all these pages")
    season_sessions: Season = Field(description="What the year does to their sessions")
    rows: list[LandingRow]
    counts: list[ToldCount]
    days: int = column("count", "days", "Days of the window whose searches and visits are both held.")
    days_before: int
    offset: int
    matching: int = MATCHING
