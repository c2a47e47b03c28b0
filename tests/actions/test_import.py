"""Bringing files in: exactly the good rows, each day once, whatever is imported again or was pulled before."""

import csv
import os
import random
import time
from datetime import date, timedelta

import pytest
from tests.conftest import NOW, SMALL, TODAY

from noctilum.actions import files, imports, presenters, queue, setup
from noctilum.actions.imports import Choice, import_files
from noctilum.actions.pull import pull
from noctilum.actions.read import read
from noctilum.actions.site_access import open_site
from noctilum.core.errors import Nonsense
from noctilum.demo.files import write_month_files
from noctilum.history import Question
from noctilum.jobs.worker import Worker
from noctilum.readings.breakdown import Page, breakdown
from noctilum.readings.frame import Asked
from noctilum.readings.timeline import timeline
from noctilum.sources.files.mapping import Mapping
from noctilum.wire import imports as wire
from noctilum.wire import setup as setup_wire

BLOG = "blog.hivewright.example"
HEAD = "day,query,country,device,kind,clicks,impressions,position\n"
FIRST = date(2024, 1, 1)


@pytest.fixture
def exports(install, site) -> int:
    asked = setup_wire.NewFileSource(label="old exports", engine="Quillon")
    return setup.add_file_source(install, site, asked, NOW)


def rows_of(days: int, each: int = 20, seed: int = 1) -> list[list[str]]:
    rng = random.Random(seed)
    found = []
    for n in range(days):
        day = str(FIRST + timedelta(n))
        for q in range(each):
            shown = rng.randint(1, 90)
            place = f"{rng.randint(shown, 30 * shown) / shown:.6f}"
            clicks = str(rng.randint(0, shown))
            found.append([day, f"query {q}", rng.choice(["NO", "DE"]), "mobile", "web", clicks, str(shown), place])
    return found


def write(path, rows) -> object:
    path.write_text(HEAD + "".join(",".join(row) + "\n" for row in rows))
    return path


def bring(install, source, *paths, **more):
    choice = Choice(**{k: more.pop(k) for k in ("strict", "dry", "over", "mapping") if k in more})
    return import_files(install, source, list(paths), lambda: NOW, choice, **more)


def sums(install):
    found = install.history(1).read(Question("query", FIRST, FIRST + timedelta(400))).sums
    return found.clicks, found.impressions


def test_a_thousand_planted_faults_are_named_and_every_other_row_lands(install, exports, tmp_path):
    rows = rows_of(60)
    rng = random.Random(7)
    bad = set(rng.sample(range(len(rows)), 1000))
    spoiled = [
        lambda r: ["31/31/2024", *r[1:]], lambda r: [*r[:5], "x", *r[6:]], lambda r: [*r[:5], "999", *r[6:]],
        lambda r: [*r[:7], "0.5"], lambda r: [*r[:7], ""], lambda r: r[:5], lambda r: [*r, "more"],
        lambda r: [r[0], "", *r[2:]], lambda r: [*r[:2], "Nowhere", *r[3:]], lambda r: [*r[:6], "-4", r[7]],
    ]  # fmt: skip
    file = write(tmp_path / "f.csv", [rng.choice(spoiled)(row) if n in bad else row for n, row in enumerate(rows)])
    done = bring(install, exports, file, rejects_to=tmp_path / "rejects.csv")
    assert (done.rows, done.rejected) == (200, 1000)
    good = [row for n, row in enumerate(rows) if n not in bad]
    assert sums(install) == (sum(int(r[5]) for r in good), sum(int(r[6]) for r in good))
    with (tmp_path / "rejects.csv").open() as stream:
        named = list(csv.DictReader(stream))
    assert [int(each["line"]) for each in named] == sorted(n + 2 for n in bad)
    assert all(each["reason"] for each in named)


def test_the_same_file_again_changes_nothing(install, exports, tmp_path):
    file = write(tmp_path / "f.csv", rows_of(45))
    assert bring(install, exports, file).days == 45
    history = install.history(1)
    digest, generation = history.digest(), history.generation
    again = bring(install, exports, file)
    assert (again.days, again.rows, again.already) == (0, 0, 45)
    assert all(day.same for day in again.left)
    assert (history.digest(), history.generation) == (digest, generation)


def test_the_order_of_rows_and_of_files_makes_no_difference(install, exports, tmp_path):
    rows = rows_of(70)
    bring(install, exports, write(tmp_path / "f.csv", rows))
    digest = install.history(1).digest()
    other = setup.add_file_source(install, second_site(install), setup_wire.NewFileSource(label="again"), NOW)
    mixed = random.Random(2).sample(rows, len(rows))
    parts = [write(tmp_path / f"{n}.csv", mixed[n::3]) for n in range(3)]
    assert bring(install, other, *parts).days == 70
    install.history(2).renumber({other: exports})
    assert install.history(2).digest() == digest


def second_site(install) -> str:
    return setup.add_site(install, "hivewright", setup_wire.NewSite(host="second.example"), NOW)


def test_strict_keeps_nothing_when_a_row_is_bad_or_contradicts_another(install, exports, tmp_path):
    rows = rows_of(5)
    twice = [*rows, [*rows[0][:6], "90", rows[0][7]]]
    for bad in ([*rows, rows[0][:3]], twice):
        with pytest.raises(Nonsense, match="nothing was kept"):
            bring(install, exports, write(tmp_path / "f.csv", bad), strict=True)
    assert install.history(1).ledger() == []
    assert bring(install, exports, write(tmp_path / "f.csv", rows), strict=True).days == 5


def test_repeats_are_dropped_and_of_two_contradicting_rows_the_first_stays(install, exports, tmp_path):
    rows = rows_of(2, 3)
    body = [*rows, rows[1], [*rows[2][:6], "90", "2"]]
    done = bring(install, exports, write(tmp_path / "f.csv", body))
    assert (done.rows, done.repeats, done.rejected) == (6, 1, 1)
    assert done.rejects[0].line == 9
    assert "line 4, which is kept" in done.rejects[0].reason
    assert sums(install)[1] == sum(int(row[6]) for row in rows)
    making = install.history(1).ledger(first=FIRST, last=FIRST)[0]
    assert (making.lines, making.repeats, making.origin) == (5, 1, "file f.csv")


def test_a_dry_run_says_the_same_and_keeps_nothing(install, exports, tmp_path):
    file = write(tmp_path / "f.csv", [*rows_of(3), ["x"]])
    dry = bring(install, exports, file, dry=True)
    assert (dry.days, dry.rejected, dry.dry) == (3, 1, True)
    assert install.history(1).ledger() == []
    assert bring(install, exports, file).rows == dry.rows


def test_pulled_days_win_over_files_unless_told_otherwise_and_the_change_is_logged(install, source, tmp_path):
    pull(install, source, origin="pull 1", clock=lambda: NOW, report=lambda _: True)
    day = TODAY - timedelta(20)
    row = [str(day), "made up", "GB", "mobile", "web", "1", "5", "2"]
    file = write(tmp_path / "f.csv", [row])
    before = install.history(1).digest()
    done = bring(install, source, file)
    assert (done.already, done.left[0].origin, done.left[0].same) == (1, "pull 1", False)
    assert install.history(1).digest() == before
    assert bring(install, source, file, over=True).days == 1
    (change,) = read(open_site(install, "blog.hivewright.example"), "changes", grain="query")
    assert (change.origin, change.now.impressions) == ("file f.csv", 5)
    assert pull(install, source, origin="pull 2", clock=lambda: NOW, report=lambda _: True).days == 1
    assert install.history(1).digest() == before


def test_files_of_earlier_years_and_the_pull_join_without_a_seam(install, source, tmp_path):
    paths = write_month_files(tmp_path, SMALL, TODAY)[-16:]
    for grain in ("site", "query", "page", "pair"):
        bring(install, source, *[path for path in paths if f"-{grain}-" in path.name])
    pull(install, source, origin="pull 1", clock=lambda: NOW, report=lambda _: True)
    holding = open_site(install, "blog.hivewright.example").holding
    assert holding.first_held < TODAY - timedelta(550)
    lost = presenters.source(install, source).days_lost
    assert lost == sum(state.value == "lost" for state in holding.states.values()) > 0


def test_totals_of_whole_months_stand_in_where_no_day_is_held_and_nowhere_else(install, exports, tmp_path):
    (tmp_path / "m.csv").write_text(
        "month,clicks,impressions,position\n2023-11,10,100,5\n2023-12,20,200,5\n2024-01,99,990,5\n"
    )
    done = bring(install, exports, tmp_path / "m.csv")
    assert (done.grain, done.days) == ("month-site", 3)
    rows = [[*row[:1], *row[2:]] for row in rows_of(31)]
    (tmp_path / "d.csv").write_text(HEAD.replace("query,", "") + "".join(",".join(r) + "\n" for r in unique(rows)))
    bring(install, exports, tmp_path / "d.csv")
    opened = open_site(install, "blog.hivewright.example")
    found = timeline(opened.holding, imports_asked("2023-11/2024-01"), "month")
    assert [(p.clicks, p.whole_month) for p in found.points[:2]] == [(10, True), (20, True)]
    assert not found.points[2].whole_month
    assert found.points[2].clicks == sum(int(row[4]) for row in unique(rows))
    assert any(caution.code == "whole-months" for caution in found.cautions)


def unique(rows):
    return list({tuple(row[:4]): row for row in rows}.values())


def imports_asked(window):
    from noctilum.readings.frame import Asked

    return Asked("blog.hivewright.example", window.replace("/", "-01/") + "-31", "none")


def test_what_a_file_leaves_open_is_asked_before_anything_is_kept(install, exports, tmp_path):
    (tmp_path / "f.csv").write_text("day,clicks,impressions,position\n01/02/2024,1,2,3\n")
    with pytest.raises(Nonsense, match="day first or month first") as caught:
        bring(install, exports, tmp_path / "f.csv")
    assert caught.value.remedy == "say --dates dmy or --dates mdy"
    assert bring(install, exports, tmp_path / "f.csv", mapping=Mapping(dates="mdy")).first == date(2024, 1, 2)


def test_files_of_different_grains_are_not_mixed(install, exports, tmp_path):
    (tmp_path / "s.csv").write_text("day,clicks,impressions,position\n2024-02-01,1,2,3\n")
    with pytest.raises(Nonsense, match="do not fit together"):
        bring(install, exports, tmp_path / "s.csv", write(tmp_path / "q.csv", rows_of(1)))


def test_looks_come_in_from_files_and_not_beside_queries(install, exports, tmp_path):
    (tmp_path / "s.csv").write_text("day,clicks,impressions,position\n2024-02-01,9,80,3\n")
    (tmp_path / "l.csv").write_text("Datum;Darstellung;Klicks;Impressionen;Position\n2024-02-01;map;2;30;2,5\n")
    bring(install, exports, tmp_path / "s.csv")
    assert bring(install, exports, tmp_path / "l.csv").days == 1
    found = breakdown(open_site(install, BLOG).holding, Asked(BLOG, "all", "none"), "look", Page())
    assert [(row.key, row.now.clicks) for row in found.rows] == [("map", 2)]
    assert (found.unlisted.now.clicks, found.total.now.impressions) == (7, 80)
    (tmp_path / "b.csv").write_text("day,look,query,clicks,impressions,position\n2024-02-01,map,x,1,2,3\n")
    with pytest.raises(Nonsense, match="without queries and pages"):
        bring(install, exports, tmp_path / "b.csv")


def test_an_import_that_is_stopped_goes_on_where_it_was(install, exports, tmp_path, monkeypatch):
    monkeypatch.setattr(imports._Telling, "EVERY", 0)
    file = write(tmp_path / "f.csv", rows_of(150))
    told = []
    with pytest.raises(imports.Stopped):
        bring(install, exports, file, report=lambda p: told.append(p) or p.stage == "reading" or p.done < 2)
    held = len(install.history(1).ledger())
    assert 0 < held < 150
    done = bring(install, exports, file)
    assert (done.days, done.already) == (150 - held, held)
    assert list((install.settings.data / "spool").iterdir()) == []


def test_many_rows_of_one_month_are_taken_day_by_day(install, exports, tmp_path, monkeypatch):
    file = write(tmp_path / "f.csv", rows_of(50))
    bring(install, exports, file)
    digest = install.history(1).digest()
    monkeypatch.setattr("noctilum.actions.spool.MOST_ROWS_AT_ONCE", 100)
    other = setup.add_file_source(install, second_site(install), setup_wire.NewFileSource(label="again"), NOW)
    bring(install, other, file)
    install.history(2).renumber({other: exports})
    assert install.history(2).digest() == digest


def uploaded(install, path) -> str:
    with path.open("rb") as stream:
        return files.keep_upload(install, path.name, stream).id


def test_an_import_job_does_it_all_and_tells_what_came_of_it(install, exports, tmp_path):
    number = uploaded(install, write(tmp_path / "f.csv", [*rows_of(40), ["x"]]))
    job = files.queue_import(install, exports, wire.AskImport(uploads=[number]), NOW)
    assert Worker(install, lambda: NOW).run_one()
    found = presenters.job(install, job)
    assert (found.state, found.result["days"], found.result["rejected"]) == ("done", 40, 1)
    assert "it has 1 fields, not 8" in files.rejects_path(install, job).read_text()
    assert found.log[0].endswith("it has 1 fields, not 8")


def test_a_file_left_in_the_inbox_is_imported_once_it_stops_growing(install, exports, tmp_path):
    folder = files.inbox(install, exports)
    folder.mkdir(parents=True)
    file = write(folder / "feb.csv", rows_of(28))
    assert files.watch(install, NOW) == []
    os.utime(file, (time.time() - 60,) * 2)
    assert len(files.watch(install, NOW)) == 1
    assert files.watch(install, NOW) == []
    assert Worker(install, lambda: NOW).run_one()
    assert len(install.history(1).ledger()) == 28
    assert (folder / "taken" / "feb.csv").exists()


def test_a_file_in_the_inbox_that_cannot_be_used_is_put_aside_with_a_notice(install, exports):
    folder = files.inbox(install, exports)
    folder.mkdir(parents=True)
    (folder / "odd.csv").write_text("nothing to see\n")
    os.utime(folder / "odd.csv", (time.time() - 60,) * 2)
    assert files.watch(install, NOW) == []
    assert (folder / "refused" / "odd.csv").exists()
    assert "odd.csv in the inbox cannot be used" in presenters.notices(install)[0].text
    assert queue.active(install) == []


def test_a_kept_mapping_reads_the_next_file_the_same_way(install, exports, tmp_path):
    mapping = wire.Mapping(columns={"wann": "day"}, dates="dmy")
    files.keep_mapping(install, "oddly written", mapping, NOW)
    (tmp_path / "f.csv").write_text("wann,clicks,impressions,position\n01/02/2024,1,2,3\n")
    asked = wire.AskPreview(upload=uploaded(install, tmp_path / "f.csv"), using="oddly written")
    found = files.preview(install, asked)
    assert (found.rows[0].day, found.questions, found.columns[0].by) == (date(2024, 2, 1), [], "given")
    files.forget_mapping(install, "oddly written")
    with pytest.raises(Exception, match="no mapping"):
        files.preview(install, asked)


def test_names_of_uploads_cannot_leave_their_folder(install, tmp_path):
    with write(tmp_path / "f.csv", []).open("rb") as stream:
        found = files.keep_upload(install, "../../../etc/passwd.csv", stream)
    assert files.upload_path(install, found.id).parent.parent == install.settings.data / "uploads"
    with pytest.raises(Exception, match="no uploaded file"):
        files.upload_path(install, "../keys")
