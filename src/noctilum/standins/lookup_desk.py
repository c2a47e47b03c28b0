"""The lookup stand-in: routes of the lookup protocol, which can be told to fail, to be slow, or to answer nonsense."""

from __future__ import annotations

import time
from collections.abc import Callable, Mapping
from dataclasses import asdict, dataclass, fields
from datetime import date
from threading import Lock
from typing import Any

import orjson
from flask import Flask, Response, g, request

from noctilum.standins.lookup_model import DEEPEST, Looked, ResultPage, lookup_model

MOST_AT_ONCE = 100
DESK = "lookups"
Problem = Callable[[int, str, str, dict[str, str] | None], Response]


@dataclass
class Desk:
    """What the desk can be told, and what it has counted.

    fail_every, empty_every: every so manieth lookup fails, or finds nothing. slow_ms: a batch waits. most: lookups it
    does at all, then it answers 429. nonsense: term → what is answered in place of it, as it stands. asked: how often
    each lookup was asked for, by day.
    """

    anchor: date
    fail_every: int = 0
    empty_every: int = 0
    slow_ms: int = 0
    down: bool = False
    most: int = 0
    today: str = ""
    done: int = 0

    def __post_init__(self) -> None:
        self.nonsense: dict[str, Any] = {}
        self.asked: dict[str, int] = {}
        self.lock = Lock()

    def count(self, name: str) -> int:
        """Number a lookup, and remember that it was asked for."""
        with self.lock:
            self.done += 1
            self.asked[name] = self.asked.get(name, 0) + 1
            return self.done


def install_lookups(app: Flask, desk: Desk, today: Callable[[], date], problem: Problem) -> None:
    """Add the lookup protocol to an application whose gate has told the account."""
    app.extensions["desk"] = desk
    settable = {each.name for each in fields(Desk)} - {"anchor"}

    @app.put("/control/lookups")
    def _control_desk() -> Response:
        for name, value in orjson.loads(request.data).items():
            if name == "nonsense":
                desk.nonsense = value
            elif name in settable:
                setattr(desk, name, value)
            else:
                return problem(400, "unknown-setting", f"There is no setting {name!r}.", None)
        told = {name: value for name, value in asdict(desk).items() if name in settable}
        return Response(orjson.dumps(told | {"asked": desk.asked}), content_type="application/json")

    @app.get("/desks")
    def _desks() -> Response:
        told = {"id": DESK, "label": "Neutral lookups", "site": "", "engine": "Lookups", "time_zone": "UTC"}
        told |= {"kind": "lookups", "first_day": today().isoformat(), "last_day": today().isoformat()}
        return Response(orjson.dumps({"properties": [told]}), content_type="application/json")

    @app.post("/lookups")
    def _lookups() -> Response:
        if desk.down:
            return problem(503, "closed", "The desk is closed.", None)
        wanted = orjson.loads(request.data).get("lookups", [])
        if len(wanted) > MOST_AT_ONCE:
            return problem(400, "too-many", f"At most {MOST_AT_ONCE} lookups at once.", None)
        if desk.most and desk.done + len(wanted) > desk.most:
            return problem(429, "used-up", "No lookups are left.", {"Retry-After": "3600"})
        if desk.slow_ms:
            time.sleep(desk.slow_ms / 1000)
        day = date.fromisoformat(desk.today) if desk.today else today()
        answers = [_answered(desk, each, day) for each in wanted]
        return Response(orjson.dumps({"account": g.account, "answers": answers}), content_type="application/json")


def _answered(desk: Desk, asked: Mapping[str, Any], day: date) -> dict[str, Any]:
    number = desk.count(f"{day} {asked['term']} {asked.get('place', '')} {asked.get('device', '')}")
    head = {"ref": asked.get("ref"), "term": asked["term"], "taken_at": f"{day}T05:00:00Z"}
    if asked["term"] in desk.nonsense:
        told: dict[str, Any] = head | {"state": "found"} | desk.nonsense[asked["term"]]
        return told
    if desk.fail_every and number % desk.fail_every == 0:
        return head | {"state": "failed", "why": "The engine did not answer."}
    if desk.empty_every and number % desk.empty_every == 0:
        return head | {"state": "found", "results": [], "features": []}
    return head | {"state": "found"} | told_page(lookup_model(desk.anchor).page(looked_of(asked), day))


def looked_of(asked: Mapping[str, Any]) -> Looked:
    """Read what is asked for."""
    known = {
        name: asked[name] for name in ("term", "engine", "language", "country", "place", "device") if asked.get(name)
    }
    return Looked(**known, depth=min(int(asked.get("depth", 20)), DEEPEST))


def told_page(page: ResultPage) -> dict[str, Any]:
    """Write a result page as the protocol has it."""
    return {
        "results": [{"rank": r.rank, "url": r.url, "title": r.title, "kind": r.kind} for r in page.results],
        "features": [
            {"kind": f.kind, "above": f.above, "owners": list(f.owners), "text": f.text} for f in page.features
        ],
    }
