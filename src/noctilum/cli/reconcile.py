"""`noctilum reconcile`: say why two numbers for the same thing differ."""

from __future__ import annotations

import argparse

from rich.text import Text

from noctilum.cli.output import Column, count, number, percent, print_out, signed, sparkline
from noctilum.wire.readings import Reconciliation, SourceTotals

NAMES = {
    "site": "the site's own total",
    "query": "all listed queries",
    "page": "all pages",
    "pair": "all query-by-page rows",
    "look": "all looks",
}


def show(asked: argparse.Namespace, found: Reconciliation) -> None:
    """Set totals side by side, with what lies between them."""
    columns = [Column("what", right=False, most=110), Column("days"), Column("clicks"), Column("impressions")]
    rows = [{"source": s.source, **grain.model_dump(mode="json")} for s in found.sources for grain in s.grains]
    cells = [cell for source in found.sources for cell in _cells(source)]
    above = [f"{found.site} · {found.first} to {found.last}"]
    below = [line for source in found.sources for line in _below(source)]
    print_out(asked, found.model_dump(mode="json"), rows, columns, cells, above=above, below=below)


def _cells(source: SourceTotals) -> list[tuple[str | Text, ...]]:
    apart = "" if source.counted else ", kept apart"
    head: list[tuple[str | Text, ...]] = [(f"source {source.source}, {source.label}{apart}", "", "", "")]
    for grain in source.grains:
        if grain.grain in NAMES:
            counts = (count(grain.days), count(grain.clicks), count(grain.impressions))
            head.append((f"  {NAMES.get(grain.grain, grain.grain)}", *counts))
        else:
            sums = ", ".join(f"{name} {number(value)}" for name, value in grain.figures.items())
            head.append((f"  {grain.grain}: {sums}", count(grain.days), "", ""))
    return head + [(f"  ± {step.text}", "", signed(step.clicks), signed(step.impressions)) for step in source.steps]


def _below(source: SourceTotals) -> list[str]:
    lines = []
    if source.unlisted:
        newest = source.unlisted[-1]
        line = sparkline([share.clicks for share in source.unlisted])
        months = f"{source.unlisted[0].month:%Y-%m} to {newest.month:%Y-%m}"
        lines.append(f"unlisted share of clicks, source {source.source}, {months}: {line} {percent(newest.clicks)}")
    return lines + [f"! {day.day} {day.grain}: {day.remark}" for day in source.flagged[:20]]
