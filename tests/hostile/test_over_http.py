"""The service on loopback under attack: slow and silent connections, odd requests, questions of 4,000 signs."""

import json
import socket
import threading
import time
from contextlib import ExitStack
from urllib.parse import quote, urlsplit

import httpx
import pytest
from tests.running import Live

SITE = "/sites/skerryferries.example"
LONG = " or ".join(f'query has "ferry {n} to the isles"' for n in range(100))


def connected(live: Live) -> socket.socket:
    parts = urlsplit(live.url)
    return socket.create_connection((parts.hostname, parts.port), timeout=10)


def raw(live: Live, request: bytes) -> bytes:
    with connected(live) as found:
        found.sendall(request)
        answer = b""
        while piece := found.recv(65536):
            answer += piece
        return answer


def asked(live: Live) -> float:
    began = time.monotonic()
    live.get(f"{SITE}/timeline").raise_for_status()
    return time.monotonic() - began


@pytest.mark.parametrize(
    "beginning",
    [
        b"",
        b"GET /api/v1/health HTTP/1.1\r\nHost: 127.0.0.1\r\nX-Slow: ",
        b"POST /api/v1/session HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: 900\r\n\r\n{",
        b"POST /api/v1/uploads?name=x.csv HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: 900\r\n\r\nx",
        b"POST /api/v1/session HTTP/1.1\r\nHost: 127.0.0.1\r\nTransfer-Encoding: chunked\r\n\r\n5\r\nab",
    ],
)
def test_two_hundred_unfinished_requests_leave_answers_as_they_are(live: Live, beginning):
    asked(live)
    quiet = max(asked(live) for _ in range(5))
    with ExitStack() as held:
        for _ in range(200):
            found = held.enter_context(connected(live))
            found.sendall(beginning)
        took = max(asked(live) for _ in range(5))
    assert took < max(10 * quiet, 2.0)


def test_an_unfinished_request_is_cut_off_after_a_while(live: Live):
    with connected(live) as found:
        found.settimeout(40)
        began = time.monotonic()
        found.sendall(b"GET /api/v1/health HTTP/1.1\r\n")
        while time.monotonic() - began < 35:
            try:
                found.sendall(b"X: y\r\n")
                time.sleep(1)
            except OSError:
                break
        assert time.monotonic() - began < 30


def test_calls_to_feeds_that_never_answer_leave_threads_for_others(live: Live, villain):
    url, feed = villain
    feed.does = "hangs"
    body = {"url": url, "account": "a", "secret": "lamp-oil"}
    headers = {"Authorization": f"Bearer {live.token}"}
    answers: list[tuple[int, float]] = []

    def call():
        began = time.monotonic()
        found = httpx.post(f"{live.url}/api/v1/properties", json=body, headers=headers, timeout=30)
        answers.append((found.status_code, time.monotonic() - began))

    threads = [threading.Thread(target=call) for _ in range(12)]
    for thread in threads:
        thread.start()
    time.sleep(0.5)
    assert max(asked(live) for _ in range(5)) < 3
    for thread in threads:
        thread.join()
    assert {status for status, _ in answers} <= {502, 503}
    assert max(took for _, took in answers) < 9


@pytest.mark.parametrize(
    ("request_", "status"),
    [
        (b"GARBAGE\r\n\r\n", 400),
        (b"GET / HTTP/1.1\r\nHost: 127.0.0.1\r\nX: " + b"x" * 70_000 + b"\r\n\r\n", 431),
        (b"POST /api/v1/clients HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: 9999999\r\n\r\n", 413),
        (b"POST /api/v1/uploads?name=x HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: 9999999\r\n\r\n", 413),
        (b"GET / HTTP/1.1\r\nHost: 127.0.0.1\r\nTransfer-Encoding: nonsense\r\n\r\n", 501),
        (b"POST / HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: -1\r\n\r\n", 400),
    ],
)
def test_what_never_reaches_the_application_is_answered_with_a_problem(live: Live, request_, status):
    answer = raw(live, request_)
    head, _, body = answer.partition(b"\r\n\r\n")
    assert f" {status} ".encode() in head.splitlines()[0]
    assert b"application/problem+json" in head
    assert json.loads(body)["status"] == status
    assert b"waitress" not in answer
    assert b"Server:" not in head


def test_strangers_are_not_told_names_and_versions(live: Live):
    for path in ("/", "/api/v1/health", "/api/v1/openapi.json", "/api/v1/docs", "/nowhere"):
        answer = httpx.get(live.url + path, timeout=60)  # the interface is described once, on a busy machine too
        assert "server" not in answer.headers
        assert "0.1.0" not in answer.text
    told = httpx.get(f"{live.url}/api/v1/health").json()
    assert (told["version"], told["disk_free_bytes"], told["troubles"]) == (None, None, [])
    mine = live.get("/health").json()
    assert mine["version"]
    assert mine["disk_free_bytes"] > 0


@pytest.mark.parametrize("host", ["evil.example", "evil.example:80", "127.0.0.1.evil.example", "a@b", ""])
def test_a_host_that_is_not_ours_is_refused(live: Live, host):
    answer = raw(live, f"GET /api/v1/health HTTP/1.1\r\nHost: {host}\r\nConnection: close\r\n\r\n".encode())
    assert b" 400 " in answer.splitlines()[0]


@pytest.mark.parametrize(
    "path", ["/..%2f..%2fapp.py", "/%2e%2e/%2e%2e/app.py", "/assets/..%2f..%2fapp.py", "/" + "x" * 300, "/a%00b"]
)
def test_which_files_exist_cannot_be_told(live: Live, path):
    there = httpx.get(live.url + path)
    not_there = httpx.get(live.url + path.replace("app.py", "nothing.py"))
    assert there.status_code < 500
    assert (there.status_code, there.headers["content-type"]) == (
        not_there.status_code,
        not_there.headers["content-type"],
    )
    assert b"create_app" not in there.content


@pytest.mark.parametrize(
    "back", ["//evil.example", "/\\evil.example", "/\t/evil.example", "https://evil.example", "/a\r\nX: y", "/%0d", "x"]
)
def test_a_grant_leads_back_to_the_console_only(live: Live, back):
    body = {"url": "https://feed.example", "account": "a", "mapping": "", "back": back}
    answer = httpx.post(f"{live.url}/api/v1/grants", json=body, headers={"Authorization": f"Bearer {live.token}"})
    assert answer.status_code == 400
    if back != "/%0d":
        assert "back" in answer.json()["where"]


@pytest.mark.parametrize("method", ["GET", "POST", "QUERY"])
@pytest.mark.parametrize("reading", ["timeline", "breakdown/query", "drivers", "fading/page", "cross", "bands"])
def test_every_reading_takes_a_question_of_four_thousand_signs(live: Live, method, reading):
    assert 3500 < len(LONG) <= 4000
    headers = {"Authorization": f"Bearer {live.token}"}
    asked_ = {"filter": LONG, "window": "P56D"}
    given = {"params": asked_} if method == "GET" else {"json": asked_}
    answer = httpx.request(method, f"{live.url}/api/v1{SITE}/{reading}", headers=headers, timeout=60, **given)
    plain = live.get(f"{SITE}/{reading}?window=P56D&filter={quote(LONG)}")
    assert answer.status_code == plain.status_code == 200, answer.text
    assert answer.json() == plain.json()


def test_a_question_by_body_is_checked_like_one_in_the_address(live: Live):
    def post(content, kind="application/json", query=""):
        headers = {"Authorization": f"Bearer {live.token}", "Content-Type": kind}
        return httpx.post(f"{live.url}/api/v1{SITE}/timeline{query}", content=content, headers=headers)

    assert post(b"").status_code == 200
    assert post(b'{"windw": "P7D"}').json()["code"] == "input-unusable"
    assert post(b'{"window": {"a": 1}}').status_code == 400
    assert post(b"[1]").status_code == 400
    assert post(b"{").status_code == 400
    assert post(b"[" * 100_000).status_code == 400
    assert post(b"{}", "text/plain").json()["code"] == "media-type"
    assert post(b"{}", query="?window=P7D").json()["code"] == "parameter-misplaced"


def test_an_entity_tag_is_the_same_however_a_question_is_sent(live: Live):
    headers = {"Authorization": f"Bearer {live.token}"}
    by_address = live.get(f"{SITE}/timeline?by=week")
    by_query = httpx.request("QUERY", f"{live.url}/api/v1{SITE}/timeline", json={"by": "week"}, headers=headers)
    assert by_address.headers["etag"] == by_query.headers["etag"]
    again = headers | {"If-None-Match": by_query.headers["etag"]}
    assert (
        httpx.request("QUERY", f"{live.url}/api/v1{SITE}/timeline", json={"by": "week"}, headers=again).status_code
        == 304
    )


def test_the_client_and_the_command_line_ask_long_questions(live: Live):
    with live.client() as noctilum:
        assert noctilum.breakdown("skerryferries.example", "query", filter=LONG).total.now.clicks >= 0
    assert live.cli("breakdown", "skerryferries.example", "query", "--filter", LONG).returncode == 0


@pytest.mark.parametrize(
    "body",
    [
        b'{"name": "\\ud800"}', b'{"name": "a\\u0000b"}', b'{"name": "two\\nlines"}', b"[" * 100_000, b'{"a":' * 5000,
        b'{"name": 1e400}', b'{"name": NaN}', b"\xff\xfe", b'{"name": "' + b"x" * 900_000 + b'"}',
    ],
)  # fmt: skip
def test_bodies_that_cannot_be_are_refused_with_a_problem(live: Live, body):
    headers = {"Authorization": f"Bearer {live.token}", "Content-Type": "application/json"}
    answer = httpx.post(f"{live.url}/api/v1/clients", content=body, headers=headers)
    assert answer.status_code == 400, answer.text
    assert answer.headers["content-type"] == "application/problem+json"


@pytest.mark.parametrize("kept", ["%00", "%1b", "%C2%85"])
def test_a_question_that_holds_what_no_text_has_is_refused(live: Live, kept):
    assert live.get(f"{SITE}/timeline?query={kept}").json()["code"] == "text-unusable"


@pytest.mark.parametrize("kept", ["%00", "%1b", "a%0d%0ab", "%C2%85"])
def test_addresses_that_hold_what_no_name_has_are_refused(live: Live, kept):
    for path in (f"/sites/{kept}/timeline", f"/mappings/{kept}", f"/clients/{kept}"):
        assert live.get(path).status_code in (400, 404, 405)


def test_a_job_is_cancelled_over_http_and_from_the_command_line(live: Live):
    headers = {"Authorization": f"Bearer {live.token}"}
    job = httpx.post(f"{live.url}/api/v1/verifies", json={}, headers=headers).json()
    found = httpx.delete(f"{live.url}/api/v1/jobs/{job['id']}", headers=headers).json()
    assert found["state"] in ("queued", "running", "done", "cancelled")
    with live.client() as noctilum:
        assert [*noctilum.follow(noctilum.stop_job(job["id"]))][-1].state in ("done", "cancelled")
    assert live.cli("jobs", "--cancel", str(job["id"])).returncode == 0
    assert live.cli("jobs", "--cancel", "999999").returncode == 4
