"""Saved sets and dated notes."""

from __future__ import annotations

from datetime import date
from typing import Annotated, Literal

from pydantic import Field, model_validator

from noctilum.wire.base import Asked, Day, Kept, Line, Wire
from noctilum.wire.columns import column, group
from noctilum.wire.explain import Item
from noctilum.wire.readings import Caution, Change, Days, Figures, Sentence

MOVING = "moving holiday"
"""The kind of notes by whose days earlier years are laid beside this one, where the same text stands in both."""
NoteKind = Literal["site change", "content", "engine update", "outage", "campaign", "moving holiday", "other"]
MOST_MEMBERS = 50_000


class NewSet(Asked):
    """A set to save: by a rule in the filter language, by a list, or both."""

    name: Line = Field(min_length=1, max_length=80)
    item: Item = Field(description="What it names: queries or pages")
    client: Line | None = Field(default=None, max_length=80, description="Its client's key; the whole agency's without")
    rule: str = Field(default="", max_length=4000)
    members: list[Annotated[str, Field(max_length=4000)]] = Field(
        default=[], max_length=MOST_MEMBERS, description="Queries or pages by their text"
    )

    @model_validator(mode="after")
    def _says_something(self) -> NewSet:
        if not self.rule.strip() and not self.members:
            raise ValueError("a set needs a rule or a list")
        return self


class SetOut(Kept):
    """A saved set."""

    id: int
    name: str
    item: Item
    client: str | None
    rule: str
    members: list[str]


class FilterTry(Wire):
    """What a filter means on a site: its canonical text and the terms it finds."""

    text: str
    form: dict[str, object]
    item: Item
    known: int = Field(description="Queries or pages this site was ever shown for")
    matching: int
    samples: list[str] = Field(description="The first twenty that match")
    others: list[str] = Field(description="The first twenty that do not")


class BrandTested(Wire):
    """Whether one text is brand, and what told so."""

    text: str
    brand: bool
    term: str | None = Field(description="The term or exception that told; none when the text holds no term")
    how: Literal["written", "slip", "exception"] | None = Field(
        description="As the term is written, by one slip of the finger, or as an exception"
    )


class BrandVariant(Wire):
    """Words that stand in queries in place of a term."""

    words: str
    queries: int = Field(description="How many queries hold them")
    sample: str


class BrandTry(Wire):
    """What brand terms find among the queries a site was ever shown for, beside the terms in use."""

    terms: list[str]
    exceptions: list[str]
    known: int = Field(description="Queries this site was ever shown for")
    matching: int = Field(description="Of them brand")
    samples: list[str] = Field(description="The first twenty that hold a term as it is written")
    slips: list[BrandVariant] = Field(description="Words taken for a term but for one letter, most queries first")
    near: list[BrandVariant] = Field(description="Words that hold a term's letters and are no brand, as run together")
    gained: int = Field(description="Brand by these terms and not by those in use")
    gained_samples: list[str]
    lost: int = Field(description="Brand by the terms in use and not by these")
    lost_samples: list[str]
    tested: list[BrandTested]


class NewNote(Asked):
    """A dated note to keep. Without a site it is the client's, without a client the whole agency's."""

    first: Day
    last: Day | None = None
    kind: NoteKind = "other"
    text: str = Field(min_length=1, max_length=1000)
    client: Line | None = Field(default=None, max_length=80)
    site: Line | None = Field(default=None, max_length=300)
    page: Line | None = Field(default=None, max_length=4000)
    set: Line | None = Field(default=None, max_length=80)

    @model_validator(mode="after")
    def _fits(self) -> NewNote:
        if self.last is not None and self.last < self.first:
            raise ValueError("a note ends on or after its first day")
        if (self.page or self.set) and not self.site:
            raise ValueError("a page or set is one of a site")
        if self.page and self.set:
            raise ValueError("a note is on a page or on a set, not on both")
        return self


class NoteOut(Kept):
    """A dated note."""

    id: int
    first: date
    last: date
    kind: NoteKind
    text: str
    client: str | None
    site: str | None
    page: str | None
    set: str | None
    origin: str


class AskNotes(Asked):
    """Notes as a file's text: CSV with a head (day, to, kind, text, page, set) or iCalendar."""

    format: Literal["csv", "icalendar"]
    text: str = Field(min_length=1, max_length=5_000_000)
    client: Line | None = Field(default=None, max_length=80)
    site: Line | None = Field(default=None, max_length=300)
    kind: NoteKind = Field(default="other", description="For lines that name none")
    origin: Line = Field(default="", max_length=200, description="As the file's name")


class NotesTaken(Wire):
    """What came of notes from a file."""

    added: int
    repeated: int = Field(description="Already there, word for word")
    refused: list[str] = Field(description="Which lines could not be used, and why")


class NoteEffect(Wire):
    """What was before and after a note."""

    note: NoteOut
    of: str = Field(description="What was looked at: a page, a set, or the site")
    verdict: Literal["better", "worse", "no clear change", "too few to tell", "too early to tell"]
    window: Days | None
    against: Days | None
    now: Figures | None = group(ending="")
    before: Figures | None = group("before", "As many days before the note as there are after it.")
    change: Change | None = group("change")
    beside: Literal["rest of the site", "a year before", "earlier years"] | None = Field(
        description="What takes the season out; none where nothing of it can be had"
    )
    years: int = Field(default=0, description="How many earlier years of it are held, in the same weeks")
    own_season: float | None = column(
        "share",
        "its own season",
        "How it moved beside the rest of the site in the same weeks of earlier years, drawn towards none. None where "
        "no year is held.",
        signed=True,
        default=None,
    )
    rest_now: int | None = column("count", "beside it, after", "Clicks after the note of what it is set beside.")
    rest_before: int | None = column("count", "beside it, before", "Clicks before the note of what it is set beside.")
    z: float | None = Field(description="Against the change of what it is set beside")
    p: float | None
    expected: float | None = column(
        "count",
        "expected",
        "Clicks before the note times the change of what it is set beside, and times its own season.",
    )
    moved: float | None = column("share", "moved", "Clicks now over those expected, less one.", signed=True)
    ready: date | None = Field(default=None, description="When a week after it is held, while it is too early to tell")
    others: list[NoteOut] = Field(description="What else happened in these days")
    cautions: list[Caution]
    sentences: list[Sentence] = Field(default=[], description="What came of it, in one or two sentences")
