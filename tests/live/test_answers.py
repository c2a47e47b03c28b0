"""Every answer is what its model says, to the field; an older client reads a newer service."""

import jsonschema_rs
import pytest
from tests.running import BESIDE_SITE, OF_BESIDE, Live

from noctilum.wire.alert_rules import NewAlertRule
from noctilum.wire.catalogue import READINGS
from noctilum.wire.readings import Timeline
from noctilum.wire.reports import NewReport
from noctilum.wire.shares import NewShare
from noctilum.wire.work import NewWork

SITE = "skerryferries.example"
WORDS = {
    "site": SITE,
    "dimension": "page",
    "item": "query",
    "day": "2026-03-10",
    "client": "skerry-ferries",
    "source": "1",
    "job": "1",
    "kind": "client",
}
ASKED = {
    "life": {"key": "skerry ferries"},
    "try-filter": {"filter": "query has ferry"},
    "/domain": {"domain": "islehopper.example"},
    "/ideas": {"word": "hive"},
    "/trial-plan": {"treated": "/fares"},
    "/places/towns": {"town": "Ember Bay"},
    "/places": {"find": "alder"},
    "/diff": {"first": "1"},
}
NO_MODEL = (
    *("report.", ".toml", "/file", "/rejects", "/metrics", "/openapi", "/docs", "/grants", "/uploads", "/logo"),
    "/charts/",
    ".ics",
)


def strict(node):
    """Let no object of a schema hold fields that the schema does not name."""
    if isinstance(node, list):
        return [strict(part) for part in node]
    if not isinstance(node, dict):
        return node
    found = {name: strict(part) for name, part in node.items()}
    if found.get("type") == "object" and "properties" in found and "additionalProperties" not in found:
        found["additionalProperties"] = False
    return found


@pytest.fixture(scope="module")
def document(live: Live) -> dict:
    return live.get("/openapi.json").json()


def paths(document) -> list[str]:
    return [path for path, item in document["paths"].items() if "get" in item and not any(n in path for n in NO_MODEL)]


def known(live: Live, path: str) -> dict[str, str]:
    """Give words for a path: of notes, sets and users those that there are."""
    if "/grids/{number}" in path and "/sites/" not in path:
        return {**WORDS, "number": "1"}
    if "/grids/{number}/ranks" in path:
        return {**WORDS, "site": "brinepot.example", "number": "1"}
    if path.rpartition("/")[2] in OF_BESIDE:
        return {**WORDS, "site": BESIDE_SITE}
    if "/captures/{number}" in path:
        return {**WORDS, "number": str(live.get("/keywords/1/captures").json()[0]["id"])}
    if "/shares/{number}" in path:
        return {**WORDS, "number": WORDS["share"]}
    kept = ("notes", "sets", "keywords", "competitors", "templates", "reports", "editions", "work", "trials", "alerts")
    for name in (*kept, "alert-rules", "targets"):
        if f"/{name}/{{number}}" in path:
            return {**WORDS, "number": str(live.get(f"/{name}").json()[0]["id"])}
    return WORDS


def test_every_answer_of_every_route_is_what_its_model_says(live: Live, document):
    with live.client() as noctilum:
        noctilum.start_pull(1)
        made = noctilum.add_report(NewReport(site=SITE, name="Of every route", template="One page for the board"))
        share = noctilum.share(NewShare(report=made.id))
        ASKED["/compared"] = {"to": str(noctilum.draft(made.id).id)}
        WORDS["share"] = str(share.id)
        rule = noctilum.add_alert_rule(NewAlertRule(name="odd day", lasting=2))
        item = noctilum.add_work(NewWork(site=SITE, of="site", todo="Of every route"))
        assert [*noctilum.follow(noctilum.look_for_alerts("blog.hivewright.example"))][-1].state == "done"
    checked = []
    for path in paths(document):
        address = path.removeprefix("/api/v1").format(**known(live, path))
        asked = next((params for name, params in ASKED.items() if name in path), {})
        answer = (
            live.get(address, **{})
            if not asked
            else live.get(f"{address}?{'&'.join(f'{n}={v}' for n, v in asked.items())}")
        )
        operation = document["paths"][path]["get"]
        content = operation["responses"]["200"]["content"]
        assert answer.status_code == 200, (path, answer.text[:300])
        schema = strict(content["application/json"]["schema"])
        whole = {**schema, "components": strict(document["components"])}
        errors = [
            f"{e.instance_path}: {e.message}" for e in jsonschema_rs.validator_for(whole).iter_errors(answer.json())
        ]
        assert errors == [], (path, errors[:5])
        checked.append(path)
    assert len(checked) >= len(READINGS.names) + 12
    with live.client() as noctilum:
        noctilum.drop_work(item.id)
        noctilum.drop_alert_rule(rule.id)


def test_a_field_that_an_older_client_does_not_know_is_passed_over(live: Live):
    newer = live.get(f"/sites/{SITE}/timeline").json()
    newer["mood"] = "fair"
    newer["points"][0]["weather"] = {"wind": 3}
    assert not hasattr(Timeline.model_validate(newer), "mood")
