"""The shapes that blocks are drawn as: plain values, written out in words, which every kind of page lays out."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

Mark = Literal["", "up", "down"]
Way = Literal["", "better", "worse", "level", "few"]


@dataclass(frozen=True)
class Cell:
    """A cell of a table. way: how a change is judged. mark: a triangle before it. strong, aside: how it is set."""

    text: str
    way: Way = ""
    mark: Mark = ""
    strong: bool = False
    aside: bool = False
    curve: Sequence[float | None] = ()
    """Figures drawn as a line in the place of a text."""


@dataclass(frozen=True)
class Head:
    """The head of a column; numbers stand at the right."""

    title: str
    number: bool = False


@dataclass(frozen=True)
class Row:
    """A row of a table. role: what it is besides a row: the rest of all rows, or their sum."""

    cells: Sequence[Cell]
    role: Literal["", "rest", "sum"] = ""


@dataclass(frozen=True)
class Table:
    """Rows under heads. dense: set smaller, for want of room."""

    heads: Sequence[Head]
    rows: Sequence[Row]
    dense: bool = False
    shape: Literal["table"] = "table"


@dataclass(frozen=True)
class Words:
    """Sentences as one paragraph."""

    text: str
    shape: Literal["words"] = "words"


@dataclass(frozen=True)
class Listing:
    """Numbered lines."""

    lines: Sequence[str]
    shape: Literal["listing"] = "listing"


@dataclass(frozen=True)
class Fact:
    """One measure in large figures. before: empty where nothing is compared."""

    name: str
    now: str
    change: str = ""
    way: Way = ""
    before: str = ""


@dataclass(frozen=True)
class Facts:
    """Measures side by side."""

    facts: Sequence[Fact]
    shape: Literal["facts"] = "facts"


@dataclass(frozen=True)
class Key:
    """What a line or a shade of a chart is. line: how it is drawn; empty for words alone."""

    line: Literal["", "now", "ghost", "band"]
    text: str


@dataclass(frozen=True)
class Chart:
    """A drawing as SVG, with what it shows as a table for those who do not see it (its first row heads it)."""

    svg: str
    caption: str
    told: Sequence[Sequence[str]]
    headed: bool = False
    legend: Sequence[Key] = ()
    shape: Literal["chart"] = "chart"


@dataclass(frozen=True)
class Step:
    """A cell of the ladder. band: 1 best to 7 not found, 0 for one that was not looked up."""

    band: int
    text: str


@dataclass(frozen=True)
class Rung:
    """A keyword of the ladder."""

    term: str
    beside: str
    steps: Sequence[Step]
    change: Cell


@dataclass(frozen=True)
class Ladder:
    """Keywords by steps of time. steps: what stands over each."""

    term: str
    steps: Sequence[str]
    change: str
    rungs: Sequence[Rung]
    shape: Literal["ladder"] = "ladder"


@dataclass(frozen=True)
class Side:
    """Points around a place at one time, north above, each in the band of its rank."""

    name: str
    rows: Sequence[Sequence[Step]]


@dataclass(frozen=True)
class Grid:
    """Points around a place, as they are and as they were side by side."""

    sides: Sequence[Side]
    caption: str
    shape: Literal["grid"] = "grid"


Shape = Table | Words | Listing | Facts | Chart | Ladder | Grid
