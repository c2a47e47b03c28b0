"""Making a site's search report."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta
from functools import partial
from typing import Any, Literal, TypeVar

from pydantic import ValidationError

from noctilum.actions import dated_notes
from noctilum.actions.find import find_site
from noctilum.actions.install import Install
from noctilum.actions.looks import look_of
from noctilum.actions.read import read
from noctilum.actions.site_access import open_site
from noctilum.core.errors import Fault, Nonsense, NotThere
from noctilum.core.windows import Window, parse_window
from noctilum.readings.frame import Asked
from noctilum.readings.site_access import SiteAccess
from noctilum.reports import blocks
from noctilum.reports.build import WHOLE, build
from noctilum.reports.document import Ask, Document
from noctilum.wire.catalogue import READINGS
from noctilum.wire.reports import BlockSpec, ReportBody, ReportFile
from noctilum.words.lacking import lacking
from noctilum.words.speech import Speech

Format = Literal["pdf", "html"]
Taken = TypeVar("Taken")


MEDIA_TYPES: Mapping[ReportFile, str] = {
    "pdf": "application/pdf",
    "html": "text/html",
    "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
    "zip": "application/zip",
}


@dataclass(frozen=True)
class File:
    """Hold a rendered report."""

    name: str
    media_type: str
    body: bytes


def document(install: Install, site: str, body: ReportBody, now: datetime, language: str = "") -> Document:
    """Take the readings of a report's blocks and arrange them, as they are today.

    language: in place of the client's. Raises NotThere for a site that cannot be read, Nonsense for a block, an option
    or a column that there is not.
    """
    every = [blocks.wanted(spec) for spec in body.blocks]
    with install.records.read() as db:
        found = find_site(db, site)
        look = look_of(install, db, found.client, language)
    asked = window_before(body.window, now.date())
    try:
        opened = open_site(install, site, today=now.date())
    except NotThere as why:
        told = lacking(why, Speech(look.language))
        made = build(look, found.host, now.date(), every, lambda _ask, _spec: told, asked)
    else:
        taking = _Taking(install, opened, site, body, Speech(look.language).language)
        with opened.history.still():
            made = build(look, found.host, now.date(), every, taking, asked, lambda: taking(blocks.FALLERS, WHOLE))
    return replace(made, paper=body.paper, cover=body.cover)


def window_before(window: str, today: date) -> Window:
    """Read a window as if every day before today were held."""
    return parse_window(window, ends_on=today - timedelta(1))


class _Taking:
    """Takes the readings of one report; the line of the whole is taken once."""

    def __init__(self, install: Install, opened: SiteAccess, site: str, body: ReportBody, language: str) -> None:
        self._install, self._opened, self._site = install, opened, site
        self._framed: dict[str, Any] = {name: getattr(body, name) for name in ("window", "against", "filter", "season")}
        self._framed["language"] = language
        self._speech = Speech(language)
        self._lines: dict[tuple[str, str, str], Any] = {}

    def __call__(self, ask: Ask, spec: BlockSpec) -> Any:
        """Take a reading as a block wants it; gives the reason why there is none, as a text."""
        if ask.reading == blocks.NOTES:
            line = self(Ask("timeline"), spec)
            return line if isinstance(line, str) else self._notes(line)
        framed = self._framed | {
            name: text for name in ("window", "against", "filter") if (text := getattr(spec, name))
        }
        if ask != Ask("timeline"):
            return _or_why_not(lambda: read(self._opened, ask.reading, **_taken(ask, framed)), self._speech)
        key = framed["window"], framed["against"], framed["filter"]
        if key not in self._lines:
            take = partial(read, self._opened, "timeline", **framed)
            whole = spec is WHOLE
            self._lines[key] = _or_why_not(take, self._speech, NotThere if whole else (Nonsense, NotThere))
        return self._lines[key]

    def _notes(self, line: Any) -> tuple[Any, ...]:
        notes = dated_notes.list_notes(self._install, self._site, line.window.first, line.window.last)
        return tuple(sorted(notes, key=lambda note: (note.first, note.id)))


def _taken(ask: Ask, framed: Mapping[str, Any]) -> dict[str, Any]:
    """Give the parameters of a block's reading: the report's own, as far as the reading takes them, and the block's."""
    fields = READINGS[ask.reading].question.model_fields
    return {name: value for name, value in framed.items() if name in fields} | dict(ask.parameters)


Kinds = type[Fault] | tuple[type[Fault], ...]


def _or_why_not(reading: Callable[[], Taken], speech: Speech, kinds: Kinds = (Nonsense, NotThere)) -> Taken | str:
    """Take a reading, or say why there is none, as where only totals are held. kinds: faults that are such a reason."""
    try:
        return reading()
    except ValidationError as why:
        if kinds is NotThere:
            raise
        first = why.errors()[0]
        if first["type"] == "missing":
            return speech.say(blocks.NOT_GIVEN, name=".".join(map(str, first["loc"])))
        return str(first["msg"])
    except kinds as why:
        return lacking(why, speech)


def plain_body(asked: Asked, also: Sequence[str] = (), *, season: bool = True) -> ReportBody:
    """Give the report of a site that nobody has made one for; also: further readings, each a block at the end."""
    more = [BlockSpec(kind=name) for name in also]
    given = {"window": asked.window, "against": asked.against, "filter": asked.filter, "season": season}
    return ReportBody.model_validate({**given, "blocks": [*blocks.SEARCH_REPORT, *more]})


def make(
    install: Install, asked: Asked, kind: Format, now: datetime, also: Sequence[str] = (), *, season: bool = True
) -> File:
    """Make a site's search report as PDF or as one HTML file; also and season as of plain_body.

    Raises NotThere with the remedy where nothing of search is held.
    """
    open_site(install, asked.site, today=now.date()).holding  # noqa: B018  (asked for what it raises)
    return rendered(document(install, asked.site, plain_body(asked, also, season=season), now), kind)


def rendered(made: Document, kind: ReportFile, digest: str = "") -> File:
    """Write a document as a file of a kind."""
    from noctilum.reports import render, sheets

    name = f"{made.host.replace('/', '-')}-{made.head.window.last}"
    if kind == "pdf":
        body = render.render_pdf(made)
    elif kind == "html":
        body = render.render_html(made).encode()
    else:
        body = sheets.render_xlsx(made) if kind == "xlsx" else sheets.render_csv(made, digest)
    return File(f"{name}.{kind}", MEDIA_TYPES[kind], body)
