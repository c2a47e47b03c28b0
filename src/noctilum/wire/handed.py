"""What a hand-over file says, as it is believed: every text, number and day is checked, no key or number taken over."""

from __future__ import annotations

from typing import Annotated

from pydantic import ConfigDict, Field, model_validator

from noctilum.wire.alert_rules import NewAlertRule
from noctilum.wire.base import Asked, Day, Line
from noctilum.wire.competitors import NewCompetitor
from noctilum.wire.declared import SourceKind
from noctilum.wire.explain import Item
from noctilum.wire.grids import NewGrid
from noctilum.wire.keywords import NewKeyword
from noctilum.wire.noted import MOST_MEMBERS, NoteKind
from noctilum.wire.reports import NewReport, NewTemplate, ReportBody
from noctilum.wire.setup import Colour
from noctilum.wire.targets import NewTarget
from noctilum.wire.trials import NewTrial
from noctilum.wire.work import Baseline, NewWork
from noctilum.wire.worth import MOST_VALUES, PageValue

Number = Annotated[int, Field(ge=1, le=2**53)]


class _Handed(Asked):
    """Take what is known; what newer versions say besides is left alone."""

    model_config = ConfigDict(extra="ignore", frozen=True, strict=True, defer_build=True)


class HandedClient(_Handed):
    """Whose the site was."""

    key: Line = Field(default="", max_length=80)
    name: Line = Field(min_length=1, max_length=200)
    language: Line = Field(default="en", pattern=r"^[a-z]{2,3}(-[A-Za-z0-9]{2,8})*$")
    time_zone: Line = Field(default="UTC", max_length=60)
    currency: Line = Field(default="EUR", pattern=r"^[A-Z]{3}$")
    colour: Colour = "#0F5A66"
    accent: Colour = "#8A5A00"


class HandedSite(_Handed):
    """The site."""

    host: Line = Field(min_length=3, max_length=300)
    brand_terms: Line = Field(default="", max_length=500)
    session_value: int | None = Field(default=None, ge=0, le=100_000_000, description="In hundredths")
    page_values: list[PageValue] = Field(default=[], max_length=MOST_VALUES)


class HandedSettings(_Handed):
    """What a connector needed besides."""

    mapping: str = Field(default="", max_length=100_000)
    part: Line = Field(default="", max_length=120)
    home: Line = Field(default="", max_length=120)


class HandedSource(_Handed):
    """One of its sources; id is what the history in the file calls it."""

    id: Number
    kind: SourceKind
    connector: Line = Field(max_length=60)
    label: Line = Field(min_length=1, max_length=200)
    url: Line = Field(default="", max_length=500)
    account: Line = Field(default="", max_length=200)
    property: Line = Field(max_length=400)
    engine: Line = Field(default="", max_length=60)
    time_zone: Line = Field(default="UTC", max_length=60)
    scope: Line = Field(default="", max_length=300)
    counted: bool = True
    part_of: Number | None = None
    schedule: Line = Field(default="", max_length=300)
    settings: HandedSettings = HandedSettings()


class HandedSet(_Handed):
    """A saved set."""

    name: Line = Field(min_length=1, max_length=80)
    item: Item
    rule: str = Field(default="", max_length=4000)
    members: list[Annotated[str, Field(max_length=4000)]] = Field(default=[], max_length=MOST_MEMBERS)


class HandedNote(_Handed):
    """A dated note, on the site or on its client."""

    first: Day
    last: Day
    kind: NoteKind
    text: str = Field(min_length=1, max_length=1000)
    page: Line | None = Field(default=None, max_length=4000)
    set_name: Line | None = Field(default=None, max_length=80)
    origin: Line = Field(default="", max_length=200)
    on_site: bool

    @model_validator(mode="after")
    def _fits(self) -> HandedNote:
        if self.last < self.first:
            raise ValueError("a note ends on or after its first day")
        return self


class HandedKeyword(NewKeyword):
    """A keyword that the site tracked."""

    model_config = ConfigDict(extra="ignore", frozen=True, strict=True, defer_build=True)
    site: Line = Field(default="", max_length=300)


class HandedCompetitor(NewCompetitor):
    """A domain that the site was set beside."""

    model_config = ConfigDict(extra="ignore", frozen=True, strict=True, defer_build=True)
    site: Line = Field(default="", max_length=300)


class HandedGrid(NewGrid):
    """Points around a place that a term was looked up from."""

    model_config = ConfigDict(extra="ignore", frozen=True, strict=True, defer_build=True)
    site: Line = Field(default="", max_length=300)


class HandedTrial(NewTrial):
    """A trial of the site."""

    model_config = ConfigDict(extra="ignore", frozen=True, strict=True, defer_build=True)
    site: Line = Field(default="", max_length=300)


class HandedTarget(NewTarget):
    """A target of the site."""

    model_config = ConfigDict(extra="ignore", frozen=True, strict=True, defer_build=True)
    site: Line = Field(default="", max_length=300)


class HandedWork(NewWork):
    """An item of its worklist; who was to do it stays behind."""

    model_config = ConfigDict(extra="ignore", frozen=True, strict=True, defer_build=True)
    site: Line = Field(default="", max_length=300)
    baseline: Baseline | None = None


class HandedAlertRule(NewAlertRule):
    """A rule that was asked of this site by name; the agency's own stay behind."""

    model_config = ConfigDict(extra="ignore", frozen=True, strict=True, defer_build=True)


class HandedTemplate(NewTemplate):
    """A template that a report of the site was made from."""

    model_config = ConfigDict(extra="ignore", frozen=True, strict=True, defer_build=True)


class HandedReport(NewReport):
    """A report of the site, as it goes out; its editions and the addresses it is shared under stay behind."""

    model_config = ConfigDict(extra="ignore", frozen=True, strict=True, defer_build=True)
    site: Line = Field(default="", max_length=300)
    body: ReportBody


class Manifest(_Handed):
    """What every hand-over file says first."""

    form: int = Field(ge=1, le=1000)
    version: Line = Field(default="", max_length=60)
    history: Line = Field(max_length=64, description="BLAKE2b digest of the history in the file")
    client: HandedClient
    site: HandedSite
    sources: list[HandedSource] = Field(max_length=500)
