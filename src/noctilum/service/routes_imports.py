"""Addresses for files: sending them, looking at them, bringing them in."""

from __future__ import annotations

from apiflask import APIBlueprint
from flask import Response, request, send_file
from pydantic import Field

from noctilum.actions import files, presenters
from noctilum.core.errors import NotThere, worded
from noctilum.service import clock
from noctilum.service.access import allow, asks, install, whole
from noctilum.service.answers import answer, answer_list, many
from noctilum.wire import imports as wire
from noctilum.wire import setup
from noctilum.wire.questions import Question

bp = APIBlueprint("imports", __name__, url_prefix="/api/v1", tag="Files")


class UploadQuery(Question):
    """What an upload is called."""

    name: str = Field(min_length=1, max_length=200, description="The file's name; its ending says what it is")


@bp.post("/uploads")
@allow("analyst")
@bp.input(UploadQuery, location="query", arg_name="asked")
@bp.output(wire.Upload, status_code=201)
@bp.doc(summary="Send a file", description="The body is the file itself, as application/octet-stream.")
def add_upload(asked: UploadQuery) -> Response:
    """Keep a file until it is imported; it may be as large as the install allows."""
    request.max_content_length = install().settings.most_upload
    return answer(files.keep_upload(install(), asked.name, request.stream), 201)


@bp.post("/previews")
@allow("analyst")
@asks
@bp.input(wire.AskPreview, arg_name="asked")
@bp.output(wire.ImportPreview)
@bp.doc(summary="Look at a file")
def preview(asked: wire.AskPreview) -> Response:
    """What its columns are taken for, what must be asked, and its first rows as they would be kept."""
    return answer(files.preview(install(), asked))


@bp.post("/sources/<int:source>/imports")
@allow("analyst")
@bp.input(wire.AskImport, arg_name="asked")
@bp.output(setup.Job, status_code=202)
@bp.doc(summary="Import files")
def start_import(source: int, asked: wire.AskImport) -> Response:
    """Queue an import; the job's result says what came of it."""
    number = files.queue_import(install(), source, asked, clock.now())
    return answer(presenters.job(install(), number), 202)


@bp.get("/jobs/<int:job>/rejects")
@allow("analyst")
@bp.output({}, content_type="text/csv")
@bp.doc(summary="Get the rejected rows of an import")
def rejects(job: int) -> Response:
    """File, line, reason and text of every row that could not be used, as CSV."""
    presenters.job(install(), job)
    path = files.rejects_path(install(), job)
    if not path.exists():
        raise NotThere("no-rejects", worded("Job {job} rejected no row.", job=job))
    return send_file(path.absolute(), mimetype="text/csv", as_attachment=True, download_name=f"rejects-{job}.csv")


@bp.get("/mappings")
@allow("analyst")
@bp.output(many(wire.NamedMapping))
@bp.doc(summary="List kept mappings")
def list_mappings() -> Response:
    """List the mappings kept under a name."""
    return answer_list(files.mappings(install()))


@bp.put("/mappings/<name>")
@allow("analyst")
@whole
@bp.input(wire.Mapping, arg_name="asked")
@bp.output(wire.NamedMapping)
@bp.doc(summary="Keep a mapping")
def keep_mapping(name: str, asked: wire.Mapping) -> Response:
    """Keep a mapping under a name, in place of one of that name."""
    return answer(files.keep_mapping(install(), name, asked, clock.now()))


@bp.delete("/mappings/<name>")
@allow("analyst")
@whole
@bp.output({}, status_code=204)
@bp.doc(summary="Forget a mapping")
def forget_mapping(name: str) -> Response:
    """Forget a kept mapping."""
    files.forget_mapping(install(), name)
    return Response(status=204)
