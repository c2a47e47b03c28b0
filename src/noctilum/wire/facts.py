"""Term facts: how much a term is searched for, what a click costs, what the site gets of it, and what is near it."""

from __future__ import annotations

from datetime import date
from typing import ClassVar, Literal

from pydantic import Field

from noctilum.wire.base import Wire
from noctilum.wire.columns import column
from noctilum.wire.common_columns import CPC_HOW, MATCHING, VOLUME_HOW
from noctilum.wire.questions import Paged, Question
from noctilum.wire.questions import word as worded
from noctilum.wire.readings import Reading

_VOLUME = column("count", "volume", VOLUME_HOW)
_CPC = column("money", "CPC", CPC_HOW)


class TermsQuery(Paged):
    """A window of clicks, and which terms."""

    window: str = Field(default="P28D", max_length=40, description="Of clicks and positions, as of every reading")
    find: str = Field(default="", max_length=200, description="Only terms that hold this text")
    country: str | None = Field(default=None, max_length=10, description="Only facts of this ISO 3166 country")
    sort: Literal["volume", "value", "share", "cpc", "clicks"] = Field(default="volume", description="Most of it first")
    language: Literal["en", "de", "fr", "es", "nb"] = Field(default="en", description="Of the sentences")


class TermRow(Wire):
    """One term. Figures of the site are none where no searches are held."""

    SHOWN: ClassVar[tuple[str, ...]] = ("term", "volume", "year", "cpc", "clicks", "position", "share", "value")

    term: str = column("text", "term")
    volume: int = _VOLUME
    year: list[int | None] = column("series", "by month", "Volume of the twelve months up to the newest known.")
    cpc: float | None = _CPC
    clicks: int | None = column("count", "clicks", "Clicks of the query in the window.", better="higher")
    position: float | None = column("place", "position", "The average place in the window.", better="lower")
    share: float | None = column(
        "share", "share of demand", "Clicks as of a month of 30.4 days over the volume of a month.", better="higher"
    )
    value: float | None = column("money", "value", "Clicks × CPC: what they would have cost.", better="higher")


class Terms(Reading):
    """What is known of terms. month: the newest known; value: of all terms that match, with clicks."""

    rows: list[TermRow]
    month: date
    volume: int = column("count", "volume", "Of all terms that match, in the newest month known.")
    value: float | None = column("money", "value", "Clicks × CPC of all terms that match.", better="higher")
    offset: int
    matching: int = MATCHING


class IdeasQuery(Question):
    """A word, and which terms near it are wanted."""

    word: str = worded(min_length=1, max_length=200, description="The word that terms are near to", in_path=False)
    only: Literal["all", "new", "shown", "tracked", "questions", "long"] = Field(
        default="all", description="new: neither shown nor tracked; long: of four words or more"
    )
    window: str = Field(default="P28D", max_length=40, description="In which terms may have been shown")
    limit: int = Field(default=50, ge=1, le=1000, description="How many rows")
    offset: int = Field(default=0, ge=0, le=10**9, description="How many rows to pass over")
    language: Literal["en", "de", "fr", "es", "nb"] = Field(default="en", description="Of the sentences")


class IdeaRow(Wire):
    """A term near the word."""

    SHOWN: ClassVar[tuple[str, ...]] = ("term", "mark", "volume", "cpc", "position", "question", "words")

    term: str = column("text", "term")
    mark: Literal["new", "shown", "tracked"] = column(
        "verdict", "here", "tracked: among the keywords; shown: the site was shown for it in the window; else new."
    )
    volume: int = _VOLUME
    cpc: float | None = _CPC
    position: float | None = column("place", "position", "The average place in the window.", better="lower")
    question: bool = column("flag", "question", "It begins as a question does, or ends in a question mark.")
    words: int = column("count", "words", "How many words it has.")


class Ideas(Reading):
    """Terms near a word, the most searched first. known: the words whose neighbours are held."""

    word: str
    rows: list[IdeaRow]
    month: date
    known: list[str]
    new: int = column("count", "new", "Terms of those found that are neither tracked nor shown.")
    offset: int
    matching: int = MATCHING
