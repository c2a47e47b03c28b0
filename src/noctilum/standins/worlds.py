"""The made-up sites the search feed serves, and the stories told by each.

Days in stories count from the anchor, the demo's "today": −20 is twenty days before it.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from itertools import product

OLDEST = -1140
NEWEST = 400
"""Days around the anchor a world is defined for."""


@dataclass(frozen=True)
class Topic:
    """Describe a family of queries that share a page.

    heads: the main wordings, strongest first; tails: words put behind them. demand: impressions a day of
    the strongest wording at its best. place: usual rank. season: name of a yearly shape. second: a
    page of the same site that is sometimes shown for the same query.
    """

    page: str
    heads: tuple[str, ...]
    tails: tuple[str, ...]
    demand: float
    place: float
    season: str = "flat"
    language: str = "en"
    appeal: float = 1.0
    second: str | None = None
    brand: bool = False


@dataclass(frozen=True)
class Story:
    """Move the rank, appeal or demand of a page from a day on; of every page whose path begins so with a * at the end.

    days: the change is spread over so many days. until: from this day on it is over. places: multiplies the rank
    (below 1 is better); shown: the demand. gone: from the first day on the page is not shown at all.
    """

    page: str
    first: int
    days: int = 1
    places: float = 1.0
    appeal: float = 1.0
    gone: bool = False
    shown: float = 1.0
    until: int | None = None


@dataclass(frozen=True)
class Look:
    """Say which part of what pages are shown for looks other than a plain result; a row has one look at most.

    page: a page, or a beginning of paths with a * at the end. share: of impressions, from day first on.
    clicked: click-through beside that of the page's other results.
    """

    name: str
    page: str
    share: float
    clicked: float = 1.0
    first: int = OLDEST


@dataclass(frozen=True)
class World:
    """Describe one property of the stand-in feed.

    device_places: how many places lower it stands on mobile, desktop and tablet. country_places: countries in which its
    ranks are so many times as large.
    """

    id: str
    label: str
    site: str
    seed: int
    topics: tuple[Topic, ...]
    stories: tuple[Story, ...]
    countries: tuple[tuple[str, float], ...]
    weekday: tuple[float, ...]
    growth: float
    size: float
    looks: tuple[Look, ...] = ()
    engine: str = "Quillon"
    time_zone: str = "Europe/Oslo"
    device_places: tuple[float, float, float] = (0.35, 0.0, 0.15)
    country_places: tuple[tuple[str, float], ...] = ()


def _filled(patterns: tuple[str, ...], **words: str) -> tuple[str, ...]:
    return tuple(pattern.format(**words) for pattern in patterns)


def _skerry_topics() -> Iterator[Topic]:
    islands = (
        ("ronsay", 330.0),
        ("hallowick", 190.0),
        ("stenna", 120.0),
        ("marn", 75.0),
        ("corrin", 48.0),
    )
    times = (
        "timetable",
        "times",
        "timetable today",
        "sailing times",
        "winter timetable",
        "sunday",
        "first boat",
        "last boat",
        "delays",
        "cancelled today",
        "timetable pdf",
        "bank holiday",
        "tomorrow",
    )
    trip = (
        "price",
        "with car",
        "with dog",
        "how long",
        "from mainland",
        "foot passenger",
        "booking",
        "bike",
        "day trip",
        "campervan",
        "map",
        "cheap",
        "return",
        "student discount",
        "wheelchair",
    )
    stay = (
        "things to do",
        "walks",
        "beaches",
        "puffins",
        "weather",
        "where to eat",
        "camping",
        "seals",
        "history",
    )
    for name, demand in islands:
        yield Topic(
            f"/timetables/{name}",
            _filled(("{i} ferry timetable", "{i} ferry times", "ferry to {i} times"), i=name),
            times,
            demand,
            6.4 if name == "ronsay" else 3.6,
            "summer",
            appeal=0.9,
            second=f"/islands/{name}",
        )
        yield Topic(
            f"/routes/{name}",
            _filled(("{i} ferry", "ferry to {i}", "boat to {i}"), i=name),
            trip,
            demand * 1.3,
            4.2,
            "summer",
            second=f"/timetables/{name}",
        )
        yield Topic(
            f"/islands/{name}",
            _filled(("{i} island", "visit {i}", "{i} holidays"), i=name),
            stay,
            demand * 0.8,
            8.5,
            "spring",
        )
        yield Topic(
            f"/no/ferge/{name}",
            _filled(("ferge til {i}", "{i} ferge", "{i} rutetider"), i=name),
            ("priser", "med bil", "i dag", "rutetabell", "bestille"),
            demand * 0.55,
            3.8,
            "summer",
            "no",
        )
        yield Topic(
            f"/de/faehre/{name}",
            _filled(("fähre nach {i}", "{i} fähre", "{i} fahrplan"), i=name),
            ("preise", "mit auto", "mit hund", "dauer", "buchen"),
            demand * 0.4,
            5.1,
            "summer",
            "de",
        )
    yield Topic(
        "/",
        ("skerry ferries", "skerry ferry", "skerryferries"),
        ("booking", "phone number", "login", "jobs", "contact", "timetable"),
        260,
        1.2,
        "summer",
        appeal=1.15,
        second="/fares",
        brand=True,
    )
    yield Topic(
        "/fares",
        ("island ferry prices", "ferry fares islands", "ferry ticket prices"),
        ("car", "family", "senior", "season ticket", "2026", "weekend"),
        95,
        7.2,
        "summer",
    )
    yield Topic(
        "/freight/livestock",
        ("livestock ferry transport", "ferry for sheep", "cattle transport islands"),
        ("rules", "price", "booking", "permit", "trailer", "lorry"),
        120,
        2.6,
        "autumn",
        appeal=1.2,
    )
    yield Topic(
        "/vehicles/campervans",
        ("campervan ferry islands", "motorhome ferry"),
        ("price", "height limit", "gas bottles", "length", "overnight"),
        70,
        9.0,
        "summer",
    )
    yield Topic(
        "/offers/winter",
        ("cheap island ferry winter", "winter ferry offers"),
        ("2026", "family", "weekend"),
        60,
        11.5,
        "winter",
    )
    yield Topic(
        "/news/new-vessel",
        ("new island ferry", "new vessel islands"),
        ("name", "launch", "capacity"),
        30,
        12.0,
    )


def _hive_topics() -> Iterator[Topic]:
    wares = (
        ("smokers", "bee smoker", 150.0, 5.2),
        ("hives", "beehive kit", 210.0, 7.6),
        ("suits", "beekeeping suit", 240.0, 9.1),
        ("frames", "hive frames", 130.0, 4.4),
        ("feeders", "bee feeder", 85.0, 6.0),
        ("extractors", "honey extractor", 190.0, 8.2),
        ("gloves", "beekeeping gloves", 75.0, 10.4),
        ("wax", "beeswax foundation", 65.0, 3.9),
        ("jars", "honey jars", 170.0, 13.0),
    )
    buy = (
        "for sale",
        "price",
        "uk",
        "best",
        "cheap",
        "large",
        "stainless steel",
        "for beginners",
        "wooden",
        "review",
        "second hand",
        "delivery",
        "set",
        "small",
        "near me",
    )
    for slug, head, demand, place in wares:
        rival = "/guides/choosing-a-smoker" if slug == "smokers" else None
        yield Topic(
            f"/shop/{slug}",
            (head, f"buy {head}", f"{head}s"),
            buy,
            demand,
            place,
            "spring",
            second=rival,
        )
    guides = (
        ("swarm-control", "how to stop bees swarming", 120.0),
        ("varroa-treatment", "varroa treatment", 160.0),
        ("first-hive", "how to start beekeeping", 200.0),
        ("feeding-bees", "feeding bees in autumn", 110.0),
        ("queen-rearing", "queen rearing for beginners", 80.0),
        ("winter-hive", "preparing hive for winter", 115.0),
        ("honey-harvest", "when to harvest honey", 105.0),
        ("choosing-a-smoker", "which bee smoker", 60.0),
    )
    ask = (
        "step by step",
        "when",
        "how often",
        "mistakes",
        "what you need",
        "in spring",
        "in autumn",
        "natural",
        "for beginners",
        "calendar",
        "uk",
        "explained",
    )
    for slug, head, demand in guides:
        season = "autumn" if "winter" in slug or "feeding" in slug else "spring"
        yield Topic(
            f"/guides/{slug}",
            (head, f"{slug.replace('-', ' ')}", f"{slug.replace('-', ' ')} guide"),
            ask,
            demand,
            3.4,
            season,
        )
    yield Topic(
        "/",
        ("hivewright", "hive wright", "hivewright shop"),
        ("voucher", "delivery", "contact", "reviews"),
        120,
        1.1,
        "spring",
        appeal=1.2,
        second="/shop/hives",
        brand=True,
    )


def _hive_blog_topics() -> Iterator[Topic]:
    posts = (
        ("diary/first-year", "first year of beekeeping", 40.0, 6.0),
        ("diary/lost-queen", "hive without queen", 55.0, 5.5),
        ("recipes/honey-bread", "honey bread recipe", 140.0, 11.0),
        ("recipes/mead", "simple mead recipe", 120.0, 9.0),
        ("plants/bee-border", "plants for bees", 160.0, 12.0),
        ("plants/lavender", "best lavender for bees", 70.0, 7.5),
    )
    for slug, head, demand, place in posts:
        yield Topic(
            f"/{slug}",
            (head, f"{head} easy"),
            ("uk", "small garden", "beginner", "ideas", "list", "tips"),
            demand,
            place,
            "spring",
        )


def _umbra_topics() -> Iterator[Topic]:
    learn = (
        ("black-holes", "what is a black hole", 190.0, 4.1),
        ("moon-phases", "why does the moon change shape", 240.0, 3.2),
        ("meteor-showers", "how do meteor showers work", 150.0, 3.9),
        ("light-years", "how long is a light year", 170.0, 4.6),
        ("eclipses", "how often is a solar eclipse", 210.0, 3.5),
    )
    ask = ("explained", "for kids", "simple", "diagram", "facts", "speed", "distance")
    for slug, head, demand, place in learn:
        yield Topic(f"/learn/{slug}", (head, f"{slug.replace('-', ' ')} explained"), ask, demand, place, "winter")
    visits = (
        ("visit", "observatory open evening", 90.0, 3.0),
        ("events/meteor-night", "meteor night umbra point", 25.0, 2.0),
        ("events/lunar-eclipse", "watch lunar eclipse", 60.0, 6.5),
        ("telescopes", "public telescope viewing", 45.0, 7.0),
    )
    for slug, head, demand, place in visits:
        yield Topic(
            f"/{slug}", (head, f"{head} tickets"), ("times", "price", "parking", "tonight"), demand, place, "autumn"
        )
    names = ("umbra point", "umbra point observatory")
    yield Topic("/", names, ("opening times", "tickets"), 70, 1.1, "autumn", appeal=1.2, brand=True)


def _fretsaw_topics() -> Iterator[Topic]:
    works = (
        ("chair-repair", "chair repair", 12.0, 6.0),
        ("caning", "chair caning near me", 9.0, 8.0),
        ("french-polish", "french polishing", 14.0, 11.0),
        ("veneer", "veneer repair", 7.0, 9.0),
        ("drawers", "sticking drawer repair", 5.0, 7.0),
        ("garden-benches", "oak garden bench", 16.0, 14.0),
    )
    for slug, head, demand, place in works:
        yield Topic(
            f"/work/{slug}", (head, f"{head} aldermere"), ("cost", "near me", "antique"), demand, place, "spring"
        )
    names = ("fretsaw and fern", "fretsaw fern")
    yield Topic("/", names, ("opening times", "phone"), 8, 1.1, brand=True, appeal=1.2)


def _northloft_topics() -> Iterator[Topic]:
    halls = (
        ("collections/rope", "history of rope making", 70.0, 5.0),
        ("collections/lamps", "old oil lamps", 110.0, 6.2),
        ("collections/maps", "antique sea charts", 95.0, 5.5),
        ("collections/toys", "wooden toys museum", 80.0, 7.0),
        ("exhibitions/lighthouses", "lighthouse exhibition", 60.0, 4.4),
        ("families", "museum for toddlers", 120.0, 6.8),
        ("tickets", "museum tickets northloft", 65.0, 2.4),
        ("school-visits", "school trip museum", 75.0, 7.5),
    )
    more = ("free", "near me", "opening times", "kids", "online", "worksheet", "price")
    for slug, head, demand, place in halls:
        yield Topic(f"/{slug}", (head, f"{head} guide"), more, demand, place, "autumn")
    names = ("northloft museum", "northloft")
    yield Topic("/", names, ("parking", "cafe", "tickets"), 110, 1.1, "summer", appeal=1.2, brand=True)


def _brinepot_topics() -> Iterator[Topic]:
    jars = (
        ("shop/gherkins", "pickled gherkins", 26.0, 5.2),
        ("shop/kimchi", "kimchi jar", 34.0, 7.4),
        ("shop/sauerkraut", "raw sauerkraut", 22.0, 4.8),
        ("shops", "pickle shop", 30.0, 3.4),
        ("workshops", "pickling workshop", 28.0, 2.9),
        ("learn/brine", "how much salt for brine", 45.0, 5.9),
    )
    more = ("near me", "price", "recipe", "class", "gift", "organic")
    for slug, head, demand, place in jars:
        yield Topic(f"/{slug}", (head, f"{head} aldermere"), more, demand, place, "autumn")
    yield Topic("/", ("brinepot", "brine pot"), ("opening times", "aldermere"), 12, 1.1, brand=True, appeal=1.2)


def _cobble_topics() -> Iterator[Topic]:
    lifts = (
        ("hire/mobile-cranes", "mobile crane hire", 42.0, 3.1),
        ("hire/tower-cranes", "tower crane hire", 30.0, 4.0),
        ("hire/mini-cranes", "mini crane hire", 24.0, 3.6),
        ("lifting-plans", "lifting plan", 36.0, 4.9),
        ("hire/contract-lift", "contract lift", 28.0, 3.8),
        ("prices", "crane hire cost", 33.0, 5.5),
    )
    more = ("near me", "price", "per day", "with operator", "small", "weekend")
    for slug, head, demand, place in lifts:
        yield Topic(f"/{slug}", (head, f"{head} company"), more, demand, place, "spring")
    yield Topic("/", ("cobble and crane", "cobble crane"), ("phone", "depot"), 9, 1.1, brand=True, appeal=1.2)


_FADING = (
    "swarm-control",
    "varroa-treatment",
    "first-hive",
    "feeding-bees",
    "queen-rearing",
    "winter-hive",
)
_REFRESHED = ("swarm-control", "varroa-treatment", "winter-hive")

_SKERRY_COUNTRIES = (("NO", 0.52), ("DE", 0.16), ("GB", 0.16), ("SE", 0.08), ("DK", 0.05), ("NL", 0.03))
_SKERRY_WEEK = (1.0, 0.96, 0.96, 1.02, 1.16, 1.12, 1.08)

_SKERRY_LOOKS = (
    Look("times at a glance", "/timetables/*", 0.3, 1.2, -150),
    Look("questions below", "*", 0.05, 0.7),
)

WORLDS: dict[str, World] = {
    w.id: w
    for w in (
        World(
            "orrery-skerry",
            "skerryferries.example",
            "skerryferries.example",
            104,
            tuple(_skerry_topics()),
            (Story("/freight/livestock", -20, gone=True),),
            _SKERRY_COUNTRIES,
            _SKERRY_WEEK,
            0.04,
            0.05,
            engine="Orrery",
            looks=_SKERRY_LOOKS[1:],
        ),
        World(
            "quillon-skerry-de",
            "skerryferries.example/de",
            "skerryferries.example/de",
            101,
            tuple(topic for topic in _skerry_topics() if topic.page.startswith("/de")),
            (),
            _SKERRY_COUNTRIES,
            _SKERRY_WEEK,
            0.10,
            0.13,
            looks=_SKERRY_LOOKS,
        ),
        World(
            "quillon-skerry",
            "skerryferries.example",
            "skerryferries.example",
            101,
            tuple(_skerry_topics()),
            (
                Story("/timetables/ronsay", -150, 21, places=0.42, appeal=1.25),
                Story("/freight/livestock", -20, gone=True),
                Story("/fares", -60, 30, places=1.25),
            ),
            _SKERRY_COUNTRIES,
            _SKERRY_WEEK,
            0.10,
            0.13,
            looks=_SKERRY_LOOKS,
        ),
        World(
            "quillon-hivewright",
            "hivewright.example",
            "hivewright.example",
            202,
            tuple(_hive_topics()),
            (
                *(Story(f"/guides/{slug}", -290, 250, places=2.6) for slug in _FADING),
                Story("/guides/first-hive", -75, 60, places=1.8),
                *(Story(f"/guides/{slug}", -48, 10, places=0.42, appeal=1.1) for slug in _REFRESHED),
            ),
            (("GB", 0.68), ("IE", 0.14), ("US", 0.1), ("NL", 0.05), ("FR", 0.03)),
            (1.0, 0.98, 0.97, 0.97, 0.95, 1.1, 1.18),
            0.14,
            0.14,
            time_zone="Europe/London",
            looks=(Look("product card", "/shop/*", 0.34, 1.25), Look("list of steps", "/guides/*", 0.12, 0.9)),
        ),
        World(
            "quillon-umbra",
            "umbrapoint.example",
            "umbrapoint.example",
            305,
            tuple(_umbra_topics()),
            (
                Story("/learn/*", -75, 5, appeal=0.5),
                Story("/learn/black-holes", -14, until=-11, shown=14.0, appeal=1 / 14),
                Story("/events/meteor-night", -58, until=-54, shown=12.0),
            ),
            (("GB", 0.44), ("US", 0.3), ("IE", 0.1), ("CA", 0.1), ("AU", 0.06)),
            (1.0, 0.99, 0.98, 1.0, 1.04, 1.06, 1.05),
            0.06,
            0.16,
            time_zone="Europe/London",
            looks=(Look("written answer", "/learn/*", 0.55, 0.4, -75), Look("event card", "/events/*", 0.4, 1.2)),
        ),
        World(
            "quillon-fretsaw",
            "fretsawfern.example",
            "fretsawfern.example",
            406,
            tuple(_fretsaw_topics()),
            (),
            (("GB", 0.97), ("IE", 0.03)),
            (1.05, 1.0, 1.0, 0.98, 0.95, 1.02, 1.0),
            0.05,
            0.22,
            time_zone="Europe/London",
            looks=(Look("shop on a map", "*", 0.15, 1.1),),
        ),
        World(
            "quillon-northloft",
            "northloft.example",
            "northloft.example",
            507,
            tuple(_northloft_topics()),
            (
                Story("*", -95, 6, places=1.9),
                Story("*", -40, 12, places=0.56),
                *(Story(page, -200, 2, places=0.6) for page in ("/collections/rope", "/collections/maps")),
            ),
            (("GB", 0.7), ("NL", 0.12), ("DE", 0.1), ("FR", 0.08)),
            (0.94, 0.95, 0.98, 1.0, 1.02, 1.1, 1.06),
            0.05,
            0.2,
            time_zone="Europe/Amsterdam",
            looks=(Look("row of pictures", "*", 0.08, 0.6), Look("event card", "/exhibitions/*", 0.25, 1.2)),
        ),
        World(
            "quillon-brinepot",
            "brinepot.example",
            "brinepot.example",
            611,
            tuple(_brinepot_topics()),
            (),
            (("GB", 0.96), ("IE", 0.04)),
            (1.0, 0.98, 0.98, 1.0, 1.04, 1.12, 0.9),
            0.08,
            0.16,
            time_zone="Europe/London",
            looks=(Look("shop on a map", "/shops", 0.3, 1.1),),
        ),
        World(
            "quillon-cobble",
            "cobblecrane.example",
            "cobblecrane.example",
            717,
            tuple(_cobble_topics()),
            (),
            (("GB", 0.48), ("IE", 0.3), ("NL", 0.22)),
            (1.12, 1.1, 1.08, 1.06, 1.0, 0.35, 0.3),
            0.06,
            0.16,
            time_zone="Europe/London",
            device_places=(5.0, 0.0, 1.5),
            country_places=(("NL", 2.6),),
        ),
        World(
            "quillon-hivewright-blog",
            "blog.hivewright.example",
            "blog.hivewright.example",
            203,
            tuple(_hive_blog_topics()),
            (),
            (("GB", 0.7), ("IE", 0.12), ("US", 0.12), ("NL", 0.06)),
            (0.97, 0.96, 0.95, 0.96, 1.0, 1.15, 1.2),
            0.2,
            0.6,
            time_zone="Europe/London",
            looks=(Look("list of steps", "*", 0.1, 0.9),),
        ),
    )
}


def pages(world: World) -> list[str]:
    """List the pages that a world's queries lead to."""
    return sorted({t.page for t in world.topics} | {t.second for t in world.topics if t.second})


def phrases(topic: Topic) -> list[tuple[str, float]]:
    """Spell out a topic's queries with their share of its demand, strongest first."""
    plain = [(head, 1.0 / (1 + n)) for n, head in enumerate(topic.heads)]
    longer = [
        (f"{head} {tail}", 0.42 / (1 + n) / (1 + 0.62 * k))
        for (n, head), (k, tail) in product(enumerate(topic.heads), enumerate(topic.tails))
    ]
    rare = [
        (f"{head} {a} {b}", 0.012 / (1 + n))
        for (n, head), a, b in product(enumerate(topic.heads), topic.tails, topic.tails)
        if a != b
    ]
    return plain + longer + rare
