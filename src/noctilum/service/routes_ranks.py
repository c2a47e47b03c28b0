"""Addresses for tracking ranks: many keywords at once, checks, kept result pages."""

from __future__ import annotations

from apiflask import APIBlueprint
from flask import Response
from pydantic import Field

from noctilum.actions import captures, checking, gazetteer, keywords, presenters, suggestions
from noctilum.service import clock
from noctilum.service.access import allow, install
from noctilum.service.answers import answer, answer_list, many
from noctilum.wire import captures as kept
from noctilum.wire import keywords as wire
from noctilum.wire import places
from noctilum.wire.questions import Question
from noctilum.wire.setup import Job

bp = APIBlueprint("ranks", __name__, url_prefix="/api/v1", tag="Ranks")


class SuggestQuery(Question):
    """Over which window, and how many."""

    window: str = Field(default="P84D", max_length=40, description="As of every reading")
    most: int = Field(default=50, ge=1, le=200, description="How many at most")


@bp.get("/places")
@allow("analyst")
@bp.input(places.PlacesQuery, location="query", arg_name="asked")
@bp.output(many(places.PlaceOut))
@bp.doc(summary="Find a place to look up from")
def find_places(asked: places.PlacesQuery) -> Response:
    """Countries, regions and towns by name; the agency's own first, then whole names, then the largest."""
    return answer_list(gazetteer.places(install(), asked))


@bp.get("/places/towns")
@allow("reader")
@bp.input(places.TownsQuery, location="query", arg_name="asked")
@bp.output(many(places.Town))
@bp.doc(summary="Say where towns lie")
def find_towns(asked: places.TownsQuery) -> Response:
    """Towns by their whole names, to be drawn on a map; those that are not known are left out."""
    return answer_list(gazetteer.towns(install(), asked))


@bp.post("/keywords/take")
@allow("analyst")
@bp.input(wire.AskKeywords, arg_name="asked")
@bp.output(wire.KeywordsTaken)
@bp.doc(summary="Track many keywords at once")
def take_keywords(asked: wire.AskKeywords) -> Response:
    """Each term from each place on each device; those tracked already are told. With dry_run nothing is kept."""
    return answer(keywords.take(install(), asked, clock.now()))


@bp.post("/keywords/import")
@allow("analyst")
@bp.input(wire.AskKeywordFile, arg_name="asked")
@bp.output(wire.KeywordFileTaken)
@bp.doc(summary="Take keywords from a file's text")
def import_keywords(asked: wire.AskKeywordFile) -> Response:
    """CSV whose first line names its columns; lines that cannot be used are told, those tracked already left alone."""
    return answer(keywords.take_file(install(), asked, clock.now()))


@bp.post("/keywords/change")
@allow("analyst")
@bp.input(wire.ChangeKeywords, arg_name="asked")
@bp.output(wire.KeywordsChanged)
@bp.doc(summary="Change many keywords alike")
def change_keywords(asked: wire.ChangeKeywords) -> Response:
    """All of them or none; with drop they are tracked no more, and what was found stays in the history."""
    return answer(keywords.change_many(install(), asked, clock.now()))


@bp.get("/sites/<site>/lookup-cost")
@allow("analyst")
@bp.output(wire.Cost)
@bp.doc(summary="Say what a site's keywords need in lookups")
def lookup_cost(site: str) -> Response:
    """In a month of 31 days, with what may be used and what was used this month."""
    return answer(keywords.cost(install(), site, clock.today()))


@bp.get("/sites/<site>/keyword-suggestions")
@allow("analyst")
@bp.input(SuggestQuery, location="query", arg_name="asked")
@bp.output(many(wire.Suggestion))
@bp.doc(summary="Suggest keywords to track")
def suggest(site: str, asked: SuggestQuery) -> Response:
    """Queries the site is shown for and does not track, the most useful first; brand queries are left out."""
    return answer_list(suggestions.suggestions(install(), site, asked.window, asked.most))


@bp.post("/sites/<site>/checks")
@allow("analyst")
@bp.input(wire.AskChecks, arg_name="asked")
@bp.output(Job, status_code=202)
@bp.doc(summary="Look keywords up now")
def start_checks(site: str, asked: wire.AskChecks) -> Response:
    """Those of some numbers, whether due or not; all that are due without. It counts against the month's limit."""
    number = checking.queue_checks(install(), site, asked.numbers, clock.now())
    return answer(presenters.job(install(), number), 202)


@bp.get("/keywords/<int:number>/captures")
@allow("analyst")
@bp.output(many(kept.CaptureLine))
@bp.doc(summary="List the kept result pages of a keyword")
def list_captures(number: int) -> Response:
    """Newest first."""
    return answer_list(captures.of_keyword(install(), number))


@bp.get("/sites/<site>/captures/<int:number>")
@allow("analyst")
@bp.output(kept.Capture)
@bp.doc(summary="Show a kept result page")
def show_capture(site: str, number: int) -> Response:
    """As it was answered, with what of it is the site's; nothing of it is run or fetched."""
    return answer(captures.one(install(), site, number))
