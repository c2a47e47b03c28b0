"""`noctilum sources`: list sources and what is held of them."""

from __future__ import annotations

import argparse

from noctilum.cli.access import add_access, service
from noctilum.cli.output import Column, add_output, count, print_out


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    add_access(parser)
    add_output(parser)


def run(asked: argparse.Namespace) -> None:
    """List sources."""
    with service(asked) as noctilum:
        found = noctilum.sources()
    rows = [source.model_dump(mode="json") for source in found]
    cells = [
        (
            str(s.id),
            s.site,
            s.label,
            str(s.first_held or "–"),
            str(s.complete_through or "–"),
            count(s.days_held),
            count(s.days_lost),
            count(s.days_flagged),
            "paused" if s.paused else s.state,
            f"{s.next_run_at:%m-%d %H:%M}" if s.next_run_at else "–",
        )
        for s in found
    ]
    columns = [
        Column("source"),
        *(Column(name, right=False) for name in ("site", "property", "held since", "complete through")),
        *(Column(name) for name in ("days held", "lost", "doubted")),
        *(Column(name, right=False) for name in ("state", "next pull")),
    ]
    faults = [f"! source {s.id}: {s.fault}" for s in found if s.fault]
    print_out(asked, rows, rows, columns, cells, below=faults)
