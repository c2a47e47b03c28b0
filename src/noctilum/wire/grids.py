"""Local grids as they cross HTTP."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from noctilum.wire.base import Asked, Kept, Line
from noctilum.wire.keywords import COUNTRY, LANGUAGE, Device, Term
from noctilum.wire.questions import Question

MOST_POINTS = 225


class GridsQuery(Question):
    """Whose grids."""

    site: str | None = Field(default=None, max_length=300, description="Those of this site")


class NewGrid(Asked):
    """Points around a place from which one term is looked up."""

    site: Line = Field(min_length=1, max_length=300)
    label: Line = Field(min_length=1, max_length=120, description="What lies in the middle, as a shop")
    term: Term
    engine: Line = Field(default="Quillon", min_length=1, max_length=60)
    language: Line = Field(default="en", pattern=LANGUAGE)
    country: Line = Field(default="GB", pattern=COUNTRY)
    device: Device = "mobile"
    latitude: float = Field(ge=-85, le=85)
    longitude: float = Field(ge=-180, le=180)
    spacing: float = Field(default=1.0, ge=0.05, le=100, description="Kilometres between points")
    size: int = Field(default=7, ge=3, le=15, description="So many points a side")
    interval: Literal["daily", "weekly"] = "weekly"


class GridOut(Kept):
    """A local grid."""

    id: int
    site: str
    label: str
    term: str
    engine: str
    language: str
    country: str
    device: Device
    latitude: float
    longitude: float
    spacing: float
    size: int
    interval: str
    checked_at: str | None = Field(description="When all its points were last looked up")

    @property
    def track(self) -> str:
        """The language and country that it is looked up for."""
        return f"{self.language}-{self.country}"
