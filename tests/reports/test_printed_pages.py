"""What a printed edition is made of, looked at by another reader: tags, outline, fonts, nothing beyond the margins."""

import io
import re
from xml.etree import ElementTree

import pypdf
import pytest
from PIL import Image
from tests.conftest import NOW
from tests.reports.test_editions import body
from tests.reports.test_sending import report_of

from noctilum.actions import editions
from noctilum.core.errors import NotThere

POINTS = {"A4": (595, 842), "Letter": (612, 792)}
LONG = "Donaudampfschifffahrtsgesellschaftskapitänswitwenrentenauszahlungsstellenöffnungszeiten" * 2


def edition_of(install, site, *, language="", paper="A4", **more):
    blocks = [
        {"kind": "headline"}, {"kind": "storyline"}, {"kind": "drivers"}, {"kind": "top-queries"},
        {"kind": "text", "title": "Words", "commentary": f"{LONG}\n\n| a | b |\n|---|---|\n| {LONG} | 1 |"},
        {"kind": "breakdown", "options": {"dimension": "query"}, "limit": 120},
        {"kind": "within-reach", "stay": True}, {"kind": "page-break"}, {"kind": "fading", "options": {"item": "page"},
                                                                          "stay": True},
    ]  # fmt: skip
    told = body(window="P28D", paper=paper, blocks=blocks)
    made = report_of(install, site, f"{language}{paper}", language=language, body=told, recipients=[], schedule="")
    return editions.drafted(install, made.id, NOW, "Ines").id


@pytest.mark.parametrize(("language", "paper"), [("en", "Letter"), ("de", "A4"), ("fr", "A4"), ("es", "Letter")])
def test_the_pages_are_tagged_bookmarked_in_their_paper_with_every_font_in_and_no_text_outside(
    install, site, pulled, language, paper
):
    number = edition_of(install, site, language=language, paper=paper)
    read = pypdf.PdfReader(io.BytesIO(editions.file(install, number, "pdf").body))
    root = read.trailer["/Root"]
    assert root["/MarkInfo"]["/Marked"] and root["/StructTreeRoot"] and root["/Lang"].startswith(language)
    titles = [each["/Title"] for each in flat(read.outline)]
    assert len(titles) >= 8 and len(read.pages) >= 4
    for page in read.pages:
        width, height = map(float, page.mediabox[2:])
        assert (round(width), round(height)) == POINTS[paper]
        for font in page["/Resources"]["/Font"].values():
            found = font.get_object()
            described = found.get("/FontDescriptor") or found["/DescendantFonts"][0].get_object()["/FontDescriptor"]
            assert "/FontFile" in str(described.get_object())
        placed = []

        def visit(text, by, at, _font, size, into=placed):
            x = at[4] * by[0] + at[5] * by[2] + by[4]
            y = at[4] * by[1] + at[5] * by[3] + by[5]
            into.append((text.strip(), x, y, size * abs(by[0])))

        page.extract_text(visitor_text=visit)
        for text, x, y, size in placed:
            if text:
                assert 20 <= x <= width - 20 and 10 <= y <= height - 10, (text, x, y)
                assert x + 0.28 * size * max(map(len, text.split("\n"))) <= width, (text, x, size)
        lowest = min((y, text) for text, _, y, _ in placed if text and y > 60)
        assert lowest[1] not in titles, "a heading stands alone at the foot of a page"


def flat(outline):
    for each in outline:
        if isinstance(each, list):
            yield from flat(each)
        else:
            yield each


def test_a_chart_stands_alone_as_svg_and_png_and_other_blocks_say_that_they_have_none(install, site, pulled):
    number = edition_of(install, site)
    for block in (2, 3):
        svg = editions.chart(install, number, block, "svg").body
        assert ElementTree.fromstring(svg).tag == "{http://www.w3.org/2000/svg}svg" and b"font/woff2" in svg
        assert not re.search(rb"https?://(?!www\.w3\.org)", svg)
        picture = Image.open(io.BytesIO(editions.chart(install, number, block, "png").body))
        assert picture.width > 1300 and picture.convert("L").getextrema() == (picture.convert("L").getextrema())
        assert len(set(picture.convert("RGB").resize((60, 40)).get_flattened_data())) > 8
    for block in (0, 1, 99):
        with pytest.raises(NotThere, match="has no chart"):
            editions.chart(install, number, block, "png")


def test_each_block_of_the_page_says_on_demand_what_its_figures_are_from(install, site, pulled):
    number = edition_of(install, site)
    page = editions.file(install, number, "html").body.decode()
    told = re.findall(r"<details class=\"how\">.*?</details>", page, re.DOTALL)
    assert len(told) >= 6 and all("28 of 28 days held" in each for each in told)
    assert "breakdown · grain query" in told[3]
    read = pypdf.PdfReader(io.BytesIO(editions.file(install, number, "pdf").body))
    assert "What these figures are from" not in "".join(page.extract_text() for page in read.pages)


def test_two_editions_are_compared_block_for_block(install, site, pulled):
    first = edition_of(install, site)
    same = editions.compared(install, first, first)
    assert not same.changed and not same.came and not same.went
    other = report_of(install, site, "Other", body=body(window="P7D"), recipients=[], schedule="")
    second = editions.drafted(install, other.id, NOW, "Ines").id
    found = editions.compared(install, first, second)
    assert "Read first" in found.came and "Words" in found.went
    clicks = [each for each in found.changed if each.block == "Day by day" and each.what == "line.now.clicks"]
    one, two = (editions.document(install, number)[0].line.now.clicks for number in (first, second))
    assert [(each.then, each.now) for each in clicks] == [(str(one), str(two))]
