"""Nobody learns of clients that are not theirs: every route of the interface, three clients, four roles."""

from __future__ import annotations

import json
from dataclasses import dataclass, field
from datetime import UTC, date, datetime
from pathlib import Path

import pytest
from flask.testing import FlaskClient
from sqlalchemy import select
from tests.conftest import NOW
from tests.reports.test_editions import body

from noctilum.actions import (
    competitors,
    dated_notes,
    editions,
    grids,
    keywords,
    people,
    queue,
    reports,
    sets,
    setup,
    shares,
    targets,
    templates,
    trials,
    worklist,
)
from noctilum.actions.notices import note
from noctilum.records import scope
from noctilum.records.models import Alert, Base, Delivery, Slot, Source, User
from noctilum.service.app import create_app
from noctilum.wire import keywords as keyword_wire
from noctilum.wire import noted
from noctilum.wire import reports as wire
from noctilum.wire import setup as setup_wire
from noctilum.wire.competitors import NewCompetitor
from noctilum.wire.grids import NewGrid
from noctilum.wire.shares import NewShare
from noctilum.wire.targets import NewTarget
from noctilum.wire.trials import NewTrial
from noctilum.wire.work import NewWork

CLIENTS = ("hivewright", "brinepot", "northloft")
SECRET = "zebrafinch"
"""Stands in every text of a client that is not one's own."""
MISSING = 987_654


@dataclass
class House:
    """An agency of three clients, each with one of everything. ids: of each client, by the names of paths."""

    client: FlaskClient
    tokens: dict[str, str] = field(default_factory=dict)
    ids: dict[str, dict[str, object]] = field(default_factory=dict)

    def ask(self, role: str, method: str, path: str, asked=None):
        headers = {"Authorization": f"Bearer {self.tokens[role]}"}
        return self.client.open(f"/api/v1{path}", method=method, headers=headers, json=asked)


@pytest.fixture
def house(install, site, pulled):
    """Brinepot is one's own; Hivewright has days, Northloft has none, both are others'."""
    templates.keep_shipped(install, NOW)
    owner = people.add_user(install, "Ines", "ines@lane.example", "lanterns over the quay", NOW)
    for name in ("Brinepot", "Northloft"):
        key = setup.add_client(install, setup_wire.NewClient(name=name), NOW)
        setup.add_site(install, key, setup_wire.NewSite(host=f"{key}.example"), NOW)
    found = House(create_app(install).test_client())
    for key, host in zip(CLIENTS, (site, "brinepot.example", "northloft.example"), strict=True):
        found.ids[key] = furnished(install, key, host, "" if key == "brinepot" else SECRET)
    given = {
        "owner": (owner.id, None),
        "analyst of all": (added(install, "all", "analyst", None), None),
        "analyst of one": (added(install, "one", "analyst", ["brinepot"]), None),
        "reader of one": (added(install, "reader", "reader", ["brinepot"]), None),
    }
    for role, (number, _) in given.items():
        found.tokens[role] = people.new_token(install, number, role, NOW)
    return found


def added(install, name, role, clients) -> int:
    address = f"{name}@lane.example"
    return people.add_user(install, name, address, "lanterns over the quay", NOW, role, clients).id


def furnished(install, client: str, host: str, secret: str) -> dict[str, object]:
    """Give a client one of everything that has a number."""
    asked = {"name": f"{secret} weekly", "site": host, "template": "One page for the board", "body": body()}
    people_of = [{"email": f"{secret or 'ida'}@{client}.example"}]
    report = reports.added(install, wire.NewReport.model_validate(asked | {"recipients": people_of}), NOW)
    draft = editions.drafted(install, report.id, NOW, "Ines")
    editions.approved(install, draft.id, NOW, "Ines")
    shared = shares.added(install, NewShare(edition=draft.id, label=secret), NOW, "Ines")
    keyword = {"site": host, "term": f"{secret} honey", "note": secret}
    rival, grid = f"{secret or 'rival'}{client}.example", {"latitude": 52.0, "longitude": -1.0}
    more = {"set": sets.added(install, noted.NewSet(name=f"{secret}{client}", item="query", rule="brand",
                                                       client=client), NOW)}  # fmt: skip
    with install.records.begin() as db:
        source = db.scalar(select(Source).where(Source.site_id == find_number(db, host)))
        told = {
            "rule": "page gone",
            "key": f"/{secret}",
            "sure": "certain",
            "look": "silent",
            "since": date(2026, 3, 1),
        }
        alert = Alert(site_id=find_number(db, host), facts={"usual": 9}, reason=secret, opened_at=NOW, **told)
        slot = Slot(report_id=report.id, due_at=NOW, state="waiting", why=secret, next_try_at=NOW)
        mail = Delivery(edition_id=draft.id, email=f"{secret}@x.example", message=f"<{client}>", next_try_at=NOW,
                        queued_at=NOW, state="held")  # fmt: skip
        db.add_all([slot, mail, alert])
        db.flush()
        if source is not None:
            note(db, "source-broken", f"{secret} broke", NOW, source)
        numbers = {"slot": slot.id, "delivery": mail.id, "alert": alert.id, "source": source.id if source else MISSING}
    job = queue.put(install, "hand-over", {"site": host, "x": secret}, NOW).id
    return {
        **numbers,
        "client": client,
        "site": host,
        "job": job,
        "report": report.id,
        "edition": draft.id,
        "share": shared.id,
        "keyword": keywords.added(install, keyword_wire.NewKeyword.model_validate(keyword), NOW).id,
        "competitor": competitors.added(install, NewCompetitor(site=host, domain=rival, label=secret), NOW).id,
        "grid": grids.added(install, NewGrid(site=host, label=f"{secret} shop", term="honey", **grid), NOW).id,
        "note": dated_notes.add_note(
            install, noted.NewNote(first=date(2026, 3, 1), kind="content", text=f"{secret} note", site=host), NOW
        ).id,
        "set": getattr(more["set"], "id", MISSING),
        "target": targets.added(
            install,
            NewTarget(
                site=host,
                name=f"{secret} target",
                value=9.0,
                starts=date(2026, 3, 1),
                by=date(2026, 6, 1),
                over="client",
            ),
            NOW,
        ).id,
        "trial": trials.added(
            install, NewTrial(site=host, name=f"{secret} trial", treated=["/a"], starts=date(2026, 3, 1)), NOW
        ).id,
        "work": worklist.added(install, NewWork(site=host, of="site", todo=f"{secret} to do"), NOW).id,
        "template": 1,
        "user": 1,
        "token": 1,
    }


def find_number(db, host: str) -> int:
    from noctilum.actions.find import find_site

    return find_site(db, host).id


NUMBER_OF = {
    "keywords": "keyword", "competitors": "competitor", "grids": "grid", "reports": "report", "editions": "edition",
    "sets": "set", "notes": "note", "templates": "template", "shares": "share", "deliveries": "delivery",
    "due": "slot", "sources": "source", "jobs": "job", "users": "user", "tokens": "token", "sign-ins": "user",
    "work": "work", "notices": "note", "captures": "keyword", "clients": "client", "sites": "site",
    "mappings": "client", "trials": "trial", "targets": "target", "alerts": "alert",
}  # fmt: skip
OWN_ONLY = ("/alert-rules", "/tokens", "/users", "/sign-ins", "/templates", "/mappings", "/audit", "/grants")
"""What belongs to users or to the agency, and is tested with them."""
ASKED = {
    "window": "P7D", "dimension": "query", "item": "query", "day": "2026-03-10", "key": "honey", "number": 1,
    "domain": "rival.example", "feature": "map", "first": "1", "find": "", "rule": "brand", "terms": "brand",
    "treated": "/a",
}  # fmt: skip


def filled(path: str, ids: dict[str, object]) -> str:
    """Put the numbers and names of a client into the path of a route."""
    parts = path.strip("/").split("/")
    for at, part in enumerate(parts):
        name = part.strip("{}").partition(".")[0]
        if part.startswith("{"):
            kind = part.strip("{}").split("}")[0]
            of = NUMBER_OF.get(parts[at - 1] if at else "", "site")
            value = {"site": ids["site"], "client": ids["client"], "source": ids["source"], "job": ids["job"]}.get(kind)
            rest = part[part.index("}") + 1 :]
            parts[at] = f"{ids.get(of, MISSING) if value is None else value}{rest}".replace("{kind}", "html")
        elif "{" in part:
            parts[at] = part.replace("{kind}", "html").replace(f"{{{name}}}", "1")
    return "/" + "/".join(parts)


SPEC = json.loads((Path(__file__).parents[2] / "console/openapi.json").read_text())
"""The interface as it is described; that it is served so is tested with roles."""


def routes():
    """Every route of the interface that names something of a client, with its method."""
    for path, item in SPEC["paths"].items():
        for method in ("get", "post", "put", "patch", "delete"):
            short = path.removeprefix("/api/v1")
            if method in item and not short.startswith(OWN_ONLY):
                yield method.upper(), short, item[method]


def asked_of(operation) -> str:
    names = [each["name"] for each in operation.get("parameters", []) if each["in"] == "query" and each.get("required")]
    return "?" + "&".join(f"{name}={ASKED.get(name, 1)}" for name in names) if names else ""


MISSED = dict.fromkeys(
    (
        "slot",
        "delivery",
        "source",
        "job",
        "report",
        "edition",
        "share",
        "keyword",
        "competitor",
        "grid",
        "note",
        "set",
        "work",
        "trial",
        "target",
        "alert",
    ),
    MISSING,
) | {"client": "nobody", "site": "nobody.example", "template": MISSING, "user": MISSING, "token": MISSING}


def everything(install) -> str:
    """All records but what asking alone writes, as one text."""
    passed = {"audit", "token", "share_view", "failed_sign_in", "known_address", "sign_in"}
    with install.records.read() as db:
        return json.dumps(
            {
                table.name: [[str(value) for value in row] for row in db.execute(select(table))]
                for table in Base.metadata.sorted_tables
                if table.name not in passed
            }
        )


@pytest.mark.parametrize("role", ["analyst of one", "reader of one"])
def test_whatever_is_others_answers_as_if_it_were_not_there(install, house, role):
    before, compared = everything(install), 0
    for method, path, operation in routes():
        if "{" not in path:
            continue
        query = asked_of(operation)
        missing = house.ask(role, method, filled(path, MISSED) + query, {} if method != "GET" else None)
        for other in ("hivewright", "northloft"):
            ids = house.ids[other]
            answer = house.ask(role, method, filled(path, ids) + query, {} if method != "GET" else None)
            where = f"{role} {method} {filled(path, ids)}"
            echoed = answer.text.replace(str(ids["site"]), "-").replace(f"{other!r}", "-")
            assert SECRET not in answer.text and other not in echoed.replace(f"/{other}", "-"), where
            assert answer.status_code == missing.status_code, (where, answer.text[:300], missing.text[:300])
            assert 400 <= answer.status_code < 500 or path == "/notices/{notice}", where
            assert answer.status_code < 400 or answer.json["code"] == missing.json["code"], where
            compared += 1
    assert compared > 150
    assert everything(install) == before


@pytest.mark.parametrize("role", ["analyst of one", "reader of one"])
def test_no_list_names_what_is_others(install, house, role):
    seen = 0
    for method, path, operation in routes():
        if method != "GET" or "{" in path:
            continue
        answer = house.ask(role, method, path + asked_of(operation))
        assert SECRET not in answer.text and "hivewright" not in answer.text, path
        assert "northloft" not in answer.text, path
        seen += answer.status_code == 200
    assert seen >= (12 if role == "analyst of one" else 3)


BODIES = {
    "/keywords": {"site": "{site}", "term": "new"},
    "/competitors": {"site": "{site}", "domain": "new.example"},
    "/grids": {"site": "{site}", "label": "x", "term": "y", "latitude": 1, "longitude": 1},
    "/reports": {"site": "{site}", "name": "x", "template": "One page for the board"},
    "/notes": {"site": "{site}", "first": "2026-03-01", "kind": "content", "text": "x"},
    "/sets": {"name": "x", "item": "query", "rule": "brand", "client": "{client}"},
    "/shares": {"edition": "{edition}"},
    "/sites/{site}/exports": {"what": "days", "by": "site"},
    "/sites/{site}/report-look": {"template": "One page for the board"},
    "/sites/{site}/report-preview.html": {"template": "One page for the board"},
    "/sites/{site}/timeline": {"window": "P7D"},
    "/reports/{report}/editions": {},
    "/editions/{edition}/sending": {},
    "/editions/{edition}/looks": {},
    "/editions/{edition}/test-mail": {"to": "me@lane.example"},
    "/deliveries/{delivery}/answer": {"arrived": True},
    "/due/{slot}/making": {},
    "/sources/{source}/pulls": {},
}


def put(told, ids):
    return json.loads(json.dumps(told).replace('"{edition}"', str(ids["edition"])).replace("{site}", str(ids["site"]))
                      .replace("{client}", str(ids["client"])))  # fmt: skip


@pytest.mark.parametrize("role", ["analyst of one", "reader of one"])
def test_nothing_is_made_of_what_is_others_with_a_body_that_is_right(install, house, role):
    before = everything(install)
    for path, told in BODIES.items():
        for other in ("hivewright", "northloft"):
            ids = house.ids[other]
            answer = house.ask(role, "POST", path.format(**ids), put(told, ids))
            assert answer.status_code in (403, 404), (path, other, answer.text[:200])
            assert SECRET not in answer.text
    for path in ("/keywords/{keyword}", "/competitors/{competitor}", "/grids/{grid}", "/reports/{report}",
                 "/notes/{note}", "/editions/{edition}", "/shares/{share}", "/due/{slot}"):  # fmt: skip
        for method, told in (("PATCH", {}), ("DELETE", None)):
            answer = house.ask(role, method, path.format(**house.ids["hivewright"]), told)
            assert answer.status_code in (403, 404, 405), (method, path, answer.text[:200])
    assert everything(install) == before


def test_those_bodies_are_right(house):
    """Else the test above would prove nothing."""
    ids = house.ids["hivewright"]
    for path, told in BODIES.items():
        answer = house.ask("owner", "POST", path.format(**ids), put(told, ids))
        assert answer.status_code < 400 or answer.json["code"] in ("mail-not-set-up", "slot-closed"), (
            path,
            answer.text,
        )


def test_one_sees_and_changes_what_is_ones_own_as_far_as_the_role_goes(install, house):
    own = house.ids["brinepot"]
    for role, writes in (("owner", True), ("analyst of all", True), ("analyst of one", True), ("reader of one", False)):
        assert house.ask(role, "GET", f"/editions/{own['edition']}").status_code == 200
        names = {each["key"] for each in house.ask(role, "GET", "/clients").json}
        assert names == ({"brinepot"} if "of one" in role else set(CLIENTS))
        answer = house.ask(role, "POST", "/keywords", {"site": own["site"], "term": f"by {role}"})
        assert answer.status_code == (201 if writes else 403)
        draft = house.ask("owner", "POST", f"/reports/{own['report']}/editions").json["id"]
        assert house.ask(role, "GET", f"/editions/{draft}").status_code == (200 if writes else 404)
    reading = house.ask("reader of one", "GET", "/sites/brinepot.example/timeline")
    assert reading.json["code"] == "no-source"
    assert house.ask("analyst of one", "POST", "/clients", {"name": "New"}).json["code"] == "agency-wide"
    for path, told in (("/sets", {"name": "x", "item": "query", "rule": "brand"}),
                       ("/notes", {"first": "2026-03-01", "kind": "content", "text": "x"}),
                       ("/templates", {"name": "x", "body": {"blocks": [{"kind": "storyline"}]}})):  # fmt: skip
        answer = house.ask("analyst of one", "POST", path, told)
        assert (answer.status_code, answer.json["code"]) == (403, "agency-wide"), path
        assert house.ask("analyst of all", "POST", path, told).status_code == 201


def test_every_table_that_belongs_to_clients_is_narrowed(install):
    """A new table with a client, a site, a report or an edition in it must say whose its rows are."""
    narrowed = {each.__tablename__ for each in scope._NARROWED}
    keys = {"client_id", "site_id", "report_id", "edition_id", "share_id", "source_id"}
    of_clients = {table.name for table in Base.metadata.sorted_tables if keys & {*table.columns.keys()}}
    assert of_clients - narrowed <= {"user_client"}


def test_a_token_that_only_reads_changes_nothing_and_changes_are_logged(install, house):
    with install.records.read() as db:
        owner = db.scalars(select(User).where(User.role == "owner")).one()
    house.tokens["reads"] = people.new_token(install, owner.id, "reads", NOW, reads=True)
    answer = house.ask("reads", "POST", "/keywords", {"site": "brinepot.example", "term": "x"})
    assert (answer.status_code, answer.json["code"]) == (403, "token-reads")
    assert house.ask("reads", "POST", "/sites/brinepot.example/timeline", {}).json["code"] == "no-source"
    house.ask("analyst of one", "POST", "/keywords", {"site": "brinepot.example", "term": "x"})
    house.ask("owner", "GET", "/keywords")
    (line,) = house.ask("owner", "GET", "/audit").json
    assert (line["who"], line["what"], line["where"]) == ("one@lane.example", "Keep a keyword", "POST /keywords")
    assert datetime.fromisoformat(line["at"]).tzinfo == UTC or line["at"].endswith("Z")
    assert house.ask("analyst of all", "GET", "/audit").status_code == 403
