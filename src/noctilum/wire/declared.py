"""Names of what is declared, as parameters take them: grains, and what a column of a file may be."""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated, Any

from pydantic import GetCoreSchemaHandler, GetJsonSchemaHandler
from pydantic.json_schema import JsonSchemaValue
from pydantic_core import CoreSchema, PydanticCustomError, core_schema

from noctilum.datasets import DATASETS

DERIVED = ("ctr",)
"""What a column of a file may be that no dataset keeps: others are made from it."""


SPANS = ("began", "ended", "last_seen")
"""What a column may be of a file that lists what stood, a row from its beginning to its end."""


class OneOf:
    """Mark a text that must be one of some names, as they are known at the time."""

    def __init__(self, names: Callable[[], tuple[str, ...]]) -> None:
        self.names = names

    def __get_pydantic_core_schema__(self, source: Any, handler: GetCoreSchemaHandler) -> CoreSchema:
        """Refuse other texts as a choice does."""
        return core_schema.no_info_after_validator_function(self._checked, handler(source))

    def _checked(self, text: str) -> str:
        known = self.names()
        if text in known:
            return text
        said = ", ".join(f"'{name}'" for name in known[:-1]) + f" or '{known[-1]}'"
        raise PydanticCustomError("literal_error", "Input should be {expected}", {"expected": said})

    def __get_pydantic_json_schema__(self, schema: CoreSchema, handler: GetJsonSchemaHandler) -> JsonSchemaValue:
        """Name the choices in the OpenAPI document."""
        return handler(schema) | {"enum": list(self.names())}


def roles() -> tuple[str, ...]:
    """Name what a column of a file may be: a day, a dimension, a measure, something these are made from, when it
    began and ended, or nothing.
    """
    dims = (dim for kept in DATASETS.in_files for dim in kept.dims)
    measures = (measure.name for kept in DATASETS.in_files for measure in kept.measures)
    return (*dict.fromkeys(("day", *dims, *measures, *DERIVED, *SPANS)), "ignore")


Grain = Annotated[str, OneOf(lambda: DATASETS.daily)]
SourceKind = Annotated[str, OneOf(lambda: DATASETS.kinds)]
Role = Annotated[str, OneOf(roles)]
