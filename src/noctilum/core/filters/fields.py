"""The fields a filter may name: those of rows, and those of results."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

from noctilum.datasets.declaring import Dataset

Kind = Literal["text", "number", "flag", "day"]


@dataclass(frozen=True)
class Field:
    """Describe one field. dimension: which term of a row it looks at; None for a field of results."""

    name: str
    kind: Kind
    dimension: str | None
    meaning: str

    @property
    def of_results(self) -> bool:
        """It narrows what is listed after counting, not what is counted."""
        return self.dimension is None


CHANGE = "change in "
"""How the fields begin that ask what a result changed by."""
MEASURED = ("clicks", "impressions", "ctr", "position")
FIELDS: dict[str, Field] = {
    field.name: field
    for field in (
        Field("query", "text", "query", "What was typed."),
        Field("page", "text", "page", "The page as the provider writes it."),
        Field("path", "text", "page", "The page's path, without its host."),
        Field("host", "text", "page", "The page's host; the site's own where the provider leaves it out."),
        Field("country", "text", "country", "ISO 3166 country of the searcher."),
        Field("device", "text", "device", "mobile, desktop or tablet."),
        Field("kind", "text", "kind", "The kind of search, as web or image."),
        Field("look", "text", "look", "What a result looked like, where it was not like any other."),
        Field("words", "number", "query", "How many words the query has."),
        Field("brand", "flag", "query", "The query holds a brand term of the client."),
        Field("question", "flag", "query", "The query is a question."),
        Field("first seen", "day", "query", "The first held day the query was seen on; a day, a month or a year."),
        Field("page first seen", "day", "page", "The first held day the page was seen on; a day, a month or a year."),
        Field("clicks", "number", None, "Clicks in the window."),
        Field("impressions", "number", None, "Impressions in the window."),
        Field("ctr", "number", None, "Clicks divided by impressions; 2% may be written."),
        Field("position", "number", None, "Average position in the window."),
        *(Field(f"{CHANGE}{name}", "number", None, f"Now less before, of {name}.") for name in MEASURED),
    )
}


Fields = Mapping[str, Field]


def fields_of(kept: Dataset) -> Fields:
    """Give the fields of a dataset: those known of its dimensions, its other dimensions as texts, its measures."""
    known = {field.name: field for field in FIELDS.values() if field.dimension in kept.dims}
    texts = {name: Field(name, "text", name, kept.dimension(name).meaning) for name in kept.dims if name not in known}
    of_results = {measure.name: Field(measure.name, "number", None, measure.meaning) for measure in kept.told}
    changes = (Field(f"{CHANGE}{name}", "number", None, f"Now less before, of {name}.") for name in of_results)
    return {**known, **texts, **of_results, **{field.name: field for field in changes}}
