"""Places to look up from, as they cross HTTP."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import BeforeValidator, Field

from noctilum.wire.base import Wire
from noctilum.wire.keywords import COUNTRY
from noctilum.wire.questions import Question


def between_semicolons(value: Any) -> Any:
    """Part names at semicolons, as commas stand in some."""
    return [part.strip() for part in value.split(";") if part.strip()] if isinstance(value, str) else value


class PlacesQuery(Question):
    """What a place is called."""

    find: str = Field(min_length=2, max_length=80, description="The beginning of its name, or of a word of it")
    country: str | None = Field(default=None, pattern=COUNTRY, description="Only in this country, as GB")
    limit: int = Field(default=12, ge=1, le=100, description="How many at most")


MOST_TOWNS = 200


class TownsQuery(Question):
    """Towns whose whole names are known, as a feed of visits writes them."""

    town: Annotated[list[str], BeforeValidator(between_semicolons)] = Field(
        max_length=MOST_TOWNS, description="Names, semicolons between"
    )
    country: str | None = Field(default=None, pattern=COUNTRY, description="Only in this country, as GB")


class Town(Wire):
    """Where a town lies; of several of its name the agency's own, else the largest."""

    name: str = Field(description="As it was asked for")
    country: str
    region: str
    latitude: float
    longitude: float


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
