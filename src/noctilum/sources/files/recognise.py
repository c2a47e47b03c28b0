"""Recognising a file: what its columns are, how its numbers and dates are written, what must be asked."""

from __future__ import annotations

import re
from collections.abc import Collection, Sequence
from dataclasses import dataclass, field
from typing import Any

from noctilum.core.errors import Nonsense, worded
from noctilum.datasets import DATASETS
from noctilum.datasets.declaring import Dataset, Measure
from noctilum.sources.files.mapping import DateForm, Mapping
from noctilum.sources.files.values import EMPTY, date_forms, decimal_sign, parse_day
from noctilum.sources.files.words import DEVICES, MADE_FROM, countries, plain, role_of_header
from noctilum.wire.declared import DERIVED, SPANS, Role


@dataclass(frozen=True)
class Column:
    """One column as recognised. by: "given", "header" or "content"; sample: its first distinct values."""

    header: str
    role: Role
    by: str
    sample: tuple[str, ...]


@dataclass(frozen=True)
class Question:
    """Something that only a person can tell."""

    code: str
    text: str
    choices: tuple[str, ...]


@dataclass(frozen=True)
class Recognised:
    """What a file's columns mean. grain: the coarsest dataset its rows fit; questions: what must be asked.

    newest: of a list of what stood, the last day on which any row was seen, an ordinal.
    """

    columns: tuple[Column, ...]
    grain: str
    dates: DateForm
    decimal: str
    monthly: bool
    fixed: dict[str, str]
    questions: tuple[Question, ...] = field(default=())
    newest: int = 0

    @property
    def listed(self) -> bool:
        """Rows are what stood from one day to another, not what happened on a day."""
        return self.header("day") is None and self.header("began") is not None

    @property
    def dated(self) -> tuple[str, ...]:
        """The columns that hold days."""
        return tuple(filter(None, (self.header(role) for role in ("day", *SPANS))))

    def header(self, role: Role) -> str | None:
        """Name the column that has a role."""
        return next((column.header for column in self.columns if column.role == role), None)

    @property
    def wanted(self) -> tuple[str, ...]:
        """The columns that are read."""
        return tuple(column.header for column in self.columns if column.role != "ignore")


def recognise(headers: Sequence[str], samples: dict[str, Sequence[str]], mapping: Mapping, name: str) -> Recognised:
    """Say what each column is, from what was given, its header, or its values.

    Raises Nonsense when a mapping names a column that is not there, two columns have one role, or a
    column that is needed is lacking.
    """
    _check_mapping(headers, mapping, name)
    roles = _roles(headers, samples, mapping)
    _check_roles(roles, name)
    columns = tuple(
        Column(header, role, by, tuple(dict.fromkeys(samples.get(header, ())))[:4])
        for header, (role, by) in roles.items()
    )
    by_role = {column.role: samples.get(column.header, ()) for column in columns}
    days = [text for role in ("day", *SPANS) for text in by_role.get(role, ()) if text.strip()]
    dates, questions = _dates(days, mapping)
    monthly = mapping.monthly if mapping.monthly is not None else "day" in by_role and _all_months(by_role["day"])
    grain = _grain(set(by_role), mapping)
    return Recognised(columns, grain, dates, _decimal(by_role, mapping), monthly, dict(mapping.fixed), questions)


def _check_mapping(headers: Sequence[str], mapping: Mapping, name: str) -> None:
    for header in mapping.columns:
        if header not in headers:
            raise Nonsense(
                "no-such-column",
                worded("{name} has no column {header!r}.", name=name, header=header),
                where="columns",
                remedy=worded("one of {what}", what=", ".join(filter(None, headers))),
            )
    for role in mapping.fixed:
        if all(role not in kept.dims for kept in DATASETS.in_files):
            raise Nonsense("no-such-dimension", worded("{role!r} cannot be fixed.", role=role), where="fixed")


def _roles(headers: Sequence[str], samples: dict[str, Sequence[str]], mapping: Mapping) -> dict[str, tuple[Role, str]]:
    roles: dict[str, tuple[Role, str]] = {}
    taken = set(mapping.columns.values())
    for header in filter(None, headers):
        given = mapping.columns.get(header)
        named = role_of_header(header)
        if given:
            roles[header] = (given, "given")
        elif named and named not in taken:
            roles[header] = (named, "header")
            taken.add(named)
    for header in filter(None, headers):
        if header not in roles:
            guessed = _role_of_content(samples.get(header, ()), taken)
            roles[header] = (guessed or "ignore", "content")
            if guessed:
                taken.add(guessed)
    return {header: _span_of(roles, header, samples) for header in headers if header}


def _span_of(roles: dict[str, tuple[Role, str]], header: str, samples: dict[str, Sequence[str]]) -> tuple[Role, str]:
    """Take a column of days that is called like a count of what ended for the day on which each row did."""
    role, by = roles[header]
    began = any(found == "began" for found, _ in roles.values())
    ends = role in {kept.states[1] for kept in DATASETS.in_files if kept.states}
    if not (began and ends) or by == "given":
        return role, by
    known = {value for value in samples.get(header, ()) if value.strip().lower() not in EMPTY}
    days = all(parse_day(value, "dmy") or parse_day(value, "mdy") for value in known)
    return ("ended", "content") if known and days else (role, by)


def _role_of_content(values: Sequence[str], taken: set[Role]) -> Role | None:
    """Guess a column from its values; only where every value speaks for it and nothing else has the role."""
    known = [v.strip() for v in values if v.strip().lower() not in EMPTY]
    if len(known) < 3:
        return None
    tests: tuple[tuple[Role, Any], ...] = (
        ("day", lambda v: parse_day(v, "dmy") or parse_day(v, "mdy")),
        ("page", lambda v: re.match(r"https?://\S+$|/\S*$", v)),
        ("country", lambda v: len(v) == 2 and v.isupper() and v.lower() in countries()),
        ("device", lambda v: plain(v) in DEVICES),
        ("ctr", lambda v: v.endswith("%")),
    )
    for role, test in tests:
        if role not in taken and all(test(value) for value in known):
            return role
    return None


def _check_roles(roles: dict[str, tuple[Role, str]], name: str) -> None:
    held = {role for role, _ in roles.values()} - {"ignore"}
    for role in held:
        named = [repr(header) for header, (found, _) in roles.items() if found == role]
        if len(named) > 1:
            both = ", ".join(named)
            remedy = "say which one with --column HEADER=ROLE, and ignore the other with --column HEADER=ignore"
            raise Nonsense(
                "role-twice",
                worded("{name} has two columns for {role}: {both}.", name=name, role=role, both=both),
                remedy=remedy,
            )
    if _is_list(held):
        return
    kind = _kind_of(held)
    for lacking in ("day", *_measures_lacking(kind, held)):
        if lacking not in held:
            seen = ", ".join(repr(header) for header in roles)
            raise Nonsense(
                "column-lacking",
                worded("{name} has no column that is known to be the {lacking}.", name=name, lacking=lacking),
                where=f"columns {seen}",
                remedy=worded("say which one it is with --column HEADER={lacking}", lacking=lacking),
            )


def _is_list(held: Collection[Role]) -> bool:
    return "began" in held and "day" not in held


def _kind_of(held: Collection[Role]) -> str:
    """Say which kind of source a file's figures are of: that of which it has the largest share of the measures."""

    def share(kind: str) -> float:
        measures = DATASETS.of_kind(kind)[0].measures
        return sum(_told(measure, held) for measure in measures) / len(measures)

    return max(dict.fromkeys(kept.kind for kept in DATASETS.in_files), key=share)


def _told(measure: Measure, held: Collection[Role]) -> bool:
    return measure.name in held or (measure.name in MADE_FROM and set(MADE_FROM[measure.name]) <= {*held})


def _measures_lacking(kind: str, held: Collection[Role]) -> list[str]:
    """Name the measures of a kind of source that a file does not tell, those first that others are reckoned from."""
    measures = sorted(DATASETS.of_kind(kind)[0].measures, key=lambda measure: measure.name in MADE_FROM)
    return [measure.name for measure in measures if not _told(measure, held)]


def _grain(roles: set[Role], mapping: Mapping) -> str:
    """Choose the dataset whose dimensions are all told, and that leaves the fewest that are told out."""
    has = roles | set(mapping.fixed)
    offered = [kept for kept in DATASETS.in_files if kept.states] if _is_list(roles) else []
    fitting = [kept for kept in offered or DATASETS.of_kind(_kind_of(roles)) if _needed(kept) <= has]
    if "look" in has and has & {"query", "page"}:
        what = "Looks are counted without queries and pages, and this file has both."
        raise Nonsense("look-with-others", what, where="columns", remedy="ignore one: --column HEADER=ignore")
    if not fitting:
        kept = (offered or DATASETS.of_kind(_kind_of(roles)))[0]
        lacking = sorted(_needed(kept) - has)[0]
        raise Nonsense(
            "column-lacking",
            worded("No column is known to be the {lacking}.", lacking=lacking),
            where="columns",
            remedy=worded("say which one it is with --column HEADER={lacking}", lacking=lacking),
        )
    return max(fitting, key=lambda kept: len(has & {*kept.dims})).name


def _needed(kept: Dataset) -> set[str]:
    return {name for name in kept.dims if kept.dimension(name).default is None}


def _dates(values: Sequence[str], mapping: Mapping) -> tuple[DateForm, tuple[Question, ...]]:
    if mapping.dates:
        return mapping.dates, ()
    fitting = date_forms(values)
    if len(fitting) == 1:
        return next(iter(fitting)), ()
    example = next((value for value in values if value.strip()), "")
    if not fitting:
        text = "Some days have the day first and others the month."
    else:
        text = f"Is {example!r} day first or month first? The file does not tell."
    return "dmy", (Question("date-order", text, ("dmy", "mdy")),)


def _all_months(values: Sequence[str]) -> bool:
    found = [parse_day(value, "dmy") for value in dict.fromkeys(values) if value.strip()]
    return bool(found) and all(each is not None and each[1] for each in found)


def _decimal(by_role: dict[Role, Sequence[str]], mapping: Mapping) -> str:
    if mapping.decimal:
        return mapping.decimal
    measures = (measure for kept in DATASETS.in_files for measure in kept.measures)
    telling_roles = dict.fromkeys((*(each.name for each in measures if each.has_decimals), *DERIVED))
    telling = [value for role in telling_roles for value in by_role.get(role, ())]
    return decimal_sign(telling) or "."
