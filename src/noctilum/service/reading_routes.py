"""Addresses of the readings of a site, made from their specifications."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from apiflask import APIBlueprint
from flask import Response
from pydantic import ValidationError, create_model

from noctilum.actions import read
from noctilum.core.errors import Nonsense, NotThere, worded
from noctilum.service import clock
from noctilum.service.access import allow, install
from noctilum.service.answers import answer_tagged, with_next
from noctilum.service.asking import ASKED
from noctilum.wire.questions import Question
from noctilum.wire.specs import Catalogue, ReadingSpec


def blueprint(readings: Catalogue) -> APIBlueprint:
    """Make the routes of every reading."""
    bp = APIBlueprint("readings", __name__, url_prefix="/api/v1", tag="Readings")
    for spec in readings:
        _add(bp, spec)
    return bp


def _add(bp: APIBlueprint, spec: ReadingSpec) -> None:
    """Add a reading's route: GET, and POST and QUERY for questions that are too long for an address."""

    def view(site: str, asked: Any, **words: str) -> Response:
        question = _question(spec, asked.model_dump(exclude_unset=True), words)
        return _answered(site, spec, question)

    view.__name__, view.__doc__ = spec.method, spec.about
    view.spec = spec  # type: ignore[attr-defined]
    described = bp.doc(summary=spec.summary)(view)
    described = bp.output(spec.answer)(described)
    described = bp.input(_beside_words(spec), location="query", arg_name="asked")(described)
    described = allow("analyst" if spec.group == "Collect" else "reader")(described)
    path = spec.address.replace("{", "<").replace("}", ">")
    bp.route(f"/sites/<site>/{path}", methods=ASKED, endpoint=spec.method)(described)


def _beside_words(spec: ReadingSpec) -> type[Question]:
    """Give the question without the parameters that stand in the path."""
    fields: dict[str, Any] = {
        name: (field.rebuild_annotation(), field)
        for name, field in spec.question.model_fields.items()
        if name not in spec.words
    }
    return create_model(f"{spec.question.__name__}Beside", __base__=Question, **fields)


def _question(spec: ReadingSpec, beside: Mapping[str, Any], words: Mapping[str, str]) -> Question:
    """Join what stands in the path to what stands beside it; raises NotThere for a path of nothing."""
    try:
        return spec.question.model_validate({**beside, **words})
    except ValidationError as why:
        first = why.errors()[0]
        if not first["loc"]:
            raise Nonsense(first["type"].replace("_", "-"), first["msg"]) from why
        name = str(first["loc"][0])
        if first["type"] == "literal_error":
            known = str(first["ctx"]["expected"]).replace("'", "")
            code = f"no-such-{name}"
            raise NotThere(
                code,
                worded("There is no {name} {words!r}.", name=name, words=words.get(name, "")),
                remedy=worded("one of {known}", known=known),
            ) from why
        raise Nonsense(
            f"not-a-{name}",
            worded("{words!r} is not a {name}.", words=words.get(name, ""), name=name),
            where=name,
            remedy=_like(spec, name),
        ) from why


def _like(spec: ReadingSpec, name: str) -> str:
    return "like 2026-03-20" if "date" in str(spec.question.model_fields[name].annotation) else ""


def _answered(site: str, spec: ReadingSpec, question: Question) -> Response:
    """Answer as of one state of the site's history, with its tag and the Link headers of its pages."""
    access = read.open_for(install(), site, question, clock.today())
    found: list[Any] = []

    def make() -> Any:
        found.append(read.read(access, spec, question))
        return found[0]

    with access.history.still():
        answered = answer_tagged(read.stamp(access, spec), make)
    if not (spec.paged and found):
        return answered
    return with_next(answered, getattr(question, "offset"), getattr(question, spec.paged), found[0].matching)  # noqa: B009
