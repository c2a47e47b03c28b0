"""Webhooks: signed so that others can check it, posted until taken, never where they may not go."""

import base64
import hashlib
import hmac
import json
import re
import socket
import threading
import time
from contextlib import contextmanager, suppress
from dataclasses import replace
from datetime import timedelta
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from zoneinfo import ZoneInfo

import pytest
from http_message_signatures import HTTPMessageVerifier, HTTPSignatureKeyResolver
from http_message_signatures.algorithms import HMAC_SHA256
from pydantic import ValidationError
from sqlalchemy import select
from tests.conftest import NOW
from tests.reports.test_sending import on, report_of

from noctilum.actions import editions, queue, webhooks
from noctilum.core.errors import Nonsense, NotThere
from noctilum.records.models import Notice, WebhookPost
from noctilum.sources import signed_posts
from noctilum.sources.signed_posts import Message
from noctilum.wire.webhooks import NewWebhook


@contextmanager
def listening(answers):
    """A server that answers as told, one after the other, then 204; gives what it was posted."""
    got = []

    class Handler(BaseHTTPRequestHandler):
        def do_POST(self):
            body = self.rfile.read(int(self.headers["Content-Length"]))
            got.append((self.path, dict(self.headers.items()), body))
            status = answers.pop(0) if answers else 204
            self.send_response(status)
            if status == 302:
                self.send_header("Location", "http://127.0.0.1:1/elsewhere")
            self.send_header("Content-Length", "0")
            self.end_headers()

        def log_message(self, *_):
            pass

    server = ThreadingHTTPServer(("127.0.0.1", 0), Handler)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    try:
        yield f"http://127.0.0.1:{server.server_port}/told", got
    finally:
        server.shutdown()
        server.server_close()


def approved(install, site, name="Monthly") -> int:
    made = report_of(install, site, name, recipients=[], schedule="")
    edition = editions.drafted(install, made.id, NOW, "Ines").id
    editions.approved(install, edition, NOW, "Ines")
    return edition


def run(install, later=0):
    return webhooks.run(install, lambda: NOW + timedelta(hours=later), on)


def test_what_is_posted_is_signed_so_that_a_reader_of_the_standard_and_plain_sums_agree(install, site, pulled):
    install.settings = replace(install.settings, inside_hosts="127.0.0.1")
    with listening([]) as (url, got):
        made = webhooks.added(install, NewWebhook(url=url, events=["edition.approved"]), NOW)
        edition = approved(install, site)
        assert run(install) == {"told": 1, "later": 0} and run(install) == {"told": 0, "later": 0}
    ((_, headers, body),) = got
    told = json.loads(body)
    assert told["event"] == "edition.approved" and told["edition"] == edition and told["site"] == site
    assert headers["Noctilum-Event"] == told["id"]
    digest = base64.b64encode(hashlib.sha256(body).digest()).decode()
    assert headers["Content-Digest"] == f"sha-256=:{digest}:"

    class Keys(HTTPSignatureKeyResolver):
        def resolve_public_key(self, key_id):
            return made.secret.encode()

    message = Message("POST", url, headers)
    verifier = HTTPMessageVerifier(signature_algorithm=HMAC_SHA256, key_resolver=Keys())
    verifier.verify(message, max_age=timedelta(days=4000))
    params = headers["Signature-Input"].partition("=")[2]
    names = re.findall(r'"([^"]+)"', params[: params.index(")")])
    values = {"@method": "POST", "@target-uri": url} | {name.lower(): value for name, value in headers.items()}
    base = "\n".join([*(f'"{name}": {values[name]}' for name in names), f'"@signature-params": {params}'])
    own = base64.b64encode(hmac.digest(made.secret.encode(), base.encode(), "sha256")).decode()
    assert f":{own}:" in headers["Signature"]


def test_one_that_answers_badly_is_tried_again_and_given_up_with_a_notice(install, site, pulled):
    install.settings = replace(install.settings, inside_hosts="127.0.0.1")
    with listening([500, 302, 429]) as (url, got):
        webhooks.added(install, NewWebhook(url=url, events=["edition.approved"]), NOW)
        approved(install, site)
        assert [run(install, 9 * n)["told"] for n in range(4)] == [0, 0, 0, 1]
        assert len({headers["Noctilum-Event"] for _, headers, _ in got}) == 1 and len(got) == 4
    webhooks.dropped(install, 1)
    with listening([500] * 40) as (url, got):
        webhooks.added(install, NewWebhook(url=url, events=["edition.approved"]), NOW)
        approved(install, site, "Another")
        for n in range(14):
            run(install, 100 + 9 * n)
        assert len(got) == webhooks.MOST_TRIES
    with install.records.read() as db:
        assert any("given up" in each.text for each in db.scalars(select(Notice)))
    assert [each.failed for each in webhooks.listed(install)].count(1) == 1


@pytest.mark.parametrize("piece", [b"", b"H", b"HTTP/1.1 204 No Content\r\nX-A: b\r\n"])
def test_one_that_hangs_or_answers_by_drops_is_left_in_bounded_time_and_tried_again(
    install, site, pulled, monkeypatch, piece
):
    install.settings = replace(install.settings, inside_hosts="127.0.0.1")
    monkeypatch.setattr(signed_posts, "SECONDS", 1.0)
    with dripping(piece) as url:
        webhooks.added(install, NewWebhook(url=url, events=["edition.approved"]), NOW)
        approved(install, site)
        began = time.monotonic()
        assert run(install) == {"told": 0, "later": 1}
        assert time.monotonic() - began < 5
    (found,) = webhooks.listed(install)
    assert found.waiting == 1 and "does not answer" in found.why


@contextmanager
def dripping(piece):
    """A server that takes a post and then answers by a piece every fifth of a second, for ever; or nothing."""
    over = threading.Event()

    def drip(server):
        taken, _ = server.accept()
        with taken, suppress(OSError):
            while not over.wait(0.2):
                taken.send(piece)

    with socket.create_server(("127.0.0.1", 0)) as server:
        drips = threading.Thread(target=drip, args=(server,), daemon=True)
        drips.start()
        yield f"http://127.0.0.1:{server.getsockname()[1]}/told"
        over.set()
        drips.join(5)


def test_one_that_is_tried_and_does_not_take_it_is_not_tried_again_by_itself(install):
    install.settings = replace(install.settings, inside_hosts="127.0.0.1")
    with listening([500]) as (url, got):
        made = webhooks.added(install, NewWebhook(url=url), NOW)
        webhooks.tried(install, made.id, NOW)
        assert [run(install, 12 * n)["later"] for n in range(3)] == [1, 0, 0] and len(got) == 1
    (found,) = webhooks.listed(install)
    assert (found.waiting, found.failed, found.why) == (0, 1, "It answers 500.")


def test_it_goes_nowhere_inside_unless_that_is_allowed_and_a_dropped_one_is_told_nothing(install, site, pulled):
    install.settings = replace(install.settings, inside_hosts="")
    with listening([]) as (url, got):
        for each in (url, "http://[::1]:9/", "http://169.254.1.1/x", "http://nowhere.invalid/"):
            webhooks.added(install, NewWebhook(url=each, events=["edition.approved"]), NOW)
        approved(install, site)
        assert run(install) == {"told": 0, "later": 4} and not got
    for each in webhooks.listed(install):
        assert each.waiting == 1 and each.why
        webhooks.dropped(install, each.id)
    with install.records.read() as db:
        assert not list(db.scalars(select(WebhookPost)))
    for seeing_to in (webhooks.dropped, lambda *given: webhooks.tried(*given, NOW)):
        with pytest.raises(NotThere):
            seeing_to(install, 99)


def test_in_quiet_hours_an_address_is_told_nothing_and_afterwards_everything_once(install, site, pulled):
    install.settings = replace(install.settings, inside_hosts="127.0.0.1")
    here = NOW.astimezone(ZoneInfo("Asia/Tokyo"))
    hours = {"quiet_from": f"{here - timedelta(hours=2):%H:%M}", "quiet_to": f"{here + timedelta(hours=3):%H:%M}"}
    with listening([]) as (url, got):
        asked = {"url": url, "events": ["edition.approved"], "time_zone": "Asia/Tokyo", **hours}
        quiet = webhooks.added(install, NewWebhook.model_validate(asked), NOW)
        awake = webhooks.added(install, NewWebhook(url=url + "/awake", events=["edition.approved"]), NOW)
        edition = approved(install, site)
        assert run(install) == {"told": 1, "later": 0} and [path for path, _, _ in got] == ["/told/awake"]
        webhooks.tick(install, NOW)
        assert queue.active(install) == []
        webhooks.tried(install, quiet.id, NOW)
        webhooks.tick(install, NOW)
        assert len(queue.active(install)) == 1
        assert run(install) == {"told": 1, "later": 0} and json.loads(got[-1][2])["event"] == "webhook.tried"
        assert [run(install, later) for later in (2, 4, 5)] == [{"told": n, "later": 0} for n in (0, 1, 0)]
    told = json.loads(got[-1][2])
    assert (told["event"], told["edition"]) == ("edition.approved", edition) and len(got) == 3
    known = {each.id: each for each in webhooks.listed(install)}
    assert (known[quiet.id].quiet_from, known[awake.id].quiet_from) == (hours["quiet_from"], None)


@pytest.mark.parametrize(
    ("given", "said"),
    [
        ({"url": "ftp://desk.example/told"}, "begins with http:// or https://"),
        ({"quiet_from": "20:00"}, "a beginning and an end"),
        ({"quiet_from": "25:00", "quiet_to": "07:00"}, "quiet_from"),
        ({"quiet_from": "20:00", "quiet_to": "07:00", "time_zone": "Mars/Base"}, "time zone"),
    ],
)
def test_hours_that_are_none_are_refused(install, given, said):
    with pytest.raises((ValidationError, Nonsense), match=said):
        webhooks.added(install, NewWebhook.model_validate({"url": "https://desk.example/", **given}), NOW)
    assert webhooks.listed(install) == []
