"""A feed that means harm: it speaks the open feed, and does one bad thing at a time."""

from __future__ import annotations

import gzip
import json
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from datetime import timedelta
from functools import cache
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer

from tests.conftest import SECRET, TODAY

LAST = TODAY - timedelta(3)


@cache
def bomb() -> bytes:
    """Two hundred megabytes in a small answer; packed once, as that takes longer than refusing it."""
    return gzip.compress(b"\0" * (200 << 20), 9)


ROW = {"country": "NO", "device": "mobile", "kind": "web", "clicks": 1, "impressions": 9, "position": 2.0}


@dataclass
class Behaviour:
    """What the feed does. does: the bad thing. seen: (method, path, headers) of every request."""

    does: str = ""
    elsewhere: str = ""
    header: tuple[str, str] = ("", "")
    time_zone: str = "UTC"
    days: int = 3
    seen: list[tuple[str, str, dict[str, str]]] = field(default_factory=list)


class _Handler(BaseHTTPRequestHandler):
    protocol_version = "HTTP/1.1"
    behaviour: Behaviour

    def log_message(self, *_: object) -> None:
        pass

    def _sent(self, body: bytes, status: int = 200, **headers: str) -> None:
        self.send_response(status)
        for name, value in headers.items():
            self.send_header(name.replace("_", "-"), value)
        self.send_header("Content-Length", str(len(body)))
        self.end_headers()
        self.wfile.write(body)

    def _json(self, found: object, status: int = 200, **headers: str) -> None:
        self._sent(json.dumps(found).encode(), status, Content_Type="application/json", **headers)

    def do_POST(self) -> None:
        self.rfile.read(int(self.headers.get("Content-Length", 0)))
        self._noted()
        self._json({"access_token": "a-token-that-opens-all", "token_type": "bearer", "expires_in": 3600})

    def _noted(self) -> None:
        self.behaviour.seen.append((self.command, self.path, dict(self.headers.items())))

    def do_GET(self) -> None:
        self._noted()
        does = self.behaviour.does
        if does == "hangs":
            time.sleep(30)
        if does == "limits":
            return self._json({"detail": "later"}, 429, **dict([self.behaviour.header]))
        if does == "redirects":
            return self._sent(b"", 302, Location=self.behaviour.elsewhere)
        if does == "echoes":
            told = dict(self.headers.items())
            return self._json({"detail": f"refused {told.get('Authorization')} and {SECRET}"}, 400)
        if does == "not json":
            return self._sent(b"<html>[" * 50)
        if does == "deep":
            return self._sent(b"[" * 100_000 + b"]" * 100_000)
        if self.path.startswith("/properties/p/days/"):
            return self._day()
        if self.path.startswith("/properties/p/ledger"):
            if does == "year 9999":
                return self._json({"days": [{"day": "9999-12-31", "state": "final", "revision": "1"}]})
            days = [LAST - timedelta(n) for n in range(self.behaviour.days)]
            return self._json({"days": [{"day": str(d), "state": "final", "revision": "1"} for d in sorted(days)]})
        first = str(LAST - timedelta(self.behaviour.days - 1))
        named = {"id": "p", "label": "P", "site": "a.example", "engine": "Quillon", "first_day": first}
        if does == "line breaks":
            named["label"] = "P\r\nX: y"
        self._json({"properties": [named | {"time_zone": self.behaviour.time_zone, "last_day": str(LAST)}]})

    def _day(self) -> None:
        does = self.behaviour.does
        grain = self.path.split("/")[5].partition("?")[0]
        named = {"site": {}, "query": {"query": "q"}, "page": {"page": "/"}, "pair": {"query": "q", "page": "/"}}
        row = json.dumps(ROW | named.get(grain, {"look": "video"})).encode() + b"\n"
        here = f"http://127.0.0.1:{self.server.server_address[1]}"
        link = f'<{here}{self.path.partition("?")[0]}?n={time.monotonic_ns()}>; rel="next"'
        if does == "endless pages":
            return self._sent(row, ETag='"1"', Link=link)
        if does == "a circle":
            return self._sent(row, ETag='"1"', Link=f'<{self.path}>; rel="next"')
        if does == "points elsewhere":
            return self._sent(row, ETag='"1"', Link=f'<{self.behaviour.elsewhere}>; rel="next"')
        if does == "bomb":
            return self._sent(bomb(), ETag='"1"', Content_Encoding="gzip")
        if does == "other packing":
            return self._sent(b"\x28\xb5\x2f\xfd" * 30, ETag='"1"', Content_Encoding="zstd")
        if does == "broken packing":
            return self._sent(gzip.compress(row * 900)[:-40], ETag='"1"', Content_Encoding="gzip")
        if does == "a byte a second":
            return self._drop_by_drop()
        if does == "a header a second":
            return self._drop_by_drop(headers=True)
        if does == "control characters":
            bad = json.dumps(ROW | named.get(grain, {"look": "x"}) | {"country": "N\x00"}).encode() + b"\n"
            return self._sent(bad, ETag='"1"')
        if does == "odd promises":
            return self._sent(row, ETag='"1"', Row_Count="1", Clicks_Total="9" * 400)
        self._sent(row, ETag='"1"', Row_Count="1")

    def _drop_by_drop(self, *, headers: bool = False) -> None:
        """Send a body, or headers, piece by piece, for longer than anybody waits."""
        self.send_response(200)
        self.send_header("ETag", '"1"')
        self.send_header("Content-Length", "4000")
        self.flush_headers() if headers else self.end_headers()
        try:
            for _ in range(40):
                self.wfile.write(b"X-More: yes\r\n" if headers else b" ")
                self.wfile.flush()
                time.sleep(0.5)
        except OSError:
            pass


@contextmanager
def hostile_feed() -> Iterator[tuple[str, Behaviour]]:
    """Serve one; gives its address and what it can be told."""
    behaviour = Behaviour()
    handler = type("Handler", (_Handler,), {"behaviour": behaviour})
    server = ThreadingHTTPServer(("127.0.0.1", 0), handler)
    server.daemon_threads = True
    server.handle_error = lambda *_: None
    thread = threading.Thread(target=server.serve_forever, daemon=True)
    thread.start()
    try:
        yield f"http://127.0.0.1:{server.server_address[1]}", behaviour
    finally:
        server.shutdown()
        server.server_close()
