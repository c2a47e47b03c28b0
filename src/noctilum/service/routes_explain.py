"""Addresses for the readings that explain."""

from __future__ import annotations

from collections.abc import Callable

from apiflask import APIBlueprint
from flask import Response
from pydantic import BaseModel

from noctilum.actions import dated_notes, take
from noctilum.readings.rows_of import Slice
from noctilum.service import questions as ask
from noctilum.service.access import allow, install
from noctilum.service.answers import with_next
from noctilum.service.asking import ASKED
from noctilum.service.taking import answer_reading
from noctilum.wire import compare
from noctilum.wire import explain as wire

bp = APIBlueprint("explain", __name__, url_prefix="/api/v1", tag="Explain")


def _answered(site: str, asked: ask.Listed, make: Callable[[take.Opened, Slice], BaseModel]) -> Response:
    """Answer with a page of rows, its tag and its Link headers."""
    page = Slice(asked.limit, asked.offset)
    opened = take.open_site(install(), site, asked.engine, asked.source)
    found: list[BaseModel] = []

    def once() -> BaseModel:
        found.append(make(opened, page))
        return found[0]

    answered = answer_reading(opened, once)
    return with_next(answered, page.offset, page.limit, getattr(found[0], "matching", 0)) if found else answered


@bp.route("/sites/<site>/fading/page", methods=ASKED)
@allow("analyst")
@bp.input(ask.FadingQuery, location="query", arg_name="asked")
@bp.output(wire.Judgements)
@bp.doc(summary="Judge pages against their own noise")
def fading_pages(site: str, asked: ask.FadingQuery) -> Response:
    """Fading and slipping pages with reasons, most lost beyond the site's own fall first; other verdicts on request."""
    return _answered(
        site, asked, lambda opened, page: take.fading(opened, asked.asked(site), "page", asked.verdicts, page)
    )


@bp.route("/sites/<site>/fading/query", methods=ASKED)
@allow("analyst")
@bp.input(ask.FadingQuery, location="query", arg_name="asked")
@bp.output(wire.Judgements)
@bp.doc(summary="Judge queries against their own noise")
def fading_queries(site: str, asked: ask.FadingQuery) -> Response:
    """Fading and slipping queries with reasons, most lost beyond the site's own fall first; others on request."""
    return _answered(
        site, asked, lambda opened, page: take.fading(opened, asked.asked(site), "query", asked.verdicts, page)
    )


@bp.route("/sites/<site>/within-reach", methods=ASKED)
@allow("analyst")
@bp.input(ask.ReachQuery, location="query", arg_name="asked")
@bp.output(wire.Reach)
@bp.doc(summary="Find what is within reach")
def within_reach(site: str, asked: ask.ReachQuery) -> Response:
    """Queries just below a better band with the clicks to be gained, by query and summed by page."""
    return _answered(site, asked, lambda opened, page: take.reach(opened, asked.asked(site), page, asked.fewest))


@bp.route("/sites/<site>/overlap", methods=ASKED)
@allow("analyst")
@bp.input(ask.ReachQuery, location="query", arg_name="asked")
@bp.output(wire.Overlap)
@bp.doc(summary="Find queries that pages share")
def overlap(site: str, asked: ask.ReachQuery) -> Response:
    """Queries of which two or more pages have a tenth of the impressions each, with how often they take turns."""
    return _answered(site, asked, lambda opened, page: take.overlap(opened, asked.asked(site), page, asked.fewest))


@bp.route("/sites/<site>/clusters", methods=ASKED)
@allow("analyst")
@bp.input(ask.ClustersQuery, location="query", arg_name="asked")
@bp.output(wire.Clusters)
@bp.doc(summary="Join queries that say nearly the same")
def clusters(site: str, asked: ask.ClustersQuery) -> Response:
    """Clusters of the queries of a site, or of one page, with totals."""
    return _answered(site, asked, lambda opened, page: take.clusters(opened, asked.asked(site), page, asked.language))


@bp.route("/sites/<site>/cross", methods=ASKED)
@allow("analyst")
@bp.input(ask.CrossQuery, location="query", arg_name="asked")
@bp.output(wire.Cross)
@bp.doc(summary="Break down by two dimensions")
def cross(site: str, asked: ask.CrossQuery) -> Response:
    """Rows by one dimension with a cell for each value of another, for each band of places, or for each month."""
    return _answered(
        site, asked, lambda opened, page: take.cross(opened, asked.asked(site), asked.rows, asked.columns, page)
    )


@bp.route("/sites/<site>/bands", methods=ASKED)
@allow("analyst")
@bp.input(ask.BandsQuery, location="query", arg_name="asked")
@bp.output(wire.BandCounts)
@bp.doc(summary="Count queries or pages by band and month")
def bands(site: str, asked: ask.BandsQuery) -> Response:
    """How many queries or pages were in each band month by month, how many came and how many went."""
    opened = take.open_site(install(), site, asked.engine, asked.source)
    return answer_reading(opened, lambda: take.band_counts(opened, asked.asked(site), asked.of))


@bp.route("/sites/<site>/weekdays", methods=ASKED)
@allow("analyst")
@bp.input(ask.Framed, location="query", arg_name="asked")
@bp.output(compare.Weekdays)
@bp.doc(summary="Read the profile of a week")
def weekdays(site: str, asked: ask.Framed) -> Response:
    """Clicks and impressions a day by day of the week, over held days."""
    opened = take.open_site(install(), site, asked.engine, asked.source)
    return answer_reading(opened, lambda: take.weekdays(opened, asked.asked(site)))


@bp.route("/sites/<site>/unclicked", methods=ASKED)
@allow("analyst")
@bp.input(ask.Listed, location="query", arg_name="asked")
@bp.output(compare.Unclicked)
@bp.doc(summary="Find impressions without clicks")
def unclicked(site: str, asked: ask.Listed) -> Response:
    """Queries on pages with at most half the clicks that the site's curve expects at their places, beyond chance."""
    return _answered(site, asked, lambda opened, page: take.unclicked(opened, asked.asked(site), page))


@bp.route("/sites/<site>/device-gap", methods=ASKED)
@allow("analyst")
@bp.input(ask.ReachQuery, location="query", arg_name="asked")
@bp.output(compare.DeviceGap)
@bp.doc(summary="Set mobile against desktop")
def device_gap(site: str, asked: ask.ReachQuery) -> Response:
    """Queries on both devices with their places, and what the worse one would gain at the place of the other."""
    return _answered(site, asked, lambda opened, page: take.device_gap(opened, asked.asked(site), page, asked.fewest))


@bp.route("/sites/<site>/odd-days", methods=ASKED)
@allow("analyst")
@bp.input(ask.Framed, location="query", arg_name="asked")
@bp.output(wire.OddDays)
@bp.doc(summary="Find odd days")
def odd_days(site: str, asked: ask.Framed) -> Response:
    """Days of the window far from what the same weekdays before let expect."""
    opened = take.open_site(install(), site, asked.engine, asked.source)
    notes = dated_notes.list_notes(install(), opened.key)
    told = [(note.id, note.first, note.last, note.text) for note in notes]
    return answer_reading(opened, lambda: take.odd_days(opened, asked.asked(site), notes), told)
