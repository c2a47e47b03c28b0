"""What stand-ins of the open feed share: tokens, properties, the ledger, days as NDJSON, and starting from a shell."""

from __future__ import annotations

import argparse
import gzip
import secrets
from calendar import monthrange
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta

import orjson
from flask import Flask, Response, g, request

from noctilum.standins.search_feed import problem
from noctilum.standins.serving import serve

Row = dict[str, object]


@dataclass(frozen=True)
class Property:
    """One thing that a stand-in counts. first: the oldest day it has."""

    label: str
    site: str
    first: date
    time_zone: str = "Europe/London"
    engine: str = "Doorbell"
    currency: str = ""


@dataclass(frozen=True)
class Feed:
    """What a stand-in serves.

    rows: grain → gives the rows of (property, day, whether the day is still fresh). lag: days until a day is there;
    fresh: for how many days more it may change. offers: which days there are at all. totals: counts whose sum headers
    promise.
    """

    name: str
    kind: str
    properties: Mapping[str, Property]
    rows: Mapping[str, Callable[[str, date, bool], list[Row]]]
    today: date
    lag: int
    fresh: int
    totals: Sequence[str] = ()
    offers: Callable[[date], bool] = lambda day: True

    def state(self, number: str, day: date) -> Row:
        """Say in which state a day is."""
        age = (self.today - day).days
        if age < self.lag or day < self.properties[number].first or not self.offers(day):
            return {"day": day.isoformat(), "state": "none", "revision": None}
        told = "fresh" if age < self.lag + self.fresh else "final"
        return {"day": day.isoformat(), "state": told, "revision": told}


def feed_app(feed: Feed, accounts: Mapping[str, str]) -> Flask:
    """Make a stand-in's application. accounts: name → secret."""
    app = Flask(feed.name)
    tokens: dict[str, str] = {}

    @app.before_request
    def _gate() -> Response | None:
        if request.endpoint == "_token" or not request.path.startswith(("/properties", "/token")):
            return None
        token = request.headers.get("Authorization", "").removeprefix("Bearer ")
        if token not in tokens:
            return problem(401, "no-token", "A token is wanted.")
        g.account = tokens[token]
        return None

    @app.post("/token")
    def _token() -> Response:
        account = request.form.get("client_id", "")
        if accounts.get(account) != request.form.get("client_secret"):
            return Response(orjson.dumps({"error": "invalid_client"}), 401, content_type="application/json")
        token = secrets.token_hex(16)
        tokens[token] = account
        return told({"access_token": token, "token_type": "Bearer", "expires_in": 3600})

    @app.get("/properties")
    def _properties() -> Response:
        return told({"properties": [_described(feed, number) for number in feed.properties]})

    @app.get("/properties/<number>/ledger")
    def _ledger(number: str) -> Response:
        if number not in feed.properties:
            return problem(404, "no-such-property", f"There is no property {number!r}.")
        first = date.fromisoformat(request.args.get("from", feed.properties[number].first.isoformat()))
        last = date.fromisoformat(request.args.get("to", feed.today.isoformat()))
        days = [first + timedelta(n) for n in range((last - first).days + 1)]
        states = [feed.state(number, day) for day in days]
        return told({"counts": [*feed.rows], "together": True, "days": states})

    @app.get("/properties/<number>/days/<day>/<grain>")
    def _day(number: str, day: str, grain: str) -> Response:
        return _counted(feed, number, day, (grain,), _ndjson)

    @app.get("/properties/<number>/days/<day>")
    def _whole_day(number: str, day: str) -> Response:
        return _counted(feed, number, day, tuple(request.args.get("grains", "").split(",")), _together)

    return app


def _counted(
    feed: Feed,
    number: str,
    day: str,
    grains: tuple[str, ...],
    write: Callable[[Feed, Row, Mapping[str, list[Row]]], Response],
) -> Response:
    """Answer with a day at some grains, of which each counts the same days."""
    for grain in grains:
        if number not in feed.properties or grain not in feed.rows:
            return problem(404, "no-such-grain", f"There is no grain {grain!r} of {number!r}.")
    asked = date.fromisoformat(day)
    last = _last_of(grains[0], asked)
    if last is None or any(_last_of(grain, asked) != last for grain in grains):
        return problem(404, "no-such-span", f"No {grains[0].partition('-')[0]} begins on {day}.")
    state = feed.state(number, last)
    if state["state"] == "none":
        return problem(410, "gone", f"{day} is not counted here.")
    return write(feed, state, {grain: feed.rows[grain](number, asked, state["state"] == "fresh") for grain in grains})


def _last_of(grain: str, day: date) -> date | None:
    """Give the last day that rows of a grain count: of the week or month that begins on a day, where one does."""
    span = grain.partition("-")[0]
    if span == "week":
        return day + timedelta(6) if day.weekday() == 0 else None
    if span == "month":
        return day.replace(day=monthrange(day.year, day.month)[1]) if day.day == 1 else None
    return day


def _described(feed: Feed, number: str) -> Row:
    found = feed.properties[number]
    return {
        "id": number,
        "label": found.label,
        "site": found.site,
        "engine": found.engine,
        "time_zone": found.time_zone,
        "kind": feed.kind,
        "first_day": found.first.isoformat(),
        "last_day": (feed.today - timedelta(feed.lag)).isoformat(),
        **({"currency": found.currency} if found.currency else {}),
    }


def _ndjson(feed: Feed, state: Row, counted: Mapping[str, list[Row]]) -> Response:
    (rows,) = counted.values()
    headers = {"Row-Count": str(len(rows))}
    headers |= {f"{name.replace('_', '-')}-Total": str(total) for name, total in _totals(feed, rows).items()}
    return _packed(state, rows, headers)


def _together(feed: Feed, state: Row, counted: Mapping[str, list[Row]]) -> Response:
    lines: list[Row] = []
    for grain, rows in counted.items():
        lines += [{"grain": grain, "rows": len(rows), "totals": _totals(feed, rows)}, *rows]
    return _packed(state, lines, {})


def _totals(feed: Feed, rows: list[Row]) -> dict[str, int]:
    return {name: sum(int(str(row[name])) for row in rows) for name in feed.totals if rows and name in rows[0]}


def _packed(state: Row, lines: list[Row], headers: dict[str, str]) -> Response:
    body = b"".join(orjson.dumps(line, option=orjson.OPT_APPEND_NEWLINE) for line in lines)
    headers |= {"ETag": f'"{state["revision"]}"', "Content-Encoding": "gzip"}
    return Response(gzip.compress(body, 1, mtime=0), content_type="application/x-ndjson", headers=headers)


def told(body: object) -> Response:
    """Answer with JSON."""
    return Response(orjson.dumps(body), content_type="application/json")


def run(about: str, port: int, make: Callable[[date, date, Mapping[str, str]], Flask]) -> None:
    """Start a stand-in from the command line. make: takes the anchor of the stories, today, and the accounts."""
    parser = argparse.ArgumentParser(description=about)
    parser.add_argument("--host", default="127.0.0.1")
    parser.add_argument("--port", type=int, default=port)
    parser.add_argument("--anchor", type=date.fromisoformat, required=True, help="the day the stories count from")
    parser.add_argument("--today", type=date.fromisoformat, help="the feed's clock; the anchor by default")
    parser.add_argument("--account", default="tallow-lane:lamp-oil", metavar="ID:SECRET")
    asked = parser.parse_args()
    name, _, secret = asked.account.partition(":")
    app = make(asked.anchor, asked.today or asked.anchor, {name: secret})
    serve(app, asked.host, asked.port)
