"""The frame of a reading: which history, which days, compared with which, and how complete they are."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from datetime import date, timedelta
from functools import cached_property

from noctilum.core.change import Delta, delta
from noctilum.core.days import (
    HELD,
    Completeness,
    DayState,
    Pairing,
    complete_through,
    completeness,
    pair_days,
)
from noctilum.core.errors import Nonsense, NotThere
from noctilum.core.filters import parse, written
from noctilum.core.measures import Sums
from noctilum.core.table import Grouped, nothing
from noctilum.core.windows import Window, against_window, parse_window
from noctilum.history import History, Question
from noctilum.readings.grains import days_stood_in, read, standing
from noctilum.readings.narrow import Narrowing, Words, narrowing
from noctilum.wire import readings as wire
from noctilum.wire.questions import FILTERS


@dataclass(frozen=True)
class Asked:
    """What a reading is asked for.

    where: dimension → the exact text rows must have; filter: in the filter
    language; language: of its sentences.
    """

    site: str
    window: str = "P28D"
    against: str = "before"
    where: Mapping[str, str] = field(default_factory=dict)
    filter: str = ""
    language: str = "en"


@dataclass(frozen=True)
class Holding:
    """What a site's history holds: the file, its sources, the state of every day at a grain.

    At another grain than that of the totals, every names the sources that have totals, sources those of them that
    have the grain as well. Where a grain is not held and a finer one is, the finer one stands in.
    """

    history: History
    sources: tuple[int, ...]
    states: Mapping[date, DayState]
    first_held: date
    complete_through: date
    words: Words = field(default_factory=Words)
    grain: str = "site"
    every: tuple[int, ...] = ()

    def at(self, grain: str) -> Holding:
        """Hold what is held at another grain; raises NotThere when nothing is.

        Windows go on being counted from the last complete day of the totals, so that they are the same in every
        reading; those of looks are counted from their own.
        """
        if grain == self.grain:
            return self
        found = standing(self.history, self.sources, grain)
        if not any(state in HELD for state in found.states.values()):
            raise _nothing_held(grain)
        held = replace(self, sources=found.sources, states=found.states, grain=grain, every=self.sources)
        through = complete_through(found.states)
        if grain != "look" or through is None:
            return held
        return replace(held, first_held=_first(found.states), complete_through=through)

    @property
    def totals(self) -> Mapping[date, DayState]:
        """The states of the days' totals, over every source that has some."""
        return standing(self.history, self.every or self.sources, "site").states


def holding(history: History, sources: tuple[int, ...], words: Words | None = None) -> Holding:
    """Look at what is held; raises NotThere with the remedy when no day is."""
    states = standing(history, sources, "site").states
    through = complete_through(states)
    if through is None:
        raise _nothing_held("site")
    return Holding(history, sources, states, _first(states), through, words or Words())


def _first(states: Mapping[date, DayState]) -> date:
    return min(day for day, state in states.items() if state in HELD)


_LACKING = {"query": "queries", "page": "pages", "pair": "queries by page"}


def _nothing_held(grain: str) -> NotThere:
    if grain == "look":
        return NotThere(
            "no-looks",
            "No source of this site tells what its results looked like.",
            remedy="connect a feed that counts looks, or import files with a look column",
        )
    if grain in _LACKING:
        return NotThere(
            "grain-not-held",
            f"No {_LACKING[grain]} of this site are held.",
            remedy=f"connect a feed that counts {_LACKING[grain]}, or import files that list them",
        )
    return NotThere(
        "nothing-held",
        "No complete day of this site is held yet.",
        remedy="pull its source, or import files; the first days appear within seconds",
    )


@dataclass(frozen=True)
class Frame:
    """Windows and filters resolved against what is held."""

    held: Holding
    asked: Asked
    window: Window
    against: Window | None
    pairing: Pairing | None
    narrow: Narrowing

    @cached_property
    def now_days(self) -> tuple[date, ...]:
        """The days counted now: those of held pairs, or every held day where nothing can be compared."""
        if self.pairing and self.comparable:
            return self.pairing.now
        return self._held(self.window)

    @cached_property
    def before_days(self) -> tuple[date, ...]:
        """The days counted before; none without a comparison."""
        if self.pairing and self.comparable:
            return self.pairing.before
        return self._held(self.against) if self.against else ()

    def _held(self, window: Window) -> tuple[date, ...]:
        return tuple(day for day in window.days() if self.held.states.get(day) in HELD)

    @cached_property
    def comparable(self) -> bool:
        """There is a comparison, and at most a tenth of either window's days is not held."""
        return self.against is not None and all(
            completeness(window, self.held.states).enough for window in (self.window, self.against)
        )

    def read(
        self,
        grain: str,
        by: tuple[str, ...],
        *,
        before: bool = False,
        only: Mapping[str, tuple[int, ...]] | None = None,
    ) -> Grouped:
        """Ask the history for one side of the frame at a grain; only as in read_days."""
        window = self.against if before else self.window
        days = self.before_days if before else self.now_days
        if window is None or not days:
            return nothing(len(by))
        return self.read_days(grain, by, window, frozenset(window.days()) - frozenset(days), only)

    def read_days(
        self,
        grain: str,
        by: tuple[str, ...],
        window: Window,
        out: frozenset[date] = frozenset(),
        only: Mapping[str, tuple[int, ...]] | None = None,
        *,
        places: bool = True,
    ) -> Grouped:
        """Ask the history for the sums of a window, less the days that are out, narrowed as this frame is.

        only: dimension → ids that the frame's own filter has passed already. places: False where they are not needed.
        """
        if self.narrow.ids is None:
            return nothing(len(by))
        if grain != "look":
            grain_of(self.dims | {*by, grain})
        wide = (*by, *sorted(self.narrow.rest_dims - {*by}))
        ids = {**self.narrow.ids, **(only or {})}
        question = Question(grain, window.first, window.last, wide, ids, out, self.held.sources, places)
        return self.narrow.taken(read(self.held.history, question), wide, by)

    def holds(self, grain: str) -> bool:
        """Say whether every day counted is held at another grain as well."""
        known = standing(self.held.history, self.held.sources, grain).states
        return all(known.get(day) in HELD for day in (*self.now_days, *self.before_days))

    def stood_in(self, grain: str) -> Mapping[str, int]:
        """Count the days counted on which a finer grain stands in for a grain, by the finer one."""
        days = {*self.now_days, *self.before_days}
        return days_stood_in(self.held.history, self.held.sources, grain, days)

    @property
    def dims(self) -> set[str]:
        """The dimensions that rows are narrowed by."""
        return set(self.narrow.dims)

    def refuse_results(self, reading: str) -> None:
        """Raise Nonsense when the filter asks about results where no rows are listed."""
        if self.narrow.results is not None:
            raise Nonsense(
                "filter-on-results",
                f"{reading} lists no rows, so nothing can be asked of clicks, impressions, ctr or position.",
                where="filter",
                remedy="keep only what narrows rows, as query, page, country, device",
            )

    @cached_property
    def times(self) -> float:
        """What the window before counts times: 1 for pairs of days, else held days now over held days before."""
        if self.pairing is None or self.pairing.paired:
            return 1.0
        return len(self.now_days) / max(1, len(self.before_days))

    def change(self, now: Sums, before: Sums) -> Delta | None:
        """Compare two sums the way this frame compares; None when it does not."""
        if not self.comparable or self.pairing is None:
            return None
        n1, n0 = len(self.now_days), len(self.before_days)
        return delta(now, before, days_now=n1, days_before=n0, scaled=not self.pairing.paired)


def frame(held: Holding, asked: Asked, by: tuple[str, ...] = ()) -> Frame:
    """Resolve what was asked; by: the dimensions rows are taken by: with the filter they decide which days are held.

    Raises Nonsense for windows and filters that cannot be used, NotThere where nothing of the kind is held.
    """
    for name in asked.where:
        if name not in FILTERS:
            raise Nonsense(
                "no-such-filter", f"Rows cannot be narrowed by {name!r}.", remedy=f"one of {', '.join(FILTERS)}"
            )
    narrow = narrowing(held.history, asked.where, asked.filter, held.words, held.sources)
    held = held.at(grain_of({*by, *narrow.dims}))
    window = parse_window(asked.window, ends_on=held.complete_through, starts_on=held.first_held)
    against = against_window(window, asked.against, ends_on=held.complete_through)
    pairing = pair_days(window, against, held.states) if against else None
    return Frame(held, asked, window, against, pairing, narrow)


def grain_of(dims: set[str]) -> str:
    """Choose the coarsest grain that can answer about these dimensions; raises Nonsense where none can."""
    if "look" in dims:
        if dims & {"query", "page", "pair"}:
            raise Nonsense(
                "look-with-others",
                "Looks are counted without queries and pages: no figure can be of both.",
                where="look",
                remedy="leave one out; looks go with country, device and kind",
            )
        return "look"
    if "query" in dims:
        return "pair" if "page" in dims else "query"
    return "page" if "page" in dims else "site"


def figures(sums: Sums) -> wire.Figures:
    """Write sums for the wire."""
    return wire.Figures(
        clicks=sums.clicks,
        impressions=sums.impressions,
        position_sum=sums.position_milli / 1000,
        ctr=sums.ctr,
        position=sums.position,
    )


def change_of(found: Delta | None) -> wire.Change | None:
    """Write a change for the wire."""
    if found is None:
        return None
    return wire.Change(
        basis="scaled" if found.scaled else "total",
        clicks=found.clicks,
        clicks_ratio=found.clicks_ratio,
        impressions=found.impressions,
        impressions_ratio=found.impressions_ratio,
        ctr=found.ctr,
        position=found.position,
    )


def days_of(window: Window, states: Mapping[date, DayState], counted: int) -> wire.Days:
    """Write a window and its completeness for the wire."""
    found = completeness(window, states)
    return wire.Days(
        first=window.first,
        last=window.last,
        days=found.days,
        held=found.held,
        provisional=found.provisional,
        missing=found.missing,
        counted=counted,
    )


def header(of: Frame, grain: str) -> dict[str, object]:
    """Give the fields that every reading has."""
    states = of.held.states
    return {
        "site": of.asked.site,
        "grain": grain,
        "window": days_of(of.window, states, len(of.now_days)),
        "against": days_of(of.against, states, len(of.before_days)) if of.against else None,
        "asked_window": of.asked.window,
        "asked_against": of.asked.against,
        "filter": dict(of.asked.where),
        "filter_text": written(parse(of.asked.filter)) if of.asked.filter.strip() else "",
        "complete_through": of.held.complete_through,
        "first_held": of.held.first_held,
        "generation": of.held.history.generation,
        "cautions": cautions(of, grain),
    }


def cautions(of: Frame, grain: str) -> list[wire.Caution]:
    """List what to know before believing the figures of a frame; words says it, by code and facts."""
    found = [_about_now(of, completeness(of.window, of.held.states)), _about_before(of), _about_pairs(of)]
    found.append(_about_shared_days(of))
    found += [_about_rows(of, grain), _about_sources(of), *_about_stand_ins(of, grain)]
    if grain in ("page", "pair"):
        found.append(wire.Caution(code="counted-by-page"))
    if of.narrow.unseen:
        found.append(wire.Caution(code="never-seen", facts={"texts": list(of.narrow.unseen)}))
    return [caution for caution in found if caution]


def _about_now(of: Frame, now: Completeness) -> wire.Caution | None:
    if now.held == now.days:
        return None
    facts = {"held": now.held, "days": now.days, "provisional": now.provisional, "missing": now.missing}
    silent = of.against is not None and not now.enough
    return wire.Caution(code="window-not-full", facts=facts | {"change": "none" if silent else "given"})


def _about_before(of: Frame) -> wire.Caution | None:
    if of.against is None:
        return None
    before = completeness(of.against, of.held.states)
    if before.held == before.days:
        return None
    if of.against.last < of.held.first_held:
        return wire.Caution(code="comparison-not-held", facts={"first_held": of.held.first_held})
    facts = {"held": before.held, "days": before.days, "change": "given" if before.enough else "none"}
    return wire.Caution(code="comparison-not-full", facts=facts)


def _about_pairs(of: Frame) -> wire.Caution | None:
    if of.pairing is None or of.against is None:
        return None
    if not of.pairing.paired:
        if not of.comparable:
            return None
        facts = {"now": len(of.now_days), "before": len(of.before_days), "times": f"{of.times:.6f}"}
        return wire.Caution(code="uneven-windows", facts=facts)
    if not of.pairing.left_out or not of.comparable:
        return None
    return wire.Caution(code="pairs-left-out", facts={"kept": len(of.pairing.now), "days": len(of.window)})


def _about_shared_days(of: Frame) -> wire.Caution | None:
    """Say that days are on both sides, as where a whole year is compared with 52 weeks earlier."""
    if of.against is None:
        return None
    shared = (min(of.window.last, of.against.last) - max(of.window.first, of.against.first)).days + 1
    return wire.Caution(code="windows-overlap", facts={"days": shared}) if shared > 0 else None


def _about_rows(of: Frame, grain: str) -> wire.Caution | None:
    """Name the days of which the totals are held and the rows are not."""
    windows = [window for window in (of.window, of.against) if window]
    totals = of.held.totals if of.held.every else {}
    days = {day for window in windows for day in window.days() if totals.get(day) in HELD}
    lacking = sum(of.held.states.get(day) not in HELD for day in days)
    return wire.Caution(code="rows-not-held", facts={"days": lacking, "grain": grain}) if lacking else None


def _about_sources(of: Frame) -> wire.Caution | None:
    left_out = len(of.held.every) - len(of.held.sources) if of.held.every else 0
    if not left_out or of.held.grain == "look":
        return None
    return wire.Caution(code="sources-left-out", facts={"sources": left_out, "grain": of.held.grain})


def _about_stand_ins(of: Frame, grain: str) -> list[wire.Caution]:
    """Say on how many of the days counted finer rows are summed for want of totals, or else of rows."""
    for lacking in dict.fromkeys((grain_of(of.dims), grain)):
        if found := of.stood_in(lacking):
            return [
                wire.Caution(code="stood-in", facts={"days": count, "grain": lacking, "by": finer})
                for finer, count in found.items()
            ]
    return []


def tail_window(of: Frame) -> Window | None:
    """Find the provisional days just after the window; None when it does not end on the last complete day."""
    known = [day for day, state in of.held.states.items() if state is DayState.PROVISIONAL]
    if of.window.last != of.held.complete_through or not known:
        return None
    return Window(of.window.last + timedelta(1), max(known))
