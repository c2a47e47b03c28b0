"""Describing readings and datasets: their columns' titles and explanations in a language."""

from __future__ import annotations

from typing import Any

from pydantic.fields import FieldInfo

from noctilum.datasets.declaring import Dataset, Derived, Dimension, Measure
from noctilum.wire.about import (
    ColumnAbout,
    DatasetAbout,
    DimensionAbout,
    MeasureAbout,
    ParameterAbout,
    ReadingAbout,
    TableAbout,
)
from noctilum.wire.columns import Column, columns_of
from noctilum.wire.questions import choices
from noctilum.wire.specs import ReadingSpec
from noctilum.words.speech import Speech


def described(spec: ReadingSpec, language: str) -> ReadingAbout:
    """Describe a reading in a language."""
    speech = Speech(language)
    return ReadingAbout(
        name=spec.name,
        group=spec.group,
        summary=speech.text(spec.summary),
        about=speech.text(spec.about),
        path=spec.address,
        compares=spec.compares,
        paged=spec.paged,
        parameters=[_parameter(spec, name, each) for name, each in spec.question.model_fields.items()],
        by=list(spec.by),
        figures=[_column(each, True, speech) for each in columns_of(spec.answer)],
        tables=[_table(spec, name, speech) for name in ("", *spec.tables)],
    )


def counted(kept: Dataset, language: str) -> DatasetAbout:
    """Describe a dataset in a language."""
    speech = Speech(language)
    return DatasetAbout(
        name=kept.name,
        kind=kept.kind,
        title=speech.text(kept.title or kept.plural or kept.name),
        about=speech.text(kept.meaning),
        in_files=kept.in_files,
        dimensions=[_dimension(kept.dimension(name), speech) for name in kept.dims],
        measures=[_measure(each, speech) for each in kept.told],
    )


def _dimension(found: Dimension, speech: Speech) -> DimensionAbout:
    return DimensionAbout(
        name=found.name,
        title=speech.text(found.title),
        how=speech.text(found.meaning),
        values={value: speech.text(value) for value in found.values},
    )


def _measure(found: Measure | Derived, speech: Speech) -> MeasureAbout:
    return MeasureAbout(
        name=found.name,
        path=["figures", found.name],
        kind=found.kind,
        title=speech.text(found.title),
        group="",
        titled_by="",
        how=speech.text(found.meaning),
        better=found.better,
        decimals=None,
        signed=False,
        shown=True,
        merge=found.merge if isinstance(found, Measure) else "formed",
        weight=found.weight if isinstance(found, Measure) else "",
    )


def title_of(column: Column, speech: Speech, whole: Any = None) -> str:
    """Title a column, after its answer where that says what it is, and with its group."""
    titled = str(getattr(whole, column.titled_by)) if column.titled_by and whole is not None else column.title
    title = speech.text(titled)
    return f"{title} {speech.text(column.group)}" if column.group else title


def _table(spec: ReadingSpec, name: str, speech: Speech) -> TableAbout:
    shown = spec.shown(name)
    ordered = [*shown, *(each for each in spec.columns(name) if each not in shown)]
    columns = [_column(each, each in shown, speech) for each in ordered]
    return TableAbout(name=name, rows=spec.tables[name] if name else spec.rows, columns=columns)


def _column(column: Column, shown: bool, speech: Speech) -> ColumnAbout:
    return ColumnAbout(
        name=column.name,
        path=list(column.path),
        kind=column.kind,
        title=speech.text(column.title),
        group=speech.text(column.group) if column.group else "",
        titled_by=column.titled_by,
        how=" ".join(speech.text(part) for part in (column.of_group, column.how) if part),
        better=column.better,
        decimals=column.decimals,
        signed=column.signed,
        shown=shown,
        words={word: speech.text(word) for word in column.words},
    )


def _parameter(spec: ReadingSpec, name: str, field: FieldInfo) -> ParameterAbout:
    needed = field.is_required()
    return ParameterAbout(
        name=name,
        about=field.description or "",
        default=None if needed else field.default,
        choices=choices(field.annotation),
        in_path=name in spec.words,
        required=needed,
    )
