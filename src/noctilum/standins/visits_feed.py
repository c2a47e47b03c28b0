"""The visits feed stand-in: an HTTP service that speaks the open feed about visits; a day late, and its newest settles.

Run it with `python -m noctilum.standins.visits_feed --port 8433 --anchor 2026-03-20`.
"""

from __future__ import annotations

import argparse
import gzip
import secrets
from collections.abc import Iterator
from datetime import date, timedelta

import orjson
from flask import Flask, Response, g, request
from werkzeug.serving import make_server

from noctilum.standins.search_feed import Quiet, problem
from noctilum.standins.visits_model import STREAMS, Visit, visits_of

GRAINS = ("visits", "visitors", "goals")
RETENTION_DAYS = 182
LAG_DAYS, FRESH_DAYS = 1, 1
COUNTED_FRESH = 0.94
"""Share of the newest day that is counted as yet."""
Row = dict[str, object]


def create_app(anchor: date, today: date, accounts: dict[str, str]) -> Flask:
    """Make the stand-in's application. accounts: name → secret."""
    app = Flask("visits-feed")
    tokens: dict[str, str] = {}

    @app.before_request
    def _gate() -> Response | None:
        if request.path == "/token":
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
        return _json({"access_token": token, "token_type": "Bearer", "expires_in": 3600})

    @app.get("/properties")
    def _properties() -> Response:
        return _json({"properties": [_property(number, anchor, today) for number in STREAMS]})

    @app.get("/properties/<number>/ledger")
    def _ledger(number: str) -> Response:
        if number not in STREAMS:
            return problem(404, "no-such-property", f"There is no property {number!r}.")
        first = date.fromisoformat(request.args.get("from", _first(number, anchor, today).isoformat()))
        last = date.fromisoformat(request.args.get("to", today.isoformat()))
        days = [first + timedelta(n) for n in range((last - first).days + 1)]
        return _json({"counts": GRAINS, "days": [_state(number, day, anchor, today) for day in days]})

    @app.get("/properties/<number>/days/<day>/<grain>")
    def _day(number: str, day: str, grain: str) -> Response:
        if number not in STREAMS or grain not in GRAINS:
            return problem(404, "no-such-grain", f"There is no grain {grain!r} of {number!r}.")
        asked = date.fromisoformat(day)
        state = _state(number, asked, anchor, today)
        if state["state"] == "none":
            return problem(410, "gone", f"{day} is not counted here.")
        share = COUNTED_FRESH if state["state"] == "fresh" else 1.0
        rows = ROWS[grain](visits_of(number, anchor, asked, share))
        body = b"".join(orjson.dumps(row, option=orjson.OPT_APPEND_NEWLINE) for row in rows)
        headers = {"ETag": f'"{state["revision"]}"', "Content-Encoding": "gzip", "Row-Count": str(len(rows))}
        for name in ("sessions", "engaged", "new_users", "conversions"):
            if rows and name in rows[0]:
                headers[f"{name.replace('_', '-')}-Total"] = str(sum(int(str(row[name])) for row in rows))
        return Response(gzip.compress(body, 1, mtime=0), content_type="application/x-ndjson", headers=headers)

    return app


def _json(body: object) -> Response:
    return Response(orjson.dumps(body), content_type="application/json")


def _first(number: str, anchor: date, today: date) -> date:
    return max(today - timedelta(RETENTION_DAYS - 1), anchor + timedelta(STREAMS[number].first))


def _property(number: str, anchor: date, today: date) -> Row:
    told = STREAMS[number]
    return {
        "id": number,
        "label": told.label,
        "site": told.site,
        "engine": "Doorbell",
        "time_zone": told.time_zone,
        "kind": "visits",
        "first_day": _first(number, anchor, today).isoformat(),
        "last_day": (today - timedelta(LAG_DAYS)).isoformat(),
    }


def _state(number: str, day: date, anchor: date, today: date) -> dict[str, str | None]:
    age = (today - day).days
    if age < LAG_DAYS or day < _first(number, anchor, today):
        return {"day": day.isoformat(), "state": "none", "revision": None}
    fresh = age < LAG_DAYS + FRESH_DAYS
    return {"day": day.isoformat(), "state": "fresh" if fresh else "final", "revision": "fresh" if fresh else "final"}


def _visits(found: tuple[Visit, ...]) -> list[Row]:
    return [
        {
            **{
                name: getattr(each, name)
                for name in ("page", "title", "channel", "device", "country", "region", "city")
            },
            **{name: getattr(each, name) for name in ("sessions", "engaged", "new_users")},
            "conversions": sum(times for _, times, _ in each.reached),
            "revenue": sum(worth for _, _, worth in each.reached) / 100,
        }
        for each in found
    ]


def _visitors(found: tuple[Visit, ...]) -> list[Row]:
    """Users of the day by channel: some of them come twice."""
    sums: dict[str, int] = {}
    for each in found:
        sums[each.channel] = sums.get(each.channel, 0) + each.sessions
    return [
        {"channel": channel, "sessions": sessions, "users": max(1, round(sessions * 0.87))}
        for channel, sessions in sums.items()
    ]


def _goals(found: tuple[Visit, ...]) -> list[Row]:
    sums: dict[tuple[str, str, str], list[int]] = {}
    for name, each, times, worth in _reached(found):
        kept = sums.setdefault((name, each.page, each.channel), [0, 0])
        kept[0], kept[1] = kept[0] + times, kept[1] + worth
    return [
        {"goal": goal, "page": page, "channel": channel, "conversions": times, "revenue": worth / 100}
        for (goal, page, channel), (times, worth) in sums.items()
    ]


def _reached(found: tuple[Visit, ...]) -> Iterator[tuple[str, Visit, int, int]]:
    for each in found:
        for name, times, worth in each.reached:
            yield name, each, times, worth


ROWS = {"visits": _visits, "visitors": _visitors, "goals": _goals}


def main() -> None:
    """Start the stand-in from the command line."""
    parser = argparse.ArgumentParser(description="A made-up visits feed for demo and tests.")
    parser.add_argument("--host", default="127.0.0.1")
    parser.add_argument("--port", type=int, default=8433)
    parser.add_argument("--anchor", type=date.fromisoformat, required=True, help="the day the stories count from")
    parser.add_argument("--today", type=date.fromisoformat, help="the feed's clock; the anchor by default")
    parser.add_argument("--account", default="tallow-lane:lamp-oil", metavar="ID:SECRET")
    asked = parser.parse_args()
    name, _, secret = asked.account.partition(":")
    app = create_app(asked.anchor, asked.today or asked.anchor, {name: secret})
    make_server(asked.host, asked.port, app, threaded=True, request_handler=Quiet).serve_forever()


if __name__ == "__main__":
    main()
