"""Turning faults of every kind into RFC 9457 problem documents."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

import structlog
from apiflask import APIFlask
from apiflask.exceptions import HTTPError
from flask import Response, current_app, has_request_context, request
from sqlalchemy.exc import SQLAlchemyError
from werkzeug.exceptions import HTTPException

from noctilum.core.errors import Fault, TooMany, worded
from noctilum.records.database import fault_of
from noctilum.sqlite_files import common_fault
from noctilum.wire.base import FieldFault, Problem
from noctilum.wire.plain_text import cleaned, keepable
from noctilum.words.faults import AT, said, said_of_input
from noctilum.words.speech import LANGUAGES, Speech

log = structlog.get_logger("noctilum.service")


def install_problems(app: APIFlask) -> None:
    """Answer every failure of the application with a problem document."""
    app.register_error_handler(Fault, _from_fault)
    app.register_error_handler(SQLAlchemyError, _from_database)
    app.register_error_handler(UnicodeEncodeError, _from_text)
    app.register_error_handler(OSError, _from_disk)
    app.register_error_handler(Exception, _from_surprise)

    @app.error_processor
    def _from_library(error: HTTPError) -> Response:
        return _from_http(error.status_code, error.message or error.__class__.__name__, error.detail, error.headers)


def problem(
    status: int, code: str, what: str, *, where: str = "", remedy: str = "", fields: Iterable[FieldFault] = ()
) -> Response:
    """Answer with a problem document."""
    body = document(status, code, what, where=where, remedy=remedy, fields=fields)
    return Response(body, status, content_type="application/problem+json")


def document(
    status: int, code: str, what: str, *, where: str = "", remedy: str = "", fields: Iterable[FieldFault] = ()
) -> str:
    """Write a problem document (RFC 9457) as JSON, in the language that is asked for."""
    speech = Speech(asked_language())
    what, remedy = said(what, speech), said(remedy, speech)
    place = speech.say(AT, where=where) if where else ""
    detail = " ".join(part for part in (what, place, _sentence(remedy)) if part)
    found = Problem(
        type=f"urn:noctilum:problem:{code}",
        title=keepable(what),
        status=status,
        code=code,
        detail=keepable(detail),
        where=keepable(where),
        remedy=keepable(remedy),
        fields=list(fields),
    )
    return found.model_dump_json()


def asked_language() -> str:
    """Give the language of LANGUAGES that the request asks for first; English where it asks for none of them."""
    if not has_request_context() or not request.headers.get("Accept-Language"):
        return "en"
    return request.accept_languages.best_match(LANGUAGES) or "en"


def _sentence(remedy: str) -> str:
    return f"{remedy[0].upper()}{remedy[1:]}." if remedy else ""


def _from_fault(fault: Fault) -> Response:
    if fault.status >= 500:
        log.warning("fault", code=fault.code, what=fault.what, where=fault.where)
    answer = problem(fault.status, fault.code, fault.what, where=fault.where, remedy=fault.remedy)
    if isinstance(fault, TooMany):
        answer.headers["Retry-After"] = str(fault.retry_after)
    return answer


def _from_database(error: SQLAlchemyError) -> Response:
    """Say what the records cannot do: full, busy, or damaged."""
    fault = fault_of(error, current_app.extensions["install"].records.path)
    return _from_surprise(error) if fault is None else _from_fault(fault)


def _from_disk(error: OSError) -> Response:
    """Say that the disk is full, where that is what is wrong."""
    fault = common_fault(error, current_app.extensions["install"].settings.data)
    return _from_surprise(error) if fault is None else _from_fault(fault)


def _from_text(_error: UnicodeEncodeError) -> Response:
    return problem(400, "text-unusable", "A text holds signs that cannot be kept.", remedy="send it as plain text")


def _from_surprise(error: Exception) -> Response:
    if isinstance(error, HTTPException):
        said = error.description if error.code in (400, 415) and error.description else error.name
        return _from_http(error.code or 500, said, {}, {})
    log.exception("surprise", path=request.path)
    return problem(500, "surprise", "Something went wrong inside the service.", remedy="look into the service's log")


def _from_http(status: int, message: str, detail: Any, headers: Any) -> Response:
    if status in (400, 422) and isinstance(detail, dict) and detail:
        fields = list(_fields(detail))
        what = (
            worded("{many} field cannot be used.", many=len(fields))
            if len(fields) == 1
            else worded("{many} fields cannot be used.", many=len(fields))
        )
        where = ", ".join(field.field for field in fields)
        remedy = "; ".join(f"{field.field}: {field.why}" for field in fields)
        return problem(400, "input-unusable", what, where=where, remedy=remedy, fields=fields)
    codes = {404: "no-such-address", 405: "method-not-allowed", 400: "input-unusable", 415: "media-type"}
    answer = problem(
        status, codes.get(status, "http-error"), f"{message}.".replace("..", "."), where=cleaned(request.path, 300)
    )
    for name, value in dict(headers or {}).items():
        if name.lower() not in ("content-type", "content-length"):
            answer.headers[name] = value
    return answer


def _fields(detail: dict[str, Any]) -> Iterable[FieldFault]:
    speech = Speech(asked_language())
    for found in detail.values():
        if isinstance(found, dict):
            for name, why in found.items():
                told = "; ".join(said_of_input(str(each), speech) for each in (why if isinstance(why, list) else [why]))
                yield FieldFault(field=cleaned(str(name), 200), why=keepable(told))
