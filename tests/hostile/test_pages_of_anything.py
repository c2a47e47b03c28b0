"""Whatever people write comes to a page: any text in any place, commentary of any shape, any language tag."""

import io
import re
from dataclasses import replace
from html.parser import HTMLParser

import pypdf
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from noctilum.reports import pdf
from noctilum.reports.layout import Layout, Section
from noctilum.reports.render import html_of
from noctilum.reports.shapes import Cell, Fact, Facts, Grid, Head, Ladder, Listing, Row, Rung, Side, Step, Table, Words

WORDS = {"of": "of", "from": "from", "save": "save"}
PLAIN = Layout(
    "en", "A4", "#0F5A66", "Client", "", "head", "foot", "Title", "days", [], [], "", [], ["End."], (), WORDS
)
PIECES = (
    *(
        "#",
        "# ",
        "*",
        "**",
        "_",
        "`",
        "```\n",
        "\n",
        "\n\n",
        "> ",
        "- ",
        "  - ",
        "1. ",
        "| a | b |\n|---|---|\n| c |\n",
    ),
    *(
        "[x](http://a.example)",
        "[y]()",
        "![p](x.png)",
        "<b>",
        "&amp;",
        "\\",
        "$x$",
        '"',
        "\u202e",
        "\u200b",
        "\U0001f600",
    ),
    *("مرحبا", "漢字", "é" * 50, "w" * 300, "/a/b-c?d=e&f", "\t", "---\n", "    code\n", "x\u0301" * 20, "\u2028"),
)
texts = st.lists(st.sampled_from(PIECES) | st.text(max_size=6), max_size=8).map("".join)
figures = st.lists(st.none() | st.floats(0, 1e12), max_size=4)
cells = st.builds(Cell, texts, st.sampled_from(["", "better", "worse", "few"]), st.sampled_from(["", "up", "down"]),
                  st.booleans(), st.booleans(), figures)  # fmt: skip
steps = st.builds(Step, st.integers(0, 7), texts)


@st.composite
def tables(draw):
    heads = draw(st.lists(st.builds(Head, texts, st.booleans()), min_size=1, max_size=14))
    row = st.builds(
        Row, st.lists(cells, min_size=len(heads), max_size=len(heads)), st.sampled_from(["", "rest", "sum"])
    )
    return Table(heads, draw(st.lists(row, max_size=6)), draw(st.booleans()))


sides = st.builds(Side, texts, st.lists(st.lists(steps, min_size=3, max_size=3), min_size=3, max_size=3))
shapes = st.one_of(
    tables(),
    st.builds(Words, texts),
    st.builds(Listing, st.lists(texts, max_size=9)),
    st.builds(Facts, st.lists(st.builds(Fact, texts, texts, texts), min_size=1, max_size=4)),
    st.builds(Grid, st.lists(sides, min_size=1, max_size=2), texts),
    st.builds(Ladder, texts, st.just(["1", "2"]), texts,
              st.lists(st.builds(Rung, texts, texts, st.lists(steps, min_size=2, max_size=2), cells), max_size=9)),
)  # fmt: skip
sections = st.builds(Section, st.integers(1, 40), texts, texts, texts, st.lists(shapes, max_size=2), st.just([]),
                     st.just("") | texts, st.booleans(), st.booleans())  # fmt: skip


@settings(max_examples=30, deadline=None, suppress_health_check=[HealthCheck.too_slow, HealthCheck.data_too_large])
@given(st.lists(sections, max_size=3), texts, texts, st.lists(texts, max_size=2), st.just(()) | st.tuples(texts, texts))
def test_any_text_in_any_place_comes_to_a_page(some, client, title, said, cover):
    page = replace(PLAIN, client=client, title=title, summary=said, left_out=said, sections=some, cover=cover)
    assert pypdf.PdfReader(io.BytesIO(pdf.write_pdf(page))).pages
    assert pdf.pages_of(page)[0] >= 1
    read = HTMLParser()
    read.feed(html_of(page))
    read.close()
    assert not read.rawdata


@pytest.mark.parametrize(
    "commentary",
    [
        ">" * 5000 + " x", "*" * 2999 + "x" + "*" * 2999, "[" * 2999 + "x" + "]" * 2999,
        "[x](" * 1500 + "y" + ")" * 1500,
        "".join("  " * n + "- x\n" for n in range(70)), "w" * 6000, "```\n" + "z" * 5900, "a\n\n" * 2000,
        "|" + "a|" * 900 + "\n|" + "-|" * 900 + "\n|" + "b|" * 900, "[x](http://" + "a" * 3000 + ".example)",
    ],
)  # fmt: skip
def test_commentary_of_any_depth_and_length_comes_to_a_page(commentary):
    page = replace(PLAIN, sections=[Section(1, "Title", "", commentary, [], [])])
    assert pypdf.PdfReader(io.BytesIO(pdf.write_pdf(page))).pages


@pytest.mark.parametrize("tag", ["", "zz", "zz-XX", "x-klingon", "de-DE-1996", "zh-Hant", "en_GB", "𝒶𝒷"])
def test_any_language_tag_comes_to_a_page(tag):
    assert pdf.write_pdf(replace(PLAIN, language=tag)).startswith(b"%PDF")


def test_a_line_that_is_not_known_leaves_its_place_empty_and_a_gap_keeps_its_width():
    heads, lines = [Head("page"), Head("weeks")], ((), (None, None), (1.0, None, 4.0))
    table = Table(heads, [Row([Cell("/a"), Cell("", curve=line)]) for line in lines])
    html = html_of(replace(PLAIN, sections=[Section(1, "Title", "", "", [table], [])]))
    assert re.findall(r'points="(.*?) ?"', html) == ["0.0,8.8 60.0,0.5"]
