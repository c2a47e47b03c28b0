"""The monthly check: which steps of a client's month were gone through, and which are left."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta

from sqlalchemy import delete, select
from sqlalchemy.orm import Session, selectinload

from noctilum.actions.find import find_client
from noctilum.actions.install import Install
from noctilum.core.errors import Nonsense, NotThere, worded
from noctilum.core.windows import month_end
from noctilum.records.models import Client, Edition, Keyword, MonthlyDone, Report, Site, Source
from noctilum.wire import monthly as wire

WITHOUT = {
    "keywords": "No keyword is tracked.",
    "outcomes": "No visits are connected.",
}
"""Why a step does not apply where the client has nothing of its kind."""


@dataclass(frozen=True)
class _Held:
    """What the steps of some clients rest on, by client: steps that do not apply, what was done, editions."""

    without: Mapping[int, frozenset[str]]
    done: Mapping[int, Mapping[str, MonthlyDone]]
    editions: Mapping[int, Sequence[wire.MonthlyEdition]]


def month_of(asked: str | None, today: date) -> date:
    """Give the first day of a month, of the last whole one where none is asked for; raises Nonsense for one to come."""
    last = (today.replace(day=1) - timedelta(1)).replace(day=1)
    if asked is None:
        return last
    first = date.fromisoformat(f"{asked}-01")
    if first > today:
        raise Nonsense("month-to-come", worded("{month} is still to come.", month=asked), where="month")
    return first


def of_client(install: Install, key: str, asked: str | None, today: date) -> wire.Monthly:
    """Say how far a client's month has been gone through. Raises NotThere, Nonsense."""
    month = month_of(asked, today)
    with install.records.read() as db:
        client = _with_sites(db, key)
        return _told(client, month, _held(db, [client], month))


def _with_sites(db: Session, key: str) -> Client:
    client = find_client(db, key)
    if not client.sites:
        raise NotThere("no-sites", worded("{client} has no site.", client=client.name), remedy="add one")
    return client


def changed(
    install: Install, key: str, asked: str | None, change: wire.MonthlyChange, by: str, now: datetime, today: date
) -> wire.Monthly:
    """Note that a step was gone through, or was not after all; doing so twice changes nothing. Raises NotThere."""
    month = month_of(asked, today)
    with install.records.begin() as db:
        client = _with_sites(db, key)
        mine = (MonthlyDone.client_id == client.id, MonthlyDone.month == month, MonthlyDone.step == change.step)
        known = db.scalar(select(MonthlyDone).where(*mine))
        if change.done and known is None:
            db.add(MonthlyDone(client_id=client.id, month=month, step=change.step, by=by, at=now))
        if not change.done:
            db.execute(delete(MonthlyDone).where(*mine))
        db.flush()
        return _told(client, month, _held(db, [client], month))


def of_all(install: Install, asked: str | None, today: date) -> list[wire.MonthlyAtAGlance]:
    """Say of every client that has a site how far its month has been gone through, by name."""
    month = month_of(asked, today)
    with install.records.read() as db:
        question = select(Client).options(selectinload(Client.sites)).order_by(Client.name, Client.id)
        clients = [client for client in db.scalars(question) if client.sites]
        held = _held(db, clients, month)
        return [_glance(_told(client, month, held)) for client in clients]


def _glance(found: wire.Monthly) -> wire.MonthlyAtAGlance:
    by = sorted({step.by for step in found.steps if step.by})
    named = ("client", "client_name", "month", "done", "of", "next", "through_at")
    return wire.MonthlyAtAGlance(site=found.sites[0], by=by, **{name: getattr(found, name) for name in named})


def _held(db: Session, clients: Sequence[Client], month: date) -> _Held:
    numbers = [client.id for client in clients]
    of_site = {site.id: client.id for client in clients for site in client.sites}
    tracked = {of_site[n] for n in db.scalars(select(Keyword.site_id).where(Keyword.site_id.in_(of_site)).distinct())}
    visits = select(Source.site_id).where(Source.site_id.in_(of_site), Source.kind == "visits").distinct()
    visited = {of_site[n] for n in db.scalars(visits)}
    done: dict[int, dict[str, MonthlyDone]] = {}
    asked = select(MonthlyDone).where(MonthlyDone.client_id.in_(numbers), MonthlyDone.month == month)
    for each in db.scalars(asked):
        done.setdefault(each.client_id, {})[each.step] = each
    without = {
        number: frozenset(
            step for step, having in (("keywords", tracked), ("outcomes", visited)) if number not in having
        )
        for number in numbers
    }
    return _Held(without, done, _editions(db, of_site, month))


def _editions(db: Session, of_site: Mapping[int, int], month: date) -> dict[int, list[wire.MonthlyEdition]]:
    """Give the newest edition of each report that is of the month, by client."""
    named = (Edition.id, Edition.state, Report.id, Report.name, Site.key, Site.id)
    asked = (
        select(*named)
        .join(Report, Edition.report_id == Report.id)
        .join(Site, Report.site_id == Site.id)
        .where(Edition.first == month, Edition.last == month_end(month), Site.id.in_(of_site))
        .order_by(Edition.id)
    )
    newest = {row[2]: row for row in db.execute(asked)}
    found: dict[int, list[wire.MonthlyEdition]] = {}
    for number, state, report, name, key, site in newest.values():
        told = wire.MonthlyEdition(id=number, report=report, site=key, name=name, state=state)
        found.setdefault(of_site[site], []).append(told)
    return found


def _told(client: Client, month: date, held: _Held) -> wire.Monthly:
    without, done = held.without[client.id], held.done.get(client.id, {})
    steps = [_step(name, name in without, done.get(name)) for name in wire.STEPS]
    wanted = [step for step in steps if step.applies]
    left = [step.step for step in wanted if not step.done]
    last = max((step.at for step in wanted if step.at), default=None)
    return wire.Monthly(
        client=client.key,
        client_name=client.name,
        month=f"{month:%Y-%m}",
        first=month,
        last=month_end(month),
        sites=[site.key for site in client.sites],
        steps=steps,
        editions=list(held.editions.get(client.id, ())),
        next=left[0] if left else None,
        done=len(wanted) - len(left),
        of=len(wanted),
        through_at=None if left else last,
    )


def _step(name: wire.StepName, without: bool, done: MonthlyDone | None) -> wire.MonthlyStep:
    return wire.MonthlyStep(
        step=name,
        done=done is not None,
        applies=not without,
        why=WITHOUT[name] if without else "",
        by=done.by if done else None,
        at=done.at if done else None,
    )
