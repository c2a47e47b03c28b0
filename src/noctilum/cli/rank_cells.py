"""Ranks in the terminal: cells on the colour of their band, with the number in them."""

from __future__ import annotations

from collections.abc import Sequence

from rich.text import Text

BANDS = ((1, "white on #1e2a52"), (3, "white on #35477d"), (10, "white on #5a6ca3"), (20, "#171c2e on #96a3cb"),
         (50, "#241f19 on #c0c9e1"), (100, "#241f19 on #e1e5f0"))  # fmt: skip
"""The last place of each band, and how its cells look; what the console draws them in."""
NOT_FOUND, NO_CHECK = "–", "·"


def rank_cell(rank: float | None, *, wide: int = 3) -> Text:
    """Write a rank: 0 for not found, None for no check."""
    if rank is None:
        return Text(NO_CHECK.rjust(wide), style="dim")
    if rank == 0:
        return Text(NOT_FOUND.rjust(wide))
    style = next((look for last, look in BANDS if round(rank) <= last), "")
    return Text(f"{round(rank)}".rjust(wide - 1) + " ", style=style)


def line_of(cells: Sequence[float | None]) -> Text:
    """Write ranks one beside the other."""
    return Text("").join(rank_cell(cell) for cell in cells)


def moved(movement: str, change: float | None) -> Text:
    """Write how a keyword moved: better in blue, worse in rust, as everywhere."""
    if movement in ("entered", "lost"):
        return Text(movement, style="blue" if movement == "entered" else "red")
    if movement in ("up", "down") and change is not None:
        mark, style = ("▲", "blue") if movement == "up" else ("▼", "red")
        return Text(f"{mark} {abs(change):g}", style=style)
    return Text({"same": "= same", "absent": "still none", "unknown": "no check"}.get(movement, "–"), style="dim")
