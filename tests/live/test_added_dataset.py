"""A dataset that nobody knew of, parcels by depot, with a measure of each merge kind: declared here, known to all."""

import csv
import gzip
import io
import json
import logging
import random
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta

import duckdb
import openpyxl
import orjson
import pytest
import structlog
from flask import Flask, Response, request
from tests.conftest import HIVE, INSIDE, NOW, TODAY
from tests.opened import opened
from tests.running import served

from noctilum.actions import people
from noctilum.actions.install import Install, Settings
from noctilum.cli.commands import COMMANDS, Command
from noctilum.datasets import DATASETS
from noctilum.datasets.declaring import Dataset, Dimension, Measure
from noctilum.history import Question
from noctilum.standins.serving import serving
from noctilum.wire.catalogue import READINGS
from noctilum.wire.figures import figures_of
from noctilum.wire.setup import NewClient, NewSite
from noctilum.words import speech

PARCELS = Dataset(
    "parcels",
    ("depot", "size"),
    (
        Measure("parcels", "parcels", "Parcels handed in.", words=("pakete",)),
        Measure("weight", "weight", "The average weight, in kilogrammes.", "weighted", weight="parcels", kind="number"),
        Measure("waiting", "waiting", "Parcels that lay there at the end of the day.", "last"),
        Measure("senders", "senders", "Who handed parcels in; the same may come again.", "none"),
        Measure("charge", "charge", "What was charged, less what was paid back.", scale=100, kind="money", signed=True),
    ),
    {"depot": ("depot",), "cube": ("day", "size")},
    "Parcels handed in at each depot.",
    kind="parcels",
    plural="parcels",
    dimensions=(
        Dimension("depot", "depot", "Where parcels are handed in."),
        Dimension("size", "size", "Small or large.", "small", form="word"),
    ),
)
SPEC = figures_of(PARCELS)
FIRST, LAST = date(2025, 11, 1), date(2026, 3, 16)
DAYS = [FIRST + timedelta(n) for n in range((LAST - FIRST).days + 1)]
LOST = date(2026, 1, 14)
"""A day that the feed never counted, and that a file fills."""


@dataclass(frozen=True)
class Row:
    """One plain row; weight is of all its parcels, in grammes, charge in hundredths."""

    day: date
    depot: str
    size: str
    parcels: int
    grammes: int
    waiting: int
    senders: int
    charge: int

    def told(self) -> dict[str, object]:
        weight = self.grammes / 1000 / self.parcels if self.parcels else 0.0
        figures = {"parcels": self.parcels, "weight": weight, "waiting": self.waiting, "senders": self.senders}
        return {"depot": self.depot, "size": self.size, **figures, "charge": self.charge / 100}


def plain_rows() -> list[Row]:
    draw = random.Random(11)
    rows = []
    for day in DAYS:
        for depot in ("Ferry Quay", "Mill Lane", "=Old Gate", "Hivewright Yard"):
            for size in ("small", "large"):
                if draw.random() < 0.15:
                    continue
                parcels = draw.randrange(0, 90)
                grammes = parcels * draw.randrange(300, 9000)
                figures = parcels, grammes, draw.randrange(0, 40), min(parcels, draw.randrange(0, 30))
                rows.append(Row(day, depot, size, *figures, draw.randrange(-900, 60_000)))
    return rows


ROWS = plain_rows()


def feed() -> Flask:
    """Speak the open feed about parcels; the newest two days are provisional, one was never counted."""
    app = Flask("parcels")

    @app.post("/token")
    def token() -> dict[str, object]:
        return {"access_token": "ink", "token_type": "Bearer", "expires_in": 3600}

    @app.get("/properties")
    def properties() -> dict[str, object]:
        told = {"id": "round", "label": "Parcel round", "site": HIVE, "engine": "Carrier", "time_zone": "Europe/Oslo"}
        return {"properties": [{**told, "kind": "parcels", "first_day": str(FIRST), "last_day": str(LAST)}]}

    @app.get("/properties/round/ledger")
    def ledger() -> dict[str, object]:
        states = {day: "none" if day == LOST else "fresh" if day > LAST - timedelta(2) else "final" for day in DAYS}
        days = [{"day": str(d), "state": s, "revision": None if s == "none" else "1"} for d, s in states.items()]
        return {"counts": ["parcels"], "days": days}

    @app.get("/properties/round/days/<day>/<grain>")
    def rows(day: str, grain: str) -> Response:
        assert (grain, request.headers["Authorization"]) == ("parcels", "Bearer ink")
        mine = [row for row in ROWS if str(row.day) == day]
        body = b"".join(orjson.dumps(row.told()) + b"\n" for row in mine)
        totals = {"Parcels-Total": str(sum(row.parcels for row in mine)), "Row-Count": str(len(mine))}
        headers = {"ETag": '"1"', "Content-Encoding": "gzip", **totals}
        return Response(gzip.compress(body), content_type="application/x-ndjson", headers=headers)

    return app


@pytest.fixture
def known(monkeypatch):
    monkeypatch.setitem(COMMANDS, SPEC.name, Command(SPEC.name, "reading", SPEC.summary, SPEC.group))
    monkeypatch.setenv("NOCTILUM_TODAY", TODAY.isoformat())
    speech.catalog.cache_clear()
    before = structlog.get_config()
    structlog.configure(wrapper_class=structlog.make_filtering_bound_logger(logging.CRITICAL))
    with DATASETS.with_also(PARCELS), READINGS.with_also(SPEC):
        yield
    structlog.configure(**before)


def installed(folder):
    made = Install(Settings(folder, agency="Tallow Lane", inside_hosts=INSIDE))
    made.prepare()
    user = people.add_user(made, "Ines", "ines@lane.example", "lanterns over the quay", NOW)
    return made, people.new_token(made, user.id, "tests", datetime.now(UTC))


@pytest.fixture
def live(known, tmp_path):
    made, token = installed(tmp_path / "install")
    with serving(feed()) as url, served(made, token) as running:
        running.feed = url
        yield running
    made.close()


def run(live, *words: str, code: int = 0, **environment: str) -> str:
    done = live.cli(*words, **environment)
    assert done.returncode == code, done.stderr
    return done.stdout if code == 0 else done.stderr


def connected(live) -> None:
    with live.client() as noctilum:
        client = noctilum.add_client(NewClient(name="Hivewright Bees"))
        noctilum.add_site(client.key, NewSite(host=HIVE))
    connect(live)


def connect(live, source: int = 1) -> None:
    run(live, "connect", HIVE, "--feed", live.feed, "--account", "a", "--property", "round", NOCTILUM_FEED_SECRET="b")
    assert f"complete through {NEWEST}" in run(live, "pull", str(source))


# what plain rows say, added up here and nowhere else


def held(first: date, last: date) -> list[Row]:
    return [row for row in ROWS if first <= row.day <= last and row.day <= LAST - timedelta(2) and row.day != LOST]


def expected(rows: list[Row], last_day: date) -> dict[str, float | None]:
    parcels = sum(row.parcels for row in rows)
    return {
        "parcels": parcels,
        "weight": sum(row.grammes for row in rows) / 1000 / parcels if parcels else None,
        "waiting": sum(row.waiting for row in rows if row.day == last_day),
        "senders": rows[0].senders if len(rows) == 1 else None,
        "charge": sum(row.charge for row in rows) / 100,
    }


def near(found, wanted) -> None:
    found = found if isinstance(found, dict) else found.model_dump()
    for name, value in wanted.items():
        assert found[name] == (value if value is None else pytest.approx(value, rel=1e-5)), (name, found, wanted)


NEWEST = LAST - timedelta(2)
AGO = NEWEST - timedelta(27)


def test_parcels_come_from_a_feed_to_every_door(live, tmp_path):
    connected(live)
    with live.client() as noctilum:
        found = noctilum.read("parcels", HIVE)
        assert (found.window.last, found.window.counted, found.grain) == (NEWEST, 28, "parcels")
        by_depot = {depot: [r for r in held(AGO, NEWEST) if r.depot == depot] for depot in {r.depot for r in ROWS}}
        assert {row.key for row in found.rows} == set(by_depot)
        for row in found.rows:
            near(row.now, expected(by_depot[row.key], NEWEST) | {"senders": None})
        near(found.total.now, expected(held(AGO, NEWEST), NEWEST) | {"senders": None})
        before = held(AGO - timedelta(28), AGO - timedelta(1))
        near(found.total.before, expected(before, AGO - timedelta(1)) | {"senders": None})
        assert found.total.change.parcels == found.total.now.parcels - found.total.before.parcels
        assert found.sentences[0].text.startswith("parcels: ")

        by_day = noctilum.read("parcels", HIVE, by="day", against="none", depot="Mill Lane", size="small", limit=100)
        plain = {r.day: r for r in held(AGO, NEWEST) if (r.depot, r.size) == ("Mill Lane", "small")}
        assert [row.key for row in by_day.rows] == sorted(day.isoformat() for day in plain)
        for row in by_day.rows:
            mine = plain[date.fromisoformat(row.key)]
            near(row.now, expected([mine], mine.day))

        long = noctilum.read("parcels", HIVE, window=f"{FIRST}/{NEWEST}", against="none", sort="charge")
        for row in long.rows:  # months are compacted and summed from rollups
            near(row.now, expected([r for r in held(FIRST, NEWEST) if r.depot == row.key], NEWEST) | {"senders": None})
        assert [r.now.charge for r in long.rows] == sorted((r.now.charge for r in long.rows), reverse=True)

        few = noctilum.read("parcels", HIVE, filter='not depot has "lane" and parcels >= 1 and change in charge < 0')
        moved = {row.key: row.change.charge for row in found.rows}
        wanted = {key for key, change in moved.items() if change < 0 and "lane" not in key.lower()}
        assert {row.key for row in few.rows} == wanted

    table = run(live, "parcels", HIVE)
    assert "depot" in table.splitlines()[3] or any("weight" in line for line in table.splitlines()), table
    told = list(csv.DictReader(io.StringIO(run(live, "parcels", HIVE, "--output", "csv"))))
    assert {row["depot"] for row in told} == {"Ferry Quay", "Mill Lane", "'=Old Gate", "Hivewright Yard"}
    assert "no field 'parcel'" in run(live, "parcels", HIVE, "--filter", "parcel > 3", code=2)

    for ending in ("csv", "ndjson", "parquet", "xlsx"):
        path = tmp_path / f"parcels.{ending}"
        run(live, "parcels", HIVE, "--to", str(path))
        assert read_by_others(path) == {row.key: row.now.parcels for row in found.rows}

    days = tmp_path / "days.parquet"
    run(live, "export", HIVE, "days", "--by", "parcels", "--window", f"{FIRST}/{NEWEST}", "--to", str(days))
    asked = f"select day, depot, size, parcels, weight, waiting, senders, charge from '{days}' order by all"
    every = sorted(held(FIRST, NEWEST), key=lambda r: (r.day, r.depot, r.size))
    for came, row in zip(duckdb.sql(asked).fetchall(), every, strict=True):
        assert came[:4] + came[5:7] == (row.day, row.depot, row.size, row.parcels, row.waiting, row.senders)
        assert came[4] == pytest.approx(row.told()["weight"], rel=1e-6)
        assert came[7] == row.charge / 100

    assert "parcels" in {each.name for each in opened(live.client()).readings()}
    (told,) = [each for each in opened(live.client()).datasets() if each.name == "parcels"]
    assert [dimension.name for dimension in told.dimensions] == ["depot", "size"]
    merges = {measure.name: (measure.merge, measure.kind) for measure in told.measures}
    assert merges["weight"] == ("weighted", "number") and merges["charge"] == ("sum", "money")
    assert (merges["waiting"][0], merges["senders"][0]) == ("last", "none")
    assert "Parcels handed in at each depot." in run(live, "datasets")
    assert "/api/v1/sites/{site}/parcels" in live.get("/openapi.json").json()["paths"]


def read_by_others(path) -> dict[str, float]:
    if path.suffix == ".xlsx":
        head, *rows = openpyxl.load_workbook(path).active.iter_rows(values_only=True)
        return {row[head.index("depot")]: row[head.index("parcels")] for row in rows}
    reader = {".csv": "read_csv", ".ndjson": "read_ndjson", ".parquet": "read_parquet"}[path.suffix]
    found = dict(duckdb.sql(f"select depot, parcels from {reader}('{path}')").fetchall())
    return {key.removeprefix("'") if key.startswith("'=") else key: value for key, value in found.items()}


def written(folder, rows: list[Row], day: str = "day") -> str:
    """Write rows as a file of a carrier's own: other headings, decimal commas."""
    path = folder / f"{day}.csv"
    with path.open("w", encoding="utf-8", newline="") as stream:
        sheet = csv.writer(stream, delimiter=";")
        sheet.writerow((day, "Depot", "Size", "Pakete", "Weight", "Waiting", "Senders", "Charge"))
        for row in rows:
            when = row.day.isoformat() if day == "day" else f"{row.day:%Y-%m}"
            figures = [
                str(value).replace(".", ",") for name, value in row.told().items() if name not in ("depot", "size")
            ]
            sheet.writerow((when, row.depot.replace("=", "'="), row.size.upper(), *figures))
    return str(path)


def test_files_fill_what_the_feed_lacks_and_months_give_what_never_adds_up(live, tmp_path):
    connected(live)
    run(live, "add-files", HIVE, "by hand", "--kind", "parcels")
    lost = [row for row in ROWS if row.day == LOST]
    seen = run(live, "import", "2", written(tmp_path, lost), "--dry")
    assert "parcels" in seen and str(len(lost)) in seen
    run(live, "import", "2", written(tmp_path, lost))
    with live.client() as noctilum:
        window = f"{LOST}/{LOST}"
        found = noctilum.read("parcels", HIVE, window=window, against="none", size="large", source=2)
        assert {row.key for row in found.rows} == {row.depot for row in lost if row.size == "large"}
        for row in found.rows:
            near(row.now, expected([r for r in lost if (r.depot, r.size) == (row.key, "large")], LOST))

    bad = tmp_path / "bad.csv"
    bad.write_text("day,depot,parcels,weight,waiting,senders,charge\n2026-01-14,Quay,3,,1,1,0.999\n")
    said = run(live, "import", "2", str(bad), "--strict", code=2)
    assert "the weight is missing" in said or "1/100" in said, said
    search = tmp_path / "search.csv"
    search.write_text("day,query,clicks,impressions,position\n2026-01-14,ferry,1,2,3\n")
    assert "this source counts parcels" in run(live, "import", "2", str(search), code=2)

    # a month that the carrier counted as one: there senders are known, and only there
    month = [Row(date(2025, 12, 1), depot, "small", 10, 25_000, 3, 7, 990) for depot in ("Ferry Quay", "Mill Lane")]
    run(live, "import", "2", written(tmp_path, month, "month"), "--monthly")
    with live.client() as noctilum:
        found = noctilum.read("parcels", HIVE, window="2025-12", against="none", source=2)
        assert {row.key: row.now.senders for row in found.rows} == {"Ferry Quay": 7, "Mill Lane": 7}
        found = noctilum.read("parcels", HIVE, window="2025-12-01/2025-12-30", against="none")
        assert {row.now.senders for row in found.rows} == {None}


def test_parcels_are_reconciled_verified_and_handed_over(live, tmp_path):
    connected(live)
    (source,) = json.loads(run(live, "reconcile", HIVE, "--window", f"{AGO}/{NEWEST}", "--output", "json"))["sources"]
    (grain,) = source["grains"]
    wanted = expected(held(AGO, NEWEST), NEWEST)
    near(grain["figures"], {name: wanted[name] for name in ("parcels", "weight", "charge")})
    ledger = opened(live.client()).read("ledger", HIVE, grain="parcels")
    day = next(each for each in ledger.days if each.day == NEWEST)
    mine = [row for row in ROWS if row.day == NEWEST]
    near(day.figures, {k: v for k, v in expected(mine, NEWEST).items() if k != "senders"})
    assert ledger.provisional == 2 and next(d for d in ledger.days if d.day == LOST).state == "missing"
    assert "every row is as it was written" in run(live, "verify", "--data", str(live.data))

    made = Install(Settings(live.data, inside_hosts=INSIDE))
    digest = made.history(1).digest()
    asked = Question("parcels", FIRST, LAST, ("depot",))
    sums = made.history(1).read(asked).totals
    made.close()
    file = tmp_path / "handed.zip"
    run(live, "hand-over", HIVE, "--to", str(file))
    other, token = installed(tmp_path / "other")
    with served(other, token) as there:
        run(there, "hand-over", str(file), "--in")
        assert other.history(1).digest() == digest
        assert other.history(1).read(asked).totals == sums
        found = opened(there.client()).read("parcels", HIVE)
        near(found.total.now, expected(held(AGO, NEWEST), NEWEST) | {"senders": None})
    other.close()

    # an install that knows nothing of parcels says so, and takes nothing in
    with pytest.MonkeyPatch.context() as patched:
        patched.setattr(DATASETS, "_known", {name: DATASETS[name] for name in DATASETS if "parcels" not in name})
        patched.setattr(DATASETS, "_declared", DATASETS.of_kind("search"))
        strange, token = installed(tmp_path / "strange")
        with served(strange, token) as there:
            assert "sources.0.kind" in run(there, "hand-over", str(file), "--in", code=2)
            assert opened(there.client()).sites() == []
        strange.close()


def test_search_reads_as_before_beside_parcels(install, pulled, known):
    token = people.new_token(
        install, people.add_user(install, "Ines", "i@l.example", "lanterns over the quay", NOW).id, "t", NOW
    )
    with serving(feed()) as url, served(install, token) as live:
        live.feed = url
        before = opened(live.client()).breakdown(HIVE, "page").model_dump(exclude={"generation"})
        connect(live, 2)
        assert opened(live.client()).breakdown(HIVE, "page").model_dump(exclude={"generation"}) == before
        report = opened(live.client()).report(HIVE, format="html", also=["parcels"]).decode()
        assert ">Ferry Quay<" in report and "weight" in report
        assert opened(live.client()).reconcile(HIVE).sources[1].grains[0].grain == "parcels"
