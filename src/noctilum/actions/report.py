"""Making a site's search report."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime
from typing import Literal, TypeVar

from noctilum.actions import dated_notes, take
from noctilum.actions.find import find_site
from noctilum.actions.install import Install
from noctilum.core.errors import Nonsense, NotThere
from noctilum.readings.breakdown import Page
from noctilum.readings.frame import Asked
from noctilum.reports.build import build
from noctilum.reports.document import Document, Look

TOP_QUERIES = 10
TOP_PAGES = 8
Format = Literal["pdf", "html"]
Taken = TypeVar("Taken")


@dataclass(frozen=True)
class File:
    """Hold a rendered report."""

    name: str
    media_type: str
    body: bytes


def document(install: Install, asked: Asked, now: datetime) -> Document:
    """Take the readings of a report and arrange them; a filter narrows every block."""
    site = asked.site
    opened = take.open_site(install, site)
    with install.records.read() as db:
        found = find_site(db, site)
        owner = found.client
        look = Look(owner.name, owner.colour, owner.accent, owner.language, install.settings.agency)
    line = take.timeline(opened, asked, "day")
    return build(
        look,
        found.host,
        now.date(),
        line,
        _or_why_not(lambda: take.drivers(opened, asked)),
        _or_why_not(lambda: take.breakdown(opened, asked, "query", Page(limit=TOP_QUERIES))),
        _or_why_not(lambda: take.breakdown(opened, asked, "page", Page(limit=TOP_PAGES))),
        _or_why_not(lambda: take.breakdown(opened, asked, "page", Page(sort="change", limit=5))),
        dated_notes.list_notes(install, site, line.window.first, line.window.last),
    )


def _or_why_not(reading: Callable[[], Taken]) -> Taken | str:
    """Take a reading, or say why there is none, as where only totals are held."""
    try:
        return reading()
    except (Nonsense, NotThere) as why:
        return f"{why.what[0].lower()}{why.what[1:]}"


def make(install: Install, asked: Asked, kind: Format, now: datetime) -> File:
    """Make a report as PDF or as one HTML file."""
    from noctilum.reports.render import render_html, render_pdf

    made = document(install, asked, now)
    name = f"{made.host.replace('/', '-')}-{made.line.window.last}"
    if kind == "pdf":
        return File(f"{name}.pdf", "application/pdf", render_pdf(made))
    return File(f"{name}.html", "text/html", render_html(made).encode())
