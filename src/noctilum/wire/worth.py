"""What a session or a thousand page views are worth to a site that counts no goals, by sets of pages."""

from __future__ import annotations

from typing import Literal, Self

from pydantic import Field, model_validator

from noctilum.wire.base import Asked, Line, Wire

MOST_VALUES = 50
Per = Literal["session", "thousand views"]


class ValueGiven(Wire):
    """What is earned on the pages of a set; of an empty name, on all pages that no set before it has."""

    set: Line = Field(default="", max_length=100, description="A saved set of pages; empty: all other pages")
    per: Per = "session"
    amount: float = Field(gt=0, le=1_000_000, allow_inf_nan=False, description="In the client's currency")
    views: float | None = Field(
        default=None, ge=1, le=1000, allow_inf_nan=False, description="Page views of a session, with thousand views"
    )

    @model_validator(mode="after")
    def _views_where_they_count(self) -> Self:
        if (self.per == "thousand views") != (self.views is not None):
            raise ValueError("page views of a session go with an amount per thousand page views, and only with that")
        return self

    @property
    def session(self) -> float:
        """What a session is worth by it."""
        return self.amount if self.views is None else self.amount * self.views / 1000


class PageValue(ValueGiven, Asked):
    """As somebody gives it: nothing else is taken."""


class ValueUsed(Wire):
    """A value as a reading used it. sessions: those on its pages, in the window; gone: its set is no longer there."""

    set: str
    per: Per
    amount: float
    views: float | None
    sessions: float
    gone: bool
