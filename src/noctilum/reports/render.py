"""Rendering a document as one HTML file or as PDF, from one layout."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from types import MappingProxyType
from typing import Literal

from markupsafe import Markup

from noctilum.reports import charts
from noctilum.reports.document import Document, Made
from noctilum.reports.faces import packed
from noctilum.reports.layout import Layout, laid_out
from noctilum.reports.templates_read import environment
from noctilum.words.speech import Speech

Saves = Callable[[int, Made], Sequence[tuple[str, str]]]
"""Gives the files that a reader may save of a block, by its number from 1: what each is called, and its address."""


def render_html(
    document: Document, *, bar: Markup | None = None, wall: bool = False, saves: Saves | None = None
) -> str:
    """Render one self-contained HTML file: no script, no address outside.

    bar: what stands above the report on a shared page. wall: it renews itself every five minutes. saves: the files of
    each block.
    """
    saved = {at: saves(at, made) for at, made in enumerate(document.blocks, 1)} if saves is not None else {}
    return html_of(laid_out(document), saved, bar=bar, wall=wall)


def html_of(
    layout: Layout,
    saved: Mapping[int, Sequence[tuple[str, str]]] = MappingProxyType({}),
    *,
    bar: Markup | None = None,
    wall: bool = False,
) -> str:
    """Lay a page out as HTML. saved: the files of its sections, by their numbers; bar, wall: as of render_html."""
    page = environment().get_template("search_report.html")
    return page.render(d=layout, saves=saved, font=packed, bar=bar, wall=wall)


_FIGURES = {
    "storyline": lambda answers, speech: charts.storyline_figure(answers["line"], speech, answers["notes"]),
    "drivers": lambda answers, speech: charts.drivers_figure(answers["drivers"], speech),
}
"""What blocks that are drawn as a chart draw."""


def has_chart(made: Made) -> bool:
    """Say whether a block is drawn as a chart."""
    return made.block.draw in _FIGURES and not made.why


def chart_of(document: Document, number: int, kind: Literal["svg", "png"]) -> bytes | None:
    """Draw the chart of a block, counted from 1, as a file of its own; None for a block that has none."""
    made = document.blocks[number - 1] if 0 < number <= len(document.blocks) else None
    if made is None or not has_chart(made):
        return None
    figure = _FIGURES[made.block.draw](made.answers, Speech(document.look.language))
    return charts.svg_file(figure) if kind == "svg" else charts.png_file(figure)


def render_pdf(document: Document) -> bytes:
    """Render PDF: tagged, with bookmarks, every font in it. Nothing is fetched from anywhere."""
    from noctilum.reports.pdf import write_pdf

    return write_pdf(laid_out(document))
