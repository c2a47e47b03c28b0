"""Exports, checks, erasures and hand-overs as they cross HTTP."""

from __future__ import annotations

from datetime import date, datetime
from typing import Annotated, Any, Literal

from pydantic import Field, model_validator

from noctilum.wire.base import Asked, Line, Wire

_DIMENSIONS = ("query", "page", "country", "device", "kind", "look")
EXPORTS: dict[str, tuple[str, ...]] = {
    "days": ("pair", "query", "page", "site", "look"),
    "breakdown": _DIMENSIONS,
    "timeline": ("day", "week", "month", "quarter"),
    "ledger": ("site", "query", "page", "pair", "look"),
    "cross": tuple(
        f"{rows},{columns}"
        for rows in (*_DIMENSIONS, "set")
        for columns in ("device", "country", "kind", "query", "page", "band", "month")
        if rows != columns and not (rows == "look" and columns in ("query", "page", "band"))
    ),
    "bands": ("query", "page"),
    "weekdays": ("weekday",),
    "drivers": ("query",),
    "fading": ("page", "query"),
    "within-reach": ("query", "page"),
    "overlap": ("query",),
    "clusters": ("query",),
    "unclicked": ("query",),
    "device-gap": ("query",),
    "odd-days": ("day",),
    "life": ("query", "page"),
}
"""What can be written to a file → what it may go by, the usual one first."""


class AskExport(Asked):
    """What to write to a file."""

    what: Literal[
        "days", "breakdown", "timeline", "ledger", "cross", "bands", "weekdays", "drivers", "fading", "within-reach",
        "overlap", "clusters", "unclicked", "device-gap", "odd-days", "life",
    ] = Field(description="Raw days, or a reading")  # fmt: skip
    by: str = Field(
        default="",
        max_length=40,
        description="Grain of days or ledger, dimension of a breakdown, two of a cross (query,device), bucket of a "
        "timeline, item of verdicts; the usual one when left out",
    )
    format: Literal["csv", "ndjson", "parquet", "xlsx"] = "csv"
    window: str = Field(default="P28D", max_length=40)
    against: str = Field(default="before", max_length=40)
    where: dict[Literal["query", "page", "country", "device", "kind"], str] = {}
    filter: str = Field(default="", max_length=4000)
    sort: str = Field(default="clicks", max_length=40)
    engine: Line | None = Field(default=None, max_length=60)
    source: int | None = Field(default=None, ge=1, le=2**63 - 1)
    raw: bool = Field(
        default=False,
        description="CSV for programs: texts that a spreadsheet takes for formulas as they are",
    )
    language: Literal["en", "de", "fr", "es", "nb"] = Field(default="en", description="Of reasons and stems")

    @model_validator(mode="after")
    def _fits(self) -> AskExport:
        if self.by and self.by not in EXPORTS[self.what]:
            raise ValueError(f"{self.what} goes by {' or '.join(EXPORTS[self.what])}, not {self.by!r}")
        if self.what == "life" and not self.where.get("page" if self.by == "page" else "query"):
            raise ValueError(f"a life is of one {self.by or 'query'}: name it")
        return self

    @property
    def goes_by(self) -> str:
        """What it goes by, the usual one when none was asked."""
        return self.by or EXPORTS[self.what][0]


Text = Annotated[str, Field(max_length=32_767)]
"""As much as a cell of a sheet holds."""
Whole = Annotated[int, Field(ge=-(2**53), le=2**53)]
Number = Annotated[float, Field(allow_inf_nan=False)]
Cell = Text | Whole | Number | None


class AskTable(Asked):
    """A table to be written as XLSX: its cells as they are shown, the first row its heading."""

    name: Line = Field(min_length=1, max_length=200)
    cells: list[Annotated[list[Cell], Field(max_length=200)]] = Field(min_length=1, max_length=5000)


class AskVerify(Asked):
    """What to verify; every site without one."""

    site: Line | None = Field(default=None, max_length=300)
    repair: bool = Field(default=False, description="Take damaged days out and pull them again")


class FindingOut(Wire):
    """One thing that is wrong in a site's history."""

    site: str
    kind: str
    text: str
    dataset: str | None
    source: int | None
    first: date | None
    last: date | None
    remedy: str


class VerifyDone(Wire):
    """What verifying found, and what a repair did."""

    sites: int
    days: int = Field(description="Ledger rows checked")
    findings: list[FindingOut]
    taken_out: int
    pulls: list[int] = Field(description="Jobs that bring back what was taken out")


class ClientChange(Asked):
    """What to change of a client; what is left out stays."""

    keep_months: int | None = Field(default=None, ge=0, le=1200, description="How long history is kept; 0 for ever")


class AskBringIn(Asked):
    """A hand-over file that was sent, and whose it becomes."""

    upload: Line = Field(max_length=40)
    client: Line | None = Field(default=None, max_length=80, description="Another client's key; else the one it names")


class BroughtIn(Wire):
    """What came in with a hand-over file."""

    site: str
    client: str
    sources: dict[int, int] = Field(description="Number there → number here")
    locked: list[int] = Field(description="Sources whose secret has to be entered")
    days: int
    first: date | None
    last: date | None


class Erased(Wire):
    """What was deleted for good: how much of what."""

    at: datetime
    who: str
    what: str
    went: dict[str, Any]
