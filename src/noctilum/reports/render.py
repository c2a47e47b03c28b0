"""Rendering a document as one HTML file or as PDF, from one template."""

from __future__ import annotations

from base64 import b64encode
from functools import lru_cache
from pathlib import Path

from jinja2 import Environment, FileSystemLoader, StrictUndefined
from markupsafe import Markup

from noctilum.reports import charts
from noctilum.reports.document import Document
from noctilum.reports.numbers import direction, places_text, readable
from noctilum.words.numbers import Numbers

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
    numbers = Numbers(document.look.language)
    return (
        _environment()
        .get_template("search_report.html")
        .render(
            d=document,
            n=numbers,
            font=_font,
            colour=readable(document.look.colour),
            direction=direction,
            places=lambda difference: places_text(numbers, difference),
            storyline=Markup(charts.storyline(document.line, numbers, document.notes)),
            drivers=Markup(charts.drivers(document.drivers, numbers)) if document.drivers else None,
        )
    )


def render_pdf(document: Document) -> bytes:
    """Render PDF (A4, tagged, with bookmarks). Nothing is fetched from anywhere."""
    from noctilum.reports.pdf import write_pdf

    return write_pdf(render_html(document))
