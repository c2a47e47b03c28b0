"""A whole manifest of a hand-over: what every file says first, and a list of each kind of record that goes along."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any

from pydantic import BaseModel, Field, create_model

from noctilum.wire.handed import Manifest
from noctilum.wire.resources import RESOURCES, Resource

HANDED_OVER: tuple[Resource, ...] = tuple(each for each in RESOURCES if each.handed is not None)
_LISTS: dict[str, Any] = {
    each.name: (list[each.handed], Field(default=[], max_length=each.most))  # type: ignore[name-defined]
    for each in HANDED_OVER
}
Handed: type[Manifest] = create_model("Handed", __base__=Manifest, **_LISTS)
"""Files before form 2 have no sets and notes; what an older file lacks is not there."""


def records_of(handed: Manifest) -> Iterator[tuple[Resource, Sequence[BaseModel]]]:
    """Give the records that a file brings, kind by kind, in the order they come in."""
    yield from ((each, getattr(handed, each.name)) for each in HANDED_OVER)
