"""Files as they cross HTTP: uploads, what they are recognised as, and what came of them."""

from __future__ import annotations

from datetime import date
from typing import Annotated, Literal

from pydantic import Field

from noctilum.wire.base import Asked, Line, Wire
from noctilum.wire.declared import Role


class Mapping(Asked):
    """How the columns of a kind of file are to be read; what is left out is recognised."""

    columns: dict[Line, Role] = Field(default={}, max_length=500, description="Header → what the column is")
    fixed: dict[Line, Line] = Field(
        default={}, max_length=20, description="Dimension → value of rows whose file does not say it"
    )
    dates: Literal["iso", "dmy", "mdy"] | None = Field(default=None, description="The order of numeric dates")
    decimal: Literal[".", ","] | None = Field(default=None, description="The sign before decimals")
    delimiter: str | None = Field(default=None, min_length=1, max_length=1)
    encoding: Literal["utf-8", "utf-16", "latin-1"] | None = None
    sheets: Line = Field(default="*", max_length=100, description="Which sheets of a workbook, with * and ?")
    monthly: bool | None = Field(default=None, description="Rows are totals of whole months")


class NamedMapping(Wire):
    """A mapping kept under a name."""

    name: str
    mapping: Mapping


class Upload(Wire):
    """A file that was sent and waits to be imported."""

    id: str
    name: str
    size: int


class AskPreview(Asked):
    """Which file to look at, and how."""

    upload: Line = Field(max_length=40)
    mapping: Mapping = Mapping()
    using: Line | None = Field(default=None, max_length=80, description="The name of a kept mapping")


class AskImport(Asked):
    """Which files to bring in, and how."""

    uploads: list[Annotated[Line, Field(max_length=40)]] = Field(min_length=1, max_length=500)
    mapping: Mapping = Mapping()
    using: Line | None = Field(default=None, max_length=80, description="The name of a kept mapping")
    strict: bool = Field(default=False, description="Keep nothing if any row cannot be used")
    dry: bool = Field(default=False, description="Say what would come of it and keep nothing")
    over: bool = Field(default=False, description="Replace days that are held already")


class ImportColumn(Wire):
    """One column as recognised."""

    header: str
    role: Role
    by: Literal["given", "header", "content"]
    sample: list[str]


class ImportQuestion(Wire):
    """Something that only a person can tell."""

    code: str
    text: str
    choices: list[str]


class ImportRow(Wire):
    """A row as it would be kept."""

    line: int
    day: date
    dims: dict[str, str] = Field(description="Dimension → its text")
    figures: dict[str, float] = Field(description="Measure → its figure")


class RejectedRow(Wire):
    """A row that cannot be used."""

    file: str
    line: int
    reason: str
    text: str


class ImportPreview(Wire):
    """What a file is recognised as, with its first rows as they would be kept."""

    upload: str
    name: str
    size: int
    form: str = Field(description="Encoding and delimiter, or sheets")
    grain: str
    monthly: bool
    dates: str
    decimal: str
    columns: list[ImportColumn]
    roles: list[str] = Field(description="What a column may be")
    questions: list[ImportQuestion]
    rows: list[ImportRow]
    rejected: list[RejectedRow]


class LeftDay(Wire):
    """A day that was held already and stays as it is."""

    day: date
    origin: str
    same: bool


class ImportDone(Wire):
    """What an import came to."""

    grain: str
    days: int
    rows: int
    repeats: int
    rejected: int
    already: int = Field(description="Days that were held and stay as they are")
    left: list[LeftDay]
    rejects: list[RejectedRow]
    first: date | None
    last: date | None
    dry: bool
