"""`noctilum sites`: list sites, or add one."""

from __future__ import annotations

import argparse

from noctilum.cli.access import add_access, service
from noctilum.cli.output import Column, add_output, print_out
from noctilum.core.errors import Nonsense
from noctilum.wire.setup import NewSite, SiteChange


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    parser.add_argument("--add", metavar="HOST", help="add a site of this host, or host/path")
    parser.add_argument("--client", help="the client it belongs to, by key")
    parser.add_argument("--change", metavar="SITE", help="give a site other --brand terms, or a --session-value")
    parser.add_argument("--brand", help="words that name the client, commas between; -words are exceptions")
    parser.add_argument(
        "--session-value",
        type=float,
        metavar="AMOUNT",
        help="what a session is worth where no goals are counted; 0: none",
    )
    add_access(parser)
    add_output(parser)


def run(asked: argparse.Namespace) -> None:
    """List sites, after adding one if asked to."""
    with service(asked) as noctilum:
        if asked.add:
            if not asked.client:
                raise Nonsense("client-missing", "A site belongs to a client.", where="--client", remedy="--client KEY")
            noctilum.add_site(asked.client, NewSite(host=asked.add, brand_terms=asked.brand or ""))
        if asked.change:
            noctilum.change_site(asked.change, SiteChange(brand_terms=asked.brand, session_value=asked.session_value))
        found = noctilum.sites()
    rows = [site.model_dump(mode="json") for site in found]
    cells = [(s.key, s.client_name, str(s.sources), _worth(s.session_value), s.brand_terms) for s in found]
    columns = [Column("site", right=False), Column("client", right=False), Column("sources"), Column("a session")]
    columns += [Column("brand", right=False, most=60)]
    print_out(asked, rows, rows, columns, cells)


def _worth(value: float | None) -> str:
    return "–" if value is None else f"{value:,.2f}"
