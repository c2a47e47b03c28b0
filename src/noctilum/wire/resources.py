"""Kept records as they cross HTTP, each declared once: POST makes, PATCH changes, DELETE drops."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from hashlib import blake2b
from typing import Any

from pydantic import BaseModel, Field, create_model

from noctilum.wire.alert_rules import AlertRuleOut, AlertRulesQuery, NewAlertRule
from noctilum.wire.base import Asked, Kept
from noctilum.wire.competitors import CompetitorOut, CompetitorsQuery, NewCompetitor
from noctilum.wire.grids import GridOut, GridsQuery, NewGrid
from noctilum.wire.handed import (
    HandedAlertRule,
    HandedCompetitor,
    HandedGrid,
    HandedKeyword,
    HandedNote,
    HandedReport,
    HandedSet,
    HandedTarget,
    HandedTemplate,
    HandedTrial,
    HandedWork,
)
from noctilum.wire.keywords import KeywordOut, KeywordsQuery, NewKeyword
from noctilum.wire.noted import NewNote, NewSet, NoteOut, SetOut
from noctilum.wire.questions import Question
from noctilum.wire.reports import NewReport, NewTemplate, ReportOut, ReportsQuery, TemplateOut, TemplatesQuery
from noctilum.wire.targets import NewTarget, TargetOut, TargetsQuery
from noctilum.wire.trials import NewTrial, TrialOut, TrialsQuery
from noctilum.wire.work import NewWork, WorkOut, WorkQuery


class SetsQuery(Question):
    """Whose sets."""

    client: str | None = Field(default=None, max_length=80, description="Those that this client's sites may name")


class NotesQuery(Question):
    """Which notes."""

    site: str | None = Field(default=None, max_length=300, description="Those that concern this site")
    first: date | None = Field(default=None, description="Those on or after this day")
    last: date | None = Field(default=None, description="Those on or before this day")


@dataclass(frozen=True)
class Resource:
    """Declare a kind of kept record.

    name: of its path; one: what one of them is called. new: what makes one, and with every field left out what changes
    one; out: what is answered; asked: what a list is narrowed by. store: the module of actions that keeps them, with
    listed, one, added, changed and dropped. about: how making one treats what is there. handed: what goes along of it
    when a site is handed over, by handed of its store, and comes in by bring; None stays; most: so many at most.
    """

    name: str
    one: str
    tag: str
    asked: type[Question]
    new: type[BaseModel]
    out: type[Kept]
    store: str
    about: str
    handed: type[BaseModel] | None = None
    most: int = 10_000

    @property
    def change(self) -> type[BaseModel]:
        """The model of a change: every field may be left out, which leaves it as it is."""
        fields: dict[str, Any] = {}
        for name, field in self.new.model_fields.items():
            fields[name] = (field.rebuild_annotation() | None, Field(default=None, description=field.description))
        return create_model(f"{self.new.__name__.removeprefix('New')}Change", __base__=Asked, **fields)

    def changed(self, record: BaseModel, change: BaseModel) -> BaseModel:
        """Put a change on a record: what would make the record as it is to be. Raises ValueError for what cannot be."""
        kept = record.model_dump(include=set(self.new.model_fields))
        return self.new.model_validate(kept | change.model_dump(exclude_unset=True))


def tagged(record: Kept) -> Kept:
    """Give a record with its tag, which stands for it as it is: who changes it says which state of it was seen."""
    told = record.model_dump_json(exclude={"tag"}).encode()
    return record.model_copy(update={"tag": blake2b(told, digest_size=12).hexdigest()})


RESOURCES: tuple[Resource, ...] = (
    Resource(
        name="sets",
        one="set",
        tag="Sets and notes",
        asked=SetsQuery,
        new=NewSet,
        out=SetOut,
        store="noctilum.actions.sets",
        about="By rule, by list, or by both; a name that is taken is refused.",
        handed=HandedSet,
        most=2_000,
    ),
    Resource(
        name="notes",
        one="dated note",
        tag="Sets and notes",
        asked=NotesQuery,
        new=NewNote,
        out=NoteOut,
        store="noctilum.actions.dated_notes",
        about="On a page or set of a site, a site, a client, or the agency.",
        handed=HandedNote,
        most=100_000,
    ),
    Resource(
        name="keywords",
        one="keyword",
        tag="Ranks",
        asked=KeywordsQuery,
        new=NewKeyword,
        out=KeywordOut,
        store="noctilum.actions.keywords",
        about="A term looked up from one place on one device; one that is tracked already is refused.",
        handed=HandedKeyword,
        most=100_000,
    ),
    Resource(
        name="competitors",
        one="competitor",
        tag="Ranks",
        asked=CompetitorsQuery,
        new=NewCompetitor,
        out=CompetitorOut,
        store="noctilum.actions.competitors",
        about="Their ranks are shown beside the site's own.",
        handed=HandedCompetitor,
    ),
    Resource(
        name="grids",
        one="local grid",
        tag="Ranks",
        asked=GridsQuery,
        new=NewGrid,
        out=GridOut,
        store="noctilum.actions.grids",
        about="Points around a place from which one term is looked up.",
        handed=HandedGrid,
    ),
    Resource(
        name="work",
        one="item of work",
        tag="Worklist",
        asked=WorkQuery,
        new=NewWork,
        out=WorkOut,
        store="noctilum.actions.worklist",
        about="Something to do about a page, query, keyword, set or the site; how it stands now is kept beside it.",
        handed=HandedWork,
        most=100_000,
    ),
    Resource(
        name="trials",
        one="trial",
        tag="Worklist",
        asked=TrialsQuery,
        new=NewTrial,
        out=TrialOut,
        store="noctilum.actions.trials",
        about="Pages or queries that are changed from a day on, against a control that is not.",
        handed=HandedTrial,
    ),
    Resource(
        name="targets",
        one="target",
        tag="Worklist",
        asked=TargetsQuery,
        new=NewTarget,
        out=TargetOut,
        store="noctilum.actions.targets",
        about="A figure to be reached by a day, of a site or of all sites of its client.",
        handed=HandedTarget,
    ),
    Resource(
        name="alert-rules",
        one="alert rule",
        tag="Alerts",
        asked=AlertRulesQuery,
        new=NewAlertRule,
        out=AlertRuleOut,
        store="noctilum.actions.alert_rules",
        about="A reading and a condition on its columns; under a shipped rule's name, a change of that one.",
        handed=HandedAlertRule,
        most=1_000,
    ),
    Resource(
        name="templates",
        one="report template",
        tag="Reports",
        asked=TemplatesQuery,
        new=NewTemplate,
        out=TemplateOut,
        store="noctilum.actions.templates",
        about="A named list of blocks; other blocks are a new version, and reports made from older ones stay.",
        handed=HandedTemplate,
        most=500,
    ),
    Resource(
        name="reports",
        one="report",
        tag="Reports",
        asked=ReportsQuery,
        new=NewReport,
        out=ReportOut,
        store="noctilum.actions.reports",
        about="Made from a template for one site; what is changed in it changes no template and no other report.",
        handed=HandedReport,
        most=500,
    ),
)
"""Every kind of kept record that has routes made for it; in this order they come in with a hand-over."""
