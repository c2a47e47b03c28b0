"""The templates of pages and mails. Apart from rendering, as whoever only writes a mail draws no chart."""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path

from jinja2 import Environment, FileSystemLoader, StrictUndefined
from markupsafe import Markup

from noctilum.reports.commentary import as_html

HERE = Path(__file__).parent


@lru_cache(maxsize=1)
def environment() -> Environment:
    """Give the templates, read once; what is filled in is escaped."""
    made = Environment(
        loader=FileSystemLoader(HERE / "templates"),
        autoescape=True,
        undefined=StrictUndefined,
        trim_blocks=True,
        lstrip_blocks=True,
    )
    made.filters["commentary"] = lambda text: Markup(as_html(text))
    return made
