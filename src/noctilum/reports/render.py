"""Rendering a document as one HTML file or as PDF, from one template."""

from __future__ import annotations

from base64 import b64encode
from collections.abc import Callable, Mapping, Sequence
from functools import lru_cache
from pathlib import Path
from typing import Any, Literal

from jinja2 import Environment, FileSystemLoader, StrictUndefined
from markupsafe import Markup

from noctilum.reports import charts
from noctilum.reports.blocks import MOST_ROWS, PAGE_BREAK
from noctilum.reports.commentary import as_html
from noctilum.reports.document import Document, Made
from noctilum.reports.numbers import places_text, readable, written
from noctilum.reports.tables import columns_of
from noctilum.wire.catalogue import READINGS
from noctilum.wire.readings import Reading
from noctilum.words.describe import title_of
from noctilum.words.speech import Speech

HERE = Path(__file__).parent


@lru_cache(maxsize=1)
def environment() -> Environment:
    """Give the templates, read once; what is filled in is escaped."""
    return Environment(
        loader=FileSystemLoader(HERE / "templates"),
        autoescape=True,
        undefined=StrictUndefined,
        trim_blocks=True,
        lstrip_blocks=True,
    )


@lru_cache(maxsize=8)
def _font(name: str) -> str:
    return "data:font/woff2;base64," + b64encode((HERE / "fonts" / name).read_bytes()).decode()


Saves = Callable[[int, Made], Sequence[tuple[str, str]]]
"""Gives the files that a reader may save of a block, by its number from 1: what each is called, and its address."""


def render_html(
    document: Document, *, bar: Markup | None = None, wall: bool = False, saves: Saves | None = None
) -> str:
    """Render one self-contained HTML file: no script, no address outside.

    bar: what stands above the report on a shared page. wall: it renews itself every five minutes. saves: the files of
    each block.
    """
    speech = Speech(document.look.language)
    shared = {
        "d": document,
        "n": speech.numbers,
        "said": speech.say,
        "places": lambda change: places_text(speech, change),
    }
    page = environment().get_template("search_report.html")
    blocks = [
        {**_drawn(made, speech, shared), "saves": saves(at, made) if saves is not None else ()}
        for at, made in enumerate(document.blocks, 1)
    ]
    return page.render(blocks=blocks, font=_font, colour=readable(document.look.colour), bar=bar, wall=wall, **shared)


def _drawn(made: Made, speech: Speech, shared: Mapping[str, Any]) -> Mapping[str, Any]:
    """Draw a block, with its title, its commentary, and what stands beside it; one that stays empty says why."""
    told = {
        "computed": computed(made, speech),
        "title": made.spec.title or speech.text(made.block.title),
        "commentary": Markup(as_html(made.spec.commentary)) if made.spec.commentary else "",
        "long": made.block.long,
        "breaks": made.spec.kind == PAGE_BREAK.name,
    }
    if made.why:
        return told | {"about": "", "html": Markup("<p class='why'>{}</p>").format(made.why)}
    more = {**made.answers, **_DRAWING.get(made.block.draw, _nothing)(made, speech)}
    about = speech.say(made.block.about, **more.get("filled", {})) if made.block.about else ""
    html = environment().get_template(f"blocks/{made.block.draw}").render(**shared, **more)
    return told | {"about": about, "html": Markup(html)}


def _nothing(_made: Made, _speech: Speech) -> Mapping[str, Any]:
    return {}


def _storyline(made: Made, speech: Speech) -> Mapping[str, Any]:
    answers = made.answers
    return {"chart": Markup(charts.storyline(answers["line"], speech, answers["notes"]))}


def _drivers(made: Made, speech: Speech) -> Mapping[str, Any]:
    found = made.answers["drivers"]
    filled = {"change": speech.numbers.signed(found.change.clicks)}
    parts = [(speech.text(charts.DRIVER_WORDS[name][0]), part) for name, part in found.ladder.items()]
    return {"chart": Markup(charts.drivers(found, speech)), "filled": filled, "parts": parts}


def _table(made: Made, speech: Speech) -> Mapping[str, Any]:
    """Write a reading as the table of the columns that people are shown, or those chosen, series left to charts."""
    answer = made.answers["answer"]
    spec = READINGS.of(answer)
    columns = columns_of(made)
    most = made.spec.limit or MOST_ROWS
    rows = [[written(each, each.value(row), speech) for each in columns] for row in spec.found(answer)[:most]]
    heads = [(title_of(each, speech, answer), each.is_number) for each in columns]
    return {"heads": heads, "rows": rows, "sentences": getattr(answer, "sentences", [])}


_DRAWING: Mapping[str, Callable[[Made, Speech], Mapping[str, Any]]] = {
    "storyline.html": _storyline,
    "drivers.html": _drivers,
    "table.html": _table,
}


def has_chart(made: Made) -> bool:
    """Say whether a block is drawn as a chart."""
    return made.block.draw in ("storyline.html", "drivers.html") and not made.why


def chart_of(document: Document, number: int, kind: Literal["svg", "png"]) -> bytes | None:
    """Draw the chart of a block, counted from 1, as a file of its own; None for a block that has none."""
    speech = Speech(document.look.language)
    made = document.blocks[number - 1] if 0 < number <= len(document.blocks) else None
    if made is None or made.why:
        return None
    answers = made.answers
    if made.block.draw == "storyline.html":
        figure = charts.storyline_figure(answers["line"], speech, answers["notes"])
    elif made.block.draw == "drivers.html":
        figure = charts.drivers_figure(answers["drivers"], speech)
    else:
        return None
    return charts.svg_file(figure) if kind == "svg" else charts.png_file(figure)


def computed(made: Made, speech: Speech) -> list[str]:
    """Say what each figure of a block was computed from: reading, grain, window, filter, days held, generation."""
    said = []
    for name, found in made.answers.items():
        if not isinstance(found, Reading):
            continue
        window, against, n = found.window, found.against, speech.numbers
        parts = [made.block.readings[name].reading, speech.say("grain {grain}", grain=found.grain)]
        parts.append(n.span(window.first, window.last))
        if against is not None:
            parts.append(speech.say("against {window}", window=n.span(against.first, against.last)))
        if found.filter_text:
            parts.append(speech.say("only what passes {filter}", filter=found.filter_text))
        parts.append(speech.say("{held} of {days} days held", held=n.count(window.held), days=n.count(window.days)))
        parts.append(speech.say("history {generation}", generation=str(found.generation)))
        said.append(" · ".join(parts))
    return said


def render_pdf(document: Document) -> bytes:
    """Render PDF (A4, tagged, with bookmarks). Nothing is fetched from anywhere."""
    from noctilum.reports.pdf import write_pdf

    return write_pdf(render_html(document))
