"""What a link feed counts: links from elsewhere, each a state with a beginning and an end."""

from __future__ import annotations

from noctilum.datasets.declaring import Dataset, Dimension, Measure

KIND = "links"

GAINED = Measure("gained", "gained", "Links first seen.", better="higher", words=("gained", "new links", "neu"))
LOST = Measure(
    "lost", "lost", "Links that were no longer there.", better="lower", words=("lost", "lost links", "verloren")
)

LINKS = (
    Dataset(
        "links",
        ("domain", "address", "page", "anchor"),
        (GAINED, LOST),
        {"domain": ("domain",), "page": ("page",), "anchor": ("anchor",), "cube": ("day",)},
        "Links from other sites, on the days they were first seen and no longer seen.",
        kind=KIND,
        plural="links",
        spans=(),
        states=("gained", "lost"),
        dimensions=(
            Dimension("domain", "domain", "Who links.", None, ("domain", "referring domain", "domäne", "domaine")),
            Dimension("address", "address", "The page that links.", "", ("source", "source url", "linking page")),
            Dimension(
                "page", "page linked to", "The page linked to.", None, ("target", "target url", "ziel", "cible", "page")
            ),
            Dimension("anchor", "anchor", "The words of the link.", "", ("anchor", "anchor text", "linktext")),
        ),
    ),
)
