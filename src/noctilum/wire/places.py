"""Places to look up from, as they cross HTTP."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from noctilum.wire.base import Wire
from noctilum.wire.keywords import COUNTRY
from noctilum.wire.questions import Question


class PlacesQuery(Question):
    """What a place is called."""

    find: str = Field(min_length=2, max_length=80, description="The beginning of its name, or of a word of it")
    country: str | None = Field(default=None, pattern=COUNTRY, description="Only in this country, as GB")
    limit: int = Field(default=12, ge=1, le=100, description="How many at most")


class PlaceOut(Wire):
    """A country, a region or a town."""

    name: str
    kind: Literal["country", "region", "town"]
    country: str = Field(description="ISO 3166-1, two letters")
    region: str = Field(description="Where it is known")
    latitude: float | None
    longitude: float | None
    people: int = Field(description="0 where not known")
    place: str = Field(
        description="What a keyword's place is: the name, or coordinates where another town there has it too"
    )
