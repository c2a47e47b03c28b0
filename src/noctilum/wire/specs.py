"""What a reading is, said once: every door to it is made from its specification."""

from __future__ import annotations

import importlib
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field
from typing import Any, Literal

from pydantic import BaseModel, RootModel

from noctilum.wire.columns import Column, columns_of, flat, model_in, shown_of
from noctilum.wire.questions import WORD, Compared, Question

Group = Literal["Collect", "Read", "Ranks", "Explain", "Act"]
Plain = dict[str, Any]
Named = str | Callable[..., Any]
"""A function, or where it is: "package.module:name". The light doors (client, command line) never load it."""


Depends = Literal[
    "notes", "keywords", "competitors", "grids", "work", "trials", "targets", "siblings", "today", "rules"
]  # fmt: skip
"""What else an answer may hang on."""


@dataclass(frozen=True)
class ReadingSpec:
    """Declare one reading of a site.

    name: of its path, command, export and block. summary: what it does, begun with a verb; about: what comes back.
    make: (site access, question) → answer; say: (teller) → sentences. rows: the field of the answer that holds its
    rows, "" for none, "sources.grains" for rows within rows; flat: gives plain rows where they are not simply the
    columns' values. by: the parameters that an export's `by` stands for, the choices of one comma apart. depends: what
    else the answer hangs on besides the history, its sources and words, as "notes". path: below the site's, where
    it is not the name and its words.
    """

    name: str
    group: Group
    summary: str
    about: str
    question: type[Question]
    answer: type[BaseModel]
    make: Named
    say: Named = ""
    rows: str = "rows"
    flat: Callable[[Any], list[Plain]] | None = None
    by: tuple[str, ...] = ()
    depends: tuple[Depends, ...] = ()
    path: str = ""
    tables: Mapping[str, str] = field(default_factory=dict)
    """Further tables: name → the field of the answer that holds their rows."""
    whole: Mapping[str, Any] = field(default_factory=dict)
    """What an export asks for where nothing else is asked: the parameters that leave rows out by default."""
    curves: tuple[str, ...] = ()
    """Columns that a report draws as curves over the rows, whose first column is a day or a month; the first leads."""

    @property
    def compares(self) -> bool:
        """Whether it compares two windows; where it does not, `against` is no parameter."""
        return issubclass(self.question, Compared)

    @property
    def paged(self) -> str:
        """The parameter that says how many rows are given, where there are pages of them."""
        fields = self.question.model_fields
        return next((name for name in ("limit", "most") if name in fields and "offset" in fields), "")

    @property
    def words(self) -> tuple[str, ...]:
        """The parameters that stand in the address."""
        return tuple(name for name, each in self.question.model_fields.items() if _is_word(each.json_schema_extra))

    @property
    def positional(self) -> tuple[str, ...]:
        """The parameters that are given by their place, in the client library and on the command line."""
        fields = self.question.model_fields
        return tuple(
            n
            for n, each in fields.items()
            if isinstance(each.json_schema_extra, dict) and WORD in each.json_schema_extra
        )

    @property
    def address(self) -> str:
        """Its path below a site's, with its words in braces."""
        return self.path or "/".join([self.name, *(f"{{{name}}}" for name in self.words)])

    @property
    def method(self) -> str:
        """Its method's name in the client library."""
        return self.name.replace("-", "_")

    def row(self, table: str = "") -> type[BaseModel] | None:
        """Give the model of its rows, or of another of its tables; None where it has no rows."""
        model = self.answer
        if issubclass(model, RootModel):
            return model_in(model.model_fields["root"].annotation)
        for name in self._path(table):
            model = model_in(model.model_fields[name].annotation)
        return None if model is self.answer else model

    def columns(self, table: str = "") -> tuple[Column, ...]:
        """Give every column of its rows."""
        row = self.row(table)
        return columns_of(row) if row else ()

    def shown(self, table: str = "") -> tuple[Column, ...]:
        """Give the columns that a table for people shows."""
        row = self.row(table)
        return shown_of(row) if row else ()

    def found(self, answer: Any, table: str = "") -> Sequence[BaseModel]:
        """Give the rows of an answer, or of another of its tables."""
        if isinstance(answer, RootModel):
            return list(answer.root)
        rows = [answer]
        for name in self._path(table):
            rows = [each for row in rows for each in getattr(row, name)]
        return rows

    def _path(self, table: str) -> list[str]:
        named = self.tables[table] if table else self.rows
        return named.split(".") if named else []

    def plain(self, answer: Any, table: str = "") -> list[Plain]:
        """Flatten an answer into one plain dict a row; figures not known are None, days are dates."""
        if self.flat and not table:
            return self.flat(answer)
        return [flat(row, answer) for row in self.found(answer, table)]


def _is_word(extra: Any) -> bool:
    return isinstance(extra, dict) and extra.get(WORD) is True


def resolved(named: Named) -> Callable[..., Any]:
    """Give the function that a specification names; raises LookupError when there is none."""
    if callable(named):
        return named
    module, _, name = named.partition(":")
    found = getattr(importlib.import_module(module), name, None)
    if not callable(found):
        raise LookupError(f"there is no function {named}")
    return found  # type: ignore[no-any-return]


class Catalogue:
    """All readings there are, by name, in the order in which they are listed."""

    def __init__(self, specs: Sequence[ReadingSpec]) -> None:
        self._specs = {spec.name: spec for spec in specs}

    def __iter__(self) -> Iterator[ReadingSpec]:
        """Go through the readings."""
        return iter(self._specs.values())

    def __contains__(self, name: object) -> bool:
        """Say whether there is a reading of this name."""
        return name in self._specs

    def __getitem__(self, name: str) -> ReadingSpec:
        """Give the reading of a name; raises KeyError."""
        return self._specs[name]

    @property
    def names(self) -> tuple[str, ...]:
        """The names of all readings."""
        return tuple(self._specs)

    def of(self, answer: BaseModel) -> ReadingSpec:
        """Find the reading that gives such answers; raises LookupError."""
        for spec in self._specs.values():
            if spec.answer is type(answer):
                return spec
        raise LookupError(f"no reading gives {type(answer).__name__}")

    @contextmanager
    def with_also(self, *specs: ReadingSpec) -> Iterator[None]:
        """Have more readings for a while; an application made meanwhile serves them."""
        kept = self._specs
        self._specs = kept | {spec.name: spec for spec in specs}
        try:
            yield
        finally:
            self._specs = kept
