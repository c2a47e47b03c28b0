"""Whatever is sent to any address: an answer or a problem that says what is wrong, never a fault of the service."""

import json
from pathlib import Path
from urllib.parse import quote

import httpx
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from tests.running import Live

SPEC = json.loads((Path(__file__).parents[2] / "console/openapi.json").read_text())
OPEN = {"/api/v1/health", "/api/v1/session", "/api/v1/password-resets"}
OPEN |= {"/api/v1/session/passkey", "/api/v1/session/passkey/asking"}
SLOW = ("/report.pdf", "/report.html")
EVERY = [(method, path, asked) for path, ways in SPEC["paths"].items() for method, asked in ways.items()]
READS = [(path, asked) for method, path, asked in EVERY if method == "get" and not path.endswith(SLOW)]
WRITES = [(method, path) for method, path, asked in EVERY if "requestBody" in asked and "session" not in path]
any_input = settings(
    deadline=None,
    max_examples=150,
    suppress_health_check=[HealthCheck.function_scoped_fixture, HealthCheck.too_slow],
)

junk = st.one_of(
    st.text(max_size=30),
    st.sampled_from(
        [
            "",
            " ",
            "null",
            "-1",
            "0",
            "1e99",
            "NaN",
            "9" * 40,
            "'; drop table site; --",
            "../../etc/passwd",
            "\x00",
            "💡" * 8,
        ]
    ),
    st.integers().map(str),
    st.dates().map(str),
)
windows = st.one_of(
    st.sampled_from(
        ["P28D", "P3M", "month", "all", "2026-02", "2026-Q1", "2025", "P0D", "P9999Y", "2026-13", "9999-12"]
    ),
    st.tuples(st.dates(), st.dates()).map(lambda pair: f"{pair[0]}/{pair[1]}"),
)
texts = st.one_of(
    st.sampled_from(
        ["brand", "words >= 2 and not question", "first seen in 2026-01..2026-02", "clicks > 3", "set Timetables"]
    ),
    st.sampled_from(
        ["query matches /(/", "first seen > 0000", "not not not", "set nothing", "position in 9..1", '"'] * 2
    ),
    st.text(st.sampled_from('abcquerypage .()"/<>=0123456789andornotis'), max_size=40),
)
FITTING = {
    "window": windows,
    "against": st.one_of(windows, st.sampled_from(["before", "year", "none"])),
    "filter": texts,
    "site": st.sampled_from(["skerryferries.example", "hivewright.example", "wickhamtools.example"]),
    "query": st.sampled_from(["skerry ferries", "never typed"]),
    "page": st.sampled_from(["/", "/never"]),
    "key": st.sampled_from(["skerry ferries", "/"]),
    "dimension": st.sampled_from(["query", "page", "country", "device", "kind"]),
}


def fitting(parameter) -> st.SearchStrategy[str]:
    """Values that may well be meant for a parameter."""
    schema = parameter["schema"]
    wanted = [each for part in (schema, *schema.get("anyOf", ())) for each in part.get("enum", ())]
    if parameter["name"] in FITTING:
        return FITTING[parameter["name"]]
    return st.sampled_from([str(each) for each in wanted]) if wanted else st.integers(-2, 60).map(str)


@st.composite
def requests(draw) -> tuple[str, list[tuple[str, str]]]:
    path, asked = draw(st.sampled_from(READS))
    given_ = []
    for parameter in asked.get("parameters", []):
        value = st.one_of(fitting(parameter), fitting(parameter), junk)
        if parameter["in"] == "path":
            path = path.replace(f"{{{parameter['name']}}}", quote(draw(value), safe="") or "x")
        elif draw(st.integers(0, 2)) == 0:
            given_.append((parameter["name"], draw(value)))
    if draw(st.integers(0, 9)) == 0:
        given_.append((draw(st.text(max_size=8)), draw(junk)))
    return path, given_


def assert_told(answer: httpx.Response) -> None:
    """A refusal is a problem document (RFC 9457) in words, with a code."""
    assert answer.status_code < 500, answer.text
    if answer.status_code >= 400:
        assert answer.headers["content-type"].startswith("application/problem+json"), answer.text
        problem = answer.json()
        assert problem["status"] == answer.status_code
        assert problem["code"] and problem["title"]
        assert "Traceback" not in answer.text


@any_input
@given(requests())
def test_any_question_is_answered_or_refused_with_words(live: Live, request_):
    path, given_ = request_
    assert_told(httpx.get(live.url + path, params=given_, headers=bearer(live), timeout=60))


def bearer(live: Live) -> dict[str, str]:
    return {"Authorization": f"Bearer {live.token}"}


plain = st.recursive(
    st.one_of(st.none(), st.booleans(), st.integers(), st.floats(allow_nan=False), st.text(max_size=12)),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=8), inner, max_size=3),
    max_leaves=6,
)


def fields_of(path: str, method: str) -> list[str]:
    """The names of a body's fields, so that some are there with wrong values."""
    body = SPEC["paths"][path][method]["requestBody"]["content"]
    schema = next(iter(body.values())).get("schema", {})
    name = schema.get("$ref", "").rsplit("/", 1)[-1]
    return list(SPEC["components"]["schemas"].get(name, schema).get("properties", {}))


@st.composite
def bodies(draw) -> tuple[str, str, bytes]:
    method, path = draw(st.sampled_from(WRITES))
    names = fields_of(path, method)
    shaped = st.fixed_dictionaries({}, optional=dict.fromkeys(names, plain))
    body = draw(st.one_of(shaped.map(json.dumps), plain.map(json.dumps), st.text(max_size=20)))
    for name in ("site", "client", "source", "number", "name"):
        path = path.replace(f"{{{name}}}", draw(st.sampled_from(["0", "nobody.example", "999999"])))
    return method, path, body.encode()


@any_input
@given(bodies())
def test_any_body_is_refused_with_words(live: Live, request_):
    method, path, body = request_
    headers = bearer(live) | {"Content-Type": "application/json"}
    assert_told(httpx.request(method, live.url + path, content=body, headers=headers, timeout=60))


@pytest.mark.parametrize(("method", "path"), [(m, p) for m, p, _ in EVERY if p not in OPEN])
def test_nothing_is_told_to_who_has_not_signed_in(live: Live, method, path):
    address = live.url + path.replace("{", "").replace("}", "")
    for headers in ({}, {"Authorization": "Bearer nct_wrong"}, {"Authorization": f"Basic {live.token}"}):
        answer = httpx.request(method.upper(), address, headers=headers)
        assert answer.status_code == 401, answer.text
        assert "code" in answer.json()
