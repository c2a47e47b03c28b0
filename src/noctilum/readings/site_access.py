"""A site ready to be read: what every reading is made from."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from contextlib import suppress
from dataclasses import dataclass
from datetime import date

from noctilum.core.errors import NotThere, worded
from noctilum.core.pages import path_on
from noctilum.datasets import DATASETS
from noctilum.datasets.declaring import Dataset
from noctilum.history import History
from noctilum.readings.frame import Asked
from noctilum.readings.holding import Holding, holding, holding_of
from noctilum.readings.narrow import Words
from noctilum.readings.rows_of import Slice
from noctilum.wire.breaks import RULES, Rule
from noctilum.wire.competitors import CompetitorOut
from noctilum.wire.grids import GridOut
from noctilum.wire.keywords import KeywordOut
from noctilum.wire.noted import NoteOut
from noctilum.wire.questions import FILTERS, Compared, Paged, Windowed
from noctilum.wire.targets import TargetOut
from noctilum.wire.trials import TrialOut
from noctilum.wire.work import WorkOut
from noctilum.wire.worth import ValueGiven


@dataclass(frozen=True)
class SourceOf:
    """Name a source of a site, and the time zone the client reads in. faulty: stopped, or failing again and again."""

    number: int
    label: str
    engine: str
    time_zone: str
    counted: bool
    client_zone: str
    kind: str = "search"
    faulty: bool = False


def _none() -> Sequence[NoteOut]:
    return ()


def _no_keywords() -> Sequence[KeywordOut]:
    return ()


def _no_competitors() -> Sequence[CompetitorOut]:
    return ()


def _no_work() -> Sequence[WorkOut]:
    return ()


def _no_trials() -> Sequence[TrialOut]:
    return ()


def _no_targets() -> Sequence[TargetOut]:
    return ()


def _no_siblings() -> Sequence[SiteAccess]:
    return ()


def _shipped() -> Sequence[Rule]:
    return RULES


def _no_grids() -> Sequence[GridOut]:
    return ()


@dataclass(frozen=True)
class SiteAccess:
    """A site ready to be read.

    sources: numbers of the search feeds that are read; all_sources: every one it has. notes: asks for the dated notes
    that concern it; keywords, competitors, grids: for those it tracks, those it is set beside, and its points around
    places; work, trials, targets: for its worklist, its trials, its targets; siblings: for all sites of its client,
    itself among them; rules: for what calls out on it. today: None where nobody
    said which day it is.
    session_value: what a session is worth, in the client's currency, where somebody said;
    page_values: what is earned on pages of a set, in its place.
    """

    key: str
    history: History
    sources: tuple[int, ...]
    words: Words
    all_sources: tuple[SourceOf, ...] = ()
    notes: Callable[[], Sequence[NoteOut]] = _none
    today: date | None = None
    keywords: Callable[[], Sequence[KeywordOut]] = _no_keywords
    competitors: Callable[[], Sequence[CompetitorOut]] = _no_competitors
    grids: Callable[[], Sequence[GridOut]] = _no_grids
    session_value: float | None = None
    page_values: tuple[ValueGiven, ...] = ()
    work: Callable[[], Sequence[WorkOut]] = _no_work
    trials: Callable[[], Sequence[TrialOut]] = _no_trials
    rules: Callable[[], Sequence[Rule]] = _shipped
    targets: Callable[[], Sequence[TargetOut]] = _no_targets
    siblings: Callable[[], Sequence[SiteAccess]] = _no_siblings

    def sources_of(self, kind: str) -> tuple[int, ...]:
        """Give the numbers of the sources of a kind that are read."""
        if kind == "search":
            return self.sources
        return tuple(each.number for each in self.all_sources if each.kind == kind and each.counted)

    def held_of(self, kept: Dataset, source: int | None = None) -> Holding:
        """What is held of a dataset, by all sources that are read or by one; raises NotThere when nothing is."""
        if source is not None:
            return holding_of(self.history, (self.source(source).number,), kept.name, self.words)
        return holding_of(self.history, self.sources_of(kept.kind), kept.name, self.words)

    @property
    def held_first(self) -> Holding:
        """What is held of the first kind of source that the site has any day of; raises NotThere when of none."""
        for kind in DATASETS.kinds:
            with suppress(NotThere):
                return self.held_of(DATASETS.of_kind(kind)[0])
        return self.holding

    @property
    def holding(self) -> Holding:
        """What is held of searches; raises NotThere when nothing is."""
        if not self.sources:
            raise no_searches(self.key)
        return holding(self.history, self.sources, self.words)

    def asked(self, question: Windowed) -> Asked:
        """Put a question's frame in the terms of the readings; what compares nothing is asked against nothing."""
        where = {name: text for name in FILTERS if (text := getattr(question, name)) is not None}
        if "page" in where:
            where["page"] = path_on(self.words.host, where["page"])
        against = question.against if isinstance(question, Compared) else "none"
        return Asked(self.key, question.window, against, where, question.filter, question.language)

    def source(self, number: int | None) -> SourceOf:
        """Give one of its sources, the first that is read when none is named; raises NotThere."""
        usual = next(iter((*self.sources, *(each.number for each in self.all_sources))))
        wanted = usual if number is None else number
        for found in self.all_sources:
            if found.number == wanted:
                return found
        raise NotThere(
            "no-such-source",
            worded("{key} has no source {wanted}.", key=self.key, wanted=wanted),
            remedy="list them with `noctilum sources`",
        )

    @property
    def stamp(self) -> str:
        """Stand for everything its readings depend on: the same stamp means the same answers."""
        kept = f"{self.key} {self.sources} {self.all_sources} {self.words.stamp} {self.history.generation}"
        worth = (self.session_value, *(repr(each) for each in self.page_values))
        return kept if worth == (None,) else f"{kept} {worth}"

    def depends(self, names: Sequence[str]) -> str:
        """Stand for what else an answer hangs on: its notes, today."""
        known: dict[str, Callable[[], object]] = {
            "notes": self.notes,
            "keywords": self.keywords,
            "competitors": self.competitors,
            "grids": self.grids,
            "work": self.work,
            "trials": self.trials,
            "rules": self.rules,
            "targets": self.targets,
            "siblings": lambda: [f"{each.stamp} {each.keywords()}" for each in self.siblings()],
            "today": lambda: self.today,
        }
        return " ".join(str(known[name]()) for name in names)


def no_searches(key: str) -> NotThere:
    """Say that a site has other sources, and none of searches."""
    return NotThere(
        "no-searches",
        worded("{host} has no search feed connected.", host=key),
        remedy="connect one under Sources, or with `noctilum connect`",
    )


def rows_asked(question: Paged) -> Slice:
    """Say which page of rows a question wants."""
    return Slice(question.limit, question.offset)
