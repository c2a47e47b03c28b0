"""Digests: what called out and what is over since the last one, and what came of work, by mail to each person.

A digest is written down with everything that it tells, and that it was told, in one transaction: stopped before it,
the next run writes it; stopped after it, it is on its way, handed over as every mail is.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import UTC, datetime, time, timedelta
from typing import Any, get_args
from zoneinfo import ZoneInfo

from sqlalchemy import Select, func, select
from sqlalchemy.orm import Session

from noctilum.actions import alerts, queue, sending
from noctilum.actions.install import Install
from noctilum.actions.people import scope_of
from noctilum.actions.progress import Progress
from noctilum.actions.read import open_for, read
from noctilum.actions.setup import check_zone
from noctilum.core.calling import due_after, is_quiet
from noctilum.core.errors import Fault, Stopped
from noctilum.records.models import Alert, Digest, DigestMail, Site, User, Work
from noctilum.records.scope import within
from noctilum.reports.digest_mail import Item
from noctilum.reports.frozen import digest_of
from noctilum.wire import digests as wire
from noctilum.wire.alerts import AlertOut, AlertsQuery
from noctilum.wire.work import WorkedQuery

JOB = "digests"
WORK_BACK = timedelta(days=130)
"""Items done so long ago have been read twice."""
OVER_BACK, MOST_TOLD = timedelta(days=40), 5000
"""How long what is over may wait to be told, and how many names of what was told are remembered."""
NEWLY = 14
"""Whoever begins to be told is told what came of work in so many days before."""
WEEKDAYS = get_args(wire.Weekday)


def of_user(install: Install, user: int) -> wire.DigestOut:
    """Say how somebody is told, and when next."""
    with install.records.read() as db:
        return _out(install, db.get(Digest, user))


def changed(install: Install, user: int, asked: wire.DigestChange, now: datetime) -> wire.DigestOut:
    """Change how somebody is told; whoever begins is told of what happens from then on. Raises Nonsense."""
    check_zone(asked.time_zone)
    with install.records.begin() as db:
        found = db.get(Digest, user)
        if asked.every == "off":
            if found is not None:
                db.delete(found)
            return _out(install, None)
        if found is None:
            over = [_over(number) for number in db.scalars(_closed_since(now))]
            found = Digest(user_id=user, told_until=now, told_alert=_newest(db), told=over)
            db.add(found)
        found.every, found.weekday, found.at = asked.every, WEEKDAYS.index(asked.weekday), asked.at
        found.time_zone, found.quiet_from, found.quiet_to = (
            asked.time_zone,
            asked.quiet_from or "",
            asked.quiet_to or "",
        )
        db.flush()
        return _out(install, found)


def _out(install: Install, found: Digest | None) -> wire.DigestOut:
    usual = wire.DigestChange(every="off")
    if found is None:
        return wire.DigestOut(**usual.model_dump(), next_at=None, mail=sending.is_set_up(install))
    return wire.DigestOut(
        every=found.every,
        weekday=WEEKDAYS[found.weekday],
        at=found.at,
        time_zone=found.time_zone,
        quiet_from=found.quiet_from or None,
        quiet_to=found.quiet_to or None,
        next_at=_due(found).astimezone(UTC),
        mail=sending.is_set_up(install),
    )


def _due(found: Digest) -> datetime:
    zone = ZoneInfo(found.time_zone)
    return due_after(found.told_until, found.every, found.weekday, time.fromisoformat(found.at), zone)  # type: ignore[arg-type]


def _is_due(found: Digest, now: datetime) -> bool:
    """Say whether somebody is to be told now: the hour has come, and it is none of the quiet ones."""
    first, last = (time.fromisoformat(text) if text else None for text in (found.quiet_from, found.quiet_to))
    return _due(found) <= now and not is_quiet(now, first, last, ZoneInfo(found.time_zone))


def tick(install: Install, now: datetime) -> None:
    """Queue a run where a digest is due."""
    if not sending.is_set_up(install):
        return
    with install.records.read() as db:
        due = any(_is_due(each, now) for each in db.scalars(select(Digest)))
    if due:
        queue.put(install, JOB, {}, now)


def run(install: Install, clock: Callable[[], datetime], report: Callable[[Any], bool]) -> wire.DigestsMade:
    """Write every digest that is due; raises Stopped between two when told to."""
    with install.records.read() as db:
        due = [each.user_id for each in db.scalars(select(Digest)) if _is_due(each, clock())]
    mails = quiet = 0
    for at, user in enumerate(due, 1):
        told = _written(install, user, clock())
        mails, quiet = mails + told, quiet + (not told)
        if not report(Progress("writing", at, len(due))):
            raise Stopped
    return wire.DigestsMade(mails=mails, quiet=quiet)


@dataclass(frozen=True)
class _Found:
    """What there is to tell somebody."""

    opened: list[AlertOut]
    closed: list[AlertOut]
    told: list[str]
    """Names of what is told or passed over, besides work."""
    worked: list[tuple[str, Item]]
    """With what tells that it was told."""


def _written(install: Install, number: int, now: datetime) -> bool:
    """Write somebody's digest, and that it was told; says whether there was anything to tell."""
    with install.records.read() as db:
        user, digest = db.get_one(User, number), db.get_one(Digest, number)
        newest = _newest(db)
    with within(scope_of(install, user)):
        found = _found(install, digest, newest, user.language or "en", now)
    content = _content(found, user.language or "en")
    with install.records.begin() as db:
        again = db.get(Digest, number)
        if again is None or again.told_until != digest.told_until:
            return False
        again.told_until, again.told_alert = now, newest
        again.told = [*again.told, *found.told, *(name for name, _ in found.worked)][-MOST_TOLD:]
        if content["items"]:
            db.add(_mail(install, user, content, now))
    return bool(content["items"])


def _found(install: Install, digest: Digest, newest: int, language: str, now: datetime) -> _Found:
    """Find what is new by number, not by time: one that is written down late is told with the next digest."""
    every = alerts.listed(install, AlertsQuery.model_validate({"state": "all", "language": language}))
    fresh = [each for each in every if digest.told_alert < each.id <= newest]
    opened = [each for each in fresh if each.state in alerts.CALLING]
    told = set(digest.told)
    over = [each for each in every if each.closed_at and each.id <= newest and now - each.closed_at < OVER_BACK]
    over = [each for each in over if _over(each.id) not in told]
    closed = [each for each in over if each.id <= digest.told_alert]
    return _Found(opened, closed, [_over(each.id) for each in over], list(_worked(install, digest, language, now)))


def _newest(db: Session) -> int:
    """Give the number of the newest alert of all: numbers are given in the order in which alerts are written down."""
    with within(None):
        return db.scalar(select(func.max(Alert.id))) or 0


def _closed_since(now: datetime) -> Select[int]:
    return select(Alert.id).where(Alert.closed_at > now - OVER_BACK)


def _over(number: int) -> str:
    return f"over {number}"


def _worked(install: Install, digest: Digest, language: str, now: datetime) -> Iterator[tuple[str, Item]]:
    """Give what came of work that can be read since the last digest."""
    today, told = now.date(), set(digest.told)
    with install.records.read() as db:
        asked = select(Site.key).join(Work, Work.site_id == Site.id)
        done = asked.where(Work.state == "done", Work.done_on >= today - WORK_BACK).distinct().order_by(Site.key)
        keys = list(db.scalars(done))
    for key in keys:
        question = WorkedQuery.model_validate({"limit": 500, "language": language})
        try:
            answer: Any = read(open_for(install, key, question, today), "worked", question)
        except Fault:
            continue
        for row in answer.rows:
            name = f"{key} {row.of} {row.key} {row.done_on} {row.days}"
            newly = row.done_on + timedelta(row.days + NEWLY) >= today
            if row.verdict != "waits" and newly and name not in told:
                yield name, Item("worked", key, row.todo, "worked", row.key, row.verdict)


def _content(found: _Found, language: str) -> dict[str, Any]:
    items = [Item("opened", each.site, each.text, each.look, each.key) for each in found.opened]
    items += [Item("closed", each.site, each.text, each.look, each.key) for each in found.closed]
    items += [item for _, item in found.worked]
    return {"language": language, "items": [item.kept() for item in items]}


def _mail(install: Install, user: User, content: dict[str, Any], now: datetime) -> DigestMail:
    host = (install.settings.mail_from.rpartition("@")[2] or "noctilum.invalid").lower()
    named = digest_of(f"digest {user.id} {now.isoformat()}".encode())
    return DigestMail(
        user_id=user.id,
        content=content,
        email=user.email,
        name=user.name,
        message=f"<{named}@{host}>",
        next_try_at=now,
        queued_at=now,
        queued_by="the digest",
    )
