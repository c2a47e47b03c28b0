"""Making a site's search report."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime
from typing import Any, Literal, TypeVar

from noctilum.actions import dated_notes
from noctilum.actions.find import find_site
from noctilum.actions.install import Install
from noctilum.actions.read import read
from noctilum.actions.site_access import open_site
from noctilum.core.errors import Nonsense, NotThere
from noctilum.readings.frame import Asked
from noctilum.reports.build import build
from noctilum.reports.document import Document, Look
from noctilum.words.speech import Speech

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
    opened = open_site(install, site)
    with install.records.read() as db:
        found = find_site(db, site)
        owner = found.client
        look = Look(owner.name, owner.colour, owner.accent, owner.language, install.settings.agency)
    framed: dict[str, Any] = {
        "window": asked.window,
        "against": asked.against,
        "filter": asked.filter,
        "language": Speech(look.language).language,
    }

    def rows(dimension: str, **more: Any) -> Any:
        return _or_why_not(lambda: read(opened, "breakdown", dimension=dimension, **framed, **more))

    line = read(opened, "timeline", **framed)
    return build(
        look,
        found.host,
        now.date(),
        line,
        _or_why_not(lambda: read(opened, "drivers", **framed)),
        rows("query", limit=TOP_QUERIES),
        rows("page", limit=TOP_PAGES),
        rows("page", sort="change", limit=5),
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
