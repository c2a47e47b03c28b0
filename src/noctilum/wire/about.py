"""What readings there are, as they cross HTTP: for programs, and for the console's tables and their help."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import Field

from noctilum.wire.base import Wire
from noctilum.wire.columns import Better, Kind
from noctilum.wire.questions import Question
from noctilum.wire.specs import Group


class ColumnAbout(Wire):
    """One column: what it is and how it is computed, in the language asked for."""

    name: str = Field(description="In files")
    path: list[str] = Field(description="The fields of a row that lead to the value")
    kind: Kind
    title: str = Field(description="Without its group's")
    group: str = Field(description="The title of the figures it is one of; empty for most")
    titled_by: str = Field(description="The field of the answer whose value titles it, instead of its title")
    how: str
    better: Better | None
    decimals: int | None
    signed: bool
    shown: bool = Field(description="In tables for people")
    words: dict[str, str] = Field(
        default={}, description="What each of its values is called, where they are few; several have a comma between"
    )


class TableAbout(Wire):
    """One table of a reading."""

    name: str = Field(description="Empty for its rows")
    rows: str = Field(description="The field of the answer that holds them")
    columns: list[ColumnAbout]


class ParameterAbout(Wire):
    """One parameter."""

    name: str
    about: str
    default: Any
    choices: list[str]
    in_path: bool
    required: bool = False


class ReadingAbout(Wire):
    """One reading."""

    name: str
    group: Group
    summary: str
    about: str
    path: str = Field(description="Below /sites/{site}")
    compares: bool
    paged: str = Field(description="The parameter that says how many rows are given; empty where all are")
    parameters: list[ParameterAbout]
    by: list[str] = Field(description="The parameters that say what it goes by, as in an export")
    figures: list[ColumnAbout] = Field(description="Of the answer itself, beside its rows")
    tables: list[TableAbout]


class DimensionAbout(Wire):
    """What rows of a dataset are told apart by."""

    name: str
    title: str
    how: str
    values: dict[str, str] = Field(
        default={}, description="What each of its values is called that is known; any other stands as it is"
    )


class MeasureAbout(ColumnAbout):
    """One figure of a dataset, and how rows of it become one."""

    merge: Literal["sum", "weighted", "last", "none", "formed"] = Field(
        description="sum: over everything. weighted: an average. last: within a day, and over days the last held one "
        "stands. none: never. formed: from the others, once these are added up"
    )
    weight: str = Field(description="The measure by which an average is weighted; empty for others")


class DatasetAbout(Wire):
    """One dataset: what a kind of source counts, by what, and how it is added up."""

    name: str
    kind: str = Field(description="Of the sources that have it")
    title: str
    about: str
    in_files: bool = Field(description="Whether files that are brought in may hold it")
    dimensions: list[DimensionAbout]
    measures: list[MeasureAbout]


class BlocksQuery(Question):
    """In which language."""

    language: str = Field(default="en", max_length=20, description="BCP 47")


class BlockAbout(Wire):
    """One kind of block that a report may have."""

    kind: str
    title: str
    about: str
    options: list[ParameterAbout] = Field(description="What its reading may be asked besides")
    columns: list[ColumnAbout] = Field(description="Of its table; none where it is drawn in a way of its own")
