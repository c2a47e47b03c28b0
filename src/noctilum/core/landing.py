"""Clicks and visits of landing pages side by side: what fell, and whether only the counting broke."""

from __future__ import annotations

from typing import Literal

Told = Literal["clicks fell", "visits fell", "counting broke", "clicks fell alone", "rose", "level", "too few to tell"]
TOLD: tuple[Told, ...] = (
    *("clicks fell", "visits fell", "counting broke", "clicks fell alone", "rose", "level", "too few to tell"),
)
SURE, DOWN = "fading", ("fading", "slipping")
"""A fall is told where one of the two fell for sure; the other then counts as fallen already where it is doubtful."""
BROKEN_AT = 0.5
"""Sessions per click, over those before, from which down on it is the counting (ours; as in core/counting.py)."""


def told_apart(clicks: str, sessions: str, ratio: float | None) -> Told:
    """Say what happened to a page by the verdicts on its clicks and sessions.

    ratio: sessions per click now over those before; None where it is not known. Clicks that fell take visits along:
    that is one fall. Visits that fell alone are either lost on the way or no longer counted: the latter where at least
    half of them are missing.

    >>> told_apart("holding", "fading", 0.1), told_apart("holding", "fading", 0.8)
    ('counting broke', 'visits fell')
    >>> told_apart("fading", "fading", 0.98), told_apart("fading", "fading", 0.1)
    ('clicks fell', 'counting broke')
    """
    if sessions == SURE and ratio is not None and ratio <= BROKEN_AT:
        return "counting broke"
    if SURE in (clicks, sessions) and clicks in DOWN and sessions in DOWN:
        return "clicks fell"
    if sessions == SURE:
        return "visits fell"
    if clicks == SURE:
        return "clicks fell alone"
    if "rising" in (clicks, sessions):
        return "rose"
    return "too few to tell" if "too few to tell" in (clicks, sessions) else "level"
