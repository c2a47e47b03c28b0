"""Addresses for readings and reports."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date
from typing import get_args

from apiflask import APIBlueprint
from flask import Response
from pydantic import BaseModel

from noctilum.actions import report, take
from noctilum.core.errors import Nonsense, NotThere
from noctilum.readings.breakdown import Page
from noctilum.service import clock
from noctilum.service import questions as ask
from noctilum.service.access import allow, install
from noctilum.service.answers import answer_list, answer_tagged, many, with_next
from noctilum.service.asking import ASKED
from noctilum.service.taking import answer_reading
from noctilum.service.turns import one_report_at_a_time
from noctilum.wire import readings as wire

bp = APIBlueprint("readings", __name__, url_prefix="/api/v1", tag="Readings")

DIMENSIONS: tuple[wire.Dimension, ...] = get_args(wire.Dimension)


def _tagged(
    site: str, make: Callable[[take.Opened], BaseModel], *also: object, of: ask.Framed | ask.LifeQuery | None = None
) -> Response:
    """Open the site once, for its stamp and for the reading; of says which sources are read."""
    opened = take.open_site(install(), site, of.engine if of else None, of.source if of else None)
    return answer_reading(opened, lambda: make(opened), *also)


@bp.get("/portfolio")
@allow("analyst")
@bp.output(wire.Portfolio)
@bp.doc(summary="Read all sites at a glance")
def portfolio() -> Response:
    """Last 28 complete days of every site against the 28 before, those that need a look first."""
    today = clock.today()
    return answer_tagged(f"{take.stamps(install())} {today}", lambda: take.portfolio(install(), today))


@bp.route("/sites/<site>/timeline", methods=ASKED)
@allow("analyst")
@bp.input(ask.TimelineQuery, location="query", arg_name="asked")
@bp.output(wire.Timeline)
@bp.doc(summary="Read a timeline")
def timeline(site: str, asked: ask.TimelineQuery) -> Response:
    """Figures by day, week or month, now and before."""
    return _tagged(
        site, lambda opened: take.timeline(opened, asked.asked(site), asked.by, ask.week_start(asked)), of=asked
    )


@bp.route("/sites/<site>/breakdown/<dimension>", methods=ASKED)
@allow("analyst")
@bp.input(ask.BreakdownQuery, location="query", arg_name="asked")
@bp.output(wire.Breakdown)
@bp.doc(summary="Read a breakdown")
def breakdown(site: str, dimension: str, asked: ask.BreakdownQuery) -> Response:
    """Figures by query, page, country, device, kind or look; pages by Link headers."""
    known = next((d for d in DIMENSIONS if d == dimension), None)
    if known is None:
        raise NotThere(
            "no-such-dimension", f"There is no dimension {dimension!r}.", remedy=f"one of {', '.join(DIMENSIONS)}"
        )
    page = Page(asked.find, asked.sort, asked.limit, asked.offset)
    found: list[wire.Breakdown] = []

    def make(opened: take.Opened) -> wire.Breakdown:
        found.append(take.breakdown(opened, asked.asked(site), known, page))
        return found[0]

    answered = _tagged(site, make, of=asked)
    return with_next(answered, page.offset, page.limit, found[0].matching) if found else answered


@bp.route("/sites/<site>/drivers", methods=ASKED)
@allow("analyst")
@bp.input(ask.DriversQuery, location="query", arg_name="asked")
@bp.output(wire.Drivers)
@bp.doc(summary="Read what drove the change in clicks")
def drivers(site: str, asked: ask.DriversQuery) -> Response:
    """Split the change in clicks into demand, rank, appeal, entered, left and unlisted."""
    return _tagged(site, lambda opened: take.drivers(opened, asked.asked(site), asked.most, asked.driver), of=asked)


@bp.route("/sites/<site>/life/query", methods=ASKED)
@allow("analyst")
@bp.input(ask.LifeQuery, location="query", arg_name="asked")
@bp.output(wire.Life)
@bp.doc(summary="Read a query's whole life")
def query_life(site: str, asked: ask.LifeQuery) -> Response:
    """First and last seen, best week, weeks in the top ten, and every week."""
    return _tagged(site, lambda opened: take.life(opened, "query", asked.key, asked.language), of=asked)


@bp.route("/sites/<site>/life/page", methods=ASKED)
@allow("analyst")
@bp.input(ask.LifeQuery, location="query", arg_name="asked")
@bp.output(wire.Life)
@bp.doc(summary="Read a page's whole life")
def page_life(site: str, asked: ask.LifeQuery) -> Response:
    """First and last seen, best week, weeks in the top ten, and every week."""
    return _tagged(site, lambda opened: take.life(opened, "page", asked.key, asked.language), of=asked)


@bp.route("/sites/<site>/ledger", methods=ASKED)
@allow("analyst")
@bp.input(ask.LedgerQuery, location="query", arg_name="asked")
@bp.output(wire.Ledger)
@bp.doc(summary="Read the day ledger")
def ledger(site: str, asked: ask.LedgerQuery) -> Response:
    """Each day's state, revision, origin, sums and digest."""
    today = clock.today()

    def make(opened: take.Opened) -> wire.Ledger:
        return take.ledger(opened, asked.source, asked.grain, asked.first, asked.last, today)

    return _tagged(site, make, today)


@bp.route("/sites/<site>/days/<day>", methods=ASKED)
@allow("analyst")
@bp.input(ask.DayQuery, location="query", arg_name="asked")
@bp.output(wire.DayMaking)
@bp.doc(summary="Show what a day was made from")
def day_making(site: str, day: str, asked: ask.DayQuery) -> Response:
    """A day's ledger rows at every grain, what the provider promised, and how it changed since."""
    try:
        wanted = date.fromisoformat(day)
    except ValueError as why:
        raise Nonsense("not-a-day", f"{day!r} is not a day.", where="day", remedy="like 2026-03-20") from why
    return _tagged(site, lambda opened: take.making(opened, asked.source, wanted))


@bp.route("/sites/<site>/changes", methods=ASKED)
@allow("analyst")
@bp.input(ask.ChangesQuery, location="query", arg_name="asked")
@bp.output(many(wire.DayChange))
@bp.doc(summary="List changes of final days")
def list_changes(site: str, asked: ask.ChangesQuery) -> Response:
    """Each time a day that was final came out differently, with its sums before and after."""
    opened = take.open_site(install(), site)
    return answer_list(take.changes(opened, asked.source, asked.grain, asked.first, asked.last))


@bp.route("/sites/<site>/reconcile", methods=ASKED)
@allow("analyst")
@bp.input(ask.WindowQuery, location="query", arg_name="asked")
@bp.output(wire.Reconciliation)
@bp.doc(summary="Say why two numbers differ")
def reconcile(site: str, asked: ask.WindowQuery) -> Response:
    """Every source's totals at every grain side by side, with what lies between them."""
    return _tagged(site, lambda opened: take.reconciliation(opened, asked.window))


@bp.route("/sites/<site>/report.pdf", methods=ASKED)
@allow("analyst")
@bp.input(ask.ReportQuery, location="query", arg_name="asked")
@bp.output({}, content_type="application/pdf")
@bp.doc(summary="Get the search report as PDF")
@one_report_at_a_time
def report_pdf(site: str, asked: ask.ReportQuery) -> Response:
    """In the client's colours and without our name."""
    return _file(report.make(install(), asked.asked(site), "pdf", clock.now()))


@bp.route("/sites/<site>/report.html", methods=ASKED)
@allow("analyst")
@bp.input(ask.ReportQuery, location="query", arg_name="asked")
@bp.output({}, content_type="text/html")
@bp.doc(summary="Get the search report as one HTML file")
@one_report_at_a_time
def report_html(site: str, asked: ask.ReportQuery) -> Response:
    """One self-contained file, in the client's colours and without our name."""
    return _file(report.make(install(), asked.asked(site), "html", clock.now()))


def _file(made: report.File) -> Response:
    headers = {"Content-Disposition": f'attachment; filename="{made.name}"', "Cache-Control": "private, no-cache"}
    if made.media_type == "text/html":
        headers["Content-Security-Policy"] = (
            "default-src 'none'; style-src 'unsafe-inline'; img-src data:; font-src data:"
        )
    return Response(made.body, content_type=f"{made.media_type}; charset=utf-8", headers=headers)
