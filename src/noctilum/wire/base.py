"""What all wire models share."""

from __future__ import annotations

import re
from datetime import date
from typing import Annotated, Any, Self

from pydantic import AfterValidator, BaseModel, BeforeValidator, ConfigDict, Field, model_validator

from noctilum.wire.plain_text import unkeepable, unkeepable_in

FIRST_YEAR, LAST_YEAR = 1970, 2199
"""Days of other years are slips of the finger."""


def _day(value: Any) -> date:
    found = date.fromisoformat(value) if isinstance(value, str) else value
    if type(found) is not date:
        raise ValueError("a day like 2026-03-20 is wanted")
    if not FIRST_YEAR <= found.year <= LAST_YEAR:
        raise ValueError(f"a day of the years {FIRST_YEAR} to {LAST_YEAR} is wanted")
    return found


Day = Annotated[date, BeforeValidator(_day)]
"""A day as a caller sends it: ISO 8601 text; numbers are not bent into days."""


def _one_line(value: str) -> str:
    if sign := unkeepable(value, line=True):
        raise ValueError(f"it holds {sign}, and must be one line of plain text")
    return value


Line = Annotated[str, AfterValidator(_one_line)]
"""A name, address or label: one line without control characters."""


_HOUR, _MONTH = r"^([01]\d|2[0-3]):[0-5]\d$", r"^\d{4}-(0[1-9]|1[0-2])$"


def _hour(value: str) -> str:
    if not re.match(_HOUR, value):
        raise ValueError("an hour is written as 07:30, from 00:00 to 23:59")
    return value


def _month(value: str) -> str:
    if not re.match(_MONTH, value):
        raise ValueError("a month is written as 2026-02")
    return value


Hour = Annotated[str, AfterValidator(_hour), Field(json_schema_extra={"pattern": _HOUR})]
"""An hour of the day: ISO 8601, to the minute."""
Month = Annotated[str, AfterValidator(_month), Field(json_schema_extra={"pattern": _MONTH})]
"""A month of a year: ISO 8601."""


class Wire(BaseModel):
    """What the service answers: fields that are not known are passed over, so that older clients read it."""

    model_config = ConfigDict(extra="ignore", frozen=True, defer_build=True)

    @classmethod
    def unchecked(cls, **values: Any) -> Self:
        """Make one of values that are right, one for every field: a tenth of the time, for long answers."""
        made = cls.__new__(cls)
        _put(made, "__dict__", values)
        _put(made, "__pydantic_fields_set__", set(values))
        _put(made, "__pydantic_extra__", None)
        _put(made, "__pydantic_private__", None)
        return made


_put = object.__setattr__


class Kept(Wire):
    """A kept record as it is answered."""

    tag: str = Field(
        default="", description="Stands for it as it is; sent as If-Match, a change is refused after another"
    )


class Asked(Wire):
    """What a caller sends: types are not bent into shape, and texts that cannot be kept are refused."""

    model_config = ConfigDict(extra="forbid", frozen=True, strict=True, defer_build=True)

    @model_validator(mode="before")
    @classmethod
    def _can_be_kept(cls, given: Any) -> Any:
        if sign := unkeepable_in(given):
            raise ValueError(f"a text holds {sign}, which cannot be kept")
        return given


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
