"""HTML to PDF with WeasyPrint; imported late, as it takes a second to load."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

from weasyprint import HTML
from weasyprint.text.fonts import FontConfiguration
from weasyprint.urls import URLFetcher


class _Nowhere(URLFetcher):  # type: ignore[misc]
    """Fetch data: addresses only; neither files nor the network."""

    def fetch(self, url: str, headers: Any = None) -> Any:
        """Fetch a data: address; refuse every other."""
        if url.startswith("data:"):
            return super().fetch(url, headers)
        raise ValueError(f"a report reaches nothing outside itself: {url}")


@lru_cache(maxsize=1)
def _fonts() -> Any:
    return FontConfiguration()


def write_pdf(html: str) -> bytes:
    """Write HTML as tagged PDF."""
    written: bytes = HTML(string=html, url_fetcher=_Nowhere()).write_pdf(font_config=_fonts(), pdf_tags=True)
    return written


def pages_of(html: str) -> tuple[int, dict[str, int]]:
    """Lay HTML out in pages; gives how many there are, and on which, from 1, each element with an id begins."""
    laid = HTML(string=html, url_fetcher=_Nowhere()).render(font_config=_fonts())
    begins: dict[str, int] = {}
    for number, page in enumerate(laid.pages, 1):
        for name in page.anchors:
            begins.setdefault(name, number)
    return len(laid.pages), begins


def warm() -> None:
    """Read the machine's fonts ahead of the first report."""
    write_pdf("<p>.")
