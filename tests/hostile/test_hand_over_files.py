"""Hand-over files of strangers: nothing in them is believed, and none takes more than it should."""

import json
import resource
import shutil
import sqlite3
import zipfile
from collections.abc import Iterator
from contextlib import closing
from pathlib import Path

import pytest
from tests.conftest import NOW, SMALL, credential

from noctilum.actions import alert_rules, dated_notes, handover, presenters, reports, sets, setup, templates
from noctilum.actions.backup import file_digest
from noctilum.actions.erase import erase_client
from noctilum.actions.install import Install, Settings
from noctilum.actions.pull import pull
from noctilum.core.errors import Clash, Fault, Nonsense
from noctilum.records.models import Client, Source
from noctilum.wire.alert_rules import NewAlertRule
from noctilum.wire.noted import NewNote, NewSet
from noctilum.wire.reports import NewReport, NewTemplate
from noctilum.wire.setup import NewClient, NewSite, NewSource

KEY = "blog.hivewright.example"


@pytest.fixture(scope="module")
def origin(tmp_path_factory, feed_process) -> Iterator[Install]:
    """An install with one site pulled whole, made once."""
    feed_process.calm()
    install = Install(Settings(tmp_path_factory.mktemp("origin"), inside_hosts="127.0.0.1"))
    install.prepare()
    client = setup.add_client(install, NewClient(name="Hivewright"), NOW)
    setup.add_site(install, client, NewSite(host=KEY, brand_terms="hivewright"), NOW)
    number = setup.add_source(install, KEY, NewSource.model_validate(credential(feed_process, property=SMALL)), NOW)
    pull(install, number, origin="p", clock=lambda: NOW, report=lambda _: True)
    sets.added(install, NewSet(name="Guides", item="page", client="hivewright", rule="page has guide"), NOW)
    dated_notes.add_note(install, NewNote.model_validate({"first": "2026-03-01", "text": "moved", "site": KEY}), NOW)
    body = {"window": "P28D", "blocks": [{"kind": "headline"}]}
    templates.added(install, NewTemplate.model_validate({"name": "House", "body": body}), NOW)
    told = {"site": KEY, "name": "Weekly", "template": "House", "recipients": [{"email": "iris@hivewright.example"}]}
    reports.added(install, NewReport.model_validate(told), NOW)
    rule = {"name": "ours", "sites": [KEY], "reading": "fading", "condition": "clicks_change < -10", "key": "key"}
    alert_rules.added(install, NewAlertRule.model_validate(rule | {"asked": {"item": "page"}}), NOW)
    yield install
    install.close()


@pytest.fixture(scope="module")
def made_once(origin, tmp_path_factory) -> Path:
    return handover.hand_over(origin, KEY, tmp_path_factory.mktemp("handed") / "h.zip", NOW)


@pytest.fixture
def handed(made_once, tmp_path) -> Path:
    return Path(shutil.copy(made_once, tmp_path / "h.zip"))


@pytest.fixture
def other(tmp_path) -> Install:
    found = Install(Settings(tmp_path / "other"))
    found.prepare()
    yield found
    found.close()


def altered(handed: Path, change=lambda manifest: None, statements=(), packed=zipfile.ZIP_STORED) -> Path:
    """Write the file anew with a changed manifest, or a history some statements were run on."""
    target = handed.with_name("altered.zip")
    with zipfile.ZipFile(handed) as archive:
        manifest = json.loads(archive.read("manifest.json"))
        history = handed.with_name("history.db")
        history.write_bytes(archive.read("history.db"))
    if statements:
        with closing(sqlite3.connect(history)) as db:
            for statement in statements:
                db.execute(statement)
            db.commit()
        manifest["history"] = file_digest(history)
    change(manifest)
    with zipfile.ZipFile(target, "w", packed) as archive:
        archive.writestr("manifest.json", json.dumps(manifest))
        archive.write(history, "history.db")
    return target


def test_an_honest_file_comes_in_whole_with_numbers_of_this_install(origin, handed, other):
    setup.add_client(other, NewClient(name="Somebody else"), NOW)
    brought = handover.bring_in(other, handed, NOW)
    with other.records.read() as db:
        number = db.query(Source).one().id
    assert list(brought.sources.values()) == [number]
    assert other.history(1).verify() == []
    mine, theirs = origin.history(1).ledger(), other.history(1).ledger()
    assert [(r.dataset, r.day, r.digest) for r in mine] == [(r.dataset, r.day, r.digest) for r in theirs]
    assert other.history(1).digest() == origin.history(1).digest()
    assert [each.name for each in sets.list_sets(other)] == ["Guides"]
    assert [note.text for note in dated_notes.list_notes(other, KEY)] == ["moved"]


def put(*path, value):
    def change(manifest):
        *steps, last = path
        found = manifest
        for step in steps:
            found = found[step]
        found[last] = value

    return change


LIES = [
    put("client", "name", value="A\r\nX-Header: y"),
    put("client", "colour", value="red;} body{display:none"),
    put("client", "time_zone", value="Moon/Sea"),
    put("client", "language", value="../../etc"),
    put("client", "currency", value=None),
    put("site", "host", value="a.example\nb"),
    put("site", "host", value="../../evil"),
    put("sources", 0, "connector", value="os-system"),
    put("sources", 0, "url", value="http://a\x00b"),
    put("sources", 0, "schedule", value="FREQ=DAILY;INTERVAL=0"),
    put("sources", 0, "time_zone", value="Nowhere"),
    put("sources", 0, "id", value="1; drop table site"),
    put("sources", 0, "id", value=-1),
    put("sources", 0, "settings", value={"mapping": "not toml ["}),
    put("sources", 0, "label", value="\ud800"),
    put("sets", 0, "rule", value="set Guides"),
    put("sets", 0, "rule", value="page matches /(/ and"),
    put("sets", 0, "members", value=[["x"]]),
    put("notes", 0, "first", value="yesterday"),
    put("notes", 0, "first", value="9999-12-31"),
    put("notes", 0, "kind", value="a kind of its own"),
    put("notes", 0, "page", value="/\x00"),
    put("notes", value="none"),
    put("reports", 0, "schedule", value="monthly on the moon"),
    put("reports", 0, "recipients", value=[{"email": "a@b.example\r\nBcc: all@b.example"}]),
    put("reports", 0, "body", "blocks", 0, "kind", value="a block of its own"),
    put("reports", 0, "template", value="a template that there is not"),
    put("reports", 0, "time_zone", value="Moon/Sea"),
    put("templates", 0, "body", "blocks", value=[]),
    put("alert-rules", 0, "condition", value="drop table"),
    put("alert-rules", 0, "reading", value="os-system"),
    put("form", value="two"),
    put("sources", value=7),
]


@pytest.mark.parametrize("change", LIES)
def test_a_lie_in_the_manifest_is_refused_with_words_and_leaves_nothing(handed, other, change):
    with pytest.raises(Fault) as caught:
        handover.bring_in(other, altered(handed, change), NOW)
    assert caught.value.code != "surprise"
    assert presenters.clients(other) == []
    assert other.history_numbers() == []
    assert not [path.name for path in other.settings.data.iterdir() if path.name.startswith("bring-in")]


def test_keys_and_numbers_in_the_manifest_are_not_taken_over(handed, other):
    def change(manifest):
        manifest["client"]["key"] = "../../../etc"
        manifest["site"]["key"] = "../../tmp/x"
        manifest["sources"][0]["state"] = "ready"
        manifest["sources"][0]["sealed_secret"] = "x"

    brought = handover.bring_in(other, altered(handed, change), NOW)
    assert (brought.client, brought.site) == ("hivewright", KEY)
    with other.records.read() as db:
        found = db.query(Source).one()
        assert (found.state, found.sealed_secret) == ("broken", b"")
    assert [path.name for path in (other.settings.data / "history").glob("*.db")] == ["1.db"]


def test_another_clients_name_in_the_file_does_not_change_that_client(handed, other):
    setup.add_client(other, NewClient(name="Hivewright", colour="#123456"), NOW)
    handover.bring_in(other, altered(handed, put("client", "colour", value="#654321")), NOW)
    with other.records.read() as db:
        assert db.query(Client).one().colour == "#123456"


def test_a_property_that_is_connected_elsewhere_is_a_clash_with_words(origin, handed):
    with pytest.raises(Clash, match="connected"):
        handover.bring_in(origin, altered(handed, put("site", "host", value="new.hivewright.example")), NOW)
    assert [site.key for site in presenters.sites(origin)] == [KEY]


@pytest.mark.parametrize(
    "statements",
    [
        ["CREATE TRIGGER gone AFTER INSERT ON ledger BEGIN DELETE FROM ledger; END"],
        ["CREATE VIEW ghost AS SELECT * FROM ledger"],
        ["CREATE TABLE extra (x)"],
        ["CREATE INDEX own ON ledger (state)"],
        ["CREATE VIRTUAL TABLE words USING fts5(x)"],
        ["UPDATE ledger SET source = 99"],
        ["UPDATE ledger SET day = 999999999 WHERE day = (SELECT max(day) FROM ledger)"],
        ["UPDATE ledger SET state = 'wonderful'"],
        ["UPDATE ledger SET clicks = 'many'"],
        ["UPDATE ledger SET clicks = clicks + 1"],
        ["UPDATE segment SET dataset = 'other'"],
        ["UPDATE block SET data = zeroblob(80000000) WHERE id = (SELECT max(id) FROM block)"],
        ["UPDATE block SET data = x'00ff'"],
        ["UPDATE term SET text = text || 'x'"],
        ["DELETE FROM block"],
        ["DROP TABLE change"],
        ["UPDATE meta SET value = '99' WHERE key = 'schema'"],
        ["INSERT INTO meta VALUES ('kept_from', 'now')"],
    ],
)
def test_a_history_that_was_tampered_with_is_refused(handed, other, statements):
    with pytest.raises(Fault):
        handover.bring_in(other, altered(handed, statements=statements), NOW)
    assert presenters.clients(other) == []
    assert other.history_numbers() == []


def test_sums_that_somebody_changed_are_made_anew_from_the_rows(origin, handed, other):
    handover.bring_in(other, altered(handed, statements=["DELETE FROM rollup", "DELETE FROM span"]), NOW)
    assert other.history(1).verify() == []
    assert [r.sums for r in other.history(1).ledger()] == [r.sums for r in origin.history(1).ledger()]


def test_a_large_manifest_in_a_small_file_is_not_unpacked(handed, other):
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    target = handed.with_name("bomb.zip")
    with zipfile.ZipFile(target, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("manifest.json", b"[" + b" " * (300 << 20) + b"]")
        archive.writestr("history.db", b"")
    peak_of_test = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    with pytest.raises(Nonsense, match="unpacks to"):
        handover.bring_in(other, target, NOW)
    assert resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - peak_of_test < 60 << 10
    assert before


def test_a_history_that_unpacks_to_far_more_than_it_is_packed_is_not(handed, other):
    target = handed.with_name("bomb.zip")
    with zipfile.ZipFile(handed) as archive, zipfile.ZipFile(target, "w", zipfile.ZIP_DEFLATED) as out:
        out.writestr("manifest.json", archive.read("manifest.json"))
        out.writestr("history.db", b"\0" * (300 << 20))
    with pytest.raises(Nonsense, match="unpacks to"):
        handover.bring_in(other, target, NOW)


@pytest.mark.parametrize("body", [b"", b"PK", b"PK\x03\x04" + b"x" * 400, b"\x1f\x8b" * 100])
def test_what_is_no_hand_over_file_says_so(other, tmp_path, body):
    (tmp_path / "odd.zip").write_bytes(body)
    with pytest.raises(Fault, match="no hand-over file"):
        handover.bring_in(other, tmp_path / "odd.zip", NOW)


def test_a_site_goes_and_comes_back_in_the_same_install(handed, other):
    first = handover.bring_in(other, handed, NOW)
    erase_client(other, "hivewright", "hivewright", "Ines", NOW)
    again = handover.bring_in(other, handed, NOW)
    history = other.history(presenters.site_numbers(other)[0][1])
    assert history.verify() == []
    assert first.days == again.days > 60
    assert set(first.sources.values()).isdisjoint(again.sources.values())
