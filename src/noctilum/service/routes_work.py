"""Addresses of the worklist besides those of single items: many at once, and as a calendar."""

from __future__ import annotations

from apiflask import APIBlueprint
from flask import Response, g

from noctilum.actions import kept_work, work_calendar, worklist
from noctilum.service import clock
from noctilum.service.access import allow, install
from noctilum.service.answers import answer
from noctilum.wire import work as wire

bp = APIBlueprint("worklist", __name__, tag="Worklist")
CALENDAR = "text/calendar"


@bp.post("/api/v1/worklist")
@allow("analyst")
@bp.input(wire.ManyWork, arg_name="asked")
@bp.output(wire.WorkTaken)
@bp.doc(summary="Put the same on the worklist about several things")
def take_work(asked: wire.ManyWork) -> Response:
    """All or none of them; what is open with the same words already is told, and left as it is."""
    return answer(worklist.take(install(), asked, clock.now()))


@bp.get("/api/v1/worklist.ics")
@allow("analyst")
@bp.input(wire.WorkQuery, location="query", arg_name="asked")
@bp.output({}, content_type=CALENDAR)
@bp.doc(summary="Write items as to-dos of a calendar")
def calendar(asked: wire.WorkQuery) -> Response:
    """iCalendar (RFC 5545), a VTODO an item."""
    items = kept_work.listed(install(), asked)
    text = work_calendar.as_calendar(items, clock.now(), install().settings.portal)
    return Response(text, content_type=f"{CALENDAR}; charset=utf-8")


@bp.post("/api/v1/me/calendar")
@allow("analyst")
@bp.output(wire.CalendarOut, status_code=201)
@bp.doc(summary="Make the address at which a calendar reads one's open items")
def make_calendar() -> Response:
    """Told once. An address made before leads nowhere from then on."""
    return answer(work_calendar.calendar_address(install(), g.user.id), 201)


@bp.get("/calendar/<token>.ics")
@allow(None)
@bp.doc(hide=True)
def public_calendar(token: str) -> Response:
    """Give the open items of whom the address was made for, read-only."""
    text = work_calendar.calendar_of(install(), token, clock.now())
    return Response(text, content_type=f"{CALENDAR}; charset=utf-8", headers={"Cache-Control": "private, max-age=300"})
