"""The reading that every dataset has by being declared: its measures by one of its dimensions, or by day."""

from __future__ import annotations

from typing import Any, Literal, cast

from pydantic import Field, create_model

from noctilum.datasets.declaring import Dataset, Derived, Measure
from noctilum.wire.base import Wire
from noctilum.wire.columns import Kind, column, group
from noctilum.wire.explain import Verdict
from noctilum.wire.questions import LARGEST, SEASON, Language, Paged, Question
from noctilum.wire.readings import Reading, Season
from noctilum.wire.specs import ReadingSpec


class FiguresQuery(Question):
    """What is asked of any dataset."""

    window: str = Field(default="P28D", max_length=40, description="ISO 8601: P28D, 2026-03; also 2026-Q1, month, all")
    against: str = Field(default="before", max_length=40, description="before, year, none, or a window")
    filter: str = Field(default="", max_length=4000, description="In the filter language")
    source: int | None = Field(default=None, ge=1, le=LARGEST, description="Only this source")
    sort: str = Field(default="", description="A measure, change in one, or key; - turns it round")
    language: Language = Field(default="en", description="Of the sentences")


class FiguresReading(Reading):
    """Measures of a dataset by one of its dimensions, or by day."""

    by: str
    sort: str
    offset: int
    matching: int


def figures_of(kept: Dataset) -> ReadingSpec:
    """Make the specification of a dataset's own reading, named like it."""
    what = kept.plural or kept.name
    return ReadingSpec(
        name=kept.name,
        group="Read",
        summary=f"Show {what}",
        about=kept.meaning,
        question=_question(kept),
        answer=_answer(kept),
        make="noctilum.readings.figures:answer",
        say="noctilum.words.tell:figures",
        by=("by",),
    )


def _question(kept: Dataset) -> type[Question]:
    by = Literal[(*kept.dims, "day")]  # type: ignore[valid-type]
    exact: dict[str, Any] = {
        name: (str | None, Field(default=None, max_length=4000, description=f"Only rows of this {name}"))
        for name in kept.dims
    }
    fields: dict[str, Any] = {"by": (by, Field(default=kept.dims[0], description="What rows are by")), **exact}
    if kept.judged:
        fields["season"] = (bool, SEASON)
    return create_model(f"{_named(kept)}Query", __base__=(FiguresQuery, Paged), **fields)


def _answer(kept: Dataset) -> type[FiguresReading]:
    name = _named(kept)
    given: dict[str, Any] = {m.name: (float | None, _column(m)) for m in kept.told}
    values = create_model(f"{name}Figures", __base__=Wire, **given)
    changed: dict[str, Any] = {m.name: (float | None, _column(m, signed=True)) for m in kept.told}
    change = create_model(f"{name}Change", __base__=Wire, **changed)
    sides: dict[str, Any] = {
        "now": (values, group(ending="")),
        "before": (values | None, group("before", default=None)),
        "change": (change | None, group("change", signed=True, default=None)),
    }
    key: Any = (str, column("text", "key", titled_by="by", named_by="by"))
    verdict: dict[str, Any] = {"verdict": (Verdict | None, _verdict(kept))} if kept.judged else {}
    row = create_model(f"{name}Row", __base__=Wire, key=key, **sides, **verdict)
    first = kept.measures[0].name
    row.SHOWN = ("key", *given, f"{first}_before", f"{first}_change", *verdict)  # type: ignore[attr-defined]
    total = create_model(f"{name}Total", __base__=Wire, **sides)
    more: dict[str, Any] = {"rows": (list[row], ...), "total": (total, ...)}
    if kept.judged:
        more["season"] = (Season | None, Field(default=None, description="What the year does to the whole"))
    return create_model(name, __base__=FiguresReading, __doc__=kept.meaning, **more)


def _column(measure: Measure | Derived, *, signed: bool = False) -> Any:
    decimals = 2 if measure.kind == "money" else None
    return column(
        cast(Kind, measure.kind),
        measure.title,
        measure.meaning,
        better=measure.better,
        decimals=decimals,
        signed=signed,
    )


def _verdict(kept: Dataset) -> Any:
    about = "Against the scatter of its own 26 weeks before, as far as they are held, and net of the year where one is."
    return column("verdict", f"{kept.measure(kept.judged).title} are", about, default=None)


def _named(kept: Dataset) -> str:
    return "".join(part.capitalize() for part in kept.name.split("-"))
