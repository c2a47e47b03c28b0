"""Answering with a reading of a site, as of one state of its history."""

from __future__ import annotations

from collections.abc import Callable

from flask import Response
from pydantic import BaseModel

from noctilum.actions import take
from noctilum.service.answers import answer_tagged


def answer_reading(opened: take.Opened, make: Callable[[], BaseModel], *also: object) -> Response:
    """Answer with a reading; also: what it depends on besides the site's history, sources and words."""
    with opened.history.still():
        return answer_tagged(" ".join(map(str, (take.stamp(opened), *also))), make)
