"""The mapping of a feed: a TOML text that describes any JSON or CSV interface over HTTP, checked with its lines."""

from __future__ import annotations

import re
import tomllib
from collections.abc import Sequence
from typing import Annotated, Any, Literal, TypeVar

import jmespath
from pydantic import BaseModel, ConfigDict, Field, ValidationError

from noctilum.core.errors import Nonsense, worded
from noctilum.datasets import DATASETS
from noctilum.datasets.lookups import KIND as LOOKUPS
from noctilum.sources.expressions import compiled
from noctilum.wire.declared import OneOf


def _grains() -> tuple[str, ...]:
    """Name what rows a mapping may describe: whatever a feed counts; lookups have a mapping of their own."""
    return tuple(name for name, kept in DATASETS.items() if kept.kind != LOOKUPS)


GrainName = Annotated[str, OneOf(_grains)]


class _Part(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class Auth(_Part):
    """How requests are signed. token: the secret is sent in a header as it is, after a prefix."""

    kind: Literal["oauth-client", "oauth-code", "token", "none"]
    token_url: str = ""
    authorize_url: str = ""
    scope: str = ""
    header: str = "Authorization"
    prefix: str = "Bearer "


class Paging(_Part):
    """How a long answer goes on.

    cursor: an expression finds the next cursor, sent as param. offset: param counts rows on, size at a
    time. page: param counts pages from first. link: a Link header with rel="next".
    """

    kind: Literal["none", "cursor", "offset", "page", "link"] = "none"
    param: str = ""
    next: str = ""
    size: int = Field(default=0, ge=0)
    size_param: str = ""
    first: int = 1


class Ask(_Part):
    """One request: method and address with {placeholders}, and what its answer is."""

    request: str
    query: dict[str, str] = {}
    body: dict[str, Any] = {}
    format: Literal["json", "ndjson", "csv"] = "json"
    delimiter: str = Field(default=",", min_length=1, max_length=1)
    rows: str = ""
    paging: Paging = Paging()


class Properties(Ask):
    """How the properties are listed, and which expression gives what of each."""

    id: str
    label: str
    site: str
    engine: str
    time_zone: str = "'UTC'"
    last_day: str = ""
    currency: str = ""


class Grain(Ask):
    """How the rows of one grain are asked for. range_days: so many days in one request, told apart by day."""

    range_days: int = Field(default=1, ge=1, le=366)
    day: str = ""
    fields: dict[str, str]


class Days(_Part):
    """Which days there are, where no ledger says: kept for so long, so late, settled after so many days."""

    keeps_days: int = Field(ge=1, le=36500)
    lag_days: int = Field(default=1, ge=0, le=60)
    settles_after_days: int = Field(default=3, ge=0, le=120)


class FeedMapping(_Part):
    """A whole mapping."""

    name: str = Field(min_length=1, max_length=80)
    auth: Auth
    days: Days
    properties: Properties
    grains: dict[GrainName, Grain] = Field(min_length=1)

    @property
    def kind(self) -> str:
        """What kind of source it describes, as its first grain says."""
        return DATASETS[next(iter(self.grains))].kind


class ResultFields(_Part):
    """Which expression gives what of a result. rank: without it results stand in their order."""

    rank: str = ""
    url: str
    title: str = ""
    kind: str = ""


class FeatureFields(_Part):
    """Where features stand in an answer, and which expression gives what of one. kinds: ours, by theirs."""

    rows: str
    kind: str
    above: str = ""
    owners: str = ""
    text: str = ""
    kinds: dict[str, str] = {}


class LookupAsk(Ask):
    """How one term is looked up. failed: finds why, where a lookup failed. term: finds the term that was answered."""

    result: ResultFields
    features: FeatureFields | None = None
    devices: dict[str, str] = {}
    engines: dict[str, str] = {}
    failed: str = ""
    term: str = ""


class LookupMapping(_Part):
    """A whole mapping of a service that looks terms up."""

    name: str = Field(min_length=1, max_length=80)
    engine: str = Field(default="Lookups", min_length=1, max_length=60)
    auth: Auth
    lookup: LookupAsk


_Whole = TypeVar("_Whole", FeedMapping, LookupMapping)


def looks_up(text: str) -> bool:
    """Say whether a mapping is of lookups; one that cannot be read is none."""
    try:
        return "lookup" in tomllib.loads(text)
    except tomllib.TOMLDecodeError:
        return False


def auth_of(text: str) -> Auth:
    """Read and check a mapping of either kind, and say how it signs."""
    return read_lookup_mapping(text).auth if looks_up(text) else read_mapping(text).auth


def read_mapping(text: str) -> FeedMapping:
    """Read and check a mapping; raises Nonsense naming the line at fault."""
    mapping = _read(text, FeedMapping)
    _check_expressions(text, _expressions(mapping))
    _check_grains(text, mapping)
    _check_fields(text, mapping)
    return mapping


def read_lookup_mapping(text: str) -> LookupMapping:
    """Read and check a mapping of lookups; raises Nonsense naming the line at fault."""
    mapping = _read(text, LookupMapping)
    asked = mapping.lookup
    if asked.format != "json" or asked.paging.kind != "none":
        where = place(text, ["lookup", "paging" if asked.format == "json" else "format"])
        raise Nonsense("mapping-unusable", "A lookup is answered in JSON, on one page.", where=where)
    found = [(["lookup", name], getattr(asked, name)) for name in ("rows", "failed", "term")]
    found += [(["lookup", "result", name], text_) for name, text_ in asked.result]
    if asked.features:
        told = asked.features.model_dump(exclude={"kinds"})
        found += [(["lookup", "features", name], text_) for name, text_ in told.items()]
    _check_expressions(text, [(path, expression) for path, expression in found if expression])
    return mapping


def _read(text: str, whole: type[_Whole]) -> _Whole:
    try:
        found = tomllib.loads(text)
    except tomllib.TOMLDecodeError as why:
        raise Nonsense(
            "mapping-unreadable", worded("The mapping is no TOML: {why}.", why=why), where="mapping"
        ) from why
    try:
        return whole.model_validate(found)
    except ValidationError as why:
        first = why.errors(include_url=False)[0]
        path = [str(step) for step in first["loc"] if step != "[key]"]
        what = f"{'.'.join(path)}: {first['msg'].lower()}"
        raise Nonsense(
            "mapping-unusable", worded("The mapping cannot be used: {what}.", what=what), where=place(text, path)
        ) from why


def _check_expressions(text: str, expressions: Sequence[tuple[list[str], str]]) -> None:
    for path, expression in expressions:
        try:
            compiled(expression)
        except jmespath.exceptions.JMESPathError as why:
            said = " ".join(str(why).split())
            what = f"{'.'.join(path)} is no expression: {said[:160]}"
            raise Nonsense(
                "mapping-unusable",
                worded("{what}.", what=what),
                where=place(text, path),
                remedy="see docs/mapped-feed.md",
            ) from why


def _expressions(mapping: FeedMapping) -> list[tuple[list[str], str]]:
    found = [(["properties", name], getattr(mapping.properties, name)) for name in _OF_PROPERTY]
    for grain, asked in mapping.grains.items():
        found += [(["grains", grain, "fields", name], text) for name, text in asked.fields.items()]
        found += [(["grains", grain, name], getattr(asked, name)) for name in ("rows", "day")]
        found.append((["grains", grain, "paging", "next"], asked.paging.next))
    found.append((["properties", "paging", "next"], mapping.properties.paging.next))
    return [(path, text) for path, text in found if text]


_OF_PROPERTY = ("rows", "id", "label", "site", "engine", "time_zone", "last_day", "currency")


def _check_grains(text: str, mapping: FeedMapping) -> None:
    """Raise Nonsense unless all grains are of one kind of source, and its totals are among them."""
    kinds = {DATASETS[grain].kind: grain for grain in mapping.grains}
    if len(kinds) > 1:
        one, other = [*kinds.values()][:2]
        raise Nonsense(
            "mapping-mixed",
            worded("Grains {one} and {other} are counted by different kinds of sources.", one=one, other=other),
            where=place(text, ["grains", other]),
            remedy="write a mapping for each kind",
        )
    totals = DATASETS.totals_of(DATASETS[next(iter(mapping.grains))]).name
    if totals not in mapping.grains:
        what = worded("The mapping has no grain {grain}, the totals.", grain=totals)
        raise Nonsense("mapping-lacking", what, where=place(text, ["grains"]))


def _check_fields(text: str, mapping: FeedMapping) -> None:
    for grain, asked in mapping.grains.items():
        path = ["grains", grain, "fields"]
        kept = DATASETS[grain]
        fields = (*kept.dims, *(measure.name for measure in kept.measures))
        for name in fields:
            if name not in asked.fields and kept.dimension(name).default is None:
                what = worded("The mapping says nothing of {name} for grain {grain}.", name=name, grain=grain)
                raise Nonsense(
                    "mapping-lacking", what, where=place(text, path), remedy=worded('add {name} = "…" there', name=name)
                )
        for name in asked.fields:
            if name not in fields:
                known = ", ".join(fields)
                what = worded("Grain {grain} has no {name!r}.", grain=grain, name=name)
                raise Nonsense(
                    "mapping-unusable",
                    what,
                    where=place(text, [*path, name]),
                    remedy=worded("one of {known}", known=known),
                )
        if asked.range_days > 1 and kept.span != "day":
            what = worded("Grain {grain} is of whole spans, asked for one at a time.", grain=grain)
            raise Nonsense(
                "mapping-unusable", what, where=place(text, [*path[:2], "range_days"]), remedy="leave it out"
            )
        if asked.range_days > 1 and not asked.day:
            what = worded(
                "Grain {grain} asks for several days at once but does not say which day a row is of.", grain=grain
            )
            raise Nonsense("mapping-lacking", what, where=place(text, path[:2]), remedy='add day = "…" there')


def place(text: str, path: list[str]) -> str:
    """Say where in a mapping a setting stands, by line: that of the setting, or of the table it belongs in.

    >>> place("name = 'x'\\n[auth]\\nkind = 'none'", ["auth", "kind"])
    'mapping line 3, auth.kind'
    """
    tables = {"": 1}
    here, best = "", 1
    for number, line in enumerate(text.splitlines(), start=1):
        if header := re.match(r"\s*\[+\s*([^\]]+?)\s*\]", line):
            here = header[1].replace('"', "").replace(" ", "")
            tables[here] = number
        elif key := re.match(r"\s*[\"']?([\w.-]+)[\"']?\s*=", line):
            whole = f"{here}.{key[1]}".lstrip(".")
            tables[whole] = number
    for length in range(len(path), -1, -1):
        prefix = ".".join(path[:length])
        if prefix in tables:
            best = tables[prefix]
            break
    return f"mapping line {best}, {'.'.join(path)}"
