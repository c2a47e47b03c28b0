"""Fleet events as they cross HTTP: days on which far more sites moved at once than chance allows."""

from __future__ import annotations

from datetime import date
from typing import Literal

from pydantic import Field

from noctilum.wire.base import Wire


class FleetSite(Wire):
    """A site that moved. score: how many of its own scatters its five days lie off; below 0 it fell."""

    site: str
    client: str
    score: float
    section: str = Field(default="", description="The first part of the paths whose pages moved most; empty if unknown")
    share: float | None = Field(
        default=None, description="Its part of what all pages that moved the same way changed by"
    )


class FleetEvent(Wire):
    """A day from which on many sites moved: an engine update, probably."""

    day: date = Field(description="The first of the five days that tell it most clearly")
    fell: int
    rose: int
    looked_at: int = Field(description="Sites that could have moved")
    usual: float = Field(description="Sites that move so far on a usual day")
    chance: float = Field(description="How likely so many are by chance")
    on: Literal["clicks", "ranks"] = Field(description="What moved: clicks net of season, or ranks of keywords")
    ranks_too: int = Field(default=0, description="Sites whose ranks moved within two weeks of it, where clicks did")
    sites: list[FleetSite] = Field(description="Those that moved, the deepest fall first")
    noted: list[str] = Field(description="The agency's dated notes within three days of it")


class Fleet(Wire):
    """Events of the last days over all sites of the agency, the newest first."""

    first: date
    last: date
    sites: int = Field(description="Sites whose days are held long enough; under eight nothing is told")
    ranked: int = Field(default=0, description="Sites whose keywords are looked up long enough; under eight likewise")
    events: list[FleetEvent]
