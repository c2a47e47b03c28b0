"""Rendering a document as one HTML file or as PDF, from one template."""

from __future__ import annotations

from base64 import b64encode
from collections.abc import Callable, Mapping
from functools import lru_cache
from pathlib import Path
from typing import Any

from jinja2 import Environment, FileSystemLoader, StrictUndefined
from markupsafe import Markup

from noctilum.reports import charts
from noctilum.reports.blocks import MOST_ROWS
from noctilum.reports.document import Answers, Document, Made
from noctilum.reports.numbers import places_text, readable, written
from noctilum.wire.catalogue import READINGS
from noctilum.words.describe import title_of
from noctilum.words.speech import Speech

HERE = Path(__file__).parent


@lru_cache(maxsize=1)
def _environment() -> Environment:
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


def render_html(document: Document) -> str:
    """Render one self-contained HTML file: no script, no address outside."""
    speech = Speech(document.look.language)
    shared = {
        "d": document,
        "n": speech.numbers,
        "said": speech.say,
        "places": lambda change: places_text(speech, change),
    }
    environment = _environment()
    page = environment.get_template("search_report.html")
    blocks = [_drawn(environment, made, speech, shared) for made in document.blocks]
    return page.render(blocks=blocks, font=_font, colour=readable(document.look.colour), **shared)


def _drawn(environment: Environment, made: Made, speech: Speech, shared: Mapping[str, Any]) -> Mapping[str, Any]:
    """Draw a block, with its title and what stands beside it."""
    more = {**made.answers, **_DRAWING.get(made.block.draw, _nothing)(made.answers, speech)}
    about = speech.say(made.block.about, **more.get("filled", {})) if made.block.about else ""
    html = environment.get_template(f"blocks/{made.block.draw}").render(**shared, **more)
    return {"title": speech.text(made.block.title), "about": about, "html": Markup(html), "long": made.block.long}


def _nothing(_answers: Answers, _speech: Speech) -> Mapping[str, Any]:
    return {}


def _storyline(answers: Answers, speech: Speech) -> Mapping[str, Any]:
    return {"chart": Markup(charts.storyline(answers["line"], speech, answers["notes"]))}


def _drivers(answers: Answers, speech: Speech) -> Mapping[str, Any]:
    found = answers["drivers"]
    filled = {"change": speech.numbers.signed(found.change.clicks)}
    parts = [(speech.text(charts.DRIVER_WORDS[name][0]), part) for name, part in found.ladder.items()]
    return {"chart": Markup(charts.drivers(found, speech)), "filled": filled, "parts": parts}


def _table(answers: Answers, speech: Speech) -> Mapping[str, Any]:
    """Write a reading as the table of the columns that people are shown, series left to charts."""
    answer = answers["answer"]
    spec = READINGS.of(answer)
    columns = [each for each in spec.shown() if each.kind != "series"]
    rows = [[written(each, each.value(row), speech) for each in columns] for row in spec.found(answer)[:MOST_ROWS]]
    heads = [(title_of(each, speech, answer), each.is_number) for each in columns]
    return {"heads": heads, "rows": rows, "sentences": getattr(answer, "sentences", [])}


_DRAWING: Mapping[str, Callable[[Answers, Speech], Mapping[str, Any]]] = {
    "storyline.html": _storyline,
    "drivers.html": _drivers,
    "table.html": _table,
}


def render_pdf(document: Document) -> bytes:
    """Render PDF (A4, tagged, with bookmarks). Nothing is fetched from anywhere."""
    from noctilum.reports.pdf import write_pdf

    return write_pdf(render_html(document))
