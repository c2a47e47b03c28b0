"""Reconciling: whether a day's rows say what their provider says, and whether its grains fit together."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from noctilum.datasets.declaring import Dataset


@dataclass(frozen=True)
class Promised:
    """Hold what a provider says a day and grain adds up to: rows, and figures by name, as far as it says."""

    rows: int | None = None
    figures: Mapping[str, int] = field(default_factory=dict)


NOTHING_PROMISED = Promised()


@dataclass(frozen=True)
class Disagreement:
    """Name one way in which a day's figures contradict each other. grain: whose rows are doubted."""

    grain: str
    code: str
    text: str


def against_promise(grain: str, rows: int, figures: Mapping[str, int], promised: Promised) -> list[Disagreement]:
    """Compare what came with what was promised; both are counts, so the rule is equality.

    >>> against_promise("site", 2, {"clicks": 3, "impressions": 40}, Promised(2, {"impressions": 41}))[0].text
    '40 impressions came where the provider counts 41'
    """
    pairs = [("rows", rows, promised.rows)] + [(name, figures[name], said) for name, said in promised.figures.items()]
    return [
        Disagreement(grain, "promise-broken", f"{came:,} {name} came where the provider counts {said:,}")
        for name, came, said in pairs
        if said is not None and came != said
    ]


def between_grains(found: Sequence[tuple[Dataset, Mapping[str, int]]]) -> list[Disagreement]:
    """Compare a day's datasets as they are declared: one is part of another, never more, or never falls short of it.

    Withheld queries make the query grain smaller than the site's, never larger, and pairs stay within pages; a result
    page that shows two pages counts for both, so pages make more than the site, never less. Sums only are compared.
    """
    figures = {kept.name: (kept, sums) for kept, sums in found}
    doubts: list[Disagreement] = []
    for kept, sums in found:
        if kept.part_of in figures:
            doubts += _above(kept, sums, *figures[kept.part_of])
        if kept.reaches and kept.reaches[0] in figures:
            doubts += _short(kept, sums, *figures[kept.reaches[0]], kept.reaches[1])
    return doubts


def _above(part: Dataset, small: Mapping[str, int], whole: Dataset, large: Mapping[str, int]) -> list[Disagreement]:
    return [
        Disagreement(
            part.name,
            "grains-disagree",
            f"{part.plural} add up to {small[name]:,} {name}, the {whole.plural} only to {large[name]:,}",
        )
        for name in (measure.name for measure in part.measures if measure.merge == "sum")
        if name in large and small[name] > large[name]
    ]


def _short(
    kept: Dataset, sums: Mapping[str, int], other: Dataset, least: Mapping[str, int], name: str
) -> list[Disagreement]:
    if sums[name] >= least[name]:
        return []
    made = f"{kept.plural} add up to {sums[name]:,} {name}, the {other.plural} to {least[name]:,}"
    return [Disagreement(kept.name, "grains-disagree", f"{made}: {kept.plural} are lacking")]
