"""Exports, checks, erasures and hand-overs as they cross HTTP."""

from __future__ import annotations

from datetime import date, datetime
from typing import Annotated, Any, Literal

from pydantic import Field, ValidationError, model_validator

from noctilum.datasets import DATASETS
from noctilum.wire.base import Asked, Line, Wire
from noctilum.wire.catalogue import READINGS
from noctilum.wire.questions import Question, choices
from noctilum.wire.setup import LANGUAGE, Colour
from noctilum.wire.specs import ReadingSpec

USUAL_GRAIN = "pair"
"""What raw days may go by, the usual one first."""


def exported() -> tuple[str, ...]:
    """Name what can be written to a file: raw days, and every reading."""
    return ("days", *READINGS.names)


class AskExport(Asked):
    """What to write to a file.

    The parameters of a reading stand in `question`; the usual ones may also be given beside it, and what is left out
    is as in the reading itself.
    """

    what: Line = Field(max_length=60, description="Raw days (days), or a reading by its name")
    by: str = Field(
        default="",
        max_length=40,
        description="Grain of days or ledger, dimension of a breakdown, two of a cross (query,device), bucket of a "
        "timeline, item of verdicts; the usual one when left out",
    )
    format: Literal["csv", "ndjson", "parquet", "xlsx"] = "csv"
    split: Literal["none", "month"] = Field(
        default="none", description="month: a ZIP with one file a month, for days as Parquet; else one file"
    )
    window: str | None = Field(default=None, max_length=40)
    against: str | None = Field(default=None, max_length=40)
    where: dict[Literal["query", "page", "country", "device", "kind"], str] = {}
    filter: str = Field(default="", max_length=4000)
    sort: str | None = Field(default=None, max_length=40)
    engine: Line | None = Field(default=None, max_length=60)
    source: int | None = Field(default=None, ge=1, le=2**63 - 1)
    raw: bool = Field(
        default=False,
        description="CSV for programs: texts that a spreadsheet takes for formulas as they are",
    )
    language: Literal["en", "de", "fr", "es", "nb"] | None = Field(default=None, description="Of reasons and stems")
    question: dict[Line, Any] = Field(
        default={}, max_length=40, description="Any parameter of the reading, by its name over HTTP"
    )

    @model_validator(mode="after")
    def _fits(self) -> AskExport:
        if self.what == "days":
            self._check_days()
        elif self.what not in READINGS:
            raise ValueError(f"{self.what!r} is neither days nor a reading; one of {', '.join(exported())}")
        else:
            _ = self.put
        if self.split == "month" and (self.what, self.format) != ("days", "parquet"):
            raise ValueError("only days as Parquet are split by month")
        return self

    def _check_days(self) -> None:
        if self.by and self.by not in DATASETS.daily:
            raise ValueError(f"days go by {' or '.join(DATASETS.daily)}, not {self.by!r}")
        named: dict[str, object] = {
            "against": self.against,
            "where": self.where,
            "filter": self.filter,
            "sort": self.sort,
        }
        named |= {"question": self.question, "language": self.language}
        if given := next((name for name, value in named.items() if value), ""):
            raise ValueError(f"days are written as they are held: {given} is of readings only")

    @property
    def reading(self) -> ReadingSpec:
        """The reading that is written; raises KeyError for raw days."""
        return READINGS[self.what]

    @property
    def table(self) -> str:
        """Which further table of the reading is written; its rows where it is empty."""
        return self.by if self.what in READINGS and self.by in self.reading.tables else ""

    @property
    def goes_by(self) -> str:
        """What it goes by, for the file's name and for days."""
        if self.what == "days":
            return self.by or USUAL_GRAIN
        if self.table:
            return self.table
        return "-".join(str(getattr(self.put, name)) for name in self.reading.by if getattr(self.put, name))

    @property
    def put(self) -> Question:
        """The question put to the reading. Raises ValueError naming the parameter that it does not take."""
        beside = {name: getattr(self, name) for name in ("window", "against", "sort", "engine", "source", "language")}
        given = {name: value for name, value in beside.items() if value is not None} | dict(self.where)
        given |= {"filter": self.filter} if self.filter else {}
        given |= self._by() | self.question
        given |= {name: usual for name, usual in self._usual().items() if name not in given}
        if self.what == "life" and "key" not in given and (item := str(given.get("item", "query"))) in given:
            given = {"key": given[item], "item": item} | {n: v for n, v in given.items() if n not in ("query", "page")}
        try:
            return self.reading.question.model_validate(given)
        except ValidationError as why:
            first = why.errors()[0]
            name = ".".join(map(str, first["loc"]))
            if first["type"] == "extra_forbidden":
                raise ValueError(f"{self.what} takes no {name}") from why
            raise ValueError(f"{name} of {self.what}: {first['msg']}") from why

    def _usual(self) -> dict[str, str]:
        """Give the first of the choices for what a reading must go by."""
        fields = self.reading.question.model_fields
        return {name: choices(fields[name].annotation)[0] for name in self.reading.by if fields[name].is_required()}

    def _by(self) -> dict[str, str]:
        """Read what it goes by, two of them with a comma between."""
        names = self.reading.by
        if not self.by or self.table:
            return {}
        parts = self.by.split(",")
        if len(parts) > len(names):
            raise ValueError(f"{self.what} goes by {' and '.join(names) or 'nothing else'}, not by {self.by!r}")
        return dict(zip(names, parts, strict=False))


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
    name: Line | None = Field(default=None, min_length=1, max_length=200)
    language: Line | None = Field(default=None, pattern=LANGUAGE, description="Of its reports, BCP 47")
    time_zone: Line | None = Field(default=None, max_length=60, description="IANA name")
    currency: Line | None = Field(default=None, pattern=r"^[A-Z]{3}$")
    colour: Colour | None = Field(
        default=None, description="Of its reports; darkened where it would not be read on white"
    )
    accent: Colour | None = None
    sender: Line | None = Field(
        default=None, max_length=120, description="Whom its mails come from; the agency without"
    )
    footer: Line | None = Field(default=None, max_length=200, description="At the foot of its pages")


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
