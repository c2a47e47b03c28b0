"""Commentary: Markdown by people, as HTML that can do no harm, or as a tree of plain values."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

from markdown_it import MarkdownIt
from markdown_it.tree import SyntaxTreeNode


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


def as_tree(text: str) -> list[dict[str, Any]]:
    """Give Markdown as a tree: of each node its type, with what it has of text, href, level, and its children.

    >>> as_tree("*Well*")[0]["children"][0]["children"][0]["type"]
    'em'
    """
    return [_node(each) for each in SyntaxTreeNode(_reader().parse(text)).children]


def _node(node: SyntaxTreeNode) -> dict[str, Any]:
    told: dict[str, Any] = {"type": node.type, "children": [_node(each) for each in node.children]}
    if node.type in ("text", "code_inline", "code_block", "fence"):
        told["text"] = node.content
    elif node.type == "link":
        told["href"] = str(node.attrs.get("href", ""))
    elif node.type == "heading":
        told["level"] = int(node.tag[1:])
    return told
