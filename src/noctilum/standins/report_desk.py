"""The report desk stand-in: figures of the engine Orrery behind an interface unlike the open feed.

No ledger and no revisions; reports are ordered by POST for a span of days, in pages by cursor, with odd
names, addresses in full and days without dashes; totals come as CSV with semicolons; access is granted by
a person (authorization code with PKCE), and a refresh token is good once. Run it with
`python -m noctilum.standins.report_desk --port 8431 --anchor 2026-03-20`.
"""

from __future__ import annotations

import argparse
import base64
import csv
import hashlib
import io
import secrets
from dataclasses import dataclass, field
from datetime import date, timedelta
from functools import lru_cache
from html import escape
from typing import Any
from urllib.parse import urlencode

import numpy as np
import orjson
from flask import Flask, Response, redirect, request

from noctilum.standins.lookup_model import Looked, lookup_model
from noctilum.standins.search_feed import made_day
from noctilum.standins.search_model import Grain
from noctilum.standins.serving import serve

KEEPS_DAYS, LAG_DAYS, FRESH_DAYS = 120, 1, 3
LINES_A_PAGE = 400
ACCOUNTS = {"desk-0417": ("orrery-skerry", "Skerry Ferries", "skerryferries.example", "Europe/Oslo")}


@dataclass
class Desk:
    """Hold what the desk knows: its clock, who may ask, and what it has handed out.

    fail_every: every n-th question is answered 503, the same one never twice. shut: lookups are answered 503.
    troubled: terms whose lookup fails.
    """

    anchor: date
    today: date
    client: str = "tallow-lane-app"
    secret: str = "brass-key"
    fail_every: int = 0
    shut: bool = False
    troubled: list[str] = field(default_factory=list)
    asked: int = 0
    failed: set[str] = field(default_factory=set)
    codes: dict[str, tuple[str, str]] = field(default_factory=dict)
    refresh: set[str] = field(default_factory=set)
    tokens: set[str] = field(default_factory=set)

    @property
    def newest(self) -> date:
        """The newest day that is counted."""
        return self.today - timedelta(LAG_DAYS)


def create_app(desk: Desk) -> Flask:
    """Make the stand-in's application."""
    app = Flask("report-desk")
    _install_oauth(app, desk)
    _install_reports(app, desk)
    _install_looks(app, desk)
    return app


SCREENS = {"big": "desktop", "small": "mobile", "chart": "map"}


def _install_looks(app: Flask, desk: Desk) -> None:
    """Add lookups, one at a time, with a key in a header and names unlike those of the lookup protocol."""

    @app.get("/look/<land>")
    def _look(land: str) -> Response:
        if request.headers.get("X-Desk-Key") != desk.secret:
            return _said({"error": "who are you"}, 401)
        if desk.shut:
            return _said({"error": "shut"}, 503)
        asked = request.args
        if asked["words"] in desk.troubled:
            return _said({"words": asked["words"], "trouble": "The engine was busy."})
        looked = Looked(
            asked["words"], asked["at"], asked["tongue"], land.upper(), asked.get("spot", ""),
            SCREENS[asked["screen"]], int(asked["many"]),
        )  # fmt: skip
        page = lookup_model(desk.anchor).page(looked, desk.today)
        hits = [{"no": r.rank, "link": r.url, "head": r.title} for r in page.results]
        boxes = [
            {"sort": SORTS.get(f.kind, f.kind), "over": f.above, "to": list(f.owners), "says": f.text}
            for f in page.features
        ]
        return _said({"words": asked["words"], "trouble": None, "found": {"hits": hits, "boxes": boxes}})


SORTS = {"written answer": "essay", "video": "clip"}


def _install_oauth(app: Flask, desk: Desk) -> None:
    @app.get("/oauth/consent")
    def _consent() -> Response | str:
        if request.args.get("client_id") != desk.client or request.args.get("code_challenge_method") != "S256":
            return Response("unknown client, or no PKCE", 400)
        fields = "".join(f"<input type=hidden name='{escape(k)}' value='{escape(v)}'>" for k, v in request.args.items())
        return (
            "<!doctype html><html lang=en><title>Report desk</title><body style='font:16px sans-serif;margin:3em'>"
            f"<h1>Report desk</h1><p>May {escape(desk.client)} read your reports?</p>"
            f"<form method=post action='/oauth/agree'>{fields}<button>Agree</button></form></body></html>"
        )

    @app.post("/oauth/agree")
    def _agree() -> Any:
        code = secrets.token_hex(12)
        desk.codes[code] = (request.form["code_challenge"], request.form["redirect_uri"])
        query = urlencode({"code": code, "state": request.form.get("state", "")})
        return redirect(f"{request.form['redirect_uri']}?{query}")

    @app.post("/oauth/token")
    def _token() -> Response:
        form = request.form
        if form.get("client_id") != desk.client or form.get("client_secret") != desk.secret:
            return _said({"error": "invalid_client"}, 401)
        if form.get("grant_type") == "authorization_code" and not _proved(desk, form):
            return _said({"error": "invalid_grant"}, 400)
        if form.get("grant_type") == "refresh_token" and form.get("refresh_token") not in desk.refresh:
            return _said({"error": "invalid_grant"}, 400)
        desk.refresh.discard(form.get("refresh_token", ""))
        token, again = secrets.token_hex(16), secrets.token_hex(16)
        desk.tokens.add(token)
        desk.refresh.add(again)
        return _said({"access_token": token, "refresh_token": again, "token_type": "Bearer", "expires_in": 900})


def _proved(desk: Desk, form: Any) -> bool:
    challenge, target = desk.codes.pop(form.get("code", ""), ("", ""))
    digest = hashlib.sha256(form.get("code_verifier", "").encode()).digest()
    return (
        bool(challenge)
        and target == form.get("redirect_uri")
        and (base64.urlsafe_b64encode(digest).rstrip(b"=").decode() == challenge)
    )


def _said(body: object, status: int = 200) -> Response:
    return Response(orjson.dumps(body), status, content_type="application/json")


def _install_reports(app: Flask, desk: Desk) -> None:
    @app.before_request
    def _gate() -> Response | None:
        if not request.path.startswith("/v2/"):
            return None
        if request.headers.get("Authorization", "").removeprefix("Bearer ") not in desk.tokens:
            return _said({"error": "who are you"}, 401)
        desk.asked += 1
        if desk.fail_every and desk.asked % desk.fail_every == 0 and request.full_path not in desk.failed:
            desk.failed.add(request.full_path)
            return _said({"error": "try later"}, 503)
        return None

    @app.put("/control")
    def _control() -> Response:
        for name, value in orjson.loads(request.data).items():
            setattr(desk, name, date.fromisoformat(value) if name == "today" else value)
        if orjson.loads(request.data).get("forget_tokens"):
            desk.tokens.clear()
        return _said({})

    @app.get("/v2/desks")
    def _desks() -> Response:
        first = int(request.args.get("from", "0"))
        found = [
            {"desk": {"ref": ref, "title": title, "domain": host, "zone": zone}, "until": f"{desk.newest:%Y-%m-%d}"}
            for ref, (_, title, host, zone) in ACCOUNTS.items()
        ]
        return _said({"desks": found[first : first + 1]})

    @app.post("/v2/reports")
    def _report() -> Response:
        order = orjson.loads(request.data)
        lines = _lines(desk.today, desk.anchor, order["desk"], order["from"], order["to"], order["by"])
        start = int(order.get("cursor") or 0)
        more = str(start + LINES_A_PAGE) if start + LINES_A_PAGE < len(lines) else None
        return _said({"report": {"lines": lines[start : start + LINES_A_PAGE], "more": more}})

    @app.get("/v2/totals/<ref>/<day>.csv")
    def _totals(ref: str, day: str) -> Response:
        out = io.StringIO()
        writer = csv.writer(out, delimiter=";")
        writer.writerow(["land", "screen", "sort", "taps", "views", "mean place"])
        grain = _grain(desk.today, desk.anchor, ref, date.fromisoformat(day), "site")
        for n in range(len(grain.clicks)):
            texts = [grain.texts[name][n] for name in ("country", "device", "kind")]
            place = f"{grain.position_sum[n] / grain.impressions[n]:.9f}".replace(".", ",")
            writer.writerow(
                [texts[0].lower(), texts[1].upper(), texts[2], grain.clicks[n], grain.impressions[n], place]
            )
        return Response(out.getvalue(), content_type="text/csv; charset=utf-8")


def _grain(today: date, anchor: date, ref: str, day: date, grain: str) -> Grain:
    age = (today - day).days
    if not LAG_DAYS <= age < KEEPS_DAYS:
        none = np.zeros(0, dtype=np.int64)
        columns = ("country", "device", "kind", "query", "page")
        return Grain(dict.fromkeys(columns, none), dict.fromkeys(columns, ()), (none, none, none))
    share = 0.9 if age < LAG_DAYS + FRESH_DAYS else 1.0
    return made_day(ACCOUNTS[ref][0], anchor, day, share)[grain]


@lru_cache(maxsize=16)
def _lines(today: date, anchor: date, ref: str, first: str, last: str, by: str) -> list[dict[str, Any]]:
    """Write a report; kept, as each page of it is asked for by itself."""
    host = ACCOUNTS[ref][2]
    lines: list[dict[str, Any]] = []
    day = date.fromisoformat(first)
    while day <= date.fromisoformat(last):
        grain = _grain(today, anchor, ref, day, by)
        for n in range(len(grain.clicks)):
            line: dict[str, Any] = {"on": f"{day:%Y%m%d}", "taps": str(grain.clicks[n]), "views": grain.impressions[n]}
            line |= {"places": grain.position_sum[n], "land": grain.texts["country"][n].lower()}
            line |= {"screen": grain.texts["device"][n].upper(), "sort": grain.texts["kind"][n]}
            if "query" in grain.texts:
                line["words"] = grain.texts["query"][n]
            if "look" in grain.texts:
                line["shape"] = grain.texts["look"][n]
            if "page" in grain.texts:
                line["address"] = f"https://{host}{grain.texts['page'][n]}"
            lines.append(line)
        day += timedelta(1)
    return lines


def main() -> None:
    """Start the stand-in from the command line."""
    parser = argparse.ArgumentParser(description="A made-up report desk for demo and tests.")
    parser.add_argument("--host", default="127.0.0.1")
    parser.add_argument("--port", type=int, default=8431)
    parser.add_argument("--anchor", type=date.fromisoformat, required=True)
    parser.add_argument("--today", type=date.fromisoformat)
    asked = parser.parse_args()
    desk = Desk(asked.anchor, asked.today or asked.anchor)
    serve(create_app(desk), asked.host, asked.port)


if __name__ == "__main__":
    main()
