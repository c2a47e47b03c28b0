"""Addresses for exports, verifying, hand-over and deleting for good."""

from __future__ import annotations

from apiflask import APIBlueprint
from flask import Response, g, send_file
from pydantic import Field

from noctilum.actions import erase, export_jobs, files, handover, metrics, presenters, queue, setup, tables
from noctilum.actions.find import find_site
from noctilum.service import clock
from noctilum.service.access import allow, asks, install, whole
from noctilum.service.answers import answer, answer_list, many
from noctilum.wire import operating as wire
from noctilum.wire import setup as setup_wire
from noctilum.wire.questions import Question

bp = APIBlueprint("operating", __name__, url_prefix="/api/v1", tag="Operating")


class Confirmed(Question):
    """What is deleted is named once more."""

    confirm: str = Field(default="", max_length=300, description="The key, or number, again")


@bp.post("/sites/<site>/exports")
@allow("analyst")
@bp.input(wire.AskExport, arg_name="asked")
@bp.output(setup_wire.Job, status_code=202)
@bp.doc(summary="Export raw days or a reading")
def start_export(site: str, asked: wire.AskExport) -> Response:
    """Queue an export; when the job is done its file can be fetched."""
    number = export_jobs.queue_export(install(), site, asked, clock.now())
    return answer(presenters.job(install(), number), 202)


@bp.post("/sites/<site>/hand-overs")
@allow("analyst")
@bp.output(setup_wire.Job, status_code=202)
@bp.doc(summary="Write a site's whole history to one file")
def start_hand_over(site: str) -> Response:
    """Queue a hand-over; when the job is done its file can be fetched."""
    with install().records.read() as db:
        key = find_site(db, site).key
    job = queue.put(install(), "hand-over", {"site": key}, clock.now())
    return answer(presenters.job(install(), job.id), 202)


@bp.get("/jobs/<int:job>/file")
@allow("analyst")
@bp.output({}, content_type="application/octet-stream")
@bp.doc(summary="Fetch the file a job made")
def job_file(job: int) -> Response:
    """The file of an export or hand-over, kept for two days."""
    presenters.job(install(), job)
    path = export_jobs.product(install(), job)
    return send_file(path.absolute(), as_attachment=True, download_name=path.name)


@bp.post("/hand-overs")
@allow("owner")
@bp.input(wire.AskBringIn, arg_name="asked")
@bp.output(wire.BroughtIn, status_code=201)
@bp.doc(summary="Take a hand-over file in")
def bring_in(asked: wire.AskBringIn) -> Response:
    """Add the site of an uploaded hand-over file, all or nothing."""
    path = files.upload_path(install(), asked.upload)
    found = handover.bring_in(install(), path, clock.now(), asked.client)
    out = wire.BroughtIn(
        site=found.site,
        client=found.client,
        sources=found.sources,
        locked=list(found.locked),
        days=found.days,
        first=found.first,
        last=found.last,
    )
    return answer(out, 201)


@bp.post("/tables")
@allow("analyst")
@asks
@bp.input(wire.AskTable, arg_name="asked")
@bp.output({}, content_type=tables.CONTENT_TYPE)
@bp.doc(summary="Write a table as XLSX")
def write_table(asked: wire.AskTable) -> Response:
    """Cells as they were sent, in a sheet; nothing is kept."""
    return Response(tables.as_xlsx(asked), content_type=tables.CONTENT_TYPE)


@bp.post("/verifies")
@allow("analyst")
@whole
@bp.input(wire.AskVerify, arg_name="asked")
@bp.output(setup_wire.Job, status_code=202)
@bp.doc(summary="Verify what is held")
def start_verify(asked: wire.AskVerify) -> Response:
    """Queue a check of everything held, of one site or all; with repair, damaged days are pulled again."""
    job = queue.put(install(), "verify", asked.model_dump(exclude_none=True), clock.now())
    return answer(presenters.job(install(), job.id), 202)


@bp.patch("/clients/<client>")
@allow("owner")
@bp.input(wire.ClientChange, arg_name="asked")
@bp.output(setup_wire.Client)
@bp.doc(summary="Change a client")
def change_client(client: str, asked: wire.ClientChange) -> Response:
    """Say how long its history is kept; without a rule it is kept for ever."""
    setup.change_client(install(), client, asked)
    return answer(presenters.client(install(), client))


@bp.delete("/clients/<client>")
@allow("owner")
@bp.input(Confirmed, location="query", arg_name="asked")
@bp.output({}, content_type="application/json")
@bp.doc(summary="Delete a client for good")
def erase_client(client: str, asked: Confirmed) -> Response:
    """Delete a client with all its sites and their history; says what went."""
    erase.erase_client(install(), client, asked.confirm, g.user.name, clock.now())
    return answer(_newest())


@bp.delete("/sites/<site>")
@allow("owner")
@bp.input(Confirmed, location="query", arg_name="asked")
@bp.output(wire.Erased)
@bp.doc(summary="Delete a site for good")
def erase_site(site: str, asked: Confirmed) -> Response:
    """Delete a site with its sources and history; says what went."""
    erase.erase_site(install(), site, asked.confirm, g.user.name, clock.now())
    return answer(_newest())


@bp.delete("/sources/<int:source>")
@allow("owner")
@bp.input(Confirmed, location="query", arg_name="asked")
@bp.output(wire.Erased)
@bp.doc(summary="Delete a source for good")
def erase_source(source: int, asked: Confirmed) -> Response:
    """Delete a source with what is held of it; the site's others stay."""
    erase.erase_source(install(), source, asked.confirm, g.user.name, clock.now())
    return answer(_newest())


@bp.get("/erasures")
@allow("analyst")
@whole
@bp.output(many(wire.Erased))
@bp.doc(summary="List what was deleted for good")
def list_erasures() -> Response:
    """How much of what was deleted, when and by whom; never what it held."""
    return answer_list(_erased())


def _erased() -> list[wire.Erased]:
    return [wire.Erased(at=e.at, who=e.who, what=e.what, went=e.went) for e in erase.erasures(install())]


def _newest() -> wire.Erased:
    return _erased()[0]


@bp.get("/metrics")
@allow("analyst")
@whole
@bp.output({}, content_type=metrics.CONTENT_TYPE)
@bp.doc(summary="Read metrics for operators", description="In the OpenMetrics format.")
def show_metrics() -> Response:
    """Jobs, sources, held days, store sizes and the worker's last sign of life."""
    return Response(metrics.collected(install(), clock.now()), content_type=metrics.CONTENT_TYPE)
