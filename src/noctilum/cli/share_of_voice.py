"""`noctilum share-of-voice`: whose share is how large, step for step."""

from __future__ import annotations

import argparse

from noctilum.cli.output import (
    Column,
    caution_lines,
    count,
    percent,
    place,
    print_out,
    said_lines,
    sparkline,
    window_line,
)
from noctilum.client import to_rows
from noctilum.wire.ranks import ShareOfVoice, VoiceRow


def show(asked: argparse.Namespace, found: ShareOfVoice) -> None:
    """Show each domain's share with its line."""
    columns = [Column("domain", right=False, most=40), Column("share"), Column("before"), Column("change")]
    columns += [Column("keywords"), Column("in top 3"), Column("average"), Column("gained where we lost")]
    columns += [Column(f"by {found.step}", right=False)]
    print_out(
        asked,
        found.model_dump(mode="json"),
        to_rows(found),
        columns,
        [_cells(row) for row in found.rows],
        above=[window_line(found), *said_lines(found), ""],
        below=caution_lines(found),
    )


def _cells(row: VoiceRow) -> tuple[str, ...]:
    mark = " (the site)" if row.own else " (named)" if row.named else ""
    change = "–" if row.change is None else f"{row.change * 100:+.1f}".replace("-", "−")
    before = "–" if row.share_before is None else percent(row.share_before)
    return (
        f"{row.domain}{mark}",
        percent(row.share),
        before,
        change,
        count(row.keywords),
        count(row.top3),
        place(row.average),
        count(row.gained) if row.gained else "",
        sparkline(row.shares),
    )
