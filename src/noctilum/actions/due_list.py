"""All reports at the place where they stand: due, waiting for days, to be signed off, on their way, sent."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import datetime, timedelta
from typing import TypeVarTuple

from sqlalchemy import Select, select
from sqlalchemy.orm import Session

from noctilum.actions import editions, reports
from noctilum.actions.find import find_site
from noctilum.actions.install import Install
from noctilum.actions.slots import OPEN
from noctilum.records.models import Client, Report, Site, Slot
from noctilum.wire.reports import DueLine, DueQuery, DueState, EditionOut, EditionsQuery

ORDER: tuple[DueState, ...] = (
    *("failed", "trouble", "to approve", "to send", "due", "waiting", "sending", "sent", "coming"),
)
"""What wants somebody first stands first."""
SENT_FOR = timedelta(days=35)
MOST_EDITIONS = 1000
Ts = TypeVarTuple("Ts")


def due_list(install: Install, asked: DueQuery, now: datetime) -> list[DueLine]:
    """List every open slot, every edition that is not settled or was sent of late, and what comes next."""
    with install.records.read() as db:
        site = find_site(db, asked.site).id if asked.site is not None else None
        question = _narrowed(select(Slot, Report, Site.key, Client.key), asked.client, site).where(Slot.state.in_(OPEN))
        lines = [_of_slot(*row) for row in db.execute(question).all()]
        lines += _coming(db, asked.client, site)
        due_at = {number: at for number, at in db.execute(select(Slot.edition_id, Slot.due_at)) if number is not None}
        goes_to = {found.id: len(reports.plan_of(found).recipients) for found in db.scalars(select(Report))}
    wanted = EditionsQuery(site=asked.site, client=asked.client, limit=MOST_EDITIONS)
    for each in editions.listed(install, wanted):
        lines += _of_edition(each, due_at.get(each.id), goes_to.get(each.report, 0), now)
    far = datetime.max.replace(tzinfo=now.tzinfo)
    return sorted(lines, key=lambda line: (ORDER.index(line.state), line.due_at or far, line.client, line.name))


def _narrowed(question: Select[*Ts], client: str | None, site: int | None) -> Select[*Ts]:
    question = question.join(Report, Slot.report_id == Report.id).join(Site, Report.site_id == Site.id)
    question = question.join(Client, Site.client_id == Client.id)
    if client is not None:
        question = question.where(Client.key == client)
    return question.where(Report.site_id == site) if site is not None else question


def _of_slot(slot: Slot, report: Report, site: str, client: str) -> DueLine:
    return DueLine(
        state=slot.state,
        report=report.id,
        name=report.name,
        site=site,
        client=client,
        due_at=slot.due_at,
        slot=slot.id,
        edition=None,
        title="",
        first=None,
        last=None,
        why=slot.why,
        to=len(reports.plan_of(report).recipients),
        reached=0,
        looked_by="",
        complete=True,
    )


def _coming(db: Session, client: str | None, site: int | None) -> Iterator[DueLine]:
    question = select(Report, Site.key, Client.key).join(Site, Report.site_id == Site.id)
    question = question.join(Client, Site.client_id == Client.id).where(Report.next_run_at.is_not(None))
    if client is not None:
        question = question.where(Client.key == client)
    if site is not None:
        question = question.where(Report.site_id == site)
    for found, site_key, client_key in db.execute(question).all():
        line = _of_slot(Slot(state="coming", due_at=found.next_run_at, why=""), found, site_key, client_key)
        yield line.model_copy(update={"why": "Paused." if found.paused else "", "slot": None})


def _of_edition(found: EditionOut, due_at: datetime | None, people: int, now: datetime) -> Iterator[DueLine]:
    state: DueState
    if found.state == "draft":
        state = "to approve"
    elif found.state == "approved":
        if not people:
            return
        state = "to send"
    elif found.troubles:
        state = "trouble"
    elif found.reached < found.to:
        state = "sending"
    elif found.sent_at is not None and now - found.sent_at > SENT_FOR:
        return
    else:
        state = "sent"
    why = f"{found.troubles} of {found.to} recipients were not reached." if found.troubles else ""
    if not found.complete:
        why = f"{why} Days of its window were missing.".strip()
    yield DueLine(
        state=state,
        report=found.report,
        name=found.name,
        site=found.site,
        client=found.client,
        due_at=due_at or found.made_at,
        slot=None,
        edition=found.id,
        title=found.title,
        first=found.first,
        last=found.last,
        why=why,
        to=found.to or people,
        reached=found.reached,
        looked_by=found.looked_by,
        complete=found.complete,
    )
