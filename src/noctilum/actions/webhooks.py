"""Webhooks: what happened is written down with it, once for each address, and posted until it is taken.

A post may come twice where the service stops between its being taken and that being written down: its event number is
the same, so that who takes it can tell.
"""

from __future__ import annotations

import random
import secrets
from base64 import b64encode
from collections.abc import Callable
from datetime import datetime, time
from typing import Any
from zoneinfo import ZoneInfo

import orjson
from sqlalchemy import func, or_, select
from sqlalchemy.orm import Session

from noctilum.actions import queue
from noctilum.actions.install import Install
from noctilum.actions.notices import note
from noctilum.actions.progress import Progress
from noctilum.actions.schedule import back_off
from noctilum.actions.setup import check_zone
from noctilum.core.calling import is_quiet
from noctilum.core.errors import FeedFault, NotThere, Stopped, worded
from noctilum.records.models import LARGEST_NUMBER, Webhook, WebhookPost
from noctilum.sources.outgoing import Guard
from noctilum.sources.signed_posts import post, signed
from noctilum.wire import webhooks as wire

JOB = "webhooks"
MOST_TRIES = 10
TRY = "webhook.tried "
"""The keys of what tries an address begin so."""
_CHANCE = random.Random()


def added(install: Install, asked: wire.NewWebhook, now: datetime) -> wire.WebhookMade:
    """Keep an address; its secret is shown this once. Raises Nonsense for a time zone that there is none of."""
    check_zone(asked.time_zone)
    secret = b64encode(secrets.token_bytes(32)).decode()
    with install.records.begin() as db:
        found = Webhook(
            url=asked.url,
            label=asked.label,
            events=list(asked.events),
            sealed=install.seal(secret),
            created_at=now,
            time_zone=asked.time_zone,
            quiet_from=asked.quiet_from or "",
            quiet_to=asked.quiet_to or "",
        )
        db.add(found)
        db.flush()
        return wire.WebhookMade(**_out(db, found).model_dump(), secret=secret)


def listed(install: Install) -> list[wire.WebhookOut]:
    """List them by address."""
    with install.records.read() as db:
        return [_out(db, found) for found in db.scalars(select(Webhook).order_by(Webhook.url, Webhook.id))]


def dropped(install: Install, number: int) -> None:
    """Tell an address nothing more; raises NotThere."""
    with install.records.begin() as db:
        db.delete(_found(db, number))


def tried(install: Install, number: int, now: datetime) -> None:
    """Post something to an address to see whether it takes it: once, also in its quiet hours; raises NotThere."""
    with install.records.begin() as db:
        _wait(db, _found(db, number), "webhook.tried", f"{TRY}{secrets.token_hex(6)}", {}, now)


def _found(db: Session, number: int) -> Webhook:
    found = db.get(Webhook, number) if number <= LARGEST_NUMBER else None
    if found is None:
        raise NotThere("no-such-webhook", worded("There is no webhook {number}.", number=number), remedy="list them")
    return found


def _out(db: Session, found: Webhook) -> wire.WebhookOut:
    posts = select(WebhookPost.state, func.count()).where(WebhookPost.webhook_id == found.id)
    counts: dict[str, int] = {row[0]: int(row[1]) for row in db.execute(posts.group_by(WebhookPost.state))}
    last = select(WebhookPost).where(WebhookPost.webhook_id == found.id).order_by(WebhookPost.id.desc())
    newest = db.scalars(last.limit(1)).first()
    told = db.scalar(select(func.max(WebhookPost.told_at)).where(WebhookPost.webhook_id == found.id))
    return wire.WebhookOut(
        id=found.id,
        url=found.url,
        label=found.label,
        events=found.events,
        waiting=counts.get("waiting", 0),
        failed=counts.get("failed", 0),
        why=newest.why if newest is not None else "",
        told_at=told,
        time_zone=found.time_zone,
        quiet_from=found.quiet_from or None,
        quiet_to=found.quiet_to or None,
    )


def happened(db: Session, event: wire.Event, key: str, about: dict[str, Any], now: datetime) -> None:
    """Write down, in the caller's transaction, that something happened, for each address that is told of it."""
    for found in db.scalars(select(Webhook)):
        known = select(WebhookPost.id).where(WebhookPost.webhook_id == found.id, WebhookPost.key == key)
        if event in found.events and db.scalar(known) is None:
            _wait(db, found, event, key, about, now)


def _wait(db: Session, found: Webhook, event: wire.Posted, key: str, about: dict[str, Any], now: datetime) -> None:
    told = {"event": event, "id": key, "at": now.isoformat(timespec="seconds"), **about}
    db.add(WebhookPost(webhook_id=found.id, key=key, body=told, next_try_at=now))


def tick(install: Install, now: datetime) -> None:
    """Queue a run where something waits to be posted."""
    with install.records.read() as db:
        waiting = bool(_due(db, now, most=1))
    if waiting:
        queue.put(install, JOB, {}, now)


def _due(db: Session, now: datetime, most: int | None = None) -> list[int]:
    """Number what is to be posted: all that waits, of addresses in their quiet hours only what tries them."""
    resting = [each.id for each in db.scalars(select(Webhook)) if _rests(each, now)]
    trying = WebhookPost.key.startswith(TRY)
    due = select(WebhookPost.id).where(WebhookPost.state == "waiting", WebhookPost.next_try_at <= now)
    due = due.where(or_(WebhookPost.webhook_id.not_in(resting), trying)).order_by(WebhookPost.id)
    return list(db.scalars(due if most is None else due.limit(most)))


def _rests(found: Webhook, now: datetime) -> bool:
    first, last = (time.fromisoformat(text) if text else None for text in (found.quiet_from, found.quiet_to))
    return is_quiet(now, first, last, ZoneInfo(found.time_zone))


def run(install: Install, clock: Callable[[], datetime], report: Callable[[Progress], bool]) -> dict[str, int]:
    """Post everything that waits; what is not taken is tried again, ever more seldom. Raises Stopped when told to."""
    with install.records.read() as db:
        numbers = _due(db, clock())
    counts = {"told": 0, "later": 0}
    guard = Guard(install.settings.inside)
    for at, number in enumerate(numbers, 1):
        counts["told" if _posted(install, number, guard, clock()) else "later"] += 1
        if not report(Progress("telling", at, len(numbers))):
            raise Stopped
    return counts


def _posted(install: Install, number: int, guard: Guard, now: datetime) -> bool:
    with install.records.read() as db:
        found = db.get(WebhookPost, number)
        hook = db.get(Webhook, found.webhook_id) if found is not None else None
        if found is None or hook is None or found.state != "waiting":
            return True
        url, body, key, secret = hook.url, orjson.dumps(found.body), found.key, install.unseal(hook.sealed)
    try:
        headers = signed(url, body, key, f"webhook-{hook.id}", secret.encode(), now)
        status = post(url, body, headers, guard)
        why = "" if 200 <= status < 300 else f"It answers {status}."
    except FeedFault as fault:
        why = fault.what
    with install.records.begin() as db:
        again = db.get(WebhookPost, number)
        if again is None:
            return True
        again.tries, again.why = again.tries + 1, why[:300]
        if not why:
            again.state, again.told_at = "told", now
        elif key.startswith(TRY):
            again.state = "failed"
        elif again.tries >= MOST_TRIES:
            again.state = "failed"
            note(db, f"webhook-failed {again.webhook_id}", f"{url} was told nothing: {why} It is given up.", now)
        else:
            again.next_try_at = now + back_off(again.tries, _CHANCE)
    return not why
