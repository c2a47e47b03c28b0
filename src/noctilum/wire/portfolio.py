"""All clients at a glance: their clicks, and their tracked keywords."""

from __future__ import annotations

from datetime import date
from typing import ClassVar, Literal

from pydantic import Field

from noctilum.wire.base import Wire
from noctilum.wire.columns import column, group
from noctilum.wire.common_columns import BEFORE
from noctilum.wire.ranks import Movements, RankFigures, VisibilityVerdict
from noctilum.wire.readings import Change, Days, Figures, Point, State


class RanksTogether(Wire):
    """How tracked keywords stand at the end of the last 28 days looked up, and how they stood 28 days before."""

    SHOWN: ClassVar[tuple[str, ...]] = (
        *("tracked", "visibility", "visibility_before", "top3", "top10", "top20", "average"),
        *("up", "down", "entered", "lost", "unknown", "value"),
    )

    tracked: int = column("count", "tracked", "Keywords that are tracked.")
    now: RankFigures = group(ending="")
    before: RankFigures | None = group("before", "At the end of the window compared with.", default=None)
    moved: Movements | None = group(ending="", default=None)
    currency: str = Field(default="", description="Of the value; empty where sites differ in it, and none is given")


class RanksAtAGlance(RanksTogether):
    """The tracked keywords of one site."""

    verdict: VisibilityVerdict | None = column(
        "verdict", "verdict", "Whether visibility changed by more than chance and the site’s own unrest allow."
    )
    weeks: list[float | None] = Field(description="Visibility by week, 26 at least where held; none without a check")
    last_day: date = Field(description="The last day looked up")


class ClientRanks(RanksTogether):
    """The tracked keywords of one client's sites together."""

    client: str
    client_name: str
    sites: int = Field(description="Those with keywords that were looked up")


class PortfolioRow(Wire):
    """One site in the portfolio. why_empty says why there are no figures."""

    client: str
    client_name: str = column("text", "client")
    site: str
    host: str = column("text", "site")
    weeks: list[Point] = Field(description="Clicks by week, sixteen months")
    now: Figures | None = group(ending="")
    before: Figures | None = BEFORE
    change: Change | None = group("change")
    driver: str | None = column("verdict", "driven by", "The driver that moved most.")
    window: Days | None
    complete_through: date | None = column(
        "day", "complete through", "The last day with no missing or provisional day before it."
    )
    last_days: list[State]
    attention: Literal["look now", "keep an eye on", "quiet", "stale", "waiting"] = column(
        "verdict", "attention", "What needs a look comes first; a site whose days end long ago is stale."
    )
    why: str = column("text", "why", "What is known of the site, in words.")
    worst: str | None = Field(
        default=None, description="The page that fades most beyond the site's own fall, and was not moved"
    )
    worst_change: float | None = Field(default=None, description="Its change in clicks")
    expected: float | None = Field(
        default=None, description="What the year alone would have done, relative; none where no year is held"
    )
    beyond_season: float | None = Field(
        default=None, description="Clicks now less those that the year alone would have left"
    )
    ranks: RanksAtAGlance | None = Field(default=None, description="Of its tracked keywords; none where none is")


class Portfolio(Wire):
    """All sites at a glance."""

    today: date
    rows: list[PortfolioRow]
    clicks: int = Field(default=0, description="Of the sites counted together, over the last 28 complete days of each")
    sites_counted: int = Field(default=0, description="Those with figures that are not stale")
    clients: list[ClientRanks] = Field(description="Tracked keywords of each client's sites together")
    ranks: RanksTogether | None = Field(default=None, description="Of all sites; none where no keyword was looked up")
