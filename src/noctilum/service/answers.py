"""Answering with wire models, entity tags and pages."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from hashlib import blake2b
from typing import Any
from urllib.parse import urlencode

from flask import Response, request
from pydantic import BaseModel, TypeAdapter

from noctilum import __version__
from noctilum.service.asking import Asking


def answer(model: BaseModel, status: int = 200) -> Response:
    """Answer with one model."""
    return Response(model.model_dump_json(), status, content_type="application/json")


def many(model: type[BaseModel]) -> Any:
    """Describe a list of models to the library, whose types do not know that it takes one."""
    return list[model]  # type: ignore[valid-type]


def answer_list(models: Sequence[BaseModel]) -> Response:
    """Answer with a list of models."""
    body = TypeAdapter(list[BaseModel]).dump_json(list(models), serialize_as_any=True)
    return Response(body, content_type="application/json")


def answer_tagged(stamp: str, make: Callable[[], BaseModel]) -> Response:
    """Answer 304 when the caller holds what stamp and this address stand for; make the model otherwise."""
    asked = f"{__version__} {stamp} {asking().question}".encode("utf-8", "replace")
    tag = blake2b(asked, digest_size=12).hexdigest()
    known = request.method != "POST" and request.if_none_match.contains_weak(tag)
    found = Response(status=304) if known else answer(make())
    found.set_etag(tag, weak=True)
    found.headers["Cache-Control"] = "private, no-cache"
    return found


def with_next(found: Response, offset: int, limit: int, matching: int) -> Response:
    """Add Link rel=next and rel=prev (RFC 8288) to a page of rows."""
    links = []
    if offset + limit < matching:
        links.append(f'<{_moved(offset + limit)}>; rel="next"')
    if offset > 0:
        links.append(f'<{_moved(max(0, offset - limit))}>; rel="prev"')
    if links:
        found.headers["Link"] = ", ".join(links)
    return found


def asking() -> Asking:
    """The request being answered."""
    found = request._get_current_object()  # type: ignore[attr-defined]
    assert isinstance(found, Asking)
    return found


def _moved(offset: int) -> str:
    args = request.args.to_dict() | {"offset": str(offset)}
    return f"{request.path}?{urlencode(args)}"
