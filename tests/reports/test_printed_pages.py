"""What a printed edition is made of, looked at by another reader: tags, outline, fonts, nothing beyond the margins."""

import csv
import io
import re
import zipfile
from xml.etree import ElementTree

import openpyxl
import pypdf
import pytest
from PIL import Image
from tests.conftest import NOW
from tests.reports.test_editions import body
from tests.reports.test_sending import report_of

from noctilum.actions import editions
from noctilum.actions.read import read
from noctilum.actions.site_access import open_site
from noctilum.core.errors import Nonsense, NotThere
from noctilum.reports.layout import laid_out
from noctilum.wire.catalogue import READINGS

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
    whole = ""
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

        whole += page.extract_text(visitor_text=visit)
        for text, x, y, size in placed:
            if text:
                assert 20 <= x <= width - 20 and 10 <= y <= height - 10, (text, x, y)
                assert x + 0.28 * size * max(map(len, text.split("\n"))) <= width, (text, x, size)
        lowest = min((y, text) for text, _, y, _ in placed if text and y > 60)
        assert lowest[1] not in titles, "a heading stands alone at the foot of a page"
    assert "\u200b" not in whole, "what is copied holds a sign that nobody wrote"
    assert re.sub(r"\s", "", whole).count(LONG) == 2, "a word that is too long breaks, and nothing of it is lost"


def test_a_cover_comes_first_alone_and_a_report_without_one_begins_with_its_finding(install, site, pulled):
    text = {}
    for cover in (True, False):
        told = body(window="P28D", cover=cover, blocks=[{"kind": "headline"}])
        made = report_of(install, site, f"cover {cover}", body=told, recipients=[], schedule="")
        number = editions.drafted(install, made.id, NOW, "Ines").id
        read = pypdf.PdfReader(io.BytesIO(editions.file(install, number, "pdf").body))
        text[cover] = [page.extract_text() for page in read.pages]
    assert len(text[True]) == len(text[False]) + 1
    assert "Figures of the window" not in text[True][0] and "of 2" not in text[True][0] and "2 of 2" in text[True][1]
    assert text[False][0].replace("1 of 1", "2 of 2") == text[True][1]


def test_a_reading_over_time_is_drawn_as_curves_and_left_to_other_files_where_it_is_long(install, site, pulled):
    told = body(window="P28D", blocks=[{"kind": "timeline"}, {"kind": "timeline", "window": "P7D"}, {"kind": "fading",
                "options": {"item": "page"}, "stay": True}])  # fmt: skip
    made = report_of(install, site, "curves", body=told, recipients=[], schedule="")
    number = editions.drafted(install, made.id, NOW, "Ines").id
    long, short, _ = laid_out(editions.document(install, number)[0]).sections
    assert [each.shape for each in long.shapes] == ["words", "chart"]
    assert [each.shape for each in short.shapes] == ["words", "chart", "table"]
    first, last = (day[0] for day in short.shapes[1].told[1:])
    assert [row.cells[0].text for row in short.shapes[2].rows][:: len(short.shapes[2].rows) - 1] == [first, last]
    page = editions.file(install, number, "html").body.decode()
    assert page.count("<svg") >= 2 and page.count("<caption>Figures over time</caption>") == 2


@pytest.mark.parametrize(("order", "turned"), [("impressions", False), ("-impressions", True), ("key", False)])
def test_rows_stand_in_the_order_asked_for_in_every_format(install, site, pulled, order, turned):
    block = {"kind": "breakdown", "options": {"dimension": "page", "sort": "clicks"}, "order": order, "limit": 9}
    made = report_of(install, site, f"by {order}", body=body(window="P28D", blocks=[block]), recipients=[], schedule="")
    number = editions.drafted(install, made.id, NOW, "Ines").id
    (section,) = laid_out(editions.document(install, number)[0]).sections
    shown = [row.cells[0].text for row in section.shapes[-1].rows]
    plain = {row.key: row for row in read(open_site(install, site, today=NOW.date()), "breakdown", dimension="page",
                                          window="P28D", limit=9, sort="clicks").rows}  # fmt: skip
    by_key = order == "key"
    assert shown == sorted(plain, key=lambda key: key if by_key else plain[key].now.impressions,
                           reverse=not by_key and not turned)  # fmt: skip
    with zipfile.ZipFile(io.BytesIO(editions.file(install, number, "zip").body)) as packed:
        (name,) = (each for each in packed.namelist() if each.endswith(".csv"))
        lines = list(csv.DictReader(io.StringIO(packed.read(name).decode("utf-8-sig"))))
    book = openpyxl.load_workbook(io.BytesIO(editions.file(install, number, "xlsx").body))
    sheet = [row[0].value for row in book.worksheets[1].iter_rows(min_row=2)]
    assert [next(iter(line.values())) for line in lines] == shown == sheet


def test_an_order_by_no_column_is_refused(install, site, pulled):
    with pytest.raises(Nonsense, match="no column 'mood'"):
        report_of(install, site, "mood", body=body(blocks=[{"kind": "breakdown", "order": "-mood"}]), recipients=[])


def test_a_column_of_any_width_keeps_its_words_on_the_page(install, site, pulled):
    every = [each.name for each in READINGS["breakdown"].columns() if each.kind != "series"]
    told = body(window="P7D", blocks=[{"kind": "breakdown", "options": {"dimension": "query"}, "columns": every}])
    made = report_of(install, site, "wide", body=told, recipients=[], schedule="")
    number = editions.drafted(install, made.id, NOW, "Ines").id
    read = pypdf.PdfReader(io.BytesIO(editions.file(install, number, "pdf").body))
    right: list[float] = []

    def visit(text, by, at, _font, size):
        if text.strip():
            x = at[4] * by[0] + at[5] * by[2] + by[4]
            right.append(x + 0.3 * size * abs(by[0]) * len(text.strip()))

    for page in read.pages:
        page.extract_text(visitor_text=visit)
    assert len(every) > 12 and max(right) <= 595 - 20


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
