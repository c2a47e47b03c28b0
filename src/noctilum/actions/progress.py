"""How far a piece of long work is."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Progress:
    """So many of so many are done at a stage."""

    stage: str
    done: int
    due: int
