"""Kept records by one idiom: POST makes, PATCH changes, DELETE drops, and nobody's change is undone unseen."""

from datetime import date

import httpx
import pytest
from tests.running import Live

from noctilum.client import ProblemFault
from noctilum.wire.noted import NewNote, NewSet
from noctilum.wire.resources import RESOURCES

SITE = "skerryferries.example"
MADE = {
    "sets": {"name": "Kept for a test", "item": "page", "client": "skerry-ferries", "rule": 'path starts "/fares"'},
    "notes": {"first": "2026-02-03", "text": "Kept for a test", "site": SITE},
    "keywords": {"site": SITE, "term": "kept for a test", "weight": 2, "tags": ["kept"], "volume": 40, "cpc": 0.5},
    "competitors": {"site": SITE, "domain": "keptfortests.example"},
    "grids": {"site": SITE, "label": "Pier", "term": "ferry", "latitude": 59.1, "longitude": 5.0, "size": 3},
    "templates": {"name": "Kept for a test", "body": {"window": "P28D", "blocks": [{"kind": "storyline"}]}},
    "reports": {"site": SITE, "name": "Kept for a test", "template": "One page for the board"},
    "work": {"site": SITE, "of": "page", "key": "/fares", "todo": "Kept for a test", "due": "2026-04-01"},
    "alert-rules": {"name": "Kept for a test", "reading": "fading", "condition": "clicks > 9", "key": "key"},
    "targets": {"site": SITE, "name": "Kept for a test", "value": 900, "starts": "2026-02-03", "by": "2026-06-30"},
    "trials": {"site": SITE, "name": "Kept for a test", "treated": ["/fares"], "starts": "2026-02-03"},
}
CHANGED = {
    "sets": {"members": ["/fares"]},
    "notes": {"text": "Kept otherwise", "last": "2026-02-05"},
    "keywords": {"weight": 5, "pinned": True},
    "competitors": {"label": "Kept otherwise"},
    "grids": {"spacing": 2.5},
    "templates": {"about": "Kept otherwise"},
    "reports": {"language": "de"},
    "work": {"state": "doing", "why": "Kept otherwise"},
    "alert-rules": {"on": False, "sites": [SITE], "asked": {"item": "query"}},
    "targets": {"value": 1200.5, "filter": 'path starts "/fares"', "over": "client"},
    "trials": {"weeks": 6, "control": ["/routes/ronsay"]},
}


def ask(live: Live, method: str, path: str, body=None, **headers: str) -> httpx.Response:
    given = {
        "Authorization": f"Bearer {live.token}",
        **{name.replace("_", "-"): text for name, text in headers.items()},
    }
    return httpx.request(method, f"{live.url}/api/v1{path}", json=body, headers=given)


@pytest.mark.parametrize("resource", RESOURCES, ids=lambda each: each.name)
def test_a_record_is_made_listed_shown_changed_and_dropped(live: Live, resource):
    made = ask(live, "POST", f"/{resource.name}", MADE[resource.name])
    assert made.status_code == 201
    path = f"/{resource.name}/{made.json()['id']}"
    assert made.json() in ask(live, "GET", f"/{resource.name}").json()
    shown = ask(live, "GET", path)
    assert shown.json() == made.json()
    assert shown.headers["ETag"].replace(":gzip", "") == f'"{made.json()["tag"]}"'

    changed = ask(live, "PATCH", path, CHANGED[resource.name], If_Match=shown.headers["ETag"])
    assert changed.status_code == 200
    for name, value in CHANGED[resource.name].items():
        assert changed.json()[name] == value
    untouched = set(MADE[resource.name]) - set(CHANGED[resource.name])
    assert all(changed.json()[name] == made.json()[name] for name in untouched)

    late = ask(live, "PATCH", path, CHANGED[resource.name], If_Match=shown.headers["ETag"])
    assert (late.status_code, late.json()["code"]) == (412, "changed-meanwhile")
    assert ask(live, "DELETE", path, If_Match=shown.headers["ETag"]).status_code == 412
    assert ask(live, "PATCH", path, {"colour": "red"}).status_code == 400
    assert ask(live, "DELETE", path, If_Match=changed.headers["ETag"]).status_code == 204
    assert ask(live, "GET", path).status_code == 404
    for method, body in (("GET", None), ("PATCH", {}), ("DELETE", None)):
        assert ask(live, method, path, body).status_code == 404
        assert ask(live, method, f"/{resource.name}/{10**30}", body).status_code == 404


def test_the_client_changes_what_it_has_seen_and_nothing_that_others_changed(live: Live):
    with live.client() as noctilum:
        note = noctilum.add_note(NewNote(first=date(2026, 2, 3), text="Menu redone", site=SITE))
        seen = next(each for each in noctilum.notes(SITE) if each.id == note.id)
        first = noctilum.change_note(note.id, seen=seen, text="Menu redone, footer too")
        assert (first.text, first.first) == ("Menu redone, footer too", seen.first)
        with pytest.raises(ProblemFault) as caught:
            noctilum.change_note(note.id, seen=seen, text="Something else")
        assert caught.value.status == 412
        noctilum.drop_note(note.id)


def test_a_change_that_makes_no_sense_is_refused_and_changes_nothing(live: Live):
    with live.client() as noctilum:
        note = noctilum.add_note(NewNote(first=date(2026, 2, 3), text="Menu redone", site=SITE))
        with pytest.raises(ProblemFault, match="on or after"):
            noctilum.change_note(note.id, last=date(2026, 2, 1))
        assert next(each for each in noctilum.notes(SITE) if each.id == note.id).last == date(2026, 2, 3)
        noctilum.drop_note(note.id)


def test_a_set_keeps_its_name_while_others_name_it_and_takes_no_name_of_another(live: Live):
    with live.client() as noctilum:
        inner = noctilum.save_set(NewSet(name="Inner", item="page", rule='path starts "/fares"'))
        outer = noctilum.save_set(NewSet(name="Outer", item="page", rule='set "Inner"'))
        with pytest.raises(ProblemFault, match="names it"):
            noctilum.change_set(inner.id, name="Renamed")
        with pytest.raises(ProblemFault, match="already"):
            noctilum.change_set(outer.id, name="Inner")
        with pytest.raises(ProblemFault):
            noctilum.change_set(inner.id, rule='set "Outer"')
        assert noctilum.change_set(outer.id, name="Outermost").name == "Outermost"
        noctilum.drop_set(outer.id)
        noctilum.drop_set(inner.id)


def test_a_set_of_a_name_that_is_taken_is_refused_and_saving_it_again_undoes_nobodys_change(live: Live, monkeypatch):
    told = {"name": "Harbours", "item": "query", "rule": "query has harbour"}
    asked = {"headers": {"Authorization": f"Bearer {live.token}"}, "timeout": 60}
    with live.client() as noctilum:
        kept = noctilum.save_set(NewSet(**told))
        again = httpx.post(f"{live.url}/api/v1/sets", json=told | {"rule": "query has pier"}, **asked)
        assert (again.status_code, again.json()["code"], again.json()["where"]) == (409, "set-exists", "name")
        assert noctilum.save_set(NewSet(**told | {"rule": "query has quay"})).id == kept.id
        done = live.cli("sets", "--save", "Harbours", "--rule", "query has mole")
        assert (done.returncode, "query has mole" in done.stdout) == (0, True), done.stderr
        seen = noctilum.sets()
        noctilum.change_set(kept.id, members=["harbour lights"])
        monkeypatch.setattr(noctilum, "sets", lambda client=None: seen)
        with pytest.raises(ProblemFault) as caught:
            noctilum.save_set(NewSet(**told))
        assert caught.value.code == "changed-meanwhile"
        noctilum.drop_set(kept.id)


def test_a_note_is_changed_from_the_command_line(live: Live):
    with live.client() as noctilum:
        note = noctilum.add_note(NewNote(first=date(2026, 2, 3), text="Menu redone", site=SITE))
        done = live.cli(
            "notes", SITE, "--change", str(note.id), "--text", "Menu and footer redone", "--kind", "content"
        )
        assert done.returncode == 0, done.stderr
        assert "Menu and footer redone" in done.stdout
        assert live.cli("notes", SITE, "--change", str(note.id)).returncode == 2
        noctilum.drop_note(note.id)
