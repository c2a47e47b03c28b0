"""`noctilum fading`: show pages or queries that fade, with the reason for each."""

from __future__ import annotations

import argparse

from rich.text import Text

from noctilum.cli.output import (
    Column,
    caution_lines,
    count,
    print_out,
    said_lines,
    signed,
    sparkline,
    window_line,
)
from noctilum.client import to_rows
from noctilum.wire.explain import Judgement, Judgements

VERDICTS = ("fading", "slipping", "holding", "rising", "too few to tell")
STYLES = {"fading": "bold red", "slipping": "yellow", "rising": "green", "too few to tell": "dim"}


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add what only the terminal shows."""
    parser.add_argument("--movers", action="store_true", help="those that moved most, of any verdict, instead")


def show(asked: argparse.Namespace, found: Judgements) -> None:
    """Show the verdicts."""
    if asked.movers:
        _show_movers(asked, found)
        return
    columns = [Column(found.item, right=False, most=40), Column("verdict", right=False)]
    net = found.season.basis != "counted"
    beyond = ("as every year" if found.season.years else "as the site", "beyond it") if net else ("beyond site",)
    columns += [Column(name) for name in ("before", "now", "change", "%", *beyond, "months down")]
    columns += [Column("30 weeks", right=False), Column("why", right=False, most=60)]
    print_out(
        asked,
        found.model_dump(mode="json"),
        to_rows(found),
        columns,
        [_row(row, net) for row in found.rows],
        above=[window_line(found), *said_lines(found), _counts(found), ""],
        below=caution_lines(found),
    )


def _show_movers(asked: argparse.Namespace, found: Judgements) -> None:
    rows = [*found.fallers, *found.risers]
    columns = [Column(found.item, right=False, most=60), Column("verdict", right=False)]
    columns += [Column(name) for name in ("before", "now", "change")]
    cells = [
        (
            row.key,
            Text(row.verdict, style=STYLES.get(row.verdict, "")),
            count(row.before.clicks),
            count(row.now.clicks),
            signed(row.change.clicks if row.change else None),
        )
        for row in rows
    ]
    lines = [
        {
            found.item: row.key,
            "verdict": row.verdict,
            "clicks_before": row.before.clicks,
            "clicks": row.now.clicks,
            "change": row.change.clicks if row.change else None,
        }
        for row in rows
    ]
    told = {name: [row.model_dump(mode="json") for row in getattr(found, name)] for name in ("fallers", "risers")}
    print_out(asked, told, lines, columns, cells, above=[window_line(found), ""], below=caution_lines(found))


def _row(row: Judgement, net: bool) -> tuple[str | Text, ...]:
    moved = row.change.clicks_ratio if row.change else None
    told = row.beside_site and row.verdict in ("fading", "slipping") and not net
    beside = f"; {row.beside_site}" if told else ""
    return (
        row.key,
        Text(row.verdict, style=STYLES.get(row.verdict, "")),
        count(row.before.clicks),
        count(row.now.clicks),
        signed(row.change.clicks if row.change else None),
        _ratio(moved),
        *((_ratio(row.expected), signed(row.beyond_season)) if net else (signed(row.beyond_site),)),
        "–" if row.months_down is None else str(row.months_down),
        sparkline(row.weeks),
        f"{row.reason}{beside}",
    )


def _counts(found: Judgements) -> str:
    return " · ".join(f"{count(each.rows)} {each.verdict}" for each in found.verdicts if each.rows)


def _ratio(value: float | None) -> str:
    return "–" if value is None else f"{value * 100:+.0f}%".replace("-", "−")
