"""Addresses for saved sets, trying filters, and dated notes."""

from __future__ import annotations

from datetime import date

from apiflask import APIBlueprint
from flask import Response
from pydantic import Field

from noctilum.actions import dated_notes, sets, tries
from noctilum.actions.site_access import open_site
from noctilum.service import clock
from noctilum.service.access import allow, install
from noctilum.service.answers import answer, answer_list, many
from noctilum.service.asking import ASKED
from noctilum.wire import noted as wire
from noctilum.wire.explain import Item
from noctilum.wire.questions import Question

bp = APIBlueprint("noted", __name__, url_prefix="/api/v1", tag="Sets and notes")


class SetsQuery(Question):
    """Whose sets."""

    client: str | None = Field(default=None, max_length=80, description="Those that this client's sites may name")


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


class NotesQuery(Question):
    """Which notes."""

    site: str | None = Field(default=None, max_length=300, description="Those that concern this site")
    first: date | None = None
    last: date | None = None


@bp.get("/sets")
@allow("analyst")
@bp.input(SetsQuery, location="query", arg_name="asked")
@bp.output(many(wire.SetOut))
@bp.doc(summary="List saved sets")
def list_sets(asked: SetsQuery) -> Response:
    """Sets of the agency, and those of a client."""
    return answer_list(sets.list_sets(install(), asked.client))


@bp.post("/sets")
@allow("analyst")
@bp.input(wire.NewSet, arg_name="asked")
@bp.output(wire.SetOut, status_code=201)
@bp.doc(summary="Save a set")
def save_set(asked: wire.NewSet) -> Response:
    """Keep a set by rule, by list, or by both; one of the same name is replaced."""
    return answer(sets.save_set(install(), asked, clock.now()), 201)


@bp.delete("/sets/<int:number>")
@allow("analyst")
@bp.output({}, status_code=204)
@bp.doc(summary="Delete a set")
def drop_set(number: int) -> Response:
    """Delete a set that no other set names."""
    sets.drop_set(install(), number)
    return Response(status=204)


@bp.route("/sites/<site>/try-filter", methods=ASKED)
@allow("analyst")
@bp.input(TryQuery, location="query", arg_name="asked")
@bp.output(wire.FilterTry)
@bp.doc(summary="Try a filter on a site's queries or pages")
def try_filter(site: str, asked: TryQuery) -> Response:
    """Its canonical text, its JSON form, how much it finds, and samples of what it finds and of what it does not."""
    return answer(tries.try_filter(open_site(install(), site), asked.filter, asked.item))


@bp.route("/sites/<site>/try-brand", methods=ASKED)
@allow("analyst")
@bp.input(BrandQuery, location="query", arg_name="asked")
@bp.output(wire.BrandTry)
@bp.doc(summary="Try brand terms on a site's queries")
def try_brand(site: str, asked: BrandQuery) -> Response:
    """What they find, what only by a slip, what comes close, and what would change against those in use."""
    texts = [text.strip() for text in asked.text.splitlines() if text.strip()]
    return answer(tries.try_brand(install(), site, asked.terms, texts))


@bp.get("/notes")
@allow("analyst")
@bp.input(NotesQuery, location="query", arg_name="asked")
@bp.output(many(wire.NoteOut))
@bp.doc(summary="List dated notes")
def list_notes(asked: NotesQuery) -> Response:
    """Notes, newest first; those of a site come with its client's and the agency's."""
    return answer_list(dated_notes.list_notes(install(), asked.site, asked.first, asked.last))


@bp.post("/notes")
@allow("analyst")
@bp.input(wire.NewNote, arg_name="asked")
@bp.output(wire.NoteOut, status_code=201)
@bp.doc(summary="Keep a dated note")
def add_note(asked: wire.NewNote) -> Response:
    """On a page or set of a site, a site, a client, or the agency."""
    return answer(dated_notes.add_note(install(), asked, clock.now()), 201)


@bp.post("/notes/import")
@allow("analyst")
@bp.input(wire.AskNotes, arg_name="asked")
@bp.output(wire.NotesTaken)
@bp.doc(summary="Take dated notes from CSV or iCalendar")
def take_notes(asked: wire.AskNotes) -> Response:
    """Add what is not there yet; lines that cannot be used are told."""
    return answer(dated_notes.take_notes(install(), asked, clock.now()))


@bp.delete("/notes/<int:number>")
@allow("analyst")
@bp.output({}, status_code=204)
@bp.doc(summary="Delete a dated note")
def drop_note(number: int) -> Response:
    """Delete a note."""
    dated_notes.drop_note(install(), number)
    return Response(status=204)
