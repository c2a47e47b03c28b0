"""`noctilum changes`: list final days that came out differently later."""

from __future__ import annotations

import argparse

from noctilum.cli.output import Column, count, print_out, signed
from noctilum.wire.readings import Changes


def show(asked: argparse.Namespace, found: Changes) -> None:
    """List changes, newest first."""
    columns = [Column(n, right=False) for n in ("day", "grain", "source", "kind", "noticed", "by")]
    columns += [Column(n) for n in ("clicks before", "after", "change", "impressions before", "after", "change")]
    rows = [change.model_dump(mode="json") for change in found]
    cells = [
        (
            *(str(c.day), c.grain, str(c.source), c.kind, c.at[:10], c.origin),
            *(count(c.was.clicks), count(c.now.clicks), signed(c.now.clicks - c.was.clicks)),
            *(count(c.was.impressions), count(c.now.impressions), signed(c.now.impressions - c.was.impressions)),
        )
        for c in found
    ]
    print_out(asked, rows, rows, columns, cells, below=[] if found else ["no final day has changed"])
