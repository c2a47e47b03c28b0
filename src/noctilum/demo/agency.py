"""Who the demo agency works for. All of it is made up."""

from __future__ import annotations

from dataclasses import dataclass

AGENCY = "Tallow Lane"
USER = ("Ines Marrable", "ines@tallowlane.example", "lamp-and-log")
FEED_ACCOUNT, FEED_SECRET = "tallow-lane", "lamp-oil"


@dataclass(frozen=True)
class DemoSite:
    """Name a site and the stand-in's properties that feed it; the second is another engine's."""

    host: str
    property: str
    brand: str
    also: tuple[str, ...] = ()


@dataclass(frozen=True)
class DemoClient:
    """Describe one client of the agency."""

    name: str
    language: str
    time_zone: str
    currency: str
    colour: str
    accent: str
    sites: tuple[DemoSite, ...]


CLIENTS = (
    DemoClient(
        "Skerry Ferries",
        "en-GB",
        "Europe/Oslo",
        "NOK",
        "#0F4C6E",
        "#B4540A",
        (
            DemoSite(
                "skerryferries.example",
                "quillon-skerry",
                "skerry ferries, skerry ferry, skerryferries",
                ("orrery-skerry",),
            ),
        ),
    ),
    DemoClient(
        "Hivewright",
        "en-GB",
        "Europe/London",
        "GBP",
        "#7A4A00",
        "#2F5D3A",
        (
            DemoSite("hivewright.example", "quillon-hivewright", "hivewright, hive wright"),
            DemoSite("blog.hivewright.example", "quillon-hivewright-blog", "hivewright"),
        ),
    ),
)
