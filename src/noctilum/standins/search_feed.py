"""The search feed stand-in: an HTTP service that speaks the open feed and can be told to misbehave.

Run it with `python -m noctilum.standins.search_feed --port 8430 --anchor 2026-03-20`.
"""

from __future__ import annotations

import argparse
import gzip
import random
import time
from collections.abc import Iterator
from dataclasses import asdict, dataclass, field, fields
from datetime import date, timedelta
from functools import lru_cache
from threading import Lock

import numpy as np
import orjson
import pyarrow as pa
import pyarrow.compute as pc
from flask import Flask, Response, g, request

from noctilum.standins.lookup_desk import Desk, install_lookups
from noctilum.standins.search_model import GRAINS, Grain, model_of
from noctilum.standins.serving import serve
from noctilum.standins.worlds import WORLDS

RETENTION_DAYS = 487
LAG_DAYS = 2
FRESH_DAYS = 3
COUNTED = {2: 0.82, 3: 0.93, 4: 0.985}
"""Share of a fresh day that is counted, by its age in days."""


@dataclass
class Setting:
    """Hold what the stand-in can be told: its clock, its accounts, and how it misbehaves.

    error_every, cut_every, limit_every: every so manieth request of days answers 500, is cut off
    half way, or answers 429. token_seconds: how long a token lives. slow_ms: waits before a day.
    retention_days: how far back it keeps days. revised: day → number of a late revision, which
    counts that day a little lower. none: days it never has. wrong_totals: days whose totals it
    states wrongly. per_minute: most days asked in minute_seconds, told in RateLimit headers. looks: it
    counts what results looked like. together: it gives several grains of a day in one answer.
    page_rows: most rows of a grain in one answer.
    """

    anchor: date
    today: date
    accounts: dict[str, tuple[str, tuple[str, ...]]] = field(default_factory=dict)
    error_every: int = 0
    cut_every: int = 0
    limit_every: int = 0
    retry_after: float = 0.2
    token_seconds: float = 3600.0
    slow_ms: int = 0
    retention_days: int = RETENTION_DAYS
    down: bool = False
    revised: dict[str, int] = field(default_factory=dict)
    none: list[str] = field(default_factory=list)
    wrong_totals: list[str] = field(default_factory=list)
    per_minute: int = 0
    minute_seconds: float = 60.0
    looks: bool = True
    together: bool = True
    page_rows: int = 5000

    @property
    def grains(self) -> tuple[str, ...]:
        """What it counts."""
        return GRAINS if self.looks else GRAINS[:-1]


class State:
    """Count requests and remember tokens; shared by the server's threads."""

    def __init__(self, setting: Setting) -> None:
        self.setting = setting
        self.tokens: dict[str, tuple[str, float]] = {}
        self.asked = 0
        self._window = (0.0, 0)
        self._random = random.Random(1)
        self._lock = Lock()

    def count(self) -> int:
        """Number this request of a day."""
        with self._lock:
            self.asked += 1
            return self.asked

    def forget_quota(self) -> None:
        """Begin a new minute."""
        with self._lock:
            self._window = (0.0, 0)

    def quota(self) -> tuple[int, float]:
        """Count a request against the quota: (requests left after it, seconds until more); -1 left is too many."""
        with self._lock:
            begun, used = self._window
            now = time.monotonic()
            if now - begun >= self.setting.minute_seconds:
                begun, used = now, 0
            self._window = (begun, used + 1)
            return max(-1, self.setting.per_minute - used - 1), self.setting.minute_seconds - (now - begun)

    def new_token(self, account: str) -> str:
        """Hand out a token."""
        with self._lock:
            token = f"{self._random.getrandbits(128):032x}"
            self.tokens[token] = (
                account,
                time.monotonic() + self.setting.token_seconds,
            )
            return token


def problem(status: int, code: str, detail: str, headers: dict[str, str] | None = None) -> Response:
    """Answer with a problem document (RFC 9457)."""
    body = {
        "type": f"about:blank#{code}",
        "title": code,
        "status": status,
        "detail": detail,
    }
    answer = Response(orjson.dumps(body), status, content_type="application/problem+json")
    answer.headers.update(headers or {})
    return answer


def create_app(setting: Setting) -> Flask:
    """Make the stand-in's application."""
    app = Flask("search-feed")
    state = State(setting)
    app.extensions["state"] = state

    @app.before_request
    def _gate() -> Response | None:
        if request.path.startswith("/control"):
            return None
        if setting.down:
            return problem(503, "closed", "The feed is closed for maintenance.")
        if request.path == "/token":
            return None
        sent = request.headers.get("Authorization", "").removeprefix("Bearer ")
        account, until = state.tokens.get(sent, ("", 0.0))
        if not account or until < time.monotonic() or account not in setting.accounts:
            headers = {"WWW-Authenticate": 'Bearer error="invalid_token"'}
            return problem(401, "invalid-token", "The token is unknown or has expired.", headers)
        g.account = account
        return None

    @app.put("/control")
    def _control() -> Response:
        change = orjson.loads(request.data)
        state.forget_quota()
        known = {f.name for f in fields(Setting)}
        for name, value in change.items():
            if name not in known:
                return problem(400, "unknown-setting", f"There is no setting {name!r}.")
            setattr(
                setting,
                name,
                date.fromisoformat(value) if name in ("today", "anchor") else value,
            )
        told = {k: v for k, v in asdict(setting).items() if k != "accounts"}
        return Response(orjson.dumps(told | {"asked": state.asked}))

    @app.post("/token")
    def _token() -> Response:
        account = request.form.get("client_id", "")
        known = setting.accounts.get(account)
        if request.form.get("grant_type") != "client_credentials":
            return _oauth_error("unsupported_grant_type", 400)
        if known is None or known[0] != request.form.get("client_secret", ""):
            return _oauth_error("invalid_client", 401)
        body = {
            "access_token": state.new_token(account),
            "token_type": "Bearer",
            "expires_in": int(setting.token_seconds),
        }
        return Response(
            orjson.dumps(body),
            content_type="application/json",
            headers={"Cache-Control": "no-store"},
        )

    @app.get("/properties")
    def _properties() -> Response:
        seen = [_property(setting, number) for number in setting.accounts[g.account][1]]
        return Response(orjson.dumps({"properties": seen}), content_type="application/json")

    @app.get("/properties/<number>/ledger")
    def _ledger(number: str) -> Response:
        if number not in setting.accounts[g.account][1]:
            return problem(404, "no-such-property", f"There is no property {number!r}.")
        first = date.fromisoformat(request.args.get("from", _oldest(setting).isoformat()))
        last = date.fromisoformat(request.args.get("to", setting.today.isoformat()))
        days = [_ledger_day(setting, day) for day in _days(first, last)]
        told = {"grains": setting.grains, "together": setting.together, "days": days}
        return Response(orjson.dumps(told), content_type="application/json")

    @app.get("/properties/<number>/days/<day>/<grain>")
    def _day(number: str, day: str, grain: str) -> Response:
        return _counted(number, day, (grain,), False)

    @app.get("/properties/<number>/days/<day>")
    def _whole_day(number: str, day: str) -> Response:
        if not setting.together:
            return problem(404, "no-such-thing", "Grains are given one by one here.")
        return _counted(number, day, tuple(request.args.get("grains", "").split(",")), True)

    def _counted(number: str, day: str, grains: tuple[str, ...], together: bool) -> Response:
        if number not in setting.accounts[g.account][1]:
            return problem(404, "no-such-property", f"There is no property {number!r}.")
        if not setting.per_minute:
            return _serve_day(state, number, date.fromisoformat(day), grains, together)
        left, reset = state.quota()
        told = {"RateLimit-Remaining": str(max(left, 0)), "RateLimit-Reset": f"{reset:.3f}"}
        if left < 0:
            return problem(429, "too-many", "The quota is used up.", told | {"Retry-After": f"{reset:.3f}"})
        answer = _serve_day(state, number, date.fromisoformat(day), grains, together)
        answer.headers.update(told)
        return answer

    install_lookups(app, Desk(setting.anchor), lambda: setting.today, problem)
    return app


def _oauth_error(code: str, status: int) -> Response:
    return Response(orjson.dumps({"error": code}), status, content_type="application/json")


def _oldest(setting: Setting) -> date:
    return setting.today - timedelta(setting.retention_days - 1)


def _property(setting: Setting, number: str) -> dict[str, str]:
    world = WORLDS[number]
    return {
        "id": number,
        "label": world.label,
        "site": world.site,
        "engine": world.engine,
        "time_zone": world.time_zone,
        "first_day": _oldest(setting).isoformat(),
        "last_day": (setting.today - timedelta(LAG_DAYS)).isoformat(),
    }


def _days(first: date, last: date) -> Iterator[date]:
    for n in range((last - first).days + 1):
        yield first + timedelta(n)


def _ledger_day(setting: Setting, day: date) -> dict[str, object]:
    age = (setting.today - day).days
    if age < LAG_DAYS or day < _oldest(setting) or day.isoformat() in setting.none:
        return {"day": day.isoformat(), "state": "none", "revision": None}
    fresh = age < LAG_DAYS + FRESH_DAYS
    return {
        "day": day.isoformat(),
        "state": "fresh" if fresh else "final",
        "revision": _revision(setting, day),
    }


def _revision(setting: Setting, day: date) -> str:
    age = (setting.today - day).days
    late = setting.revised.get(day.isoformat())
    settled = f"final-{late}" if late else "final"
    return f"fresh-{age}" if age < LAG_DAYS + FRESH_DAYS else settled


def share_counted(setting: Setting, day: date) -> float:
    """Say how much of a day is counted: less while it is fresh, a little less after a late revision."""
    fresh = COUNTED.get((setting.today - day).days)
    return fresh if fresh is not None else 1.0 - 0.01 * setting.revised.get(day.isoformat(), 0)


def _serve_day(state: State, number: str, day: date, grains: tuple[str, ...], together: bool) -> Response:
    setting, asked = state.setting, state.count()
    if setting.slow_ms:
        time.sleep(setting.slow_ms / 1000)
    if setting.limit_every and asked % setting.limit_every == 0:
        return problem(
            429,
            "too-many",
            "Too many requests.",
            {"Retry-After": str(setting.retry_after)},
        )
    if setting.error_every and asked % setting.error_every == 0:
        return problem(500, "broken", "Something broke.")
    if day.isoformat() in setting.none:
        return problem(404, "not-counted", f"{day} was never counted.")
    if day < _oldest(setting):
        return problem(410, "gone", f"{day} is older than the 16 months that are kept.")
    if (setting.today - day).days < LAG_DAYS:
        return problem(404, "not-yet", f"{day} is not counted yet.")
    for grain in grains:
        if grain not in setting.grains:
            return problem(404, "no-such-grain", f"There is no grain {grain!r}.")
    revision = _revision(setting, day)
    etag = f'"{revision}"'
    if etag in request.headers.get("If-None-Match", ""):
        return Response(status=304, headers={"ETag": etag})
    made = made_day(number, setting.anchor, day, share_counted(setting, day))
    wrong = 7 if day.isoformat() in setting.wrong_totals else 0
    headers = {"ETag": etag, "Content-Encoding": "gzip"}
    if together:
        lines = pa.concat_arrays([part for grain in grains for part in _headed(grain, made[grain], wrong)])
    else:
        lines, totals = _lines(made[grains[0]]), _totals(made[grains[0]], wrong)
        headers["Row-Count"] = str(len(lines))
        headers |= {f"{name.title()}-Total": str(total) for name, total in totals.items()}
    most = setting.page_rows * len(grains)
    page = int(request.args.get("page", "1"))
    body = gzip.compress(_joined(lines, (page - 1) * most, page * most), compresslevel=1, mtime=0)
    if page * most < len(lines):
        asked_for = f"grains={','.join(grains)}&" if together else ""
        headers["Link"] = f'<{request.base_url}?{asked_for}page={page + 1}>; rel="next"'
    if setting.cut_every and asked % setting.cut_every == 0:
        return _cut(body, headers)
    return Response(body, content_type="application/x-ndjson", headers=headers)


def _cut(body: bytes, headers: dict[str, str]) -> Response:
    """Promise the whole body, send half of it, and drop the connection."""

    def half() -> Iterator[bytes]:
        yield body[: len(body) // 2]
        raise ConnectionAbortedError("cut on purpose")

    return Response(
        half(),
        content_type="application/x-ndjson",
        headers=headers | {"Content-Length": str(len(body))},
    )


@lru_cache(maxsize=64)
def made_day(number: str, anchor: date, day: date, share: float) -> dict[str, Grain]:
    """Make one day at every grain; kept, as each grain of it is asked for by itself."""
    return model_of(number, anchor).day(day, share)


def _headed(grain: str, rows: Grain, wrong: int) -> tuple[pa.Array, pa.Array]:
    """Write the rows of a grain, and the line that stands before them."""
    told = {"grain": grain, "rows": rows.sums[0].size, "totals": _totals(rows, wrong)}
    return pa.array([orjson.dumps(told, option=orjson.OPT_APPEND_NEWLINE).decode()]), _lines(rows)


def _lines(rows: Grain) -> pa.Array:
    """Write each row as a line of JSON, column by column; texts, of which there are few, are written once."""
    clicks, impressions, places = rows.sums
    parts = [_members(name, rows.names[name]).take(pa.array(codes)) for name, codes in rows.codes.items()]
    for name, figures in (("clicks", clicks), ("impressions", impressions), ("position", places / impressions)):
        parts += [f'"{name}":', pa.array(figures).cast(pa.string()), "," if name != "position" else "}\n"]
    return pc.binary_join_element_wise("{", *parts, "")


@lru_cache(maxsize=256)
def _members(name: str, texts: tuple[str, ...]) -> pa.Array:
    """Write a member of an object for each text there is."""
    return pa.array([f'"{name}":{orjson.dumps(text).decode()},' for text in texts], pa.string())


def _joined(lines: pa.Array, first: int, last: int) -> bytes:
    """Give some lines as they follow each other in memory."""
    some = lines[first:last]
    _, bounds, texts = some.buffers()
    ends = np.frombuffer(bounds, dtype=np.int32)[some.offset : some.offset + len(some) + 1]
    return memoryview(texts)[ends[0] : ends[-1]].tobytes()


def _totals(rows: Grain, wrong: int) -> dict[str, int]:
    """Say what rows add up to, too many by so many impressions."""
    clicks, impressions, _ = rows.sums
    return {"clicks": int(clicks.sum()), "impressions": int(impressions.sum()) + wrong}


def main() -> None:
    """Start the stand-in from the command line."""
    parser = argparse.ArgumentParser(description="A made-up search feed for demo and tests.")
    parser.add_argument("--host", default="127.0.0.1")
    parser.add_argument("--port", type=int, default=8430)
    parser.add_argument(
        "--anchor",
        type=date.fromisoformat,
        required=True,
        help="the day the stories count from",
    )
    parser.add_argument(
        "--today",
        type=date.fromisoformat,
        help="the feed's clock; the anchor by default",
    )
    parser.add_argument("--account", action="append", default=[], metavar="ID:SECRET[:PROPERTY,…]")
    parser.add_argument("--retention-days", type=int, default=RETENTION_DAYS)
    asked = parser.parse_args()
    accounts = {}
    for text in asked.account or ["tallow-lane:lamp-oil"]:
        name, secret, *seen = text.split(":")
        accounts[name] = (secret, tuple(filter(None, seen[0].split(","))) if seen else tuple(WORLDS))
    setting = Setting(asked.anchor, asked.today or asked.anchor, accounts, retention_days=asked.retention_days)
    serve(create_app(setting), asked.host, asked.port)


if __name__ == "__main__":
    main()
