"""Addresses of alerts: what calls out, seeing to it, and looking anew."""

from __future__ import annotations

from apiflask import APIBlueprint
from flask import Response, g

from noctilum.actions import alert_feed, alerts, digests, fleet, presenters, queue
from noctilum.actions.find import find_site
from noctilum.service import clock
from noctilum.service.access import allow, install
from noctilum.service.answers import answer, answer_list, many
from noctilum.wire import alerts as wire
from noctilum.wire import digests as mailed
from noctilum.wire.breaks import RULES, Rule
from noctilum.wire.fleet import Fleet
from noctilum.wire.setup import Job

bp = APIBlueprint("alerts", __name__, tag="Alerts")


@bp.get("/api/v1/alerts")
@allow("analyst")
@bp.input(wire.AlertsQuery, location="query", arg_name="asked")
@bp.output(many(wire.AlertOut))
@bp.doc(summary="List what calls out")
def list_alerts(asked: wire.AlertsQuery) -> Response:
    """The newest first; open and acknowledged ones without a state."""
    return answer_list(alerts.listed(install(), asked))


@bp.get("/api/v1/alert-rules/shipped")
@allow("analyst")
@bp.output(many(Rule))
@bp.doc(summary="List the rules that ship")
def list_shipped_rules() -> Response:
    """As they are asked where nobody changed them: a kept rule of the same name stands in one's place."""
    return answer_list(RULES)


@bp.get("/api/v1/alerts/<int:number>")
@allow("analyst")
@bp.output(wire.AlertOut)
@bp.doc(summary="Show an alert")
def get_alert(number: int) -> Response:
    """As it was when it was last found."""
    return answer(alerts.one(install(), number))


@bp.patch("/api/v1/alerts/<int:number>")
@allow("analyst")
@bp.input(wire.AlertChange, arg_name="asked")
@bp.output(wire.AlertOut)
@bp.doc(summary="See to an alert")
def change_alert(number: int, asked: wire.AlertChange) -> Response:
    """Acknowledge it, snooze it until a day, mute it for good with a reason, or let it call again."""
    return answer(alerts.changed(install(), number, asked, g.user.email))


@bp.post("/api/v1/sites/<site>/alerts")
@allow("analyst")
@bp.output(Job, status_code=202)
@bp.doc(summary="Look what calls out")
def start_look(site: str) -> Response:
    """Queue a look through a site; every site is looked through each night."""
    with install().records.read() as db:
        key = find_site(db, site).key
    job = queue.put(install(), alerts.JOB, {"site": key}, clock.now())
    return answer(presenters.job(install(), job.id), 202)


@bp.post("/api/v1/me/alerts-feed")
@allow("analyst")
@bp.output(wire.FeedOut, status_code=201)
@bp.doc(summary="Give the address at which a program reads one's alerts")
def make_feed() -> Response:
    """An Atom feed (RFC 4287). A new address of the calendar ends it."""
    return answer(alert_feed.feed_address(install(), g.user.id), 201)


@bp.get("/api/v1/me/digest")
@allow("analyst")
@bp.output(mailed.DigestOut)
@bp.doc(summary="Show how one is mailed what calls out")
def show_digest() -> Response:
    """Off without having chosen otherwise."""
    return answer(digests.of_user(install(), g.user.id))


@bp.put("/api/v1/me/digest")
@allow("analyst")
@bp.input(mailed.DigestChange, arg_name="asked")
@bp.output(mailed.DigestOut)
@bp.doc(summary="Choose how one is mailed what calls out")
def change_digest(asked: mailed.DigestChange) -> Response:
    """By day or week at an hour of one's time zone, outside quiet hours; with nothing to tell, nothing is mailed."""
    return answer(digests.changed(install(), g.user.id, asked, clock.now()))


@bp.get("/api/v1/fleet")
@allow("analyst")
@bp.output(Fleet)
@bp.doc(summary="Show days on which many sites moved at once")
def show_fleet() -> Response:
    """An engine update, probably: days on which far more sites fell or rose than their scatter and weather allow."""
    return answer(fleet.fleet(install(), clock.today()))


@bp.get("/alerts/<token>.atom")
@allow(None)
@bp.doc(hide=True)
def public_feed(token: str) -> Response:
    """Give the alerts that whom the address was made for may see, read-only."""
    text = alert_feed.feed_of(install(), token)
    kept = {"Cache-Control": "private, max-age=300"}
    return Response(text, content_type=f"{alert_feed.CONTENT_TYPE}; charset=utf-8", headers=kept)
