"""Fit a table into a terminal: texts give way, figures never do."""

from __future__ import annotations

import textwrap
from collections.abc import Sequence

from rich.cells import cell_len

BLOCKS = "▁▂▃▄▅▆▇█"
BETWEEN = 2
LEAST = 14
"""Texts are cut to no less than so many characters."""


def fitted(
    heads: Sequence[str], cells: Sequence[Sequence[str]], right: Sequence[bool], most: Sequence[int | None], room: int
) -> tuple[list[int], list[str]]:
    """Give each column's width, and its head, folded at its words where the table would be wider than room.

    Figures (right) and drawn lines keep their width, so a table may stay wider than room: a terminal then wraps it, as
    a figure that is cut is wrong. Texts give way, the widest first.

    >>> fitted(["page", "months down"], [["/a-long-address-of-a-page", "3"]], [False, True], [None, None], 24)
    ([14, 6], ['page', 'months\\ndown'])
    """
    columns = list(zip(*cells, strict=True)) if cells else [()] * len(heads)
    body = [max(map(cell_len, column), default=0) for column in columns]
    widths = [_capped(max(cell_len(head), wide), cap) for head, wide, cap in zip(heads, body, most, strict=True)]
    if _over(widths, room) <= 0:
        return widths, list(heads)
    words = [max(map(cell_len, head.split()), default=0) for head in heads]
    widths = [_capped(max(word, wide), cap) for word, wide, cap in zip(words, body, most, strict=True)]
    gives = [n for n, column in enumerate(columns) if not right[n] and not _drawn(column)]
    while _over(widths, room) > 0:
        widest = max(gives, key=lambda n: widths[n], default=None)
        if widest is None or widths[widest] <= LEAST:
            break
        widths[widest] -= 1
    return widths, [textwrap.fill(head, max(1, wide)) for head, wide in zip(heads, widths, strict=True)]


def _capped(width: int, cap: int | None) -> int:
    return width if cap is None else min(width, cap)


def _over(widths: Sequence[int], room: int) -> int:
    return sum(widths) + BETWEEN * len(widths) - room


def _drawn(column: Sequence[str]) -> bool:
    """Say whether a column holds lines drawn of blocks: cut, they would end too early."""
    return any(column) and set("".join(column)) <= set(BLOCKS + " ")
