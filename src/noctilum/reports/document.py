"""A report as plain values: who it is for, its blocks, and what was left out and why."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from noctilum.wire import readings as wire
from noctilum.wire.noted import NoteOut


@dataclass(frozen=True)
class Look:
    """How a client's reports look. logo: a data: address, or empty."""

    client_name: str
    colour: str
    accent: str
    language: str
    agency: str
    logo: str = ""


@dataclass(frozen=True)
class LeftOut:
    """Name a block that is not there, and say why."""

    block: str
    why: str


@dataclass(frozen=True)
class Document:
    """Hold one report. Blocks that are None are in left_out with their reason."""

    look: Look
    host: str
    title: str
    summary: tuple[str, ...]
    made_on: date
    line: wire.Timeline
    drivers: wire.Drivers | None
    queries: wire.Breakdown | None
    pages: wire.Breakdown | None
    notes: tuple[NoteOut, ...]
    left_out: tuple[LeftOut, ...]
