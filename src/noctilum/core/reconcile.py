"""Reconciling: whether a day's rows say what their provider says, and whether its grains fit together."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from noctilum.core.measures import Sums


@dataclass(frozen=True)
class Promised:
    """Hold what a provider says a day and grain adds up to; None where it does not say."""

    rows: int | None = None
    clicks: int | None = None
    impressions: int | None = None


NOTHING_PROMISED = Promised()


@dataclass(frozen=True)
class Disagreement:
    """Name one way in which a day's figures contradict each other. grain: whose rows are doubted."""

    grain: str
    code: str
    text: str


def against_promise(grain: str, rows: int, sums: Sums, promised: Promised) -> list[Disagreement]:
    """Compare what came with what was promised; both are counts, so the rule is equality.

    >>> against_promise("site", 2, Sums(3, 40, 0), Promised(2, 3, 41))[0].text
    '40 impressions came where the provider counts 41'
    """
    pairs = (
        ("rows", rows, promised.rows),
        ("clicks", sums.clicks, promised.clicks),
        ("impressions", sums.impressions, promised.impressions),
    )
    return [
        Disagreement(grain, "promise-broken", f"{came:,} {name} came where the provider counts {said:,}")
        for name, came, said in pairs
        if said is not None and came != said
    ]


_WITHIN = (("query", "site"), ("pair", "page"))
"""A part of a day's counts can never be more than the whole it is drawn from."""


def between_grains(sums: Mapping[str, Sums]) -> list[Disagreement]:
    """Compare a day's grains: queries stay within the site, pairs within pages, pages reach the site.

    Withheld queries make the query grain smaller than the site's, never larger; a result page that
    shows two pages counts for both, so pages make more than the site, never less.

    >>> between_grains({"site": Sums(3, 40, 0), "query": Sums(4, 30, 0)})[0].text
    'queries add up to 4 clicks, the site only to 3'
    """
    found = []
    for part, whole in _WITHIN:
        if part in sums and whole in sums:
            found += _above(part, sums[part], whole, sums[whole])
    if "page" in sums and "site" in sums and sums["page"].impressions < sums["site"].impressions:
        page, site = sums["page"].impressions, sums["site"].impressions
        text = f"pages add up to {page:,} impressions, the site to {site:,}: pages are lacking"
        found.append(Disagreement("page", "grains-disagree", text))
    return found


_PLURAL = {"query": "queries", "pair": "pairs", "page": "pages", "site": "site"}


def _above(part: str, small: Sums, whole: str, large: Sums) -> list[Disagreement]:
    pairs = (("clicks", small.clicks, large.clicks), ("impressions", small.impressions, large.impressions))
    return [
        Disagreement(
            part, "grains-disagree", f"{_PLURAL[part]} add up to {a:,} {name}, the {_PLURAL[whole]} only to {b:,}"
        )
        for name, a, b in pairs
        if a > b
    ]
