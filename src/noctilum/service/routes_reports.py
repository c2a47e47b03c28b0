"""Addresses of templates as text, of looking a report over, and of editions."""

from __future__ import annotations

from typing import get_args

from apiflask import APIBlueprint
from flask import Response, g
from pydantic import Field

from noctilum.actions import bounces, due_list, editions, presenters, queue, report, reports, sending, slots, templates
from noctilum.core.errors import NotThere, worded
from noctilum.reports.kinds import every_kind
from noctilum.service import clock
from noctilum.service.access import allow, asks, install, whole
from noctilum.service.answers import answer, answer_list, many
from noctilum.service.report_files import send_report
from noctilum.service.turns import one_report_at_a_time
from noctilum.wire import reports as wire
from noctilum.wire.about import BlockAbout, BlocksQuery
from noctilum.wire.questions import Question
from noctilum.wire.setup import Job

FORMATS: tuple[wire.ReportFile, ...] = get_args(wire.ReportFile)
bp = APIBlueprint("editions", __name__, url_prefix="/api/v1", tag="Reports")


class DiffQuery(Question):
    """Which versions are told apart."""

    first: int = Field(ge=1, le=1_000_000, description="The older version")
    last: int | None = Field(default=None, ge=1, le=1_000_000, description="The newer; the newest without")


@bp.get("/templates/<int:number>/versions")
@allow("analyst")
@bp.output(many(wire.VersionOut))
@bp.doc(summary="List a template's versions")
def list_versions(number: int) -> Response:
    """Newest first."""
    return answer_list(templates.versions(install(), number))


@bp.get("/templates/<int:number>/diff")
@allow("analyst")
@bp.input(DiffQuery, location="query", arg_name="asked")
@bp.output(wire.TemplateDiff)
@bp.doc(summary="Tell two versions of a template apart")
def diff_template(number: int, asked: DiffQuery) -> Response:
    """Line for line of their TOML texts."""
    return answer(templates.difference(install(), number, asked.first, asked.last))


@bp.get("/templates/<int:number>.toml")
@allow("analyst")
@bp.output({}, content_type="application/toml")
@bp.doc(summary="Get a template as TOML")
def template_text(number: int) -> Response:
    """As it is taken back by /templates/take; what is as usual is left out."""
    found = templates.one(install(), number)
    return Response(templates.to_toml(found), content_type="application/toml; charset=utf-8")


@bp.post("/templates/take")
@allow("analyst")
@whole
@bp.input(wire.TemplateText, arg_name="asked")
@bp.output(wire.TemplateOut, status_code=201)
@bp.doc(summary="Keep a template from its TOML")
def take_template(asked: wire.TemplateText) -> Response:
    """One of its name gets a new version."""
    return answer(templates.take(install(), asked.text, clock.now()), 201)


@bp.get("/blocks")
@allow("analyst")
@bp.input(BlocksQuery, location="query", arg_name="asked")
@bp.output(many(BlockAbout))
@bp.doc(summary="List kinds of blocks")
def list_blocks(asked: BlocksQuery) -> Response:
    """Every kind that a report may have, with the options and columns of each."""
    return answer_list(every_kind(asked.language))


@bp.post("/sites/<site>/report-look")
@allow("analyst")
@asks
@bp.input(wire.AskLook, arg_name="asked")
@bp.output(wire.ReportLook)
@bp.doc(summary="Look a report over before it is made")
@one_report_at_a_time
def look_over(site: str, asked: wire.AskLook) -> Response:
    """Which blocks come in today, which stay out, and why. Nothing is kept."""
    return answer(reports.look_over(install(), site, asked, clock.now()))


@bp.post("/sites/<site>/report-draft")
@allow("analyst")
@asks
@bp.input(wire.AskDraft, arg_name="asked")
@bp.output(wire.ReportDraft)
@bp.doc(summary="Draw a report before it is made")
@one_report_at_a_time
def draw_draft(site: str, asked: wire.AskDraft) -> Response:
    """As it would be today, with what comes in, and the printed page each block begins on where asked."""
    return answer(reports.draft_of(install(), site, asked, clock.now()))


@bp.post("/sites/<site>/report-preview.html")
@allow("analyst")
@asks
@bp.input(wire.AskLook, arg_name="asked")
@bp.output({}, content_type="text/html")
@bp.doc(summary="See a report as it would be today")
@one_report_at_a_time
def preview(site: str, asked: wire.AskLook) -> Response:
    """One HTML page with real figures. Nothing is kept."""
    made = reports.document_of(install(), site, asked, clock.now())
    return send_report(report.rendered(made, "html"))


@bp.get("/editions")
@allow("reader")
@bp.input(wire.EditionsQuery, location="query", arg_name="asked")
@bp.output(many(wire.EditionOut))
@bp.doc(summary="List editions")
def list_editions(asked: wire.EditionsQuery) -> Response:
    """The newest first."""
    return answer_list(editions.listed(install(), asked))


@bp.post("/reports/<int:number>/editions")
@allow("analyst")
@bp.output(wire.EditionOut, status_code=201)
@bp.doc(summary="Make a draft of a report")
@one_report_at_a_time
def draft(number: int) -> Response:
    """From the history as it is now; its figures are frozen, its summary can be written."""
    return answer(editions.drafted(install(), number, clock.now(), g.user.name), 201)


@bp.get("/editions/<int:number>")
@allow("reader")
@bp.output(wire.EditionOut)
@bp.doc(summary="Show an edition")
def show_edition(number: int) -> Response:
    """With what came in, what stayed out, and its digest."""
    return answer(editions.one(install(), number))


@bp.patch("/editions/<int:number>")
@allow("analyst")
@bp.input(wire.EditionChange, arg_name="asked")
@bp.output(wire.EditionOut)
@bp.doc(summary="Write a draft's summary")
def write_summary(number: int, asked: wire.EditionChange) -> Response:
    """Its figures are not touched; one that is signed off is refused."""
    return answer(editions.rewritten(install(), number, asked))


@bp.post("/editions/<int:number>/approval")
@allow("analyst")
@bp.output(wire.EditionOut)
@bp.doc(summary="Sign an edition off")
def approve(number: int) -> Response:
    """As it was looked at; nothing of it changes any more."""
    return answer(editions.approved(install(), number, clock.now(), g.user.name))


@bp.post("/editions/<int:number>/looks")
@allow("analyst")
@bp.output(wire.EditionOut, status_code=201)
@bp.doc(summary="Note that an edition was opened")
def look_at(number: int) -> Response:
    """Who opened it first stays noted."""
    return answer(editions.looked_at(install(), number, clock.now(), g.user.name), 201)


@bp.post("/editions/<int:number>/sending")
@allow("analyst")
@bp.output(wire.EditionOut, status_code=202)
@bp.doc(summary="Send an edition")
def send(number: int) -> Response:
    """To its report's recipients, once each; what could not be handed over before is tried again."""
    return answer(sending.sent(install(), number, clock.now(), g.user.name), 202)


@bp.get("/editions/<int:number>/deliveries")
@allow("analyst")
@bp.output(many(wire.DeliveryOut))
@bp.doc(summary="List whom an edition went to")
def list_deliveries(number: int) -> Response:
    """With what became of each mail."""
    return answer_list(sending.deliveries(install(), number))


@bp.post("/deliveries/<int:number>/answer")
@allow("analyst")
@bp.input(wire.DeliveryAnswer, arg_name="asked")
@bp.output(wire.DeliveryOut)
@bp.doc(summary="Say whether a mail in doubt arrived")
def answer_delivery(number: int, asked: wire.DeliveryAnswer) -> Response:
    """One that arrived counts as sent; one that did not is handed over again."""
    return answer(sending.answered(install(), number, asked.arrived, clock.now()))


@bp.post("/deliveries/bounces")
@allow("analyst")
@bp.input(wire.Bounce, arg_name="asked")
@bp.output(wire.Bounced, status_code=201)
@bp.doc(summary="Note a mail that came back")
def bounce(asked: wire.Bounce) -> Response:
    """From the message that says so (RFC 3464), as it arrived."""
    return answer(bounces.taken(install(), asked.text, clock.now()), 201)


@bp.post("/editions/<int:number>/test-mail")
@allow("analyst")
@bp.input(wire.TestMail, arg_name="asked")
@bp.output(wire.TestMailSent)
@bp.doc(summary="Send an edition to oneself as a test")
@one_report_at_a_time
def test_mail(number: int, asked: wire.TestMail) -> Response:
    """At once, also a draft; it counts as sent to nobody."""
    return answer(sending.tested(install(), number, asked.to, clock.now()))


@bp.get("/due")
@allow("analyst")
@bp.input(wire.DueQuery, location="query", arg_name="asked")
@bp.output(many(wire.DueLine))
@bp.doc(summary="List what is due")
def list_due(asked: wire.DueQuery) -> Response:
    """Every report at the place where it stands, what wants somebody first."""
    return answer_list(due_list.due_list(install(), asked, clock.now()))


@bp.post("/due")
@allow("analyst")
@whole
@bp.output(Job, status_code=202)
@bp.doc(summary="Make all that is due now")
def run_due() -> Response:
    """As the schedules do by themselves every few seconds; gives the job."""
    slots.tick(install(), clock.now())
    job = queue.put(install(), slots.JOB, {}, clock.now())
    return answer(presenters.job(install(), job.id), 202)


@bp.post("/due/<int:number>/making")
@allow("analyst")
@bp.output({}, status_code=202)
@bp.doc(summary="Make what waits, with the days there are")
def make_anyway(number: int) -> Response:
    """It is marked where days of its window are missing."""
    slots.again(install(), number, clock.now())
    return Response(status=202)


@bp.delete("/due/<int:number>")
@allow("analyst")
@bp.output({}, status_code=204)
@bp.doc(summary="Skip one time a report is due")
def skip_due(number: int) -> Response:
    """The next one comes as it was planned."""
    slots.skipped(install(), number, g.user.name)
    return Response(status=204)


@bp.delete("/editions/<int:number>")
@allow("analyst")
@bp.output({}, status_code=204)
@bp.doc(summary="Throw a draft away")
def drop_edition(number: int) -> Response:
    """One that is signed off is kept."""
    editions.dropped(install(), number)
    return Response(status=204)


@bp.get("/editions/<int:number>/file.<kind>")
@allow("reader")
@bp.output({}, content_type="application/octet-stream")
@bp.doc(summary="Get an edition as a file")
@one_report_at_a_time
def edition_file(number: int, kind: str) -> Response:
    """pdf, html (one file), xlsx with a sheet a table, or zip with CSV files and a manifest."""
    wanted = next((known for known in FORMATS if known == kind), None)
    if wanted is None:
        raise NotThere(
            "no-such-format",
            worded("An edition is no {kind!r}.", kind=kind[:20]),
            remedy=worded("one of {formats}", formats=", ".join(FORMATS)),
        )
    return send_report(editions.file(install(), number, wanted))


@bp.get("/editions/<int:number>/file/page")
@allow("reader")
@bp.output({}, content_type="text/html")
@bp.doc(summary="See an edition as a page")
@one_report_at_a_time
def edition_page(number: int) -> Response:
    """The same page as file.html, to be looked at in place; it runs and reaches nothing."""
    return send_report(editions.file(install(), number, "html"), inline=True)


@bp.get("/editions/<int:number>/charts/<int:block>.<kind>")
@allow("reader")
@bp.output({}, content_type="image/svg+xml")
@bp.doc(summary="Get the chart of a block as a file")
@one_report_at_a_time
def edition_chart(number: int, block: int, kind: str) -> Response:
    """svg or png; blocks are counted from 1, in the order they stand in the edition."""
    if kind not in ("svg", "png"):
        raise NotThere("no-such-format", worded("A chart is no {kind!r}.", kind=kind[:20]), remedy="svg or png")
    return send_report(editions.chart(install(), number, block, "svg" if kind == "svg" else "png"))


@bp.get("/editions/<int:number>/compared")
@allow("reader")
@bp.input(wire.ComparedQuery, location="query", arg_name="asked")
@bp.output(wire.EditionsCompared)
@bp.doc(summary="Compare two editions")
def compare_editions(number: int, asked: wire.ComparedQuery) -> Response:
    """What came in and went out, and each figure that is another."""
    return answer(editions.compared(install(), number, asked.to))


@bp.get("/editions/<int:number>/revised")
@allow("analyst")
@bp.output(wire.EditionRevised)
@bp.doc(summary="Say what was revised since an edition")
@one_report_at_a_time
def revised(number: int) -> Response:
    """The same blocks over the same days, read again; the edition stays as it is."""
    return answer(editions.revised(install(), number, clock.now()))
