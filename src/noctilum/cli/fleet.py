"""`noctilum fleet`: days on which far more sites moved at once than chance allows, probably an engine update."""

from __future__ import annotations

import argparse

from noctilum.cli.access import add_access, service
from noctilum.cli.output import Column, add_output, print_out
from noctilum.wire.fleet import Fleet, FleetSite

NAMED = 4


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    add_access(parser)
    add_output(parser)


def run(asked: argparse.Namespace) -> None:
    """Show the events of the last half year."""
    with service(asked) as noctilum:
        found = noctilum.fleet()
    rows = [each.model_dump(mode="json") for each in found.events]
    cells = [
        (
            str(each.day),
            f"{each.fell + each.rose} of {each.looked_at}",
            str(each.fell),
            str(each.rose),
            f"{each.usual:.1f}",
            each.on + (f" (and ranks of {each.ranks_too})" if each.ranks_too else ""),
            ", ".join(_site(site) for site in each.sites[:NAMED]) + (" …" if len(each.sites) > NAMED else ""),
            "; ".join(each.noted),
        )
        for each in found.events
    ]
    columns = [Column("since"), Column("moved"), Column("fell"), Column("rose"), Column("usually")]
    columns += [Column("on", right=False), Column("sites", right=False, most=80), Column("noted", right=False, most=50)]
    print_out(asked, found.model_dump(mode="json"), rows, columns, cells, above=[_said(found)])


def _site(found: FleetSite) -> str:
    """Name a site, with the section that moved most and its share."""
    return f"{found.site} ({found.section} {found.share:.0%})" if found.share is not None else found.site


def _said(found: Fleet) -> str:
    if not found.events:
        few = f"{found.sites} sites are held long enough" + (", too few to tell" if found.sites < 8 else "")
        few += f"; keywords of {found.ranked} were looked up long enough"
        return f"No day since {found.first} moved many sites at once; {few}."
    newest = found.events[0]
    many = newest.fell + newest.rose
    keep = f'noctilum notes --add "An engine update, probably" --on {newest.day} --kind "engine update"'
    what = "" if newest.on == "clicks" else " in their ranks"
    return (
        f"{many} of {newest.looked_at} sites moved{what} from {newest.day} on, {newest.fell} of them down: "
        f"an engine update, probably. Keep it with: {keep}"
    )
