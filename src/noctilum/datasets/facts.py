"""What a feed of term facts counts: how often a term is searched in a month, what a click on it costs, what is near."""

from __future__ import annotations

from noctilum.datasets.declaring import Dataset, Dimension, Measure

KIND = "facts"

VOLUME = Measure(
    "volume", "volume", "Searches of the term in the month, as the feed estimates them.", "last",
    words=("volume", "search volume", "searches", "suchvolumen", "volume de recherche", "volumen"),
)  # fmt: skip
CPC = Measure(
    "cpc", "CPC", "What an advertiser pays for a click on the term, in the site's currency.", "last", scale=100,
    kind="money", words=("cpc", "cost per click", "klickpreis", "coût par clic", "coste por clic"),
)  # fmt: skip

_TERM = Dimension("term", "term", "What is searched for.", None, ("term", "keyword", "query", "suchbegriff", "terme"))
_COUNTRY = Dimension("country", "country", "ISO 3166 code.", "", ("country", "land", "pays", "pais"), form="country")
_WORD = Dimension("word", "word", "What the term is near to.", None, ("word", "seed", "wort", "mot"))

FACTS = (
    Dataset(
        "volumes",
        ("term", "country"),
        (VOLUME, CPC),
        {},
        "Search volume and cost per click of terms, by month; its days are the first of each.",
        kind=KIND,
        plural="volumes",
        spans=(),
        span="month",
        dimensions=(_TERM, _COUNTRY),
    ),
    Dataset(
        "related",
        ("word", "term", "country"),
        (VOLUME, CPC),
        {},
        "Terms near a word, with their volume, by month.",
        kind=KIND,
        plural="related terms",
        spans=(),
        span="month",
        dimensions=(_WORD, _TERM, _COUNTRY),
    ),
)
