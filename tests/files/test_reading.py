"""Files of figures: every way of writing them comes to the same rows, or says what is wrong and where."""

import codecs
import gzip
import json
from datetime import date

import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from hypothesis import given
from hypothesis import strategies as st
from openpyxl import Workbook

from noctilum.core.errors import Nonsense
from noctilum.sources.files import text
from noctilum.sources.files.mapping import Mapping
from noctilum.sources.files.reading import look, typed
from noctilum.sources.files.values import date_forms, decimal_sign, parse_day
from noctilum.sources.files.words import role_of_header

PLAIN = "day,query,page,country,device,kind,clicks,impressions,position\n"
ROWS = [
    "2026-02-01,ferry,/a,NO,mobile,web,3,40,4.5",
    "2026-02-01,fähre ronsay,/b,DE,desktop,web,0,7,12",
    "2026-02-02,ferry,/a,NO,mobile,web,1,1200,1.25",
]
EXPECTED = [
    (date(2026, 2, 1), "ferry", "/a", "NO", "mobile", "web", 3, 40, 4.5),
    (date(2026, 2, 1), "fähre ronsay", "/b", "DE", "desktop", "web", 0, 7, 12.0),
    (date(2026, 2, 2), "ferry", "/a", "NO", "mobile", "web", 1, 1200, 1.25),
]


def read(path, mapping=None):
    form, found = look(path, mapping or Mapping())
    rows, rejected = [], []
    for part in typed(path, form, found):
        dims = [column.to_pylist() for column in part.dims.values()]
        days = [date.fromordinal(day) for day in part.days.tolist()]
        rows += zip(days, *dims, *(f.tolist() for f in part.figures.values()), strict=True)
        rejected += part.rejected
    return rows, rejected


def written(tmp_path, body, name="file.csv"):
    path = tmp_path / name
    path.write_bytes(body if isinstance(body, bytes) else body.encode())
    return path


WAYS = {
    "plain": PLAIN + "\n".join(ROWS) + "\n",
    "no last line end": PLAIN + "\n".join(ROWS),
    "windows line ends": (PLAIN + "\n".join(ROWS) + "\n").replace("\n", "\r\n"),
    "byte order mark": codecs.BOM_UTF8 + (PLAIN + "\n".join(ROWS)).encode(),
    "utf-16": (PLAIN + "\n".join(ROWS)).encode("utf-16"),
    "latin-1": (PLAIN + "\n".join(ROWS)).encode("latin-1"),
    "tabs": (PLAIN + "\n".join(ROWS)).replace(",", "\t"),
    "bars": (PLAIN + "\n".join(ROWS)).replace(",", "|"),
    "quoted": PLAIN + "\n".join(",".join(f'"{v}"' for v in row.split(",")) for row in ROWS),
    "a title above": "Exported by somebody\n\n" + PLAIN + "\n".join(ROWS),
    "blank lines": PLAIN + "\n\n".join(ROWS) + "\n\n",
    "german": (
        "Tag;Suchanfrage;Seite;Land;Gerät;Suchart;Klicks;Impressionen;Durchschnittliche Position\n"
        "01.02.2026;ferry;/a;Norwegen;Mobil;web;3;40;4,5\n"
        "01.02.2026;fähre ronsay;/b;Deutschland;Computer;web;0;7;12\n"
        "02.02.2026;ferry;/a;Norwegen;Mobil;web;1;1.200;1,25\n"
    ),
    "french": (
        "Jour;Requête;Page;Pays;Appareil;Type de recherche;Clics;Impressions;Position moyenne\n"
        "1 févr. 2026;ferry;/a;Norvège;Mobile;web;3;40;4,5\n"
        "1 février 2026;fähre ronsay;/b;Allemagne;Ordinateur;web;–;7;12,0\n"
        "02/02/2026;ferry;/a;Norvège;Mobile;web;1;1\u202f200;1,25\n13/02/2026;x;/;FR;Mobile;web;0;0;\n"
    ),
    "english with thousands": (
        "Date,Search query,Landing page,Country,Device,Kind,Clicks,Impressions,Avg. position\n"
        "Feb 1 2026,ferry,/a,no,Phone,web,3,40,4.50\n"
        "2026/2/1,fähre ronsay,/b,Germany,PC,web,-,7,12.0\n"
        '20260202,ferry,/a,Norway,mobile,web,1.0,"1,200",1.25\n'
    ),
    "no clicks but a rate": (
        "day,query,page,country,device,kind,ctr,impressions,position\n"
        "2026-02-01,ferry,/a,NO,mobile,web,7.5%,40,4.5\n"
        "2026-02-01,fähre ronsay,/b,DE,desktop,web,0%,7,12\n"
        "2026-02-02,ferry,/a,NO,mobile,web,0.000833,1200,1.25\n"
    ),
    "no header words but values": (
        "when,query,where,land,on,kind,clicks,impressions,position\n" + "\n".join(ROWS) + "\n"
    ),
}


@pytest.mark.parametrize("way", WAYS)
def test_every_way_of_writing_comes_to_the_same_rows(tmp_path, way):
    mapping = Mapping(columns={"when": "day", "where": "page", "on": "device"}) if "values" in way else Mapping()
    rows, rejected = read(written(tmp_path, WAYS[way]), mapping)
    assert rows[:3] == EXPECTED
    assert rejected == []


def test_gzip_ndjson_parquet_and_workbooks_come_to_the_same_rows(tmp_path):
    names = PLAIN.strip().split(",")
    squeezed = tmp_path / "file.csv.gz"
    squeezed.write_bytes(gzip.compress((PLAIN + "\n".join(ROWS)).encode()))
    objects = [dict(zip(names, (str(row[0]), *row[1:]), strict=True)) for row in EXPECTED]
    lines = written(tmp_path, "\n".join(json.dumps(row) for row in objects), "file.ndjson")
    columns = dict(zip(names, map(list, zip(*EXPECTED, strict=True)), strict=True))
    pq.write_table(pa.table(columns), tmp_path / "file.parquet")
    book = Workbook()
    for title, part in (("Jan to Feb 1", EXPECTED[:2]), ("Feb 2", EXPECTED[2:])):
        sheet = book.create_sheet(title)
        sheet.append(["A report"])
        sheet.append(names)
        for row in part:
            sheet.append(row)
    book["Sheet"].append(["just a note"])
    book.save(tmp_path / "file.xlsx")
    for path in (squeezed, lines, tmp_path / "file.parquet", tmp_path / "file.xlsx"):
        assert read(path) == (EXPECTED, []), path.name


def test_only_the_sheets_chosen_are_read(tmp_path):
    book = Workbook()
    for title in ("Daily 1", "Daily 2", "Other"):
        sheet = book.create_sheet(title)
        sheet.append(["day", "clicks", "impressions", "position"])
        sheet.append([date(2026, 2, 1), 1, 2, 3])
    book.save(tmp_path / "f.xlsx")
    assert len(read(tmp_path / "f.xlsx", Mapping(sheets="Daily*"))[0]) == 2
    with pytest.raises(Nonsense, match="no sheet like"):
        read(tmp_path / "f.xlsx", Mapping(sheets="Weekly*"))


BAD = {
    "2026-02-31,ferry,/a,NO,mobile,web,1,2,3": "the day is '2026-02-31'",
    ",ferry,/a,NO,mobile,web,1,2,3": "the day is missing",
    "2026-02,ferry,/a,NO,mobile,web,1,2,3": "a whole month",
    "2026-02-03,ferry,/a,NO,mobile,web,x,2,3": "clicks is 'x'",
    "2026-02-03,ferry,/a,NO,mobile,web,-1,2,3": "clicks is '-1'",
    "2026-02-03,ferry,/a,NO,mobile,web,1.5,2,3": "clicks is '1.5'",
    "2026-02-03,ferry,/a,NO,mobile,web,3,2,3": "3 clicks are more than 2 impressions",
    "2026-02-03,ferry,/a,NO,mobile,web,1,2,": "the position is missing",
    "2026-02-03,ferry,/a,NO,mobile,web,1,2,0.2": "none is below 1",
    "2026-02-03,ferry,/a,NO,mobile,web,1,2,first": "position is 'first'",
    "2026-02-03,ferry,/a,Atlantis,mobile,web,1,2,3": "the country 'Atlantis' is not known",
    "2026-02-03,,/a,NO,mobile,web,1,2,3": "the query is missing",
    "2026-02-03,ferry,/a,NO": "it has 4 fields, not 9",
    "2026-02-03,ferry,/a,NO,mobile,web,1,2,3,4": "it has 10 fields, not 9",
    "2026-02-03,ferry,/a,NO,mobile,web,1,9999999999999999,3": "impressions is",
}


@pytest.mark.parametrize("bad", BAD)
def test_a_bad_row_is_rejected_with_its_line_and_reason_and_the_others_stay(tmp_path, bad):
    rows, rejected = read(written(tmp_path, PLAIN + "\n".join([*ROWS[:2], bad, ROWS[2]])))
    assert rows == EXPECTED
    (found,) = rejected
    assert found.line == 4
    assert BAD[bad] in found.reason


def test_lines_are_counted_right_behind_values_with_line_ends_and_bad_bytes(tmp_path):
    odd = '2026-02-01,"two\nlines",/a,NO,mobile,web,1,2,3'
    body = (PLAIN + "\n".join([odd, ROWS[0], "2026-02-05,x,/a,NO,mobile,web,9,1,3"])).encode()
    rows, rejected = read(written(tmp_path, body))
    assert [row[1] for row in rows] == ["two\nlines", "ferry"]
    assert [each.line for each in rejected] == [5]
    body = (PLAIN + ROWS[0] + "\n").encode() + b"2026-02-01,caf\xe9,/a,NO,mobile,web,1,2,3\n" + ROWS[2].encode()
    body = body.replace(b"ferry", "fähre".encode())
    rows, rejected = read(written(tmp_path, body), Mapping(encoding="utf-8"))
    assert len(rows) == 2
    assert (rejected[0].line, rejected[0].reason) == (3, "it holds bytes that are not UTF-8")


def test_blocks_are_cut_between_rows_wherever_they_fall(tmp_path, monkeypatch):
    lines = [f'2026-02-01,"q, {n} ""x""\n{n}",/a,NO,mobile,web,1,2,3' for n in range(40)]
    path = written(tmp_path, PLAIN + "\n".join(lines))
    for size in (50, 97, 400, 5000):
        monkeypatch.setattr(text, "BLOCK_BYTES", size)
        rows, rejected = read(path)
        assert [row[1] for row in rows] == [f'q, {n} "x"\n{n}' for n in range(40)]
        assert rejected == []


def test_the_order_of_dates_is_found_far_down_or_asked_and_never_guessed(tmp_path, monkeypatch):
    head = "day,clicks,impressions,position\n"
    body = head + "".join(f"{d:02}/03/2026,1,2,3\n" for d in (*range(1, 13), 25))
    monkeypatch.setattr(text, "BLOCK_BYTES", 60)
    rows, _ = read(written(tmp_path, body))
    assert rows[-1][0] == date(2026, 3, 25)
    _, found = look(written(tmp_path, head + "01/03/2026,1,2,3\n02/03/2026,1,2,3\n"), Mapping())
    assert [question.code for question in found.questions] == ["date-order"]
    rows, _ = read(tmp_path / "file.csv", Mapping(dates="mdy"))
    assert rows[0][0] == date(2026, 1, 3)


@pytest.mark.parametrize(
    ("body", "code", "said"),
    [
        ("", "file-empty", "holds nothing"),
        ("just some words\nand more\n", "header-unknown", "no line that names columns"),
        ("day,clicks,impressions\n2026-02-01,1,2\n", "column-lacking", "to be the position"),
        ("day,date,clicks,impressions,position\n", "", ""),
        ("day,clicks,clicks,impressions,position\n", "header-repeated", "two columns 'clicks'"),
    ],
)
def test_a_file_that_cannot_be_read_says_why(tmp_path, body, code, said):
    path = written(tmp_path, body)
    if not code:
        assert look(path, Mapping())[1].header("day") == "day"
        return
    with pytest.raises(Nonsense, match=said) as caught:
        look(path, Mapping())
    assert caught.value.code == code
    assert caught.value.remedy or caught.value.where


def test_a_mapping_that_names_no_column_says_which_there_are(tmp_path):
    with pytest.raises(Nonsense, match="no column 'Datum'") as caught:
        look(written(tmp_path, PLAIN), Mapping(columns={"Datum": "day"}))
    assert "position" in caught.value.remedy


@pytest.mark.parametrize("name", ["x.pdf", "x.xlsx", "x.parquet"])
def test_files_of_no_known_kind_or_that_are_not_what_they_say_are_told(tmp_path, name):
    with pytest.raises(Nonsense):
        look(written(tmp_path, "this is text", name), Mapping())


@given(st.dates(date(2000, 1, 1), date(2089, 12, 31)), st.sampled_from("/-."))
def test_a_written_day_is_read_back_in_the_order_it_was_written(day, sign):
    for form, pattern in (
        ("dmy", f"%d{sign}%m{sign}%Y"),
        ("mdy", f"%m{sign}%d{sign}%Y"),
        ("iso", f"%Y{sign}%m{sign}%d"),
    ):
        assert parse_day(day.strftime(pattern), form) == (day, False)
        if form != "mdy" or sign != ".":
            assert form in date_forms([day.strftime(pattern)])


@given(st.floats(0, 1000).map(lambda v: round(v, 2)).filter(lambda v: v != int(v)))
def test_a_decimal_sign_is_told_by_one_number_with_two_decimals(value):
    assert decimal_sign([f"{value:.2f}"]) == "."
    assert decimal_sign([f"{value:.2f}".replace(".", ",")]) == ","


@pytest.mark.parametrize(
    ("header", "role"),
    [("Zoekopdracht", "query"), ("Klikken", "clicks"), ("Visninger", "impressions"), ("Pagina", "page"),
     ("CTR (%)", "ctr"), ("Durchschn. Position", "position"), ("País", "country"), ("Fecha", "day"), ("Notes", None)],
)  # fmt: skip
def test_headers_are_known_in_several_languages(header, role):
    assert role_of_header(header) == role
