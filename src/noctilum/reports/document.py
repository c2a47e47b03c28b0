"""A report as plain values: who it is for, its blocks, and what was left out and why."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from datetime import date
from typing import Any

from pydantic import BaseModel

from noctilum.core.windows import Window
from noctilum.wire import readings as wire
from noctilum.wire.reports import BlockSpec

Answers = Mapping[str, Any]
"""The readings that a block asked for, by the names it gave them; a text is the reason why there is none."""


@dataclass(frozen=True)
class Look:
    """How a client's reports look. language: a BCP 47 tag. logo: a data: address, or empty.

    footer: in place of who prepared it for whom. sender: whom mails come from. credit: the foot names the program.
    """

    client_name: str
    colour: str
    accent: str
    language: str
    agency: str
    logo: str = ""
    footer: str = ""
    sender: str = ""
    credit: bool = False


@dataclass(frozen=True)
class Ask:
    """Ask for a reading: its name, and the parameters besides the window, the comparison, the filter, the language."""

    reading: str
    parameters: Mapping[str, Any] = field(default_factory=dict)


@dataclass(frozen=True)
class Block:
    """Declare a block of a report.

    title, about: messages; places in about are filled from what is drawn. readings: name →
    what is asked. empty: (answers) → the reason to leave it out, a message, or None. draw: what it is drawn as, by the
    name it has in drawing. long: it may break over pages.
    """

    name: str
    title: str
    readings: Mapping[str, Ask]
    draw: str
    about: str = ""
    empty: Callable[[Answers], str | None] = lambda _: None
    long: bool = False


@dataclass(frozen=True)
class Wanted:
    """A block as a report wants it: what is different from its declaration."""

    block: Block
    spec: BlockSpec


@dataclass(frozen=True)
class Made:
    """A block with its answers; with why, it stays though it has nothing to show."""

    block: Block
    answers: Answers
    spec: BlockSpec
    why: str = ""


@dataclass(frozen=True)
class LeftOut:
    """Name a block that is not there, and say why, in the report's language."""

    block: str
    why: str
    kind: str = ""


@dataclass(frozen=True)
class Head:
    """Say which days a report is of, and how many of them were held and settled; complete_through: None for none."""

    window: Window
    against: Window | None
    held: int
    settled: bool
    complete_through: date | None
    filter_text: str = ""
    cautions: tuple[str, ...] = ()


@dataclass(frozen=True)
class Document:
    """Hold one report. line: search as a whole; None where no day of search is held."""

    look: Look
    host: str
    title: str
    summary: tuple[str, ...]
    made_on: date
    head: Head
    line: wire.Timeline | None
    blocks: tuple[Made, ...]
    left_out: tuple[LeftOut, ...]
    paper: str = "A4"
    cover: bool = False


def is_answer(found: Any) -> bool:
    """Whether a reading could be taken."""
    return isinstance(found, BaseModel | tuple)
