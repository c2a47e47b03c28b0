"""Saved sets: keeping them, and finding those a site may name."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from contextlib import suppress
from datetime import datetime
from typing import Any

from sqlalchemy import ColumnElement, or_, select
from sqlalchemy.orm import Session

from noctilum.actions.find import find_client
from noctilum.actions.install import Install
from noctilum.core.errors import Clash, Nonsense, NotThere, worded
from noctilum.core.filters import FIELDS, Node, Test, divide, parse, tests_of, written
from noctilum.core.filters.rows import compared
from noctilum.readings.narrow import PLURAL, NamedSet, Words, check_nesting, set_names
from noctilum.records.models import LARGEST_NUMBER, Client, SavedSet, Site
from noctilum.wire import noted as wire
from noctilum.wire.handed import HandedSet
from noctilum.wire.resources import SetsQuery


def list_sets(install: Install, client: str | None = None) -> list[wire.SetOut]:
    """List sets by name; with a client, those its sites may name."""
    with install.records.read() as db:
        asked = select(SavedSet, Client.key).outerjoin(Client).order_by(SavedSet.name)
        if client is not None:
            asked = asked.where(_usable_by(find_client(db, client).id))
        return [_out(found, key) for found, key in db.execute(asked)]


def listed(install: Install, asked: SetsQuery) -> list[wire.SetOut]:
    """List sets as a question narrows them."""
    return list_sets(install, asked.client)


def one(install: Install, number: int) -> wire.SetOut:
    """Give a set; raises NotThere."""
    with install.records.read() as db:
        found = _found(db, number)
        return _out(found, _client_key(db, found))


def added(install: Install, asked: wire.NewSet, now: datetime) -> wire.SetOut:
    """Keep a set. Raises Nonsense for a rule that cannot be used, and Clash for a name that another one has."""
    rule = canonical_rule(asked.rule, asked.item) if asked.rule.strip() else ""
    with install.records.begin() as db:
        owner = find_client(db, asked.client) if asked.client else None
        number = owner.id if owner else None
        _refuse_taken(db, asked.name, number, None)
        found = SavedSet(name=asked.name, client_id=number, created_at=now, item=asked.item, rule=rule)
        found.members = _tidied(asked.members)
        db.add(found)
        db.flush()
        _check_nesting(db, found)
        return _out(found, owner.key if owner else None)


def changed(install: Install, number: int, asked: wire.NewSet, now: datetime) -> wire.SetOut:
    """Make a set what is asked, also under another name. Raises NotThere, and Clash for a name that another one has.

    A set that others name keeps its name, as they would find nothing under the old one.
    """
    rule = canonical_rule(asked.rule, asked.item) if asked.rule.strip() else ""
    with install.records.begin() as db:
        found = _found(db, number)
        owner = find_client(db, asked.client) if asked.client else None
        whose = owner.id if owner else None
        if (found.name, found.client_id) != (asked.name, whose):
            _check_not_named(db, found)
            _refuse_taken(db, asked.name, whose, number)
        found.name, found.client_id, found.item, found.rule = asked.name, whose, asked.item, rule
        found.members = _tidied(asked.members)
        db.flush()
        _check_nesting(db, found)
        return _out(found, owner.key if owner else None)


def dropped(install: Install, number: int) -> None:
    """Delete a set."""
    drop_set(install, number)


def _found(db: Session, number: int) -> SavedSet:
    found = db.get(SavedSet, number) if number <= LARGEST_NUMBER else None
    if found is None:
        raise NotThere(
            "no-such-set", worded("There is no set {number}.", number=number), remedy="list them with `noctilum sets`"
        )
    return found


def _client_key(db: Session, found: SavedSet) -> str | None:
    owner = db.get(Client, found.client_id) if found.client_id else None
    return owner.key if owner else None


def _check_not_named(db: Session, found: SavedSet) -> None:
    """Refuse while another set's rule names a set."""
    for other in db.scalars(select(SavedSet).where(SavedSet.id != found.id, SavedSet.rule != "")):
        if compared(found.name) in {compared(name) for name in set_names(parse(other.rule))}:
            raise Clash(
                "set-in-use", worded("The set {name!r} names it.", name=other.name), remedy="change that one first"
            )


def _refuse_taken(db: Session, name: str, client: int | None, number: int | None) -> None:
    same = select(SavedSet.id).where(SavedSet.client_id.is_(client), SavedSet.name == name)
    taken = db.scalar(same)
    if taken is not None and taken != number:
        raise Clash(
            "set-exists", worded("There is a set {name!r} already.", name=name), where="name", remedy="change that one"
        )


def _tidied(members: Sequence[str]) -> list[str]:
    return sorted({member.strip() for member in members if member.strip()})


def drop_set(install: Install, number: int) -> None:
    """Delete a set. Raises NotThere, and Clash while another set's rule names it."""
    with install.records.begin() as db:
        found = _found(db, number)
        _check_not_named(db, found)
        db.delete(found)


def canonical_rule(rule: str, item: str) -> str:
    """Check a set's rule and write it canonically: it may look at nothing but what the set names."""
    node = parse(rule)
    if divide(node).results is not None:
        raise Nonsense(
            "set-unusable",
            "A set is known without counting: its rule cannot ask of clicks or position.",
            where="rule",
            remedy="put that part in the filter of the reading",
        )
    for field in _fields(node):
        if FIELDS[field].dimension != item:
            raise Nonsense(
                "set-unusable",
                worded("A set of {plural} cannot look at {field}.", plural=PLURAL[item], field=field),
                where="rule",
            )
    return written(node)


def _fields(node: Node) -> set[str]:
    return {test.field for test in tests_of(node) if isinstance(test, Test)}


def _check_nesting(db: Session, new: SavedSet) -> None:
    """Refuse a set that leads back to itself or makes any nest too deep, for every client whose sites may name it."""
    clients = [new.client_id] if new.client_id else list(db.scalars(select(Client.id)))
    mine = NamedSet(new.name, new.item, new.rule, frozenset(new.members))
    for number in clients or [0]:
        words = Words(sets=usable_sets(db, number) | {compared(new.name): mine})
        rules = {name: parse(each.rule) for name, each in words.sets.items() if each.rule}
        for name in _leading_to(compared(new.name), rules):
            with suppress(NotThere):
                check_nesting(rules[name], words, words.sets[name].name)


def check_sets(db: Session, client: int) -> None:
    """Refuse sets that name each other in a circle or too deep, among all that a client's sites may name."""
    words = Words(sets=usable_sets(db, client))
    for each in words.sets.values():
        if each.rule:
            with suppress(NotThere):
                check_nesting(parse(each.rule), words, each.name)


def _leading_to(name: str, rules: Mapping[str, Node]) -> list[str]:
    """Name the sets whose rules name a set, themselves or through others, and that set."""
    named = {each: {compared(inner) for inner in set_names(rule)} for each, rule in rules.items()}
    found, newest = set[str](), {name}
    while newest:
        found |= newest
        newest = {each for each, inner in named.items() if inner & newest} - found
    return sorted(found & set(rules))


def usable_sets(db: Session, client_id: int) -> dict[str, NamedSet]:
    """Find the sets that a client's sites may name, by comparable name; a client's own hides the agency's."""
    rows: Sequence[SavedSet] = db.scalars(select(SavedSet).where(_usable_by(client_id))).all()
    ordered = sorted(rows, key=lambda found: found.client_id is not None)
    return {compared(f.name): NamedSet(f.name, f.item, f.rule, frozenset(f.members)) for f in ordered}


def _usable_by(client_id: int) -> ColumnElement[bool]:
    return or_(SavedSet.client_id.is_(None), SavedSet.client_id == client_id)


def _out(found: SavedSet, client: str | None) -> wire.SetOut:
    return wire.SetOut.model_validate(
        {
            "id": found.id,
            "name": found.name,
            "item": found.item,
            "client": client,
            "rule": found.rule,
            "members": list(found.members),
        }
    )


_HANDED = ("name", "item", "rule", "members")


def handed(db: Session, site: Site) -> list[dict[str, Any]]:
    """Give the sets that the site's readings may name: its client's, and the agency's under other names."""
    mine = {found.name: found for found in db.scalars(select(SavedSet).where(SavedSet.client_id.is_(None)))}
    mine |= {found.name: found for found in db.scalars(select(SavedSet).where(SavedSet.client_id == site.client_id))}
    return [{name: getattr(found, name) for name in _HANDED} for found in mine.values()]


def bring(db: Session, site: Site, told: Sequence[HandedSet], now: datetime) -> None:
    """Add the sets of a hand-over that the client cannot name yet."""
    names = {compared(name) for name in db.scalars(select(SavedSet.name).where(_usable_by(site.client_id)))}
    for found in told:
        if compared(found.name) not in names:
            names.add(compared(found.name))
            rule = canonical_rule(found.rule, found.item) if found.rule.strip() else ""
            given = {"name": found.name, "item": found.item, "rule": rule, "members": list(found.members)}
            db.add(SavedSet(client_id=site.client_id, created_at=now, **given))
    db.flush()
    check_sets(db, site.client_id)
