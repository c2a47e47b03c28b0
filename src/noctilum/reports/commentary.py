"""Commentary: Markdown by people, as HTML that can do no harm, or as a tree of plain values."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache
from typing import Any

from markdown_it import MarkdownIt
from markdown_it.token import Token


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


DEEPEST = 12
"""Emphasis in emphasis, lists in lists: what lies deeper is told as if it lay here."""


def as_tree(text: str) -> list[dict[str, Any]]:
    """Give Markdown as a tree: of each node its type, with what it has of text, href, level, and its children.

    >>> as_tree("*Well*")[0]["children"][0]["children"][0]["type"]
    'em'
    """
    return _tree(_reader().parse(text))


def _tree(tokens: Sequence[Token]) -> list[dict[str, Any]]:
    root: list[dict[str, Any]] = []
    within = [root]
    for token in tokens:
        if token.nesting < 0:
            within.pop()
            continue
        node = _node(token)
        if token.nesting == 0 or len(within) <= DEEPEST:
            within[-1].append(node)
        if token.nesting > 0:
            within.append(node["children"] if len(within) <= DEEPEST else within[-1])
    return root


def _node(token: Token) -> dict[str, Any]:
    told: dict[str, Any] = {"type": token.type.removesuffix("_open"), "children": _tree(token.children or ())}
    if token.type in ("text", "code_inline", "code_block", "fence"):
        told["text"] = token.content
    elif token.type == "link_open":
        told["href"] = str(token.attrs.get("href", ""))
    elif token.type == "heading_open":
        told["level"] = int(token.tag[1:])
    return told
