"""`noctilum portfolio`: show all sites at a glance."""

from __future__ import annotations

import argparse

from noctilum.cli.access import add_access, service
from noctilum.cli.output import Column, add_output, count, place, print_out, signed_percent, sparkline, whole
from noctilum.wire.portfolio import Portfolio, RanksAtAGlance, RanksTogether

CLICKS = (
    *("client", "site", "attention", "20 weeks", "now", "before", "change", "as every year", "driven by"),
    *("fades most", "through"),
)
RANKS = (
    *("client", "site", "26 weeks", "tracked", "visibility", "before", "verdict", "up", "down", "entered", "lost"),
    *("top 3", "top 10", "average", "est. clicks", "through"),
)
WORDS = {"client", "site", "attention", "20 weeks", "26 weeks", "driven by", "fades most", "through", "verdict"}


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    add_access(parser)
    add_output(parser)
    parser.add_argument(
        "--of", choices=("clicks", "ranks"), default="clicks", help="clicks from search, or tracked keywords"
    )


def run(asked: argparse.Namespace) -> None:
    """Show the portfolio."""
    with service(asked) as noctilum:
        found = noctilum.portfolio()
    rows = [row.model_dump(mode="json") for row in found.rows]
    names, cells, above, below = _clicks(found) if asked.of == "clicks" else _ranks(found)
    columns = [Column(name, right=name not in WORDS) for name in names]
    print_out(asked, found.model_dump(mode="json"), rows, columns, cells, above=above, below=below)


_Table = tuple[tuple[str, ...], list[tuple[str, ...]], list[str], list[str]]


def _clicks(found: Portfolio) -> _Table:
    cells: list[tuple[str, ...]] = [
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
    told = ("waiting", "stale", "keep an eye on")
    below = [f"! {row.host}: {row.why}" for row in found.rows if row.attention in told]
    together = f"together {count(found.clicks)} clicks on {found.sites_counted} sites"
    above = [f"Clicks, last 28 complete days of each site against the 28 before; {together}."]
    return CLICKS, cells, above, below


def _ranks(found: Portfolio) -> _Table:
    """Show tracked keywords: of each site, of clients with several, of all together."""
    cells = [_ranks_row(row.client_name, row.host, row.ranks) for row in found.rows if row.ranks is not None]
    several = [each for each in found.clients if each.sites > 1]
    cells += [_ranks_row(each.client_name, f"{each.sites} sites", each) for each in several]
    if found.ranks is not None:
        cells.append(_ranks_row("all", "", found.ranks))
    none = [row.host for row in found.rows if row.ranks is None]
    below = [f"! {host}: no keyword was looked up." for host in none]
    above = ["Tracked keywords, each by its latest check in the last 7 days, against 28 days before."]
    return RANKS, cells, above, below


def _ranks_row(client: str, site: str, ranks: RanksTogether) -> tuple[str, ...]:
    alone = ranks if isinstance(ranks, RanksAtAGlance) else None
    now, was, moved = ranks.now, ranks.before, ranks.moved
    moves = (moved.up, moved.down, moved.entered, moved.lost) if moved else (None,) * 4
    return (
        client,
        site,
        sparkline(alone.weeks[-26:]) if alone else "",
        count(ranks.tracked),
        place(now.visibility),
        place(was.visibility if was else None),
        (alone.verdict or "–") if alone else "",
        *(count(each) for each in moves),
        count(now.top3),
        count(now.top10),
        place(now.average),
        count(None if now.clicks is None else round(now.clicks)),
        str(alone.last_day) if alone else "",
    )
