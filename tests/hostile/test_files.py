"""Files on their way in: damaged, cut short, larger than they look; and an inbox in which one of them is bad."""

import gzip
import io
import os
import resource
import shutil
import subprocess
import sys
import time
import zipfile
import zlib
from pathlib import Path

import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from openpyxl import Workbook
from tests.conftest import NOW

from noctilum.actions import files, notices, queue, setup
from noctilum.actions.export import export_rows
from noctilum.actions.imports import import_files
from noctilum.actions.site_access import open_site
from noctilum.core.cells import harmless, meant
from noctilum.core.errors import Nonsense
from noctilum.readings.breakdown import Page, breakdown
from noctilum.readings.frame import Asked
from noctilum.sources.files.mapping import Mapping
from noctilum.sources.files.reading import look, typed
from noctilum.wire.plain import to_rows
from noctilum.wire.setup import NewFileSource

HEAD = "Date,Query,Clicks,Impressions,Position\n"
GOOD = HEAD + "".join(f"2026-03-{d:02},ferry {d},1,9,2.5\n" for d in range(1, 11))


def read(path: Path) -> int:
    form, found = look(path, Mapping())
    return sum(rows.days.size for rows in typed(path, form, found))


def workbook(path: Path) -> bytes:
    book = Workbook()
    for line in GOOD.splitlines():
        book.active.append(line.split(","))
    book.save(path)
    return path.read_bytes()


def swapped(body: bytes, name: str, text: bytes) -> bytes:
    """Put another text into one part of a packed workbook."""
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(body)) as old, zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as new:
        for info in old.infolist():
            if info.filename != name:
                new.writestr(info.filename, old.read(info))
        new.writestr(name, text)
    return out.getvalue()


def damaged(tmp_path: Path) -> dict[str, bytes]:
    packed = gzip.compress(GOOD.encode() * 500)
    book = workbook(tmp_path / "whole.xlsx")
    table = pa.table({"date": ["2026-03-01"] * 9000, "query": [f"q {n}" for n in range(9000)]})
    pq.write_table(table, tmp_path / "whole.parquet")
    parquet = (tmp_path / "whole.parquet").read_bytes()
    middle = bytearray(parquet)
    middle[40:4000] = b"\xff" * 3960
    return {
        "cut.csv.gz": packed[: len(packed) // 2],
        "torn.csv.gz": packed[:60] + b"\xff" * 40 + packed[100:],
        "not.csv.gz": b"plain text",
        "cut.ndjson.gz": gzip.compress(b'{"date": "2026-03-01"}\n' * 9000)[:-9],
        "cut.xlsx": book[: len(book) // 2],
        "xml.xlsx": swapped(book, "xl/worksheets/sheet1.xml", b"<worksheet><sheetData><row"),
        "no-sheet.xlsx": swapped(book, "xl/workbook.xml", b"<nothing/>"),
        "cut.parquet": parquet[:-30],
        "middle.parquet": bytes(middle),
        "no-end.csv": (HEAD + "2026-03-01,").encode() + b"x" * (60 << 20),
        "no-end.ndjson": b'{"date": "' + b"x" * (2 << 20),
    }


@pytest.mark.parametrize(
    "name",
    ["cut.csv.gz", "torn.csv.gz", "not.csv.gz", "cut.ndjson.gz", "cut.xlsx", "xml.xlsx", "no-sheet.xlsx", "cut.parquet",
     "middle.parquet", "no-end.csv", "no-end.ndjson"],
)  # fmt: skip
def test_a_damaged_file_is_a_clear_refusal(tmp_path, name):
    (tmp_path / name).write_bytes(damaged(tmp_path)[name])
    with pytest.raises(Nonsense) as caught:
        read(tmp_path / name)
    assert name.partition(".")[0] in str(caught.value) or name in str(caught.value)


def waits(install, source: int, name: str, body: bytes) -> Path:
    folder = files.inbox(install, source)
    folder.mkdir(parents=True, exist_ok=True)
    (folder / name).write_bytes(body)
    os.utime(folder / name, (time.time() - 60,) * 2)
    return folder / name


@pytest.fixture
def exports(install, site) -> int:
    return setup.add_file_source(install, site, NewFileSource(label="Exports"), NOW)


def test_one_damaged_file_in_the_inbox_is_set_aside_and_holds_no_other_up(install, exports, tmp_path):
    for name, body in damaged(tmp_path).items():
        waits(install, exports, name, body)
    waits(install, exports, "z-good.csv", GOOD.encode())
    assert len(files.watch(install, NOW)) == 1
    assert len(list((files.inbox(install, exports) / "refused").iterdir())) == len(damaged(tmp_path))
    assert len(list((install.settings.data / "uploads").iterdir())) == 1
    told = {notice.code for notice in notices.unseen(install)}
    assert len(told) == len(damaged(tmp_path))
    assert files.watch(install, NOW) == []
    assert len(notices.unseen(install)) == len(told)


def test_a_file_that_breaks_what_reads_it_is_set_aside_too(install, exports, monkeypatch):
    monkeypatch.setattr(files, "look", lambda *_: 1 / 0)
    waits(install, exports, "odd.csv", GOOD.encode())
    waits(install, exports, "odder.csv", GOOD.encode())
    assert files.watch(install, NOW) == []
    assert len(notices.unseen(install)) == 2
    assert not any((install.settings.data / "uploads").iterdir())


def test_a_file_that_cannot_be_moved_is_told_once_and_fills_nothing(install, exports, monkeypatch):
    waits(install, exports, "stuck.csv", b"nothing to see\n")

    def refuse(*_):
        raise PermissionError(13, "Permission denied")

    monkeypatch.setattr(files, "_aside", refuse)
    for _ in range(5):
        assert files.watch(install, NOW) == []
    assert len(notices.unseen(install)) == 1
    assert "Permission denied" in notices.unseen(install)[0].text
    assert not any((install.settings.data / "uploads").iterdir())


def test_files_of_one_name_do_not_replace_each_other_where_they_are_set_aside(install, exports):
    for n in range(3):
        waits(install, exports, "daily.csv", GOOD.replace("ferry", f"ferry{n}").encode())
        files.watch(install, NOW)
    taken = sorted(path.name for path in (files.inbox(install, exports) / "taken").iterdir())
    assert taken == ["daily-2.csv", "daily-3.csv", "daily.csv"]
    assert len(queue.active(install)) == 3


def test_a_packed_file_that_unpacks_to_far_more_is_cut_off(tmp_path):
    packer = zlib.compressobj(9, wbits=31)
    row = b"2026-03-01,ferry,1,9,2.5\n"
    body = packer.compress(HEAD.encode())
    for _ in range(200):
        body += packer.compress(row * 60_000)
    (tmp_path / "bomb.csv.gz").write_bytes(body + packer.flush())
    with pytest.raises(Nonsense, match="unpacks to"):
        read(tmp_path / "bomb.csv.gz")


READS = """
import resource, sys
from pathlib import Path
from noctilum.core.errors import Nonsense
from noctilum.sources.files.mapping import Mapping
from noctilum.sources.files.reading import look
before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
try:
    look(Path(sys.argv[1]), Mapping())
except Nonsense as why:
    print(why.code, resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before)
"""


def test_a_small_workbook_that_unpacks_to_hundreds_of_megabytes_is_not_unpacked(tmp_path):
    book = workbook(tmp_path / "whole.xlsx")
    strings = b"<sst>" + b"<si><t>ferry</t></si>" * 10_000_000 + b"</sst>"
    (tmp_path / "bomb.xlsx").write_bytes(swapped(book, "xl/sharedStrings.xml", strings))
    assert (tmp_path / "bomb.xlsx").stat().st_size < 1 << 20
    command = [sys.executable, "-c", READS, str(tmp_path / "bomb.xlsx")]
    code, grown = subprocess.run(command, capture_output=True, text=True, check=True).stdout.split()
    assert code == "file-too-large"
    assert int(grown) < 40 << 10


def test_a_parquet_file_that_claims_more_rows_than_it_can_hold_is_refused(tmp_path):
    table = pa.table({"date": pa.DictionaryArray.from_arrays(pa.array([0] * 12_000_000, pa.int8()), ["2026-03-01"])})
    pq.write_table(table, tmp_path / "bomb.parquet", compression="zstd")
    with pytest.raises(Nonsense, match="claims"):
        read(tmp_path / "bomb.parquet")


# cells that a spreadsheet would run

CELLS = ["=1+1", "+cmd|' /C calc'!A0", "-ferry", "@sum(A1)", "\t=1", "'=1", "''@x", "-", "+"]
CELLS += ["'tis", "-5.2", "+7", "ferry"]


@pytest.mark.parametrize("text", CELLS)
def test_every_text_comes_back_as_it_was(text):
    assert meant(harmless(text)) == text
    assert harmless(text)[:1] not in ("=", "@", "\t")


def test_numbers_and_words_are_left_alone():
    assert [text for text in CELLS if harmless(text) == text] == ["'tis", "-5.2", "+7", "ferry"]


def test_an_export_is_harmless_by_default_as_it_is_when_raw_and_imported_the_same(install, exports, tmp_path):
    words = ["=1+1", "-ferry", "@home", "'=quoted", "plain", "+1 ferry"]
    rows = "".join(f'2026-03-01,"{harmless(word)}",1,9,2.5\n' for word in words)
    (tmp_path / "in.csv").write_text(HEAD + rows)
    import_files(install, exports, [tmp_path / "in.csv"], lambda: NOW)
    opened = open_site(install, "blog.hivewright.example")
    asked = Asked(opened.key, "2026-03", "none")
    found = to_rows(breakdown(opened.holding, asked, "query", Page()))
    assert {row["query"] for row in found} >= set(words)
    export_rows(found, "csv", tmp_path / "out.csv")
    export_rows(found, "csv", tmp_path / "raw.csv", raw=True)
    out, raw = (tmp_path / "out.csv").read_text(), (tmp_path / "raw.csv").read_text()
    assert all(f"{harmless(word)}," in out for word in words)
    assert all(f"{word}," in raw for word in words)
    import csv

    with (tmp_path / "out.csv").open(newline="") as stream:
        read_back = [meant(row["query"]) for row in csv.DictReader(stream)]
    assert set(read_back) >= set(words)


def test_rejected_rows_are_harmless_too(install, exports, tmp_path):
    (tmp_path / "in.csv").write_text(HEAD + "=cmd(),ferry,1,9,2.5\n2026-03-01,ferry,1,9,2.5\n")
    import_files(install, exports, [tmp_path / "in.csv"], lambda: NOW, rejects_to=tmp_path / "rejects.csv")
    text = (tmp_path / "rejects.csv").read_text()
    assert "'=cmd()" in text
    assert ",=cmd" not in text


def test_control_characters_in_a_file_are_rejected_with_their_line(install, exports, tmp_path):
    (tmp_path / "in.csv").write_text(HEAD + "2026-03-01,fer\x1bry,1,9,2.5\n2026-03-01,ferry,1,9,2.5\n")
    done = import_files(install, exports, [tmp_path / "in.csv"], lambda: NOW)
    assert (done.rejected, done.rows) == (1, 1)
    assert "control characters" in done.rejects[0].reason


def test_a_full_disk_in_the_inbox_keeps_the_file_where_it_is(install, exports, monkeypatch):
    from noctilum.core.errors import DiskFull

    path = waits(install, exports, "good.csv", GOOD.encode())

    def full(*_args, **_more):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(shutil, "copyfileobj", full)
    with pytest.raises(DiskFull):
        files.watch(install, NOW)
    assert path.exists()
    assert resource is not None
