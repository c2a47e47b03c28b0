"""Routes of kept records, made from their declarations."""

from __future__ import annotations

import importlib
from typing import Any

from apiflask import APIBlueprint
from flask import Response, request
from pydantic import ValidationError

from noctilum.core.errors import Clash, Nonsense, worded
from noctilum.service import clock
from noctilum.service.access import allow, install
from noctilum.service.answers import answer, answer_list, many
from noctilum.wire.base import Kept
from noctilum.wire.resources import Resource, tagged


def blueprint(resource: Resource) -> APIBlueprint:
    """Make the routes of one kind of record: list, make, show, change, drop."""
    bp = APIBlueprint(resource.name, __name__, url_prefix="/api/v1", tag=resource.tag)
    store = importlib.import_module(resource.store)
    _list(bp, resource, store)
    _make(bp, resource, store)
    _show(bp, resource, store)
    _change(bp, resource, store)
    _drop(bp, resource, store)
    return bp


def _list(bp: APIBlueprint, of: Resource, store: Any) -> None:
    @bp.get(f"/{of.name}", endpoint="list")
    @allow("analyst")
    @bp.input(of.asked, location="query", arg_name="asked")
    @bp.output(many(of.out))
    @bp.doc(summary=f"List {of.one}s")
    def listed(asked: Any) -> Response:
        return answer_list([tagged(record) for record in store.listed(install(), asked)])

    listed.__doc__ = f"Each {of.one} that there is, narrowed by what is asked."


def _make(bp: APIBlueprint, of: Resource, store: Any) -> None:
    @bp.post(f"/{of.name}", endpoint="make")
    @allow("analyst")
    @bp.input(of.new, arg_name="asked")
    @bp.output(of.out, status_code=201)
    @bp.doc(summary=f"Keep a {of.one}")
    def made(asked: Any) -> Response:
        return _tagged(store.added(install(), asked, clock.now()), 201)

    made.__doc__ = of.about


def _show(bp: APIBlueprint, of: Resource, store: Any) -> None:
    @bp.get(f"/{of.name}/<int:number>", endpoint="show")
    @allow("analyst")
    @bp.output(of.out)
    @bp.doc(summary=f"Show a {of.one}")
    def shown(number: int) -> Response:
        return _tagged(store.one(install(), number))

    shown.__doc__ = "With the tag that a change may name."


def _change(bp: APIBlueprint, of: Resource, store: Any) -> None:
    @bp.patch(f"/{of.name}/<int:number>", endpoint="change")
    @allow("analyst")
    @bp.input(of.change, arg_name="asked")
    @bp.output(of.out)
    @bp.doc(summary=f"Change a {of.one}")
    def changed(number: int, asked: Any) -> Response:
        record = store.one(install(), number)
        _check_tag(record, of)
        try:
            wanted = of.changed(record, asked)
        except ValidationError as why:
            first = why.errors()[0]
            where = ".".join(map(str, first["loc"]))
            raise Nonsense("input-unusable", str(first["msg"]).removeprefix("Value error, "), where=where) from why
        return _tagged(store.changed(install(), number, wanted, clock.now()))

    changed.__doc__ = "What is left out stays. With If-Match only while it is as it was seen; 412 when it is not."


def _drop(bp: APIBlueprint, of: Resource, store: Any) -> None:
    @bp.delete(f"/{of.name}/<int:number>", endpoint="drop")
    @allow("analyst")
    @bp.output({}, status_code=204)
    @bp.doc(summary=f"Delete a {of.one}")
    def dropped(number: int) -> Response:
        if request.if_match:
            _check_tag(store.one(install(), number), of)
        store.dropped(install(), number)
        return Response(status=204)

    dropped.__doc__ = "With If-Match only while it is as it was seen."


def _check_tag(record: Kept, of: Resource) -> None:
    """Refuse to change what somebody else has changed since it was seen."""
    tag = tagged(record).tag
    if request.if_match and not any(request.if_match.contains(each) for each in (tag, f"{tag}:gzip")):
        fault = Clash(
            "changed-meanwhile",
            worded("The {one} was changed by somebody else since you saw it.", one=of.one),
            where="If-Match",
            remedy="look at it again, then change it",
        )
        fault.status = 412
        raise fault


def _tagged(record: Kept, status: int = 200) -> Response:
    shown = tagged(record)
    found = answer(shown, status)
    found.set_etag(shown.tag)
    found.headers["Cache-Control"] = "private, no-cache"
    return found
