"""A reading that nobody knew of: declared here, and every door has it."""

import csv
import io
import json
import logging
from collections.abc import Sequence
from datetime import UTC, datetime
from typing import ClassVar

import duckdb
import openpyxl
import pytest
import structlog
from tests.conftest import HIVE, NOW, TODAY
from tests.running import served

from noctilum.actions import people
from noctilum.cli.commands import COMMANDS, Command
from noctilum.core.questions import word_counts
from noctilum.readings.frame import frame
from noctilum.readings.header import figures, header
from noctilum.readings.site_access import SiteAccess
from noctilum.wire.base import Wire
from noctilum.wire.catalogue import READINGS
from noctilum.wire.columns import column, group
from noctilum.wire.questions import Paged, Windowed
from noctilum.wire.readings import Figures, Reading
from noctilum.wire.specs import ReadingSpec
from noctilum.words import speech
from noctilum.words.teller import Teller


class WordsQuery(Windowed, Paged):
    """How many words a query has at least."""

    least: int = 1


class WordsRow(Wire):
    """Queries of so many words."""

    SHOWN: ClassVar = ("words", "impressions", "ctr", "share")

    words: int = column("count", "words", "How many words the queries have.")
    now: Figures = group(ending="")
    share: float = column("share", "share", "Of the impressions of the query.", better="higher")


class Words(Reading):
    """Queries by how many words they have."""

    rows: list[WordsRow]
    matching: int


def by_words(site: SiteAccess, asked: WordsQuery) -> Words:
    of = frame(site.holding, site.asked(asked), ("query",))
    found = of.read("query", ("query",))
    counts = word_counts(site.history.texts("query", found.keys[0].tolist()))
    parts = {int(n): found.taken(counts == n).sums for n in sorted(set(counts.tolist())) if n >= asked.least}
    every = max(1, sum(sums.impressions for sums in parts.values()))
    rows = [WordsRow(words=n, now=figures(s), share=s.impressions / every) for n, s in parts.items()]
    page = rows[asked.offset : asked.offset + asked.limit]
    return Words(**header(of, "query"), rows=page, matching=len(rows))


def say_words(teller: Teller) -> Sequence:
    return [teller.tell("Queries have up to {most} words.", most=f"count:/rows/{len(teller.reading.rows) - 1}/words")]


SPEC = ReadingSpec(
    name="query-words",
    group="Read",
    summary="Show queries by their words",
    about="Queries by how many words they have.",
    question=WordsQuery,
    answer=Words,
    make=by_words,
    say=say_words,
)
SAID = {
    "words": {"de": "Wörter", "fr": "mots", "es": "palabras"},
    "How many words the queries have.": {
        "de": "Wie viele Wörter die Suchanfragen haben.",
        "fr": "Combien de mots ont les requêtes.",
        "es": "Cuántas palabras tienen las consultas.",
    },
    "Queries have up to {most} words.": {
        "de": "Suchanfragen haben bis zu {most} Wörter.",
        "fr": "Les requêtes ont jusqu’à {most} mots.",
        "es": "Las consultas tienen hasta {most} palabras.",
    },
    SPEC.summary: {
        "de": "Suchanfragen nach ihren Wörtern zeigen",
        "fr": "Montrer les requêtes selon leurs mots",
        "es": "Mostrar consultas por sus palabras",
    },
    SPEC.about: dict.fromkeys(("de", "fr", "es"), SPEC.about),
}
HOW = SAID["How many words the queries have."] | {"en": "How many words the queries have."}


@pytest.fixture
def known(monkeypatch):
    """The reading, its messages and its command, for the length of a test."""
    every = {**speech.messages(), **SAID}
    monkeypatch.setattr(speech, "messages", lambda: every)
    monkeypatch.setitem(COMMANDS, SPEC.name, Command(SPEC.name, "reading", SPEC.summary, SPEC.group))
    monkeypatch.setenv("NOCTILUM_TODAY", TODAY.isoformat())
    speech.catalog.cache_clear()
    # what the service logs would come between what commands print, as both are in one process here
    structlog.configure(wrapper_class=structlog.make_filtering_bound_logger(logging.CRITICAL))
    with READINGS.with_also(SPEC):
        yield
    structlog.reset_defaults()
    speech.catalog.cache_clear()


def test_a_reading_declared_once_answers_at_every_door(install, pulled, known, tmp_path):
    user = people.add_user(install, "Ines", "ines@lane.example", "lanterns over the quay", NOW)
    token = people.new_token(install, user.id, "tests", datetime.now(UTC))
    with served(install, token) as live, live.client() as noctilum:
        plain = live.get(f"/sites/{HIVE}/query-words?least=2").json()
        assert [row["words"] for row in plain["rows"]] == sorted(row["words"] for row in plain["rows"])
        assert sum(row["share"] for row in plain["rows"]) == pytest.approx(1)

        again = live.get(f"/sites/{HIVE}/query-words?least=2", **{"If-None-Match": '"x"'})
        tag = again.headers["ETag"]
        assert live.get(f"/sites/{HIVE}/query-words?least=2", **{"If-None-Match": tag}).status_code == 304
        refused = live.get(f"/sites/{HIVE}/query-words?against=before")
        assert (refused.status_code, refused.json()["fields"][0]["field"]) == (400, "against")

        paths = live.get("/openapi.json").json()["paths"]
        assert {"get", "post"} <= set(paths["/api/v1/sites/{site}/query-words"])

        found = noctilum.read("query-words", HIVE, least=2)
        assert isinstance(found, Words)
        assert found.model_dump(mode="json") == plain

        table = live.cli("query-words", HIVE, "--least", "2")
        assert table.returncode == 0, table.stderr
        assert "words  impressions  click-through  share" in table.stdout
        assert found.sentences[0].text in table.stdout
        told = list(
            csv.DictReader(io.StringIO(live.cli("query-words", HIVE, "--least", "2", "--output", "csv").stdout))
        )
        assert [int(row["words"]) for row in told] == [row.words for row in found.rows]
        assert json.loads(live.cli("query-words", HIVE, "--least", "2", "--output", "json").stdout) == plain
        assert live.cli("query-words", HIVE, "--against", "year").returncode == 2

        for ending in ("csv", "ndjson", "parquet", "xlsx"):
            path = tmp_path / f"words.{ending}"
            done = live.cli("query-words", HIVE, "--least", "2", "--to", str(path))
            assert done.returncode == 0, done.stderr
            assert read_by_others(path) == [(row.words, row.now.impressions) for row in found.rows]

        for language, title in (("en", "words"), ("de", "Wörter"), ("fr", "mots"), ("es", "palabras")):
            about = next(each for each in noctilum.readings(language=language) if each.name == "query-words")
            (first, *_) = about.tables[0].columns
            assert first.title == title
            assert (
                first.how
                == (SAID["How many words the queries have."] | {"en": "How many words the queries have."})[language]
            )
            spoken = noctilum.read("query-words", HIVE, language=language).sentences[0].text
            assert title.lower() in spoken.lower()

        report = noctilum.report(HIVE, format="html", also=["query-words"]).decode()
        assert SPEC.summary in report
        assert report.count(">words</th>") == 1


def read_by_others(path) -> list[tuple[int, int]]:
    if path.suffix == ".xlsx":
        head, *rows = openpyxl.load_workbook(path).active.iter_rows(values_only=True)
        return [(row[head.index("words")], row[head.index("impressions")]) for row in rows]
    reader = {".csv": "read_csv", ".ndjson": "read_ndjson", ".parquet": "read_parquet"}[path.suffix]
    return duckdb.sql(f"select words, impressions from {reader}('{path}')").fetchall()
