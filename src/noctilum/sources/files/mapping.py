"""How the columns of a kind of file are to be read."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from noctilum.wire.declared import Role

DateForm = Literal["iso", "dmy", "mdy", "ymd"]


class Mapping(BaseModel):
    """Say what each column is; what is left out is recognised.

    columns: header → role. fixed: dimension → the value of rows whose file does not say it. dates: the
    order of numeric dates. decimal: the sign before decimals. sheets: which sheets of a workbook, a
    pattern with * and ?. monthly: rows are totals of whole months.
    """

    model_config = ConfigDict(extra="forbid", frozen=True)

    columns: dict[str, Role] = {}
    fixed: dict[str, str] = {}
    dates: DateForm | None = None
    decimal: Literal[".", ","] | None = None
    delimiter: str | None = Field(default=None, min_length=1, max_length=1)
    encoding: Literal["utf-8", "utf-16", "latin-1"] | None = None
    sheets: str = "*"
    monthly: bool | None = None
