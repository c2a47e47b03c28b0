"""Addresses for saved sets, trying filters, and dated notes."""

from __future__ import annotations

from apiflask import APIBlueprint
from flask import Response
from pydantic import Field

from noctilum.actions import dated_notes, filter_previews
from noctilum.actions.site_access import open_site
from noctilum.service import clock
from noctilum.service.access import allow, asks, install
from noctilum.service.answers import answer
from noctilum.service.asking import ASKED
from noctilum.wire import noted as wire
from noctilum.wire.explain import Item
from noctilum.wire.questions import Question

bp = APIBlueprint("noted", __name__, url_prefix="/api/v1", tag="Sets and notes")


class TryQuery(Question):
    """What to try."""

    filter: str = Field(max_length=4000)
    item: Item = "query"


class BrandQuery(Question):
    """Which terms to try."""

    terms: str | None = Field(
        default=None, max_length=500, description="Comma between them, a minus makes an exception; those in use without"
    )
    text: str = Field(default="", max_length=8000, description="Texts to be told apart, one a line")


@bp.route("/sites/<site>/try-filter", methods=ASKED)
@allow("analyst")
@asks
@bp.input(TryQuery, location="query", arg_name="asked")
@bp.output(wire.FilterTry)
@bp.doc(summary="Try a filter on a site's queries or pages")
def try_filter(site: str, asked: TryQuery) -> Response:
    """Its canonical text, its JSON form, how much it finds, and samples of what it finds and of what it does not."""
    return answer(filter_previews.try_filter(open_site(install(), site), asked.filter, asked.item))


@bp.route("/sites/<site>/try-brand", methods=ASKED)
@allow("analyst")
@asks
@bp.input(BrandQuery, location="query", arg_name="asked")
@bp.output(wire.BrandTry)
@bp.doc(summary="Try brand terms on a site's queries")
def try_brand(site: str, asked: BrandQuery) -> Response:
    """What they find, what only by a slip, what comes close, and what would change against those in use."""
    texts = [text.strip() for text in asked.text.splitlines() if text.strip()]
    return answer(filter_previews.try_brand(install(), site, asked.terms, texts))


@bp.post("/notes/import")
@allow("analyst")
@bp.input(wire.AskNotes, arg_name="asked")
@bp.output(wire.NotesTaken)
@bp.doc(summary="Take dated notes from CSV or iCalendar")
def take_notes(asked: wire.AskNotes) -> Response:
    """Add what is not there yet; lines that cannot be used are told."""
    return answer(dated_notes.take_notes(install(), asked, clock.now()))
