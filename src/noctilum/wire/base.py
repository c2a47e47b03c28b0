"""What all wire models share."""

from __future__ import annotations

from datetime import date
from typing import Annotated, Any

from pydantic import BaseModel, BeforeValidator, ConfigDict, Field


def _day(value: Any) -> date:
    if isinstance(value, str):
        return date.fromisoformat(value)
    if type(value) is date:
        return value
    raise ValueError("a day like 2026-03-20 is wanted")


Day = Annotated[date, BeforeValidator(_day)]
"""A day as a caller sends it: ISO 8601 text; numbers are not bent into days."""


class Wire(BaseModel):
    """Refuse unknown fields, so that a misspelt one is told and not lost."""

    model_config = ConfigDict(extra="forbid", frozen=True)


class Asked(Wire):
    """What a caller sends: types are not bent into shape."""

    model_config = ConfigDict(extra="forbid", frozen=True, strict=True)


class FieldFault(Wire):
    """One field that cannot be used."""

    field: str
    why: str


class Problem(Wire):
    """An RFC 9457 problem document."""

    type: str = Field(description="A stable address made of the code")
    title: str = Field(description="What is wrong, in one sentence")
    status: int
    code: str = Field(description="Kebab-case and stable, for programs")
    detail: str = Field(description="What, where and the remedy, for people")
    where: str = ""
    remedy: str = ""
    fields: list[FieldFault] = []
