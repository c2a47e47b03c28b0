"""Operating: backup while pulling, restore, hand-over, export, erasing, retention, doctor, settings, metrics."""

import csv
import io
import json
import sqlite3
import threading
import zipfile
from contextlib import closing
from datetime import date, timedelta

import duckdb
import openpyxl
import pyarrow.parquet as pq
import pytest
from pydantic import ValidationError
from tests.conftest import NOW, TODAY
from tests.running import OF_BESIDE

from noctilum.actions import (
    alert_rules,
    backup,
    competitors,
    dated_notes,
    erase,
    export,
    export_jobs,
    grids,
    handover,
    integrity,
    keywords,
    metrics,
    nightly,
    presenters,
    queue,
    reports,
    sets,
    setup,
    slots,
    tables,
    targets,
    templates,
    trials,
    worklist,
)
from noctilum.actions.doctor import examine
from noctilum.actions.find import find_site
from noctilum.actions.install import Install, Settings
from noctilum.actions.pull import pull
from noctilum.actions.settings import listed, settings_from
from noctilum.actions.site_access import open_site
from noctilum.core.errors import Clash, Nonsense, NotThere, Stopped, StoreFault
from noctilum.history import Question
from noctilum.readings.breakdown import Page, breakdown
from noctilum.readings.fading import fading
from noctilum.readings.frame import Asked
from noctilum.readings.rows_of import Slice
from noctilum.readings.timeline import timeline
from noctilum.records.database import Records
from noctilum.records.models import Site, Slot
from noctilum.wire import operating as wire
from noctilum.wire import setup as setup_wire
from noctilum.wire.alert_rules import AlertRulesQuery, NewAlertRule
from noctilum.wire.catalogue import READINGS
from noctilum.wire.competitors import CompetitorsQuery, NewCompetitor
from noctilum.wire.grids import GridsQuery, NewGrid
from noctilum.wire.keywords import NewKeyword
from noctilum.wire.noted import NewNote, NewSet
from noctilum.wire.questions import choices
from noctilum.wire.reports import NewReport, NewTemplate, ReportsQuery, TemplatesQuery
from noctilum.wire.targets import NewTarget, TargetsQuery
from noctilum.wire.trials import LogLine, NewTrial, TrialsQuery
from noctilum.wire.work import NewWork, WorkQuery

KEY = "blog.hivewright.example"

PHRASE = "seven lamps along the lane"


def run(install, source):
    return pull(install, source, origin="pull 1", clock=lambda: NOW, report=lambda _: True)


def opened(folder) -> Install:
    found = Install(Settings(folder, inside_hosts="127.0.0.1"))
    found.prepare()
    return found


@pytest.mark.parametrize("single", [True, False])
def test_a_backup_taken_during_a_pull_restores_to_whole_days_and_a_pull_goes_on_from_there(
    install, source, feed, tmp_path, single
):
    feed.control(slow_ms=10)
    install.history(1, create=True)
    thread = threading.Thread(target=run, args=(install, source))
    thread.start()
    while len(install.history(1).ledger()) < 40:
        pass
    made = backup.back_up(install, tmp_path / "backups", NOW, single_file=single, keys=True, passphrase=PHRASE)
    thread.join()
    feed.calm()
    backup.restore(made, tmp_path / "again", NOW, passphrase=PHRASE)
    with closing(opened(tmp_path / "again")) as other:
        ledger = other.history(1).ledger()
        assert 40 <= len(ledger) < 68 * 5
        assert len(ledger) == 5 * len({row.day for row in ledger})
        assert other.history(1).verify() == []
        run(other, source)
        assert other.history(1).digest() == install.history(1).digest()


def test_a_restored_install_reads_the_same_and_knows_its_secrets(install, pulled, tmp_path):
    made = backup.back_up(install, tmp_path / "b", NOW, keys=True, passphrase=PHRASE)
    manifest, aside = backup.restore(made, tmp_path / "new", NOW, passphrase=PHRASE)
    assert (manifest.keys, aside) == (True, None)
    with closing(opened(tmp_path / "new")) as other:
        assert other.history(1).digest() == install.history(1).digest()
        assert run(other, pulled).days == 0


def test_restoring_over_an_install_is_refused_or_moves_it_aside(install, pulled, tmp_path):
    made = backup.back_up(install, tmp_path / "b", NOW)
    target = install.settings.data
    install.close()
    with pytest.raises(Clash, match="holds an install already"):
        backup.restore(made, target, NOW)
    _, aside = backup.restore(made, target, NOW, replace=True)
    assert (aside / "records.db").exists()
    assert (target / "records.db").exists()


def test_the_newest_backup_before_a_moment_is_chosen_and_old_ones_are_let_go(install, site, tmp_path):
    moments = [NOW + timedelta(days=n) for n in range(4)]
    made = [backup.back_up(install, tmp_path, moment) for moment in moments]
    assert backup.choose(tmp_path, moments[2] + timedelta(hours=1)) == made[2]
    assert backup.choose(tmp_path, None) == made[3]
    with pytest.raises(NotThere, match="no backup from before"):
        backup.choose(tmp_path, NOW - timedelta(days=1))
    assert backup.prune(tmp_path, 2) == made[:2]
    assert [path for _, path in backup.backups(tmp_path)] == made[2:]


def test_a_backup_that_was_damaged_is_not_restored(install, pulled, tmp_path):
    made = backup.back_up(install, tmp_path / "b", NOW)
    with (made / "history" / "1.db").open("r+b") as stream:
        stream.seek(9000)
        stream.write(b"spilled ink")
    with pytest.raises(StoreFault, match=r"1\.db .* is not what was backed up"):
        backup.restore(made, tmp_path / "new", NOW)
    assert not (tmp_path / "new").exists()


def test_a_hand_over_read_elsewhere_gives_identical_readings(install, pulled, tmp_path):
    path = handover.hand_over(install, KEY, tmp_path, NOW)
    with closing(opened(tmp_path / "other")) as other:
        client = setup.add_client(other, setup_wire.NewClient(name="Somebody else"), NOW)
        setup.add_site(other, client, setup_wire.NewSite(host="first.example"), NOW)
        setup.add_file_source(other, "first.example", setup_wire.NewFileSource(label="x"), NOW)
        found = handover.bring_in(other, path, NOW)
        assert (found.client, found.site, found.sources, found.locked) == ("hivewright", KEY, {1: 2}, (2,))
        asked = Asked(KEY)
        here, there = open_site(install, KEY), open_site(other, KEY)
        for dimension in ("query", "page", "country"):
            one, two = (breakdown(o.holding, asked, dimension, Page("", "clicks", 50, 0)) for o in (here, there))
            assert one.model_dump(exclude={"generation"}) == two.model_dump(exclude={"generation"})
        assert timeline(here.holding, asked, "day").points == timeline(there.holding, asked, "day").points
        assert presenters.source(other, 2).state == "broken"
        setup.change_source(other, 2, setup_wire.SourceChange.model_validate({"secret": "lamp-oil"}), NOW)
        assert run(other, 2).days == 0
        with pytest.raises(Clash, match="belongs to Hivewright already"):
            handover.bring_in(other, path, NOW)


def test_a_hand_over_takes_sets_and_notes_along_once(install, pulled, tmp_path):
    mine, agency = {"name": "Guides", "item": "page"}, {"name": "Long", "item": "query"}
    sets.added(install, NewSet(rule='path starts "/"', client="hivewright", **mine), NOW)
    sets.added(install, NewSet(rule="words >= 4", **agency), NOW)
    day = {"first": TODAY - timedelta(30), "text": "Menu redone"}
    dated_notes.add_note(install, NewNote(site=KEY, page="/guides/winter-hive", **day), NOW)
    dated_notes.add_note(install, NewNote(client="hivewright", **day), NOW)
    dated_notes.add_note(install, NewNote(kind="engine update", **day), NOW)
    path = handover.hand_over(install, KEY, tmp_path, NOW)
    with closing(opened(tmp_path / "other")) as other:
        owner = setup.add_client(other, setup_wire.NewClient(name="Hivewright"), NOW)
        sets.added(other, NewSet(rule="words >= 9", client=owner, **agency), NOW)
        dated_notes.add_note(other, NewNote(client=owner, **day), NOW)
        handover.bring_in(other, path, NOW)
        rules = {found.name: found.rule for found in sets.list_sets(other, owner)}
        assert rules == {"Guides": 'path starts "/"', "Long": "words >= 9"}
        notes = dated_notes.list_notes(other, KEY)
        assert sorted((note.page or "", note.site or "") for note in notes) == [("", ""), ("/guides/winter-hive", KEY)]
        asked = Asked(KEY, filter='set "Guides"', against="none")
        there = timeline(open_site(other, KEY).holding, asked, "day").now
    assert there == timeline(open_site(install, KEY).holding, asked, "day").now
    assert there.clicks > 0


def test_a_hand_over_takes_keywords_competitors_and_grids_along_once(install, pulled, tmp_path):
    told = {"site": KEY, "cpc": 1.25, "volume": 900, "tags": ["core"], "page": "/guides/winter-hive", "weight": 4}
    keywords.added(install, NewKeyword(term="Winter  hive", pinned=True, place="Brackwater", **told), NOW)
    competitors.added(install, NewCompetitor(site=KEY, domain="waxworks.example", label="Wax Works"), NOW)
    middle = {"label": "Shop", "term": "bee shop", "latitude": 51, "longitude": -2.5, "size": 3}
    grids.added(install, NewGrid(site=KEY, **middle), NOW)
    path = handover.hand_over(install, KEY, tmp_path, NOW)
    twice = rewritten(path, tmp_path / "twice.zip", lambda given: given["keywords"].extend(given["keywords"]))
    with closing(opened(tmp_path / "other")) as other:
        handover.bring_in(other, twice, NOW)
        for asked in (
            lambda of: keywords.keywords_of(of, KEY),
            lambda of: competitors.listed(of, CompetitorsQuery(site=KEY)),
            lambda of: grids.listed(of, GridsQuery(site=KEY)),
        ):
            assert [found.model_dump() for found in asked(other)] == [found.model_dump() for found in asked(install)]
            assert len(asked(other)) == 1


def test_a_hand_over_takes_work_with_its_notes_and_trials_along(install, pulled, tmp_path):
    told = {"site": KEY, "of": "page", "todo": "Refresh it", "kind": "refresh"}
    day = date(2026, 3, 2)
    done = worklist.added(install, NewWork(**told, key="/guides/winter-hive", state="done", done_on=day), NOW)
    worklist.added(install, NewWork(**told, key="/a", due=date(2026, 4, 1), why="fading"), NOW)
    worklist.added(install, NewWork(**told, key="/b", state="dropped", reason="no"), NOW)
    given = {"treated": ["/a"], "control": ["/b"], "starts": day, "log": [LogLine(day=day, text="went live")]}
    trials.added(install, NewTrial(site=KEY, name="Titles", **given), NOW)
    aim = {"value": 1200.5, "by": date(2026, 6, 30), "starts": day, "filter": 'path has "a"'}
    targets.added(install, NewTarget(site=KEY, name="By summer", **aim), NOW)
    path = handover.hand_over(install, KEY, tmp_path, NOW)
    with closing(opened(tmp_path / "other")) as other:
        handover.bring_in(other, path, NOW)
        here, there = (worklist.listed(of, WorkQuery()) for of in (install, other))
        left = {"note", "client"}
        assert [each.model_dump(exclude=left) for each in there] == [each.model_dump(exclude=left) for each in here]
        (kept,) = trials.listed(other, TrialsQuery())
        assert kept == trials.listed(install, TrialsQuery())[0]
        left |= {"tag"}
        (aimed,), (was,) = (targets.listed(of, TargetsQuery()) for of in (other, install))
        assert aimed.model_dump(exclude=left) == was.model_dump(exclude=left)
        (note,) = dated_notes.list_notes(other, KEY)
        assert (note.first, note.page, note.text) == (day, "/guides/winter-hive", "Refresh it")
        assert {each.note for each in there if each.state == "done"} == {note.id}
    assert done.baseline is not None


def test_a_hand_over_takes_reports_along_that_send_nothing_by_themselves(install, pulled, tmp_path):
    body = {"window": "P28D", "blocks": [{"kind": "headline"}, {"kind": "top-pages", "limit": 7}]}
    made = templates.added(install, NewTemplate(name="House", about="ours", body=body), NOW)
    own = {**body, "blocks": [*body["blocks"], {"kind": "bands"}]}
    told = {"site": KEY, "template": "House", "schedule": "monthly on 1 at 07:00", "weekend": "next"}
    told |= {"recipients": [{"email": "iris@hivewright.example", "name": "Iris"}], "attach": ["pdf", "xlsx"]}
    reports.added(install, NewReport(name="As the house has it", **told), NOW)
    reports.added(install, NewReport(name="Its own", body=own, language="de", **told), NOW)
    reports.added(install, NewReport(name="Shipped", **{**told, "template": shipped_first(install)}), NOW)
    rule = {
        "reading": "fading",
        "condition": "clicks_change < -10",
        "asked": {"item": "page"},
        "window": "P28D",
        "key": "key",
    }
    alert_rules.added(install, NewAlertRule(name="ours", sites=[KEY], **rule), NOW)
    alert_rules.added(install, NewAlertRule(name="everybody's", **rule), NOW)
    path = handover.hand_over(install, KEY, tmp_path, NOW)
    with closing(opened(tmp_path / "other")) as other:
        templates.keep_shipped(other, NOW)
        handover.bring_in(other, path, NOW)
        here, there = (reports.listed(of, ReportsQuery(site=KEY)) for of in (install, other))
        left = {"tag", "id", "paused"}
        assert [each.model_dump(exclude=left) for each in there] == [each.model_dump(exclude=left) for each in here]
        assert [each.paused for each in there] == [True] * 3
        assert [each.changed for each in there] == [each.changed for each in here] == [False, True, False]
        (house,) = templates.listed(other, TemplatesQuery(find="House"))
        assert (house.body, house.about, house.shipped) == (made.body, "ours", False)
        assert [(each.name, each.sites) for each in alert_rules.listed(other, AlertRulesQuery())] == [("ours", [KEY])]
        slots.tick(other, NOW + timedelta(days=70))
        with other.records.read() as db:
            assert db.query(Slot).count() == 0


def shipped_first(install) -> str:
    templates.keep_shipped(install, NOW)
    return next(each.name for each in templates.listed(install, TemplatesQuery()) if each.shipped)


def rewritten(path, to, change):
    """Write a hand-over file again with its manifest changed; returns where."""
    with zipfile.ZipFile(path) as archive, zipfile.ZipFile(to, "w") as written:
        for name in archive.namelist():
            content = archive.read(name)
            if name == "manifest.json":
                manifest = json.loads(content)
                change(manifest)
                content = json.dumps(manifest).encode()
            written.writestr(name, content)
    return to


@pytest.mark.parametrize("cell", [float("nan"), float("inf"), 10**400, "x" * 40_000, ["a"]])
def test_a_table_with_a_cell_that_no_sheet_holds_is_refused(cell):
    with pytest.raises(ValidationError):
        wire.AskTable.model_validate({"name": "t", "cells": [["head"], [cell]]})


def test_a_table_is_written_with_texts_as_texts():
    asked = wire.AskTable(name="t", cells=[["a", "b"], ["=1+1", 2], [None, 2.5], ["https://x.example"]])
    sheet = openpyxl.load_workbook(io.BytesIO(tables.as_xlsx(asked))).active
    rows = [[cell.value for cell in row] for row in sheet.iter_rows()]
    assert rows == [["a", "b"], ["=1+1", 2], [None, 2.5], ["https://x.example", None]]
    assert sheet["A2"].data_type == "s"


def test_a_hand_over_holds_no_secret_and_a_changed_one_is_refused_whole(install, pulled, tmp_path):
    path = handover.hand_over(install, KEY, tmp_path, NOW)
    with zipfile.ZipFile(path) as archive:
        manifest = json.loads(archive.read("manifest.json"))
        history = archive.read("history.db")
    assert "lamp-oil" not in json.dumps(manifest)
    assert "sealed_secret" not in manifest["sources"][0]
    with zipfile.ZipFile(tmp_path / "bad.zip", "w") as archive:
        archive.writestr("manifest.json", json.dumps(manifest))
        archive.writestr("history.db", history[:9000] + b"spilled" + history[9007:])
    with closing(opened(tmp_path / "other")) as other:
        for name, said in (("bad.zip", "not what was handed over"), ("none.zip", "no file")):
            with pytest.raises(Exception, match=said):
                handover.bring_in(other, tmp_path / name, NOW)
        assert presenters.sites(other) == []
        assert other.history_numbers() == []


def truth_rows(install, grain):
    question = Question(grain, date(2020, 1, 1), date(2030, 1, 1))
    found = install.history(1).read(question).sums
    return found.clicks, found.impressions


@pytest.mark.parametrize("form", export.FORMATS)
def test_an_export_of_days_holds_every_row_in_every_format(install, pulled, tmp_path, form):
    path = tmp_path / f"out{export.ending(form)}"
    told = []
    window = f"{TODAY - timedelta(69)}/{TODAY - timedelta(5)}"
    done = export.export_days(open_site(install, KEY), "query", window, form, path, lambda p: told.append(p) or True)
    rows = READERS[form](path)
    assert len(rows) == done.rows == told[-1].rows
    states = install.history(1).states([pulled], "query")
    days = sorted(day for day in states if TODAY - timedelta(69) <= day <= TODAY - timedelta(5))
    found = install.history(1).read(Question("query", days[0], days[-1])).sums
    assert sum(int(row["clicks"]) for row in rows) == found.clicks
    assert sum(int(row["impressions"]) for row in rows) == found.impressions
    weighted = sum(float(row["position"]) * int(row["impressions"]) for row in rows)
    assert weighted == pytest.approx(found.position_milli / 1000)
    assert {str(row["day"])[:10] for row in rows} == {str(day) for day in days}
    assert list(tmp_path.glob("*.partial")) == []


def test_days_as_parquet_are_one_file_or_a_zip_by_month_where_that_is_asked(install, pulled, tmp_path):
    window = f"{TODAY - timedelta(69)}/{TODAY - timedelta(5)}"
    whole, parts = tmp_path / "out.parquet", tmp_path / "out.parquet.zip"
    for path, split in ((whole, "none"), (parts, "month")):
        export.export_days(open_site(install, KEY), "page", window, "parquet", path, lambda _: True, split=split)
    with zipfile.ZipFile(parts) as archive:
        assert all(name.startswith("month=20") for name in archive.namelist())
        assert len(archive.namelist()) == 3
        apart = [r for name in archive.namelist() for r in pq.read_table(io.BytesIO(archive.read(name))).to_pylist()]
    assert apart == pq.read_table(whole).to_pylist()
    assert duckdb.sql(f"select sum(clicks), min(day) from '{whole}'").fetchall()[0] == (
        sum(row["clicks"] for row in apart),
        min(row["day"] for row in apart),
    )


def read_sheets(path):
    book = openpyxl.load_workbook(path, read_only=True)
    out = []
    for sheet in book:
        head, *rows = sheet.iter_rows(values_only=True)
        out += [dict(zip(head, row, strict=True)) for row in rows]
    return out


READERS = {
    "csv": lambda path: list(csv.DictReader(io.StringIO(path.read_text(), newline=""))),
    "ndjson": lambda path: [json.loads(line) for line in path.read_text().splitlines()],
    "parquet": lambda path: pq.read_table(path).to_pylist(),
    "xlsx": read_sheets,
}


EVERY = [
    (spec.name, by)
    for spec in READINGS
    if spec.name not in ("cross", "day", "note-effect", "ranks", "listings", "features", "citations")
    and spec.name not in ("trial", "trial-plan", "target")  # of one trial or target, or of what would be treated
    and spec.name not in OF_BESIDE  # nothing of the kind is held here
    and spec.group != "Ranks"
    for by in (*(choices(spec.question.model_fields[spec.by[0]].annotation) if spec.by else [""]), *spec.tables)
]


@pytest.mark.parametrize(("what", "by"), [*EVERY, ("cross", "query,device"), ("cross", "page,band"), ("breakdown", "")])
def test_any_reading_can_be_exported_whole(install, pulled, what, by):
    if by == "look":
        pytest.skip("no looks are held here")
    where = {by: first_key(install, by)} if what == "life" else {}
    asked = wire.AskExport(what=what, by=by, format="csv", where=where)
    job = export_jobs.queue_export(install, KEY, asked, NOW)
    given = queue.get(install, job).arguments
    done = export_jobs.run(install, job, given, lambda _: True, NOW)
    rows = READERS["csv"](export_jobs.product(install, job))
    assert len(rows) == done["rows"]
    if what in ("breakdown", "timeline", "ledger", "cross", "fading", "drivers", "bands", "life", "weekdays"):
        assert rows
    if (what, asked.goes_by) == ("breakdown", "query"):
        found = breakdown(open_site(install, KEY).holding, Asked(KEY), "query", Page("", "clicks", 5, 0))
        assert len(rows) == found.matching
        assert (rows[0]["query"], int(rows[0]["clicks"])) == (found.rows[0].key, found.rows[0].now.clicks)
    if what == "fading" and by != "verdict":
        judged = fading(open_site(install, KEY).holding, Asked(KEY), by, (), Slice(1, 0))
        assert len(rows) == sum(each.rows for each in judged.verdicts)


def test_a_breakdown_is_exported_in_the_order_asked_for(install, pulled):
    asked = wire.AskExport(what="breakdown", by="query", sort="-impressions")
    job = export_jobs.queue_export(install, KEY, asked, NOW)
    export_jobs.run(install, job, queue.get(install, job).arguments, lambda _: True, NOW)
    shown = [int(row["impressions"]) for row in READERS["csv"](export_jobs.product(install, job))]
    assert shown == sorted(shown)
    assert shown[0] < shown[-1]


def first_key(install, dimension):
    return breakdown(open_site(install, KEY).holding, Asked(KEY), dimension, Page("", "clicks", 1, 0)).rows[0].key


@pytest.mark.parametrize(
    "asked",
    [{"what": "cross", "by": "query,query"}, {"what": "life"}, {"what": "fading", "by": "country"}, {"what": "luck"}],
)
def test_an_export_that_makes_no_sense_is_refused_before_it_is_queued(asked):
    with pytest.raises(ValidationError):
        wire.AskExport.model_validate(asked)


def test_an_export_that_is_stopped_or_fails_leaves_no_file(install, pulled, tmp_path):
    site = open_site(install, KEY)
    with pytest.raises(Stopped, match="stopped"):
        export.export_days(site, "pair", "P28D", "csv", tmp_path / "x.csv", lambda _: False)
    (tmp_path / "file").write_text("")
    with pytest.raises(StoreFault, match="could not be written"):
        export.export_days(site, "pair", "P28D", "csv", tmp_path / "file" / "x.csv", lambda _: True)
    assert {path.name for path in tmp_path.iterdir()} == {"install", "file"}


def test_erasing_a_client_takes_everything_of_it_and_says_how_much(install, pulled):
    secret_words = b"hivewright"
    path = install.history_path(1)
    lines = install.history(1).ledger()
    with pytest.raises(Nonsense, match="has to be confirmed"):
        erase.erase_client(install, "hivewright", "yes", "Ines", NOW)
    went = erase.erase_client(install, "hivewright", "hivewright", "Ines", NOW)
    (site,) = went["sites"]
    assert (site["days"], site["rows"]) == (68, sum(line.rows for line in lines))
    assert not path.exists()
    assert presenters.clients(install) == presenters.sources(install) == []
    (noted,) = erase.erasures(install)
    assert (noted.who, noted.what) == ("Ines", "client Hivewright")
    install.records.close()
    left = b"".join(p.read_bytes() for p in install.settings.data.glob("records.db*"))
    assert b"blog.hivewright.example/x" not in left
    assert left.count(secret_words) <= 1 + left.count(b'"site": "blog.hivewright.example"')


def test_what_is_set_up_after_an_erasure_is_not_taken_for_what_went(install, pulled):
    elsewhere = opened(install.settings.data)
    assert elsewhere.history(1).ledger()
    erase.erase_client(install, "hivewright", "hivewright", "Ines", NOW)
    setup.add_client(install, setup_wire.NewClient(name="Brinepot"), NOW)
    setup.add_site(install, "brinepot", setup_wire.NewSite(host="brinepot.example"), NOW)
    setup.add_file_source(install, "brinepot.example", setup_wire.NewFileSource(label="sheets"), NOW)
    (found,) = presenters.sources(elsewhere)
    assert found.id > pulled
    assert found.days_held == 0
    with install.records.read() as db:
        assert find_site(db, "brinepot.example").id == 2
    with pytest.raises(NotThere):
        elsewhere.history(1)
    elsewhere.close()


def test_records_of_the_shape_before_keep_every_row(tmp_path):
    records = Records(tmp_path / "records.db")
    records.migrate("0002")
    with sqlite3.connect(records.path) as raw:
        raw.execute(
            "insert into client (id, key, name, language, time_zone, currency, colour, accent, created_at)"
            " values (7, 'brinepot', 'Brinepot', 'en', 'UTC', 'EUR', '#000000', '#000000', '2026-01-01')"
        )
        raw.execute(
            "insert into site (id, key, host, client_id, brand_terms, created_at)"
            " values (9, 'brinepot.example', 'brinepot.example', 7, '', '2026-01-01')"
        )
    raw.close()
    records.migrate()
    with records.begin() as db:
        assert find_site(db, "brinepot.example").client.key == "brinepot"
        db.add(Site(key="a.example", host="a.example", client_id=7, created_at=NOW))
        db.flush()
        db.delete(find_site(db, "a.example"))
    with records.begin() as db:
        db.add(Site(key="b.example", host="b.example", client_id=7, created_at=NOW))
        db.flush()
        assert find_site(db, "b.example").id == 11
    records.close()


def test_erasing_waits_for_whoever_works_on_it(install, pulled):
    queue.put(install, "pull", {"source": pulled}, NOW)
    queue.take(install, "w", NOW)
    with pytest.raises(Clash, match="is working on it"):
        erase.erase_site(install, KEY, KEY, "Ines", NOW)
    assert presenters.source(install, pulled).days_held > 0


def test_erasing_a_source_leaves_the_sites_others(install, pulled):
    other = setup.add_file_source(install, KEY, setup_wire.NewFileSource(label="x", engine="Orrery"), NOW)
    before = truth_rows(install, "site")
    erase.erase_source(install, other, str(other), "Ines", NOW)
    assert truth_rows(install, "site") == before
    erase.erase_source(install, pulled, str(pulled), "Ines", NOW)
    assert truth_rows(install, "site") == (0, 0)


def test_only_what_the_agency_says_is_let_go_and_stays_gone(install, pulled):
    assert integrity.retain(install, TODAY) == {}
    setup.change_client(install, "hivewright", wire.ClientChange(keep_months=1))
    assert integrity.retain(install, TODAY)[KEY] > 20
    assert min(row.day for row in install.history(1).ledger()) == date(2026, 2, 1)
    assert run(install, pulled).days == 0
    assert integrity.retain(install, TODAY) == {}


def test_the_night_makes_a_backup_once_and_only_after_its_hour(install, tmp_path):
    night = Install(Settings(install.settings.data, backup_to=tmp_path / "b", backup_at="03:00"))
    nightly.tick(night, NOW.replace(hour=2))
    assert queue.active(night) == []
    nightly.tick(night, NOW.replace(hour=3, minute=1))
    nightly.tick(night, NOW.replace(hour=23))
    assert [job.name for job in queue.active(night)] == ["backup", "alerts"]
    night.close()


def test_damage_that_a_pull_can_mend_is_mended_by_one(install, pulled, feed):
    digest = install.history(1).digest()
    with install.history(1)._writing() as db:
        db.exec_driver_sql("update block set data = zeroblob(8) where segment_id in (select max(id) from segment)")
    found = integrity.verify(install)
    assert found.findings[0].remedy.startswith("verify --repair takes it out and pulls it again")
    mended = integrity.repair(install, found, NOW)
    assert mended.taken_out > 0
    assert len(mended.pulls) == 1
    run(install, pulled)
    assert integrity.verify(install).findings == ()
    assert install.history(1).digest() == digest


def test_the_doctor_finds_what_is_wrong_and_says_what_to_do(install, pulled):
    seen = {each.what: each for each in examine(install, NOW)}
    assert seen["records"].state == seen["disk"].state == seen["keys"].state == "well"
    assert seen["worker"].state == "watch"
    assert seen[f"source {pulled}"].state in ("well", "watch")
    (install.settings.data / "keys" / "secrets").chmod(0o644)
    (install.settings.data / "history" / "77.db").write_bytes(install.history_path(1).read_bytes())
    install.let_go(1)
    install.history_path(1).write_bytes(b"not a database" * 900)
    found = {(each.what, each.state): each for each in examine(install, NOW)}
    assert "chmod 600" in found["keys", "wrong"].remedy
    assert found["histories", "watch"].text == "77.db belongs to no site"
    assert any(state == "wrong" and "not a database" in each.text for (_, state), each in found.items())


def test_settings_come_from_file_environment_and_command_line_in_that_order(tmp_path):
    (tmp_path / "noctilum.toml").write_text("# ours\nport = 9001\nweb_threads = 2\nagency = 'Tallow Lane'\n")
    found = settings_from({"NOCTILUM_DATA": str(tmp_path), "NOCTILUM_WEB_THREADS": "7"}, port=9009)
    assert (found.port, found.web_threads, found.agency, found.web_workers) == (9009, 7, "Tallow Lane", 2)
    places = {each.name: each.comes_from for each in listed({"NOCTILUM_WEB_THREADS": "7"}, data=tmp_path)}
    assert places["port"] == f"{tmp_path}/noctilum.toml line 2"
    assert (places["web_threads"], places["https"]) == ("NOCTILUM_WEB_THREADS", "usual")


@pytest.mark.parametrize(
    ("text", "environment", "where", "said"),
    [
        ("\nport = 'high'\n", {}, "line 2", "port is 'high'"),
        ("colour = 1\n", {}, "line 1", "no setting 'colour'"),
        ("port = \n", {}, "noctilum.toml", "cannot be read"),
        ("data = 'x'\n", {}, "line 1", "inside it"),
        ("", {"NOCTILUM_WEB_WORKERS": "0"}, "NOCTILUM_WEB_WORKERS", "greater than or equal to 1"),
        ("", {"NOCTILUM_BACKUP_AT": "25:00"}, "NOCTILUM_BACKUP_AT", "backup_at is '25:00'"),
        ("", {"NOCTILUM_CONFIG": "/nowhere.toml"}, "NOCTILUM_CONFIG", "no settings file"),
    ],
)
def test_a_setting_that_cannot_be_used_names_its_line_or_variable(tmp_path, text, environment, where, said):
    (tmp_path / "noctilum.toml").write_text(text)
    with pytest.raises(Nonsense) as caught:
        settings_from(environment, data=tmp_path)
    assert where in caught.value.where
    assert said in caught.value.what


def test_metrics_are_openmetrics_and_say_what_is_held(install, pulled):
    text = metrics.collected(install, NOW).decode()
    assert text.endswith("# EOF\n")
    assert f'noctilum_source_days_held{{site="{KEY}",source="{pulled}"}} 65.0' in text
    assert f'noctilum_source_broken{{site="{KEY}",source="{pulled}"}} 0.0' in text
    assert f'noctilum_history_bytes{{site="{KEY}"}}' in text
