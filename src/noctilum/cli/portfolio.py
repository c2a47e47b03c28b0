"""`noctilum portfolio`: show all sites at a glance."""

from __future__ import annotations

import argparse

from noctilum.cli.access import add_access, service
from noctilum.cli.output import Column, add_output, count, print_out, signed_percent, sparkline, whole


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    add_access(parser)
    add_output(parser)


def run(asked: argparse.Namespace) -> None:
    """Show the portfolio."""
    with service(asked) as noctilum:
        found = noctilum.portfolio()
    rows = [row.model_dump(mode="json") for row in found.rows]
    cells = [
        (
            row.client_name,
            row.host,
            row.attention,
            sparkline(whole(row.weeks[-20:], "clicks")),
            count(row.now.clicks if row.now else None),
            count(row.before.clicks if row.before else None),
            signed_percent(row.change.clicks_ratio) if row.change else "–",
            "–" if row.expected is None else signed_percent(row.expected),
            row.driver or "–",
            row.worst or "–",
            str(row.complete_through or "–"),
        )
        for row in found.rows
    ]
    words = {"client", "site", "attention", "20 weeks", "driven by", "fades most", "through"}
    names = (
        "client",
        "site",
        "attention",
        "20 weeks",
        "now",
        "before",
        "change",
        "as every year",
        "driven by",
        "fades most",
        "through",
    )
    columns = [Column(name, right=name not in words) for name in names]
    below = [f"! {row.host}: {row.why}" for row in found.rows if row.attention in ("waiting", "stale")]
    together = f"together {count(found.clicks)} clicks on {found.sites_counted} sites"
    above = [f"Clicks, last 28 complete days of each site against the 28 before; {together}."]
    print_out(asked, found.model_dump(mode="json"), rows, columns, cells, above=above, below=below)
