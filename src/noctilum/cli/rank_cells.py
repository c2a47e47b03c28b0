"""Ranks in the terminal: cells on the colour of their band, with the number in them."""

from __future__ import annotations

from collections.abc import Sequence

from rich.text import Text

BANDS = ((1, "white on color(17)"), (3, "white on color(61)"), (10, "black on color(104)"),
         (20, "black on color(146)"), (50, "black on color(189)"), (100, "black on color(255)"))  # fmt: skip
"""The last place of each band, and how its cells look: the console's order from dark to light, in the 256 colours that
every terminal draws alike; finer ones are rounded by some until two bands change places."""
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
