"""Which keywords the demo agency tracks for its clients, and against whom. All of it is made up."""

from __future__ import annotations

from dataclasses import dataclass

BOTH = ("desktop", "mobile")
GAPS = (-57, -56, -55, -301)
"""Days before today on which the agency's lookups did not run."""


@dataclass(frozen=True)
class DemoKeywords:
    """Keywords of one site that are followed alike."""

    site: str
    terms: tuple[str, ...]
    tags: tuple[str, ...]
    page: str = ""
    weight: int = 3
    language: str = "en"
    country: str = "GB"
    places: tuple[str, ...] = ("",)
    devices: tuple[str, ...] = BOTH
    pinned: bool = False
    volume: int | None = None
    cpc: float | None = None


_SKERRY, _HIVE, _UMBRA = "skerryferries.example", "hivewright.example", "umbrapoint.example"
_FRETSAW, _NORTH = "fretsawfern.example", "northloft.example"
_BRINE, _COBBLE = "brinepot.example", "cobblecrane.example"
_SHOPS = ("Aldermere", "Crowle Quay", "Haddow", "Thistleby")

KEYWORDS = (
    DemoKeywords(
        _SKERRY, ("ronsay ferry timetable",), ("timetables",), "/timetables/ronsay", 5, country="NO", pinned=True,
        volume=9900, cpc=0.42,
    ),
    DemoKeywords(
        _SKERRY, ("ronsay ferry times", "hallowick ferry timetable", "stenna ferry timetable", "marn ferry timetable"),
        ("timetables",), weight=4, country="NO", volume=3600, cpc=0.35,
    ),
    DemoKeywords(
        _SKERRY, ("ronsay ferry", "hallowick ferry", "stenna ferry", "ferry to ronsay", "island ferry prices"),
        ("routes",), weight=4, country="NO", volume=5400, cpc=0.58,
    ),
    DemoKeywords(
        _SKERRY, ("livestock ferry transport", "ferry for sheep"), ("freight",), "/freight/livestock", 3, country="NO",
        volume=880, cpc=2.1,
    ),
    DemoKeywords(
        _SKERRY, ("visit ronsay", "ronsay island", "campervan ferry islands"), ("days out",), weight=2, country="NO",
        volume=1900, cpc=0.3,
    ),
    DemoKeywords(
        _SKERRY, ("fähre nach ronsay", "ronsay fähre", "fähre nach hallowick"), ("german",), weight=3, language="de",
        country="DE", volume=1300, cpc=0.5,
    ),
    DemoKeywords(
        _HIVE, ("bee smoker", "beehive kit", "beekeeping suit", "honey extractor", "hive frames", "honey jars"),
        ("shop",), weight=4, volume=2900, cpc=0.9,
    ),
    DemoKeywords(
        _HIVE, ("how to stop bees swarming", "varroa treatment", "preparing hive for winter"), ("refreshed guides",),
        weight=3, volume=1600, cpc=0.2,
    ),
    DemoKeywords(
        _HIVE, ("how to start beekeeping", "feeding bees in autumn", "queen rearing for beginners"), ("guides",),
        weight=2, volume=1300, cpc=0.2,
    ),
    DemoKeywords(
        _UMBRA,
        (
            "what is a black hole", "why does the moon change shape", "how do meteor showers work",
            "how long is a light year", "how often is a solar eclipse", "black holes explained",
            "moon phases explained", "meteor showers explained", "light years explained", "eclipses explained",
        ),
        ("explainers",), weight=3, volume=6600, cpc=0.1,
    ),
    DemoKeywords(
        _UMBRA, ("observatory open evening", "watch lunar eclipse", "public telescope viewing"), ("visits",), weight=5,
        volume=720, cpc=0.7,
    ),
    DemoKeywords(
        _FRETSAW, ("chair repair", "french polishing", "veneer repair", "oak garden bench"), ("workshop",), weight=3,
        places=("Aldermere",), volume=90, cpc=1.1,
    ),
    DemoKeywords(
        _NORTH, ("history of rope making", "old oil lamps", "antique sea charts", "wooden toys museum"), ("halls",),
        weight=3, volume=1000, cpc=0.15,
    ),
    DemoKeywords(
        _NORTH, ("lighthouse exhibition", "museum for toddlers", "school trip museum"), ("visits",), weight=4,
        volume=880, cpc=0.4,
    ),
    DemoKeywords(
        _BRINE, ("pickle shop", "pickling workshop"), ("shops",), "/shops", 5, places=_SHOPS, volume=210, cpc=0.8,
    ),
    DemoKeywords(
        _BRINE, ("pickle shop",), ("on the map",), "/shops", 4, places=_SHOPS, devices=("map",), volume=210,
    ),
    DemoKeywords(
        _BRINE, ("pickled gherkins", "kimchi jar", "raw sauerkraut", "how much salt for brine"), ("web shop",),
        weight=3, volume=1300, cpc=0.5,
    ),
    *(
        DemoKeywords(
            _COBBLE, ("mobile crane hire", "tower crane hire", "mini crane hire", "contract lift", "crane hire cost"),
            ("hire",), weight=4, country=country, volume=480, cpc=4.2,
        )
        for country in ("GB", "IE", "NL")
    ),
)  # fmt: skip

GRIDS = (
    ("brinepot.example", "Aldermere shop", "pickle shop", 52.214, -1.482, 1.0, 7),
    ("brinepot.example", "Crowle Quay shop", "pickle shop", 52.611, -1.130, 1.0, 7),
    ("fretsawfern.example", "Aldermere workshop", "chair repair", 52.209, -1.476, 1.0, 5),
)
"""Site, what lies in the middle, term, latitude, longitude, kilometres between points, points a side."""

COMPETITORS = (
    (_SKERRY, "islehopper.example", "Isle Hopper"),
    (_SKERRY, "soundcrossings.example", "Sound Crossings"),
    (_HIVE, "combandframe.example", "Comb & Frame"),
    (_UMBRA, "skyatlas.example", "Sky Atlas"),
    (_NORTH, "ropewalkmuseum.example", "Ropewalk Museum"),
    (_BRINE, "tangandjar.example", "Tang & Jar"),
    (_COBBLE, "liftwell.example", "Liftwell"),
    (_COBBLE, "tallhook.example", "Tallhook"),
)

PLACES = (
    ("Aldermere", "GB", "Brineshire", 52.214, -1.482),
    ("Crowle Quay", "GB", "Brineshire", 52.611, -1.13),
    ("Haddow", "GB", "Brineshire", 51.902, -2.078),
    ("Thistleby", "GB", "Upper Brineshire", 53.012, -1.624),
    ("Ronsay Pier", "NO", "Ronsay", 59.11, 5.02),
    ("Hallowick", "NO", "Ronsay", 58.9, 5.41),
    ("Umbra Point", "GB", "Umbra", 50.31, -5.02),
    ("Ember Bay", "GB", "Saltmarch", 50.58, -4.41),
    ("Copsely", "GB", "Saltmarch", 51.03, -3.12),
    ("Toller", "GB", "High Fells", 54.36, -2.74),
    ("Ronsay", "NO", "Skjelland", 59.24, 5.52),
    ("Altenfurt", "DE", "Moorland", 49.41, 11.16),
    ("Kranhafen", "DE", "Seeland", 53.88, 9.14),
)
"""The agency's own places: made-up towns with their regions and coordinates."""
