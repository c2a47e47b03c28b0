"""`noctilum sites`: list sites, or add one."""

from __future__ import annotations

import argparse
import re
from collections.abc import Sequence

from noctilum.cli.access import add_access, service
from noctilum.cli.output import Column, add_output, print_out
from noctilum.core.errors import Nonsense, worded
from noctilum.wire.setup import NewSite, SiteChange
from noctilum.wire.worth import PageValue, Per, ValueGiven


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
    parser.add_argument(
        "--value",
        action="append",
        metavar="SET=AMOUNT",
        help="what a session on pages of a set is worth; SET=AMOUNT/1000@VIEWS: what thousand page views earn, at so "
        "many of them a session; =AMOUNT: on all other pages; none: no value by sets",
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
            change = SiteChange(brand_terms=asked.brand, session_value=asked.session_value, values=_values(asked.value))
            noctilum.change_site(asked.change, change)
        found = noctilum.sites()
    rows = [site.model_dump(mode="json") for site in found]
    cells = [(s.key, s.client_name, str(s.sources), _worth(s.session_value, s.values), s.brand_terms) for s in found]
    columns = [Column("site", right=False), Column("client", right=False), Column("sources"), Column("a session")]
    columns += [Column("brand", right=False, most=60)]
    print_out(asked, rows, rows, columns, cells)


_VALUE = re.compile(r"(?P<set>.*)=(?P<amount>\d+(?:\.\d+)?)(?:/1000@(?P<views>\d+(?:\.\d+)?))?")


def _values(texts: Sequence[str] | None) -> list[PageValue] | None:
    """Read values by set as they are typed; raises Nonsense."""
    if texts is None or texts == ["none"]:
        return None if texts is None else []
    found = []
    for text in texts:
        read = _VALUE.fullmatch(text)
        if read is None:
            raise Nonsense(
                "value-unreadable",
                worded("The value {text!r} cannot be read.", text=text[:60]),
                where="--value",
                remedy="SET=AMOUNT, as guides=1.50; or SET=AMOUNT/1000@VIEWS, as blog=14.50/1000@2.1",
            )
        per: Per = "thousand views" if read["views"] else "session"
        given = {"set": read["set"].strip(), "per": per, "amount": float(read["amount"])}
        views = {"views": float(read["views"])} if read["views"] else {}
        found.append(PageValue.model_validate(given | views))
    return found


def _worth(value: float | None, by_set: Sequence[ValueGiven]) -> str:
    """Write what a session is worth: by sets where it is given so, and else.

    >>> _worth(1.2, [ValueGiven(set="blog", per="thousand views", amount=14.5, views=2.1)])
    'blog 14.50 per 1,000 views; 1.20'
    """
    parts = [f"{each.set} {each.amount:,.2f}{' per 1,000 views' if each.views else ''}".strip() for each in by_set]
    parts += [] if value is None else [f"{value:,.2f}"]
    return "; ".join(parts) or "–"
