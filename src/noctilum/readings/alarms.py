"""What calls out on a site: rules as data, each a reading and a condition on its rows."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from datetime import date, timedelta
from functools import lru_cache
from typing import Any

import numpy as np

from noctilum.core.errors import NotThere
from noctilum.core.filters import parse
from noctilum.core.filters.fields import Field, Fields, Kind
from noctilum.core.filters.rows import column_mask
from noctilum.core.filters.tree import Node
from noctilum.readings.site_access import SiteAccess, rows_asked
from noctilum.wire import breaks as wire
from noctilum.wire.catalogue import READINGS
from noctilum.wire.specs import ReadingSpec, resolved

MOST = 500
"""So many rows of a reading are looked through."""
SURE = ("certain", "almost certain", "likely")
KINDS: Mapping[str, Kind] = {"flag": "flag", "day": "day", "month": "day"}
TEXTS = ("text", "texts", "verdict", "weekday")
Row = dict[str, Any]


def answer(site: SiteAccess, asked: wire.AlarmsQuery) -> wire.Alarms:
    """Ask every rule, as of a day; those whose feeds are not held are told with why not.

    Rules that ask the same of a reading share its rows.
    """
    ask = Asking(site)
    rows: list[wire.AlarmRow] = []
    left_out: list[wire.LeftOut] = []
    rules = [each for each in site.rules() if asked.rule in (None, each.name)]
    for rule in rules:
        try:
            rows += _alarms(ask, rule, asked.on)
        except NotThere as why:
            left_out.append(wire.LeftOut(rule=rule.name, why=why.what))
    rows.sort(key=lambda row: (SURE.index(row.sure), -(row.since or date.min).toordinal()))
    page = rows_asked(asked)
    return wire.Alarms(
        site=site.key,
        rows=rows[page.offset : page.offset + page.limit],
        left_out=left_out,
        looked_at=len(rules) - len(left_out),
        generation=site.history.generation,
        offset=page.offset,
        matching=len(rows),
    )


class Asking:
    """Asks readings of a site, each question once."""

    def __init__(self, site: SiteAccess) -> None:
        self.site = site
        self._rows: dict[str, list[Row]] = {}

    def rows(self, spec: ReadingSpec, rule: wire.Rule, on: date | None) -> list[Row]:
        """Give the rows of a rule's reading, as asked_of. Raises NotThere, each time it is asked."""
        key = f"{rule.reading} {rule.window} {sorted(rule.asked.items())} {on}"
        if key not in self._rows:
            self._rows[key] = asked_of(self.site, spec, rule, on)
        return self._rows[key]


def _alarms(ask: Asking, rule: wire.Rule, on: date | None) -> Iterator[wire.AlarmRow]:
    spec = READINGS[rule.reading]
    found = passing(spec, rule.condition, ask.rows(spec, rule, on))
    for row in found if rule.lasting == 1 or not found else _lasting(ask, rule, on, found):
        since = row.get(rule.since)
        yield wire.AlarmRow(
            rule=rule.name,
            key=str(row.get(rule.key) or ""),
            since=date.fromisoformat(str(since)) if since else None,
            sure=rule.sure,
            look=rule.reading,
            facts={name: value for name, value in row.items() if isinstance(value, int | float | str | bool | None)},
        )


def _lasting(ask: Asking, rule: wire.Rule, on: date | None, rows: Sequence[Row]) -> list[Row]:
    """Give the rows of a day that passed on each of the days before it as well, for as long as a rule asks."""
    spec, last = READINGS[rule.reading], on or ask.site.held_first.complete_through
    kept = list(rows)
    for back in range(1, rule.lasting):
        try:
            before = passing(spec, rule.condition, ask.rows(spec, rule, last - timedelta(back)))
        except NotThere:
            return []
        keys = {row.get(rule.key) for row in before}
        kept = [row for row in kept if row.get(rule.key) in keys]
    return kept


def asked_of(site: SiteAccess, spec: ReadingSpec, rule: wire.Rule, on: date | None) -> list[Row]:
    """Ask a rule's reading up to a day, the last complete one where none is said; gives its rows as plain values."""
    fields = spec.question.model_fields
    asked: dict[str, Any] = {"limit": MOST} if "limit" in fields else {}
    asked |= dict(rule.asked)
    if rule.window:
        asked["window"] = f"{rule.window}/{on}" if on else rule.window
    found = resolved(spec.make)(site, spec.question.model_validate(asked))
    return [_plain(spec, row) for row in spec.found(found)]


def _plain(spec: ReadingSpec, row: Any) -> Row:
    told = {column.name: column.value(row) for column in spec.columns()}
    told = {name: value.isoformat() if isinstance(value, date) else value for name, value in told.items()}
    for name in list(told):
        now, before = told[name], told.get(f"{name}_before")
        if isinstance(now, int | float) and isinstance(before, int | float) and before:
            told[f"{name}_relative"] = now / before - 1
    return told


def passing(spec: ReadingSpec, condition: str, rows: Sequence[Row]) -> list[Row]:
    """Give the rows that meet a condition. Raises FilterFault and Nonsense for one that cannot be used."""
    fields = fields_of_columns(spec)
    node = _read(condition, spec.name)
    columns = {name: [row.get(name) for row in rows] for name in fields}
    return [rows[n] for n in np.flatnonzero(column_mask(node, fields, columns)).tolist()] if rows else []


def fields_of_columns(spec: ReadingSpec) -> Fields:
    """Give what a condition on a reading's rows may name: its columns, and what those beside a before changed by."""
    columns = {each.name: each for each in spec.columns()}
    found = {
        name: Field(name, "text" if each.kind in TEXTS else KINDS.get(each.kind, "number"), None, each.title)
        for name, each in columns.items()
    }
    for name in columns:
        if f"{name}_before" in columns:
            found[f"{name}_relative"] = Field(f"{name}_relative", "number", None, "Its change over what was before.")
    return found


@lru_cache(maxsize=256)
def _read(condition: str, reading: str) -> Node:
    return parse(condition, fields_of_columns(READINGS[reading]))
