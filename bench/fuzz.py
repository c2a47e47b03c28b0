"""Send anything to every address of the OpenAPI document for a quarter of an hour: part of `make soak`.

Values are right, wrong, odd or huge, by the shapes the document gives; nothing may answer 500, or take over five
seconds. The service is a real one over a small site, started here and ended at the end.
"""

from __future__ import annotations

import argparse
import json
import random
import socket
import sys
import tempfile
import threading
import time
from collections import Counter
from datetime import UTC, date, datetime, timedelta
from pathlib import Path
from typing import Any
from urllib.parse import quote

import httpx

from noctilum.actions import people, setup
from noctilum.actions.imports import import_files
from noctilum.actions.install import Install, Settings
from noctilum.service.serve import start, stop, wait_until_up
from noctilum.wire.setup import NewClient, NewFileSource, NewSite

SLOWEST = 5.0
AT_ONCE = 4
HOST = "skerryferries.example"
SKIPPED = {("delete", "/api/v1/session"), ("put", "/api/v1/me/password"), ("delete", "/api/v1/sites/{site}")}
SKIPPED |= {("delete", "/api/v1/clients/{client}"), ("delete", "/api/v1/tokens/{number}")}
ODD: list[Any] = [
    None, True, False, 0, -1, 1, 2**31, 2**63, -(2**63), 10**30, 0.5, 1e308, -0.0, "", " ", "null", "NaN", "1e99",
    "0001-01-01", "9999-12-31", "2026-02-30", "P9999Y", "P0D", "all", "\u202e", "💡" * 50, "ä" * 300, "x" * 5000,
    "'; drop table site; --", "../../../etc/passwd", "..%2f..%2f", "\x00", "\x1b[31m", "\r\nX: y", "\ud800", "{{7*7}}",
    "=1+1", "<script>alert(1)</script>", "%s%s%n", [], {}, [[[[[]]]]], {"a": {"b": {"c": []}}}, [1] * 500,
]  # fmt: skip
LIKELY: dict[str, list[Any]] = {
    "site": [HOST, HOST, HOST, "nobody.example"],
    "window": ["P28D", "P7D", "2026-02", "2026-Q1", "2025", "month", "all", "2026-01-01/2026-03-01"],
    "against": ["before", "year", "none", "2026-01"],
    "filter": ['query has "ferry"', "clicks > 3 and not brand", "words >= 2", "set Guides", "(((", "position in 1..3"],
    "dimension": ["query", "page", "country", "device", "kind", "look"],
    "key": ["ferry 1", "/", "never"],
    "day": ["2026-03-10", "2026-13-40"],
    "client": ["skerry-ferries"],
    "number": [1, 2, 99],
    "source": [1, 99],
    "job": [1, 2, 3],
}


class Fuzz:
    """Draw requests from the document, send them, and keep what went wrong."""

    def __init__(self, url: str, token: str, spec: dict[str, Any], seed: int) -> None:
        self.url, self.token, self.spec = url, token, spec
        self.chance = random.Random(seed)
        self.every = [
            (method, path, asked)
            for path, ways in spec["paths"].items()
            for method, asked in ways.items()
            if (method, path) not in SKIPPED
        ]
        self.sent: Counter[int] = Counter()
        self.wrong: list[str] = []
        self.slowest = (0.0, "")
        self.reached: set[tuple[str, str]] = set()

    def run(self, until: float) -> None:
        """Send until time is up."""
        with httpx.Client(timeout=60, headers={"Authorization": f"Bearer {self.token}"}) as http:
            while time.monotonic() < until and len(self.wrong) < 50:
                self.once(http)

    def once(self, http: httpx.Client) -> None:
        """Send one request."""
        method, path, asked = self.chance.choice(self.every)
        address, params, body, headers = self.drawn(path, asked)
        began = time.monotonic()
        try:
            answer = http.request(method.upper(), address, params=params, content=body, headers=headers)
        except (httpx.TransportError, httpx.InvalidURL, UnicodeError) as why:
            if not isinstance(why, httpx.ReadError | httpx.WriteError | httpx.RemoteProtocolError):
                return
            self.wrong.append(f"{method} {path}: {type(why).__name__} {why}")
            return
        took = time.monotonic() - began
        self.sent[answer.status_code] += 1
        if answer.is_success:
            self.reached.add((method, path))
        if answer.status_code >= 500 and answer.status_code not in (502, 503):
            self.wrong.append(
                f"{method} {address} {params} {str(body)[:300]}: {answer.status_code} {answer.text[:300]}"
            )
        elif path.endswith("/health"):
            if not answer.is_success:
                self.wrong.append(f"health: {answer.text}")
        elif answer.status_code >= 400 and "problem+json" not in answer.headers.get("content-type", ""):
            self.wrong.append(f"{method} {address}: {answer.status_code} is no problem document")
        if took > self.slowest[0]:
            self.slowest = (took, f"{method} {address} {params}")
        if took > SLOWEST:
            self.wrong.append(f"{method} {address} {params}: {took:.1f} s")

    def drawn(self, path: str, asked: dict[str, Any]) -> tuple[str, dict[str, str], bytes | None, dict[str, str]]:
        """Draw an address, its parameters and a body."""
        params: dict[str, str] = {}
        for parameter in asked.get("parameters", []):
            name, value = parameter["name"], self.value(parameter["name"], parameter.get("schema", {}))
            text = value if isinstance(value, str) else json.dumps(value)
            if parameter["in"] == "path":
                path = path.replace(f"{{{name}}}", quote(text.encode("utf-8", "replace")[:800], safe="") or "x")
            elif self.chance.random() < 0.4:
                params[name] = text.encode("utf-8", "replace").decode()[:6000]
        content = asked.get("requestBody", {}).get("content", {})
        if not content:
            return self.url + path, params, None, {}
        schema = next(iter(content.values())).get("schema", {})
        found = self.value("", schema, 0)
        body = json.dumps(found).encode() if self.chance.random() < 0.95 else self.chance.randbytes(300)
        kind = "application/json" if self.chance.random() < 0.97 else "text/plain"
        return self.url + path, params, body, {"Content-Type": kind}

    def value(self, name: str, schema: dict[str, Any], depth: int = 0) -> Any:
        """Draw a value: what fits mostly, anything else often."""
        if "$ref" in schema:
            schema = self.spec["components"]["schemas"][schema["$ref"].rsplit("/", 1)[-1]]
        if depth and self.chance.random() < 0.12:
            return self.chance.choice(ODD)
        if name in LIKELY and self.chance.random() < 0.85:
            return self.chance.choice(LIKELY[name])
        if "enum" in schema:
            return self.chance.choice([*schema["enum"], "wrong"])
        for several in ("anyOf", "oneOf", "allOf"):
            if several in schema:
                return self.value(name, self.chance.choice(schema[several]), depth + 1)
        return self.of_type(schema, depth)

    def of_type(self, schema: dict[str, Any], depth: int) -> Any:
        """Draw a value of a shape's type, right or at its edges."""
        kind = schema.get("type")
        if kind == "object" or "properties" in schema:
            given = {n: self.value(n, s, depth + 1) for n, s in schema.get("properties", {}).items()}
            needed = schema.get("required", [])
            return {n: v for n, v in given.items() if n in needed or self.chance.random() < 0.5}
        if kind == "array":
            return [self.value("", schema.get("items", {}), depth + 1) for _ in range(self.chance.choice([0, 1, 2, 9]))]
        if kind in ("integer", "number"):
            return self.chance.choice([0, 1, 2, 50, schema.get("minimum", -1), schema.get("maximum", 10**9), -5, 7.5])
        if kind == "boolean":
            return self.chance.random() < 0.5
        if kind == "null":
            return None
        if schema.get("format") == "date":
            return str(date(2026, 1, 1) + timedelta(self.chance.randint(-400, 400)))
        return self.chance.choice(["ferry", "a b", "Guides", "x" * (schema.get("maxLength", 40) + 1), *ODD])


def laid_out(folder: Path, port: int) -> tuple[Settings, str]:
    """Lay out an install with one site of a year; gives its settings and a token."""
    now = datetime(2026, 3, 20, 9, tzinfo=UTC)
    settings = Settings(folder / "install", port=port, web_workers=2)
    install = Install(settings)
    install.prepare()
    user = people.add_user(install, "Ines", "ines@tallowlane.example", "lanterns over the quay", now)
    token = people.new_token(install, user.id, "fuzz", now)
    setup.add_client(install, NewClient(name="Skerry Ferries"), now)
    setup.add_site(install, "skerry-ferries", NewSite(host=HOST, brand_terms="skerry"), now)
    number = setup.add_file_source(install, HOST, NewFileSource(label="Files"), now)
    days = [date(2026, 3, 17) - timedelta(n) for n in range(365)]
    rows = [f"{day},ferry {n},/{n % 7},NO,mobile,{n},{90 + n},{1 + n / 7:.2f}\n" for day in days for n in range(40)]
    path = folder / "year.csv"
    path.write_text("Date,Query,Page,Country,Device,Clicks,Impressions,Position\n" + "".join(rows))
    import_files(install, number, [path], lambda: now)
    install.close()
    return settings, token


def main() -> int:
    """Fuzz; 1 when anything answered 500, or too late, or not at all."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--minutes", type=float, default=15.0)
    parser.add_argument("--seed", type=int, default=1)
    asked = parser.parse_args()
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = int(probe.getsockname()[1])
    with tempfile.TemporaryDirectory() as folder:
        settings, token = laid_out(Path(folder), port)
        processes = start(settings, Path(folder) / "log")
        try:
            wait_until_up(settings, processes)
            found = _fuzzed(f"http://127.0.0.1:{port}", token, asked.minutes, asked.seed)
        finally:
            stop(processes)
    return _told(found)


def _fuzzed(url: str, token: str, minutes: float, seed: int) -> list[Fuzz]:
    spec = httpx.get(f"{url}/api/v1/openapi.json").json()
    until = time.monotonic() + minutes * 60
    every = [Fuzz(url, token, spec, seed * 100 + n) for n in range(AT_ONCE)]
    threads = [threading.Thread(target=each.run, args=(until,)) for each in every]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    return every


def _told(every: list[Fuzz]) -> int:
    sent = sum((each.sent for each in every), Counter())
    reached = set().union(*(each.reached for each in every))
    took, where = max(each.slowest for each in every)
    print(f"{sent.total():,} requests; by status: {dict(sorted(sent.items()))}")
    print(f"{len(reached)} of {len(every[0].every)} operations answered with success at least once")
    print(f"slowest {took:.2f} s: {where[:200]}")
    wrong = [line for each in every for line in each.wrong]
    for line in wrong[:20]:
        print("WRONG", line)
    print("all as it should be" if not wrong else f"{len(wrong)} WRONG")
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main())
