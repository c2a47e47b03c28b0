"""The report from its readings: what it says, what it leaves out, how it looks."""

import io
import re
from base64 import b64encode
from dataclasses import replace
from datetime import date, timedelta

import pypdf
import pytest

from noctilum.actions.read import read
from noctilum.core.days import DayState
from noctilum.core.errors import Fault
from noctilum.history import DayEntry
from noctilum.readings.narrow import Words
from noctilum.readings.site_access import SiteAccess
from noctilum.reports import blocks
from noctilum.reports.build import WHOLE, build
from noctilum.reports.document import Look
from noctilum.reports.numbers import readable
from noctilum.reports.render import render_html, render_pdf
from noctilum.testing.batches import search_batch
from noctilum.wire.catalogue import READINGS
from noctilum.wire.noted import NoteOut
from noctilum.wire.reports import BlockSpec
from noctilum.words.numbers import Numbers

LAST = date(2026, 3, 15)
LOOK = Look("Skerry <Ferries>", "#FFE08A", "#8A5A00", "en-GB", "Tallow Lane")


def put(history, days, clicks):
    """Hold the same rows every day, at every grain; one query is withheld from the listed grains."""
    entries = []
    for day in days:
        small = {"country": ["NO"], "device": ["mobile"], "kind": ["web"]}
        listed = clicks - 2
        for grain, dims, counted in (
            ("site", {}, clicks),
            ("query", {"query": ["ferry <b>"]}, listed),
            ("page", {"page": ["/a"]}, clicks),
            ("pair", {"query": ["ferry <b>"], "page": ["/a"]}, listed),
        ):
            batch = search_batch(grain, day, dims | small, [counted], [counted * 10], [3.0])
            entries.append(DayEntry(grain, day, DayState.FINAL, "1", batch, "", "test"))
    history.put_days(1, entries)


@pytest.fixture
def document(history):
    def make(window="P28D", against="before", look=LOOK, notes=(), also=()):
        site = SiteAccess("skerry.example", history, (1,), Words())
        framed = {"window": window, "against": against, "language": look.language[:2]}

        def take(ask, _spec):
            if ask.reading == blocks.NOTES:
                return tuple(notes)
            try:
                taken = {n: v for n, v in framed.items() if n in READINGS[ask.reading].question.model_fields}
                return read(site, ask.reading, **taken, **ask.parameters)
            except Fault as why:
                return why.what

        specs = [*blocks.SEARCH_REPORT, *(BlockSpec(kind=name) for name in also)]
        every = [blocks.wanted(spec) for spec in specs]
        return build(look, "skerry.example", LAST, every, take, take(blocks.FALLERS, WHOLE))

    put(history, [LAST - timedelta(n) for n in range(28, 56)], 8)
    put(history, [LAST - timedelta(n) for n in range(28)], 12)
    return make


def test_it_says_the_finding_and_every_number_is_the_readings(document):
    text = render_html(document())
    assert "Clicks from search rose by 50.0%" in text
    assert "The site drew 336 clicks from search, 112 more than before." in text
    assert "Unlisted (withheld by the source)" in text


def test_notes_of_the_window_are_numbered_on_the_chart_and_told_below(document):
    assert "Dated notes: none" in render_html(document())
    days = {"first": LAST - timedelta(3), "last": LAST - timedelta(3)}
    blank = dict.fromkeys(("client", "site", "page", "set")) | {"origin": "", "kind": "content"}
    notes = [NoteOut(id=n, text=text, **blank | days) for n, text in ((1, "Menu redone"), (2, "Prices <redone>"))]
    made = document(notes=notes)
    text = render_html(made)
    told = text[text.index('<ol class="notes">') :]
    assert told.index("Menu redone") < told.index("Prices &lt;redone&gt;")
    assert "Dated notes" not in {left.block for left in made.left_out}


@pytest.mark.parametrize(
    ("language", "said"),
    [
        (
            "de-DE",
            ["Klicks aus der Suche stiegen um 50,0", "Die Website zog 336 Klicks", "Wichtigste Seiten", "Nachfrage"],
        ),
        ("fr", ["Les clics de la recherche augmentent", "Ce qui a fait varier les clics", "Demande"]),
        ("es", ["Los clics de la búsqueda subieron", "Preparado por Tallow Lane", "Demanda"]),
    ],
)
def test_it_speaks_the_clients_language_throughout(document, language, said):
    text = render_html(document(look=replace(LOOK, language=language)))
    assert [each for each in said if each not in text] == []
    shown = re.sub(r"<(style|svg).*?</\1>|<[^>]+>", " ", text, flags=re.S)
    english = ["clicks from search", "Left out", "Unlisted", "Top pages", "held;", "weighted", " before", " against "]
    assert [each for each in english if each in shown] == []


def test_any_reading_is_a_block_with_the_columns_that_people_are_shown(document):
    made = document(also=("fading", "odd-days", "device-gap"))
    text = render_html(made)
    assert "Pages that fade" in {left.block for left in made.left_out}
    made = document(also=("weekdays", "within-reach"))
    text = render_html(made)
    table = text[text.index("By weekday") :]
    assert re.search(r"<th[^>]*>clicks a day</th>", table)
    assert re.search(r"<td[^>]*>Monday</td>", table)
    assert "None" not in table


def test_it_is_one_file_without_script_and_without_our_name(document):
    text = render_html(document())
    assert "noctilum" not in text.lower()
    assert "<script" not in text
    assert not re.findall(r"(?:src|href)=[\"']?(?!data:)\w", text)


def test_what_people_typed_is_text_and_never_markup(document):
    text = render_html(document())
    assert "ferry &lt;b&gt;" in text
    assert "Skerry &lt;Ferries&gt;" in text


def test_blocks_without_data_leave_themselves_out_with_their_reason(document):
    text = render_html(document(against="none"))
    assert "What moved the clicks: drivers-need" not in text
    assert re.search(r"<li>What moved the clicks: .*compare with", text)
    assert "Dated notes: none lies in the window" in text
    assert "the parts add up" not in text


def test_a_clients_colour_is_darkened_until_it_can_be_read(document):
    assert readable("#FFE08A") != "#FFE08A"
    assert "color:#FFE08A" not in render_html(document())
    assert readable("#0F4C6E") == "#0F4C6E"


def test_numbers_follow_the_language(document):
    german = Numbers("de")
    assert (german.count(12345), german.percent(0.125)) == ("12.345", "12,5\xa0%")
    assert Numbers("xx-none").count(12345) == "12,345"


def test_the_same_document_gives_the_same_bytes(document):
    one = document()
    assert render_html(one) == render_html(one)
    assert render_pdf(one).startswith(b"%PDF")


def test_a_report_reaches_nothing_outside_itself(document, tmp_path):
    secret = tmp_path / "secret.png"
    secret.write_bytes(b"not for reports")
    image = f'<image href="{secret}" width="9" height="9"/>'
    svg = f'<svg xmlns="http://www.w3.org/2000/svg" width="9" height="9">{image}</svg>'
    logo = "data:image/svg+xml;base64," + b64encode(svg.encode()).decode()
    typed = f'#read("{secret}") #image("{secret}") http://127.0.0.1:9/x.png'
    written = render_pdf(document(look=replace(LOOK, client_name=typed, logo=logo)))
    assert written.startswith(b"%PDF") and b"not for reports" not in written
    text = " ".join(page.extract_text() for page in pypdf.PdfReader(io.BytesIO(written)).pages)
    assert f'#read("{secret}")' in "".join(text.replace("\u200b", "").splitlines())


def test_a_logo_that_cannot_be_drawn_is_left_away(document):
    for broken in (b"<svg", b"\x89PNG\r\n\x1a\n"):
        kind = "svg+xml" if broken == b"<svg" else "png"
        logo = f"data:image/{kind};base64," + b64encode(broken).decode()
        assert render_pdf(document(look=replace(LOOK, logo=logo))).startswith(b"%PDF")
