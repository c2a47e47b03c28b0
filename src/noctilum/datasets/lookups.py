"""What lookups count: the rank of tracked keywords, whose results stood beside it, and what else the page showed."""

from __future__ import annotations

from noctilum.datasets.declaring import Dataset, Dimension, Measure
from noctilum.datasets.search import DEVICES

KIND = "lookups"
WORTH_UNITS = 1_000_000
"""What the reference click-through of a place is kept in."""

TRACKED = ("keyword", "track", "place", "device", "engine")
"""What names one tracked keyword among all of a site."""

_DIMENSIONS = (
    Dimension("keyword", "keyword", "A term chosen to be tracked."),
    Dimension("track", "track", "Language and country that are looked from, as en-GB.", form="text"),
    Dimension("place", "place", "The town or point that is looked from; none for the whole country.", ""),
    Dimension("device", "device", "desktop or mobile.", "desktop", form="device", values=(*DEVICES, "map")),
    Dimension("engine", "engine", "The search engine."),
    Dimension("page", "page", "The best placed page of the site.", ""),
    Dimension("domain", "domain", "Whose result it is."),
    Dimension("address", "address", "The domain's best placed page.", ""),
    Dimension("feature", "feature", "What the result page showed besides plain results.", form="word"),
)

CHECKS = Measure("checks", "checks", "How often the keyword was looked up.")
FOUND = Measure("found", "found", "Lookups in which the site was found.", better="higher", most="checks")
RANK = Measure(
    "rank", "rank", "The average rank among plain results, of lookups that found the site.", "weighted",
    weight="found", kind="place", better="lower", least=1,
)  # fmt: skip
SPOT = Measure(
    "spot", "spot", "The average rank with every feature above it counted, of lookups that found the site.",
    "weighted", weight="found", kind="place", better="lower", least=1,
)  # fmt: skip
PAGES = Measure("pages", "own pages", "Own pages among the results, over all lookups.", better="higher")
SEEN = Measure("seen", "seen", "Lookups in which the domain was among the first results.")
LISTED = Measure(
    "listed", "rank", "The average best rank of the domain, of lookups that saw it.", "weighted", weight="seen",
    kind="place", better="lower", least=1,
)  # fmt: skip
WORTH = Measure(
    "worth", "worth", "The reference click-through of the domain's best rank, over all lookups.", scale=WORTH_UNITS,
    kind="number", better="higher",
)  # fmt: skip
PRESENT = Measure("present", "present", "Lookups whose result page showed it.")
OWNED = Measure("owned", "owned", "Lookups in which it led to the site.", better="higher", most="present")
LED = Measure("led", "led", "Lookups whose result page had the feature and led to the domain.")

LOOKUPS = (
    Dataset(
        "ranks",
        (*TRACKED, "page"),
        (CHECKS, FOUND, RANK, SPOT, PAGES),
        {"keyword": ("keyword",), "cube": ("day", "track", "device", "engine")},
        "Ranks of tracked keywords.",
        kind=KIND,
        plural="ranks",
        spans=(),
        in_files=False,
        dimensions=_DIMENSIONS,
    ),
    Dataset(
        "listings",
        ("domain", *TRACKED, "address"),
        (SEEN, LISTED, WORTH),
        {"tracked": ("domain", *TRACKED)},
        "Whose results stood on the result pages of tracked keywords.",
        kind=KIND,
        plural="listings",
        spans=(),
        in_files=False,
        dimensions=_DIMENSIONS,
    ),
    Dataset(
        "features",
        (*TRACKED, "feature"),
        (PRESENT, OWNED),
        {"feature": ("feature",), "tracked": ("feature", *TRACKED)},
        "What result pages of tracked keywords showed besides plain results.",
        kind=KIND,
        plural="features",
        spans=(),
        in_files=False,
        dimensions=_DIMENSIONS,
    ),
    Dataset(
        "citations",
        ("domain", *TRACKED, "feature", "address"),
        (LED,),
        {"tracked": ("domain", "feature", *TRACKED)},
        "Whose pages the features of result pages led to.",
        kind=KIND,
        plural="citations",
        spans=(),
        in_files=False,
        dimensions=_DIMENSIONS,
    ),
)
