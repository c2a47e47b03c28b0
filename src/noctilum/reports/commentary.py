"""Commentary: Markdown by people, as HTML that can do no harm."""

from __future__ import annotations

from functools import lru_cache

from markdown_it import MarkdownIt


@lru_cache(maxsize=1)
def _reader() -> MarkdownIt:
    # CommonMark without raw HTML and without pictures; addresses are checked by the package
    return MarkdownIt("commonmark", {"html": False, "linkify": False}).enable("table").disable("image")


def as_html(text: str) -> str:
    """Give Markdown as HTML: tags in it are shown as they are written, other addresses than http and mail are none.

    >>> as_html("*Well* <script>alert(1)</script>")
    '<p><em>Well</em> &lt;script&gt;alert(1)&lt;/script&gt;</p>\\n'
    """
    return str(_reader().render(text))
