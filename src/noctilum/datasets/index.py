"""What an index feed counts, and what a site's own sitemaps list."""

from __future__ import annotations

from noctilum.datasets.declaring import Dataset, Dimension, Measure

KIND, SITEMAPS = "index", "sitemap"
INDEXED = "indexed"
"""The status of pages that stand in the index; others say why they do not."""

COUNTED = Measure(
    "counted", "pages", "Pages of the site that the engine knows, as of the last held day.", "last",
    words=("pages", "page count", "seiten", "pages indexées", "páginas"),
)  # fmt: skip
ENTERED = Measure("entered", "entered", "Pages that came into the index.", better="higher")
LEFT = Measure("left", "left", "Pages that fell out of the index.", better="lower")
LISTED = Measure("listed", "listed", "Pages that the sitemaps list, as of the last held day.", "last", better="higher")

_PAGE = Dimension("page", "page", "A page of the site.", None, ("page", "url", "address", "seite"))
_DIMENSIONS = (
    Dimension("status", "status", "Whether pages are indexed, and if not, why.", "indexed", ("status",), form="word"),
    _PAGE,
    Dimension("sitemap", "sitemap", "The file that lists them.", "", ("sitemap",)),
)

INDEX = (
    Dataset(
        "index",
        ("status",),
        (COUNTED,),
        {},
        "How many pages the engine knows, by whether they are indexed.",
        kind=KIND,
        plural="index",
        spans=(),
        dimensions=_DIMENSIONS,
    ),
    Dataset(
        "indexed",
        ("page",),
        (ENTERED, LEFT),
        {"page": ("page",), "cube": ("day",)},
        "Pages that came into the index or fell out of it.",
        kind=KIND,
        plural="indexed pages",
        spans=(),
        states=("entered", "left"),
        dimensions=_DIMENSIONS,
    ),
    Dataset(
        "sitemap",
        ("page", "sitemap"),
        (LISTED,),
        {},
        "Pages that the site's sitemaps list.",
        kind=SITEMAPS,
        plural="listed pages",
        spans=(),
        dimensions=_DIMENSIONS,
    ),
)
