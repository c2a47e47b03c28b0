"""The service over HTTP: readings that add up, tags, problems, access."""

from datetime import date

import httpx
import pytest
import schemathesis
from hypothesis import HealthCheck, Phase, given, settings
from tests.running import Live

from noctilum.demo.agency import USER

SITE = "/sites/skerryferries.example"


def figures(part, name):
    return part["now"][name] if part else 0


@pytest.mark.parametrize("dimension", ["query", "page", "country", "device", "kind"])
@pytest.mark.parametrize("narrow", ["", "&device=mobile", "&page=/timetables/ronsay", "&find=ferry", "&offset=7"])
def test_a_breakdown_adds_up_to_its_total(live: Live, dimension, narrow):
    if f"{dimension}=" in narrow:
        pytest.skip("nothing is broken down by what it is narrowed to")
    found = live.get(f"{SITE}/breakdown/{dimension}?limit=5{narrow}").json()
    for name in ("clicks", "impressions", "position_sum"):
        rows = sum(row["now"][name] for row in found["rows"])
        rows += sum(figures(found[part], name) for part in ("rest", "outside", "unlisted"))
        assert rows == pytest.approx(found["total"]["now"][name])


def test_the_total_is_the_providers_own_and_the_same_in_every_reading(live: Live):
    line = live.get(f"{SITE}/timeline").json()
    by_query = live.get(f"{SITE}/breakdown/query").json()
    drivers = live.get(f"{SITE}/drivers").json()
    assert line["now"] == by_query["total"]["now"] == drivers["now"]
    assert line["before"] == by_query["total"]["before"] == drivers["before"]
    assert sum(point["clicks"] for point in line["points"]) == line["now"]["clicks"]
    parts = ("demand", "rank", "appeal", "entered", "left", "unlisted")
    assert sum(drivers[part] for part in parts) == pytest.approx(drivers["change"]["clicks"], abs=1e-4)


def test_windows_end_on_the_last_complete_day_and_provisional_days_are_apart(live: Live):
    line = live.get(f"{SITE}/timeline").json()
    assert line["window"]["last"] == line["complete_through"] == "2026-03-15"
    assert [point["state"] for point in line["tail"]] == ["provisional"] * 3


def test_a_window_with_provisional_days_says_so_and_counts_them_in_no_total(live: Live):
    line = live.get(f"{SITE}/timeline?window=2026-03-09/2026-03-18").json()
    assert line["window"]["counted"] == 7
    assert line["change"] is None
    assert "3 provisional days in no total" in line["cautions"][0]["text"]


def test_a_comparison_before_history_starts_gives_no_change_but_says_why(live: Live):
    line = live.get(f"{SITE}/timeline?against=year").json()
    assert line["change"] is None
    assert line["now"]["clicks"] > 0
    assert any("history starts on 11 November 2025" in c["text"] for c in line["cautions"])
    refused = live.get(f"{SITE}/drivers?against=year")
    assert (refused.status_code, refused.json()["code"]) == (400, "window-not-full")


def test_a_deleted_page_tops_the_fallers(live: Live):
    found = live.get(f"{SITE}/breakdown/page?sort=change&limit=1").json()
    assert found["rows"][0]["key"] == "/freight/livestock"
    gone = live.get(f"{SITE}/breakdown/page?sort=change&limit=1&window=P14D").json()["rows"][0]
    assert (gone["key"], gone["now"]["clicks"]) == ("/freight/livestock", 0)


def test_a_repeated_reading_answers_304_until_the_history_changes(live: Live):
    first = live.get(f"{SITE}/timeline")
    again = live.get(f"{SITE}/timeline", **{"If-None-Match": first.headers["ETag"]})
    assert (again.status_code, again.content) == (304, b"")
    other = live.get(f"{SITE}/timeline?by=week", **{"If-None-Match": first.headers["ETag"]})
    assert other.status_code == 200


def test_rows_come_in_pages_with_links(live: Live):
    first = live.get(f"{SITE}/breakdown/query?limit=3&sort=impressions")
    link = first.links["next"]["url"].removeprefix("/api/v1")
    second = live.get(link)
    keys = [row["key"] for row in (*first.json()["rows"], *second.json()["rows"])]
    whole = live.get(f"{SITE}/breakdown/query?limit=6&sort=impressions").json()
    assert keys == [row["key"] for row in whole["rows"]]
    assert second.links["prev"]["url"].endswith("offset=0")


def test_answers_are_squeezed(live: Live):
    assert live.get(f"{SITE}/timeline", **{"Accept-Encoding": "gzip"}).headers["Content-Encoding"] == "gzip"


@pytest.mark.parametrize(
    ("path", "status", "code"),
    [
        ("/sites/nope.example/timeline", 404, "no-such-site"),
        ("/sites/wickhamtools.example/timeline", 404, "no-source"),
        (f"{SITE}/timeline?window=soon", 400, "not-a-window"),
        (f"{SITE}/timeline?windw=P7D", 400, "input-unusable"),
        (f"{SITE}/timeline?by=fortnight", 400, "input-unusable"),
        (f"{SITE}/timeline?window=P7D&window=P8D", 400, "parameter-repeated"),
        (f"{SITE}/drivers?against=none", 400, "nothing-compared"),
        (f"{SITE}/breakdown/colour", 404, "no-such-dimension"),
        (f"{SITE}/breakdown/query?query=x", 400, "filtered-by-itself"),
        (f"{SITE}/breakdown/query?sort=luck", 400, "no-such-sort"),
        (f"{SITE}/breakdown/query?limit=0", 400, "input-unusable"),
        (f"{SITE}/life/query?key=never+typed", 404, "never-seen"),
        (f"{SITE}/ledger?source=99", 404, "no-such-source"),
        ("/jobs/999", 404, "no-such-job"),
        ("/jobs/9998522600577409024", 404, "no-such-job"),
        ("/sources/9998522600577409024", 404, "no-such-source"),
        (f"{SITE}/ledger?first=0001-01-01", 400, "window-too-long"),
        (f"{SITE}/timeline?window=0001-01-01/9999-12-31", 400, "not-a-window"),
        ("/nowhere", 404, "no-such-address"),
    ],
)
def test_mistakes_answer_with_a_problem_document(live: Live, path, status, code):
    answer = live.get(path)
    assert (answer.status_code, answer.json()["code"]) == (status, code)
    assert answer.headers["Content-Type"] == "application/problem+json"
    assert answer.json()["title"]


def test_a_filter_on_what_was_never_seen_is_empty_and_says_so(live: Live):
    found = live.get(f"{SITE}/breakdown/query?page=/nowhere").json()
    assert found["rows"] == []
    assert any(c["code"] == "never-seen" for c in found["cautions"])


def test_nothing_is_shown_to_who_has_not_signed_in(live: Live):
    assert httpx.get(f"{live.url}/api/v1/portfolio").json()["code"] == "not-signed-in"
    refused = httpx.get(f"{live.url}/api/v1/portfolio", headers={"Authorization": "Bearer nct_guess"})
    assert (refused.status_code, refused.json()["code"]) == (401, "token-refused")


def test_a_change_with_the_cookie_needs_the_csrf_token(live: Live):
    _, email, password = USER
    with httpx.Client(base_url=f"{live.url}/api/v1") as browser:
        assert browser.post("/session", json={"email": email, "password": "wrong"}).status_code == 401
        me = browser.post("/session", json={"email": email, "password": password}).json()
        assert browser.post("/clients", json={"name": "From elsewhere"}).json()["code"] == "csrf-refused"
        headers = {"X-CSRF-Token": me["csrf"]}
        assert (
            browser.post("/clients", json={"name": "Skerry Ferries"}, headers=headers).json()["code"] == "client-exists"
        )
        assert browser.delete("/session", headers=headers).status_code == 204
        assert browser.get("/me").status_code == 401


@pytest.mark.parametrize(
    "body", ['{"name": 3}', '{"name": ""}', '{"nam": "x"}', "[]", '{"name": ', '{"name":"x","time_zone":"Moon"}']
)
def test_a_body_that_cannot_be_used_is_told(live: Live, body):
    headers = {"Authorization": f"Bearer {live.token}", "Content-Type": "application/json"}
    answer = httpx.post(f"{live.url}/api/v1/clients", content=body, headers=headers)
    assert answer.status_code == 400
    assert answer.json()["status"] == 400


def test_the_service_tells_its_health(live: Live):
    found = httpx.get(f"{live.url}/api/v1/health").json()
    assert (found["status"], found["records"]) == ("ok", True)
    assert date.fromisoformat(found["today"]) == date(2026, 3, 20)


def test_the_api_page_describes_every_address(live: Live):
    spec = httpx.get(f"{live.url}/api/v1/openapi.json", timeout=60).json()
    page = httpx.get(f"{live.url}/api/v1/docs", timeout=60).text
    assert spec["openapi"] == "3.1.0"
    for path, item in spec["paths"].items():
        assert path in page
        for operation in item.values():
            assert operation["summary"] and operation["description"]


def test_generated_requests_find_no_surprise(live: Live):
    """Every GET, asked with generated and malformed parameters, answers as its description says."""
    address = f"{live.url}/api/v1/openapi.json"
    schema = schemathesis.openapi.from_url(address, timeout=60).include(method="GET")
    headers = {"Authorization": f"Bearer {live.token}"}
    checked = 0
    for found in schema.get_all_operations():
        operation = found.ok()
        if "report" in operation.path:
            continue

        @settings(max_examples=8, deadline=None, suppress_health_check=list(HealthCheck), phases=[Phase.generate])
        @given(case=operation.as_strategy())
        def asks(case):
            answer = case.call(headers=headers, timeout=60)
            assert answer.status_code < 500, answer.text
            if answer.status_code >= 400:
                assert answer.headers["content-type"][0] == "application/problem+json"

        asks()
        checked += 1
    assert checked > 15
