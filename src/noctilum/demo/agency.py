"""Who the demo agency works for. All of it is made up."""

from __future__ import annotations

from dataclasses import dataclass

AGENCY = "Tallow Lane"
USER = ("Ines Marrable", "ines@tallowlane.example", "lamp-and-log")
MAIL_FROM = "reports@tallowlane.example"
FEED_ACCOUNT, FEED_SECRET = "tallow-lane", "lamp-oil"


@dataclass(frozen=True)
class DemoSite:
    """Name a site and the stand-in's properties that feed it; the second is another engine's. One without is new."""

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
    DemoClient(
        "Umbra Point Observatory",
        "en-GB",
        "Europe/London",
        "GBP",
        "#2B2F6B",
        "#8A3B12",
        (DemoSite("umbrapoint.example", "quillon-umbra", "umbra point"),),
    ),
    DemoClient(
        "Fretsaw & Fern",
        "en-GB",
        "Europe/London",
        "GBP",
        "#3D5A2A",
        "#8A4B00",
        (DemoSite("fretsawfern.example", "quillon-fretsaw", "fretsaw and fern, fretsaw fern"),),
    ),
    DemoClient(
        "Northloft Museum",
        "en-GB",
        "Europe/Amsterdam",
        "EUR",
        "#6B1F3A",
        "#1F5A6B",
        (DemoSite("northloft.example", "quillon-northloft", "northloft"),),
    ),
    DemoClient(
        "Brinepot",
        "en-GB",
        "Europe/London",
        "GBP",
        "#4B5A1E",
        "#8A3B12",
        (DemoSite("brinepot.example", "quillon-brinepot", "brinepot, brine pot"),),
    ),
    DemoClient(
        "Cobble & Crane",
        "en-GB",
        "Europe/London",
        "EUR",
        "#3F4A57",
        "#8A5A00",
        (DemoSite("cobblecrane.example", "quillon-cobble", "cobble and crane, cobble crane"),),
    ),
    DemoClient(
        "Wickham Tools Co-op",
        "en-GB",
        "Europe/London",
        "GBP",
        "#5A3B1E",
        "#1E5A4B",
        (DemoSite("wickhamtools.example", "", "wickham tools, wickham"),),
    ),
)


VISITS = {
    "hivewright.example": "visits-hivewright",
    "blog.hivewright.example": "visits-hivewright-blog",
    "umbrapoint.example": "visits-umbra",
    "wickhamtools.example": "visits-wickham",
}
"""Sites whose visits are counted → the stream of the stand-in that counts them."""
LINKS = {
    "northloft.example": "links-northloft",
    "hivewright.example": "links-hivewright",
    "skerryferries.example": "links-skerry",
}
INDEX = {"skerryferries.example": "index-skerry", "hivewright.example": "index-hivewright"}
"""Sites whose place in the index is counted, and whose sitemaps are read beside it."""
FACTS = {"hivewright.example": "facts-hivewright", "skerryferries.example": "facts-skerry"}


@dataclass(frozen=True)
class DemoNote:
    """Something that happened, so many days from the demo's today. Without a site it is the agency's."""

    day: int
    kind: str
    text: str
    site: str | None = None
    page: str | None = None
    set: str | None = None


@dataclass(frozen=True)
class DemoSet:
    """A saved set; without a client it is the agency's."""

    name: str
    item: str
    rule: str = ""
    members: tuple[str, ...] = ()
    client: str | None = None


SETS = (
    DemoSet("Questions", "query", "question"),
    DemoSet("Long tail", "query", "words >= 4 and not brand"),
    DemoSet("Timetables", "page", 'path starts "/timetables/"', client="skerry-ferries"),
    DemoSet("German pages", "page", 'path starts "/de/"', client="skerry-ferries"),
    DemoSet("Explainers", "page", 'path starts "/learn/"', client="umbra-point-observatory"),
    DemoSet("Guides", "page", 'path starts "/guides/"', client="hivewright"),
    DemoSet(
        "Refreshed guides",
        "page",
        members=("/guides/swarm-control", "/guides/varroa-treatment", "/guides/winter-hive"),
        client="hivewright",
    ),
)
NOTES = (
    DemoNote(-410, "engine update", "Quillon update Tallgrass"),
    DemoNote(-231, "engine update", "Quillon update Lantern"),
    DemoNote(-96, "engine update", "Quillon update Harbourlight"),
    DemoNote(-76, "engine update", "Quillon writes answers above its results", "umbrapoint.example", set="Explainers"),
    DemoNote(-41, "content", "All hall texts rewritten by their curators", "northloft.example"),
    DemoNote(
        -150,
        "content",
        "Ronsay timetable rewritten: one page for all seasons",
        "skerryferries.example",
        "/timetables/ronsay",
    ),
    DemoNote(-21, "site change", "Freight section moved to the new booking system", "skerryferries.example"),
    DemoNote(-48, "content", "Swarm, varroa and winter guides refreshed", "hivewright.example", set="Refreshed guides"),
    DemoNote(-34, "campaign", "Spring catalogue mailed", "hivewright.example"),
)


@dataclass(frozen=True)
class DemoReport:
    """A report of a site: when it falls due, whom it goes to, and whether somebody signs it off first."""

    site: str
    template: str
    schedule: str
    recipients: tuple[tuple[str, str], ...]
    approval: bool = False
    attach: tuple[str, ...] = ("pdf",)
    message: str = ""


MONTHLY = "Monthly search report"
FIRST_OF_MONTH = "monthly on 1 at 07:00"
MONDAYS = "weekly on monday at 07:00"
CONTACTS: dict[str, tuple[tuple[str, str], ...]] = {
    "skerryferries.example": (
        ("Sigrid Aune", "sigrid@skerryferries.example"),
        ("Odd Lien", "odd@skerryferries.example"),
    ),
    "hivewright.example": (("Mara Combe", "mara@hivewright.example"),),
    "blog.hivewright.example": (("Mara Combe", "mara@hivewright.example"),),
    "umbrapoint.example": (("Dr Wen Astley", "wen@umbrapoint.example"),),
    "fretsawfern.example": (("Tobias Fern", "tobias@fretsawfern.example"),),
    "northloft.example": (("Lies Brandt", "lies@northloft.example"), ("The board", "board@northloft.example")),
    "brinepot.example": (("Ida Marsh", "ida@brinepot.example"),),
    "cobblecrane.example": (("Rory Cobble", "rory@cobblecrane.example"),),
    "wickhamtools.example": (("Jo Wickham", "jo@wickhamtools.example"),),
}
REPORTS: tuple[DemoReport, ...] = (
    *(
        DemoReport(site.host, MONTHLY, FIRST_OF_MONTH, CONTACTS[site.host], attach=("pdf", "xlsx"))
        for client in CLIENTS
        for site in client.sites
    ),
    DemoReport(
        "skerryferries.example", "Weekly rank letter", MONDAYS, CONTACTS["skerryferries.example"], approval=True
    ),
    DemoReport("brinepot.example", "Local business", MONDAYS, CONTACTS["brinepot.example"], approval=True),
    DemoReport("umbrapoint.example", "Content review", FIRST_OF_MONTH, CONTACTS["umbrapoint.example"], approval=True),
    DemoReport(
        "northloft.example",
        "One page for the board",
        FIRST_OF_MONTH,
        CONTACTS["northloft.example"],
        approval=True,
        message="One page for Thursday’s meeting; the whole report went to Lies.",
    ),
)
"""Which reports each site gets, by their template's name."""
