"""Competitors as they cross HTTP."""

from __future__ import annotations

from pydantic import Field

from noctilum.wire.base import Asked, Kept, Line
from noctilum.wire.questions import Question


class CompetitorsQuery(Question):
    """Whose competitors."""

    site: str | None = Field(default=None, max_length=300, description="Those of this site")


class NewCompetitor(Asked):
    """A domain to set a site's ranks beside."""

    site: Line = Field(min_length=1, max_length=300)
    domain: Line = Field(min_length=1, max_length=300, description="A host, as it stands in addresses")
    label: Line = Field(default="", max_length=120, description="What it is called; its domain without")


class CompetitorOut(Kept):
    """A competitor."""

    id: int
    site: str
    domain: str
    label: str
