"""Which grain answers for which days: where a coarser one is not held, the rows of a finer one stand in."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date
from functools import lru_cache
from types import MappingProxyType

from noctilum.core.days import HELD, NOT_HELD, DayState, over_sources
from noctilum.core.table import Grouped, merged
from noctilum.datasets import DATASETS
from noctilum.history import History, Question, Rows


@dataclass(frozen=True)
class Layer:
    """Say on which days of a source the rows of a grain stand in."""

    grain: str
    source: int
    days: frozenset[date]


@dataclass(frozen=True)
class Standing:
    """What is known at a grain. sources: those that have it at all. states: the least settled of theirs, by day."""

    sources: tuple[int, ...]
    states: Mapping[date, DayState]
    layers: tuple[Layer, ...]


def standing(history: History, sources: tuple[int, ...], grain: str) -> Standing:
    """Look at what is held at a grain, finer grains standing in; kept while the store's generation is the same.

    A day of which a source holds a total, but nothing at the grain, is missing: its rows would not add up to the total.
    """
    return _standing(history, sources, grain, history.generation)


@lru_cache(maxsize=512)
def _standing(history: History, sources: tuple[int, ...], grain: str, generation: int) -> Standing:
    known: list[Mapping[date, DayState]] = []
    layers: list[Layer] = []
    having: list[int] = []
    for source in sources:
        states, stood_in = _of_source(history, source, grain)
        if all(state in NOT_HELD for state in states.values()):
            continue
        whole = DATASETS.totals_of(DATASETS[grain]).name
        if grain != whole:
            totals, _ = _of_source(history, source, whole)
            states |= {day: DayState.MISSING for day, s in totals.items() if s in HELD and day not in states}
        known.append(states)
        layers += stood_in
        having.append(source)
    states = dict(known[0]) if len(known) == 1 else over_sources(known)
    return Standing(tuple(having), MappingProxyType(states), tuple(layers))


def _of_source(history: History, source: int, grain: str) -> tuple[dict[date, DayState], list[Layer]]:
    """Give the states of one source's days at a grain, and the finer grains that stand in where it has none."""
    states = dict(history.states((source,), grain))
    layers = []
    for finer in DATASETS[grain].stood_in_by:
        found = history.states((source,), finer).items()
        days = {day: s for day, s in found if s not in NOT_HELD and states.get(day, DayState.MISSING) in NOT_HELD}
        if days:
            states |= days
            layers.append(Layer(finer, source, frozenset(days)))
    return states, layers


def read(history: History, question: Question) -> Grouped:
    """Answer a question, with the rows of finer grains on the days on which its own is not held."""
    found = history.read(question)
    parts = [history.read(part) for part in _stood_in(history, question)]
    return merged([found, *parts]) if parts else found


def rows(history: History, question: Question, columns: Sequence[str]) -> list[Rows]:
    """Read the rows behind a question, with those of finer grains on the days on which its own is not held."""
    asked = [question, *_stood_in(history, question)]
    return [part for each in asked for part in history.rows(each, columns)]


def _stood_in(history: History, question: Question) -> Iterator[Question]:
    if question.sources is None or not DATASETS[question.dataset].stood_in_by:
        return
    for layer in standing(history, question.sources, question.dataset).layers:
        if any(question.first <= day <= question.last and day not in question.out for day in layer.days):
            known = history.states((layer.source,), layer.grain)
            out = {day for day in known if question.first <= day <= question.last and day not in layer.days}
            yield replace(question, dataset=layer.grain, sources=(layer.source,), out=question.out | out)


def days_stood_in(history: History, sources: tuple[int, ...], grain: str, days: Collection[date]) -> dict[str, int]:
    """Count the days on which a finer grain stands in for a grain, by the finer one."""
    found: dict[str, set[date]] = {}
    for layer in standing(history, sources, grain).layers:
        if shared := layer.days & frozenset(days):
            found.setdefault(layer.grain, set()).update(shared)
    return {finer: len(shared) for finer, shared in found.items()}
