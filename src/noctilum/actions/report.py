"""Making a site's search report."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any, Literal, TypeVar

from pydantic import ValidationError

from noctilum.actions import dated_notes
from noctilum.actions.find import find_site
from noctilum.actions.install import Install
from noctilum.actions.read import read
from noctilum.actions.site_access import open_site
from noctilum.core.errors import Nonsense, NotThere
from noctilum.readings.frame import Asked
from noctilum.reports import blocks
from noctilum.reports.build import build
from noctilum.reports.document import Ask, Document, Look
from noctilum.wire.catalogue import READINGS
from noctilum.wire.specs import ReadingSpec
from noctilum.words.speech import Speech

Format = Literal["pdf", "html"]
Taken = TypeVar("Taken")


@dataclass(frozen=True)
class File:
    """Hold a rendered report."""

    name: str
    media_type: str
    body: bytes


def document(
    install: Install, asked: Asked, now: datetime, also: Sequence[str] = (), *, season: bool = True
) -> Document:
    """Take the readings of a report's blocks and arrange them; a filter narrows every block.

    also: further readings by name, each a block of its own at the end. season: changes are told net of what the year
    does. Raises Nonsense for a reading that there is not.
    """
    site = asked.site
    opened = open_site(install, site, today=now.date())
    with install.records.read() as db:
        found = find_site(db, site)
        owner = found.client
        look = Look(owner.name, owner.colour, owner.accent, owner.language, install.settings.agency)
    framed: dict[str, Any] = {"window": asked.window, "against": asked.against, "filter": asked.filter}
    framed |= {"language": Speech(look.language).language, "season": season}
    line = read(opened, "timeline", **framed)
    notes = dated_notes.list_notes(install, site, line.window.first, line.window.last)

    def take(ask: Ask) -> Any:
        if ask.reading == blocks.NOTES:
            return tuple(sorted(notes, key=lambda note: (note.first, note.id)))
        if ask == Ask("timeline"):
            return line
        return _or_why_not(lambda: read(opened, ask.reading, **_taken(ask, framed)))

    every = [*blocks.SEARCH_REPORT, *(blocks.block_of(_reading(name)) for name in also)]
    with opened.history.still():
        return build(look, found.host, now.date(), every, take, take(blocks.FALLERS))


def _reading(name: str) -> ReadingSpec:
    if name not in READINGS:
        raise Nonsense(
            "no-such-block", f"There is no block {name!r}.", where="also", remedy=f"one of {', '.join(READINGS.names)}"
        )
    return READINGS[name]


def _taken(ask: Ask, framed: Mapping[str, Any]) -> dict[str, Any]:
    """Give the parameters of a block's reading: the report's own, as far as the reading takes them, and the block's."""
    fields = READINGS[ask.reading].question.model_fields
    return {name: value for name, value in framed.items() if name in fields} | dict(ask.parameters)


def _or_why_not(reading: Callable[[], Taken]) -> Taken | str:
    """Take a reading, or say why there is none, as where only totals are held."""
    try:
        return reading()
    except (Nonsense, NotThere, ValidationError) as why:
        if isinstance(why, ValidationError):
            return str(why.errors()[0]["msg"])
        return f"{why.what[0].lower()}{why.what[1:]}"


def make(
    install: Install, asked: Asked, kind: Format, now: datetime, also: Sequence[str] = (), *, season: bool = True
) -> File:
    """Make a report as PDF or as one HTML file; also and season as of document."""
    from noctilum.reports.render import render_html, render_pdf

    made = document(install, asked, now, also, season=season)
    name = f"{made.host.replace('/', '-')}-{made.line.window.last}"
    if kind == "pdf":
        return File(f"{name}.pdf", "application/pdf", render_pdf(made))
    return File(f"{name}.html", "text/html", render_html(made).encode())
