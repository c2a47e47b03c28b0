"""Addresses of the monthly check: how far each client's month was gone through."""

from __future__ import annotations

from apiflask import APIBlueprint
from flask import Response, g

from noctilum.actions import monthly
from noctilum.service import clock
from noctilum.service.access import allow, install
from noctilum.service.answers import answer, answer_list, many
from noctilum.wire import monthly as wire

bp = APIBlueprint("monthly", __name__, tag="Worklist")


@bp.get("/api/v1/monthly")
@allow("analyst")
@bp.input(wire.MonthlyQuery, location="query", arg_name="asked")
@bp.output(many(wire.MonthlyAtAGlance))
@bp.doc(summary="Show how far every client's month was gone through")
def list_monthly(asked: wire.MonthlyQuery) -> Response:
    """By client; the last whole month without one."""
    return answer_list(monthly.of_all(install(), asked.month, clock.today()))


@bp.get("/api/v1/clients/<client>/monthly")
@allow("analyst")
@bp.input(wire.MonthlyQuery, location="query", arg_name="asked")
@bp.output(wire.Monthly)
@bp.doc(summary="Show how far a client's month was gone through")
def get_monthly(client: str, asked: wire.MonthlyQuery) -> Response:
    """Its steps in their order, who went through which and when, and this month's editions."""
    return answer(monthly.of_client(install(), client, asked.month, clock.today()))


@bp.patch("/api/v1/clients/<client>/monthly")
@allow("analyst")
@bp.input(wire.MonthlyQuery, location="query", arg_name="asked")
@bp.input(wire.MonthlyChange, arg_name="change")
@bp.output(wire.Monthly)
@bp.doc(summary="Note that a step of a client's month was gone through")
def change_monthly(client: str, asked: wire.MonthlyQuery, change: wire.MonthlyChange) -> Response:
    """Or that it was not after all; doing so twice changes nothing."""
    by, now = g.user.email, clock.now()
    return answer(monthly.changed(install(), client, asked.month, change, by, now, clock.today()))
