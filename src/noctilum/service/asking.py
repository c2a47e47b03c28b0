"""Asking a reading: its question comes in the address, or as a JSON object by POST or QUERY, for questions too long."""

from __future__ import annotations

from functools import cached_property
from typing import Any

import orjson
from flask import Request
from flask.json.provider import DefaultJSONProvider
from werkzeug.datastructures import ImmutableMultiDict, MultiDict

from noctilum.core.errors import Nonsense, worded
from noctilum.wire.plain_text import unkeepable, unkeepable_in

ASKED = ["GET", "POST", "QUERY"]
"""The methods of every reading."""
_BY_BODY = ("POST", "QUERY")


class Json(DefaultJSONProvider):
    """Read JSON strictly: no NaN, no lone surrogates, not nested without end."""

    def loads(self, s: str | bytes, **_more: Any) -> Any:
        """Read a text; raises ValueError."""
        return orjson.loads(s)


class Asking(Request):
    """A request whose arguments stand in the address, or in the body where a reading is asked by POST or QUERY."""

    @property
    def asks_by_body(self) -> bool:
        """Whether this is a reading asked by its body."""
        rule = self.url_rule
        return self.method in _BY_BODY and rule is not None and "QUERY" in (rule.methods or ())

    @cached_property
    def args(self) -> MultiDict[str, str]:
        """What is asked, by name."""
        found = super().args
        if not self.asks_by_body:
            return found
        if found:
            where = next(iter(found))
            raise Nonsense("parameter-misplaced", "What is asked by a body stands in it whole.", where=where)
        return ImmutableMultiDict(_asked_in(self.get_data(cache=True), self.mimetype))

    @property
    def question(self) -> str:
        """Stand for what is asked: the same text means the same question, however it was sent."""
        return f"{self.path}?" + "&".join(sorted(f"{name}={value}" for name, value in self.args.items()))


def _asked_in(body: bytes, media_type: str) -> dict[str, str]:
    if not body:
        return {}
    if media_type != "application/json":
        raise Nonsense("media-type", "A question is sent as JSON.", where="Content-Type", remedy="application/json")
    try:
        found = orjson.loads(body)
    except ValueError as why:
        raise Nonsense("input-unusable", worded("The question is no JSON: {why}.", why=why), where="body") from why
    if not isinstance(found, dict):
        raise Nonsense("input-unusable", "The question is no JSON object.", where="body", remedy='like {"by": "week"}')
    return {name: _text(name, value) for name, value in found.items() if value is not None}


def _text(name: str, value: Any) -> str:
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, str | int | float):
        return str(value)
    if isinstance(value, list) and all(isinstance(part, str) and "," not in part for part in value):
        return ",".join(value)
    raise Nonsense(
        "input-unusable", worded("{name} is neither a text, nor a number, nor a list of texts.", name=name), where=name
    )


def check_texts(request: Request) -> None:
    """Refuse an address whose parts hold signs that cannot be kept; bodies are checked by their models."""
    if sign := unkeepable(request.path, line=True) or unkeepable_in(request.args.to_dict(flat=False)):
        raise Nonsense(
            "text-unusable",
            worded("The address holds {sign}, which no name or text here has.", sign=sign),
            where="address",
        )
