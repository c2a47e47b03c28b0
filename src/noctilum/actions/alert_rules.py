"""Rules of alerts as they are kept, and those that are asked of a site: shipped ones, changed or not, and own ones."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from datetime import datetime
from typing import Any

from pydantic import ValidationError
from sqlalchemy import select
from sqlalchemy.orm import Session

from noctilum.actions.find import find_site
from noctilum.actions.install import Install
from noctilum.core.errors import Clash, Nonsense, NotThere, worded
from noctilum.core.filters import parse
from noctilum.readings.alarms import fields_of_columns
from noctilum.records.models import LARGEST_NUMBER, AlertRule, Site
from noctilum.records.scope import within
from noctilum.wire import alert_rules as wire
from noctilum.wire import breaks
from noctilum.wire.catalogue import READINGS
from noctilum.wire.handed import HandedAlertRule
from noctilum.wire.specs import ReadingSpec

FIELDS = ("name", "on", "lasting", "reading", "condition", "window", "key", "since", "sure")


def listed(install: Install, asked: wire.AlertRulesQuery) -> list[wire.AlertRuleOut]:
    """List the rules that somebody keeps, by name."""
    with install.records.read() as db:
        key = find_site(db, asked.site).key if asked.site is not None else None
        found = db.scalars(select(AlertRule).order_by(AlertRule.name))
        return [_out(each) for each in found if key is None or not each.sites or key in each.sites]


def one(install: Install, number: int) -> wire.AlertRuleOut:
    """Give a rule; raises NotThere."""
    with install.records.read() as db:
        return _out(_found(db, number))


def added(install: Install, asked: wire.NewAlertRule, now: datetime) -> wire.AlertRuleOut:
    """Keep a rule. Raises Clash for a name that another has, Nonsense for what cannot be asked, NotThere for a site."""
    check(asked)
    with install.records.begin() as db:
        _check_name(db, asked.name, None)
        found = AlertRule(**_values(db, asked), created_at=now)
        db.add(found)
        db.flush()
        return _out(found)


def changed(install: Install, number: int, asked: wire.NewAlertRule, now: datetime) -> wire.AlertRuleOut:
    """Make a rule what is asked. Raises as adding one does."""
    check(asked)
    with install.records.begin() as db:
        found = _found(db, number)
        _check_name(db, asked.name, number)
        for name, value in _values(db, asked).items():
            setattr(found, name, value)
        db.flush()
        return _out(found)


def dropped(install: Install, number: int) -> None:
    """Delete a rule; of a shipped one this brings it back as it ships."""
    with install.records.begin() as db:
        db.delete(_found(db, number))


def of_site(install: Install, key: str) -> tuple[breaks.Rule, ...]:
    """Give the rules that are asked of a site, whoever asks: the agency's are everybody's."""
    with within(None), install.records.read() as db:
        kept = {each.name: each for each in db.scalars(select(AlertRule).order_by(AlertRule.id))}
    return tuple(_asked_of(kept, key))


def _asked_of(kept: dict[str, AlertRule], key: str) -> Iterator[breaks.Rule]:
    for rule in breaks.RULES:
        change = kept.pop(rule.name, None)
        if change is None:
            yield rule
        elif _is_asked(change, key):
            more = {"condition": change.condition} if change.condition else {}
            yield rule.model_copy(update={**more, "lasting": change.lasting})
    for own in kept.values():
        if own.name not in breaks.SHIPPED and _is_asked(own, key):
            named = ("name", "reading", "condition", "window", "asked", "key", "since", "sure", "lasting")
            yield breaks.Rule.model_validate({name: getattr(own, name) for name in named})


def _is_asked(found: AlertRule, key: str) -> bool:
    return found.on and (not found.sites or key in found.sites)


def check(asked: wire.NewAlertRule) -> None:
    """Raise Nonsense unless a rule can be asked."""
    shipped = next((rule for rule in breaks.RULES if rule.name == asked.name), None)
    reading = shipped.reading if shipped else asked.reading
    spec = READINGS[reading] if reading in {spec.name for spec in READINGS} else None
    if spec is None:
        raise Nonsense(
            "no-such-reading",
            worded("There is no reading {name!r}.", name=reading),
            where="reading",
            remedy="list them with `noctilum --help`",
        )
    if asked.condition:
        parse(asked.condition, fields_of_columns(spec))
    if shipped is None:
        _check_columns(spec, [asked.key, asked.since])
        _check_question(spec, asked)
    over_time = shipped.window if shipped else asked.window
    if asked.lasting > 1 and not over_time:
        raise Nonsense(
            "rule-without-days",
            "What is asked of no window is so now, and cannot be told to last.",
            where="lasting",
            remedy="leave it out",
        )


def _check_columns(spec: ReadingSpec, names: Sequence[str]) -> None:
    known = [each.name for each in spec.columns()]
    for name in names:
        if name and name not in known:
            raise Nonsense(
                "no-such-column",
                worded("Reading {reading} has no column {name!r}.", reading=spec.name, name=name),
                remedy=worded("one of {known}", known=", ".join(known)),
            )


def _check_question(spec: ReadingSpec, asked: wire.NewAlertRule) -> None:
    question: dict[str, Any] = dict(asked.asked) | ({"window": asked.window} if asked.window else {})
    try:
        spec.question.model_validate(question)
    except ValidationError as why:
        first = why.errors()[0]
        field = ".".join(map(str, first["loc"]))
        raise Nonsense(
            "rule-unusable",
            worded(
                "Reading {reading} cannot be asked so: {field}: {why}", reading=spec.name, field=field, why=first["msg"]
            ),
            where="asked",
        ) from why


def _check_name(db: Session, name: str, number: int | None) -> None:
    other = db.scalar(select(AlertRule.id).where(AlertRule.name == name, AlertRule.id != (number or 0)))
    if other is not None:
        raise Clash(
            "rule-exists",
            worded("There is a rule {name!r} already.", name=name),
            where="name",
            remedy="change that one, or drop it first",
        )


def _values(db: Session, asked: wire.NewAlertRule) -> dict[str, Any]:
    sites = [find_site(db, key).key for key in dict.fromkeys(asked.sites)]
    return {name: getattr(asked, name) for name in FIELDS} | {"sites": sites, "asked": dict(asked.asked)}


def _found(db: Session, number: int) -> AlertRule:
    found = db.get(AlertRule, number) if number <= LARGEST_NUMBER else None
    if found is None:
        raise NotThere(
            "no-such-rule",
            worded("There is no rule {number}.", number=number),
            remedy="list them with `noctilum alert-rules`",
        )
    return found


def _out(found: AlertRule) -> wire.AlertRuleOut:
    named = ("id", *FIELDS, "sites", "asked")
    told = {name: getattr(found, name) for name in named}
    return wire.AlertRuleOut.model_validate(told | {"shipped": found.name in breaks.SHIPPED})


def handed(db: Session, site: Site) -> list[dict[str, Any]]:
    """Give the rules that are asked of this site by name; those of all sites are the agency's, and stay here."""
    mine = [each for each in db.scalars(select(AlertRule).order_by(AlertRule.id)) if site.key in each.sites]
    return [{name: getattr(each, name) for name in (*FIELDS, "asked")} for each in mine]


def bring(db: Session, site: Site, told: Sequence[HandedAlertRule], now: datetime) -> None:
    """Keep the rules that came with a hand-over, of the site alone; where one of its name is there, that one stays."""
    names = set(db.scalars(select(AlertRule.name)))
    for asked in told:
        if asked.name not in names:
            names.add(asked.name)
            check(asked)
            rule = asked.model_copy(update={"sites": [site.key]})
            db.add(AlertRule(**_values(db, rule), created_at=now))
            db.flush()
