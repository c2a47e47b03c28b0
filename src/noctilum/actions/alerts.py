"""Alerts: what rules find is written down once, told once, and closed by itself when it is over.

An alert and the posts that tell of it are written in one transaction: where the service stops before it, the next look
finds the same again; where it stops after it, what was written is not written again.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from datetime import date, datetime, timedelta
from itertools import repeat
from typing import Any

from sqlalchemy import Select, select
from sqlalchemy.orm import Session

from noctilum.actions import webhooks
from noctilum.actions.find import find_client, find_site
from noctilum.actions.hands import hands, here
from noctilum.actions.install import Install
from noctilum.actions.progress import Progress
from noctilum.actions.read import open_for, read
from noctilum.core.errors import Fault, NotThere, Stopped, worded
from noctilum.records.models import LARGEST_NUMBER, Alert, Client, Site
from noctilum.wire import alerts as wire
from noctilum.wire.breaks import AlarmRow, Alarms, AlarmsQuery
from noctilum.words.tell_breaks import of_one

JOB = "alerts"
FEW, CHUNK = 24, 4
"""So many sites are looked through in this process; more in processes of their own, so many at once to each."""
NICENESS = 1
CALLING = ("open", "acknowledged")
SAME_WITHIN = timedelta(days=7)
"""What is over and so again within a week since the same day is the same alert."""
TOGETHER_WITHIN = 3
"""Alerts of one rule that began so many days apart at most are told as one cause (ours)."""


def look(
    install: Install,
    now: datetime,
    report: Callable[[Any], bool] = lambda _: True,
    site: str | None = None,
) -> wire.LookedAt:
    """Ask every rule of every site, or of one; a site that cannot be read is passed over. Raises Stopped."""
    with install.records.read() as db:
        keys = [site] if site is not None else list(db.scalars(select(Site.key).order_by(Site.key)))
    came: Counter[str] = Counter(sites=0, opened=0, closed=0, failed=0)
    with _looking(install, len(keys)) as looked:
        for at, found in enumerate(looked(keys, now), 1):
            came.update(found)
            if not report(Progress("looking", at, len(keys))):
                raise Stopped
    return wire.LookedAt(**came)


Came = dict[str, int]


@contextmanager
def _looking(install: Install, many: int) -> Iterator[Callable[[Sequence[str], datetime], Iterable[Came]]]:
    """Give what looks sites through: this process for few, processes of their own for many."""
    if many <= FEW:
        yield lambda keys, now: (_looked(install, key, now) for key in keys)
        return
    with hands(install, NICENESS) as pool:
        yield lambda keys, now: pool.map(_looked_there, keys, repeat(now), chunksize=CHUNK)


def _looked_there(key: str, now: datetime) -> Came:
    return _looked(here(), key, now)


def _looked(install: Install, key: str, now: datetime) -> Came:
    """Look one site through and write down what is new and what is over."""
    try:
        found = _alarms(install, key, now.date())
    except NotThere:
        return {}
    except Fault:
        return {"failed": 1}
    opened, closed = _settle(install, key, found, now)
    return {"sites": 1, "opened": opened, "closed": closed}


def _alarms(install: Install, key: str, today: date) -> Alarms:
    asked = AlarmsQuery(limit=500)
    access = open_for(install, key, asked, today)
    with access.history.still():
        found: Alarms = read(access, "alarms", asked)
    return found


def _settle(install: Install, key: str, found: Alarms, now: datetime) -> tuple[int, int]:
    """Write down what is new and what is over, in one transaction with what tells of it; gives how many."""
    left_out = {each.rule for each in found.left_out}
    opened = closed = 0
    with install.records.begin() as db:
        site = find_site(db, key)
        known = list(db.scalars(select(Alert).where(Alert.site_id == site.id).order_by(Alert.id)))
        seen: set[int] = set()
        for row in found.rows:
            alert = _known(known, row, now)
            if alert is None:
                alert = _opened(db, site, row, now)
                known.append(alert)
                _tell(db, "alert.opened", alert, key, now)
                opened += 1
            else:
                _found_again(alert, row, now)
            seen.add(alert.id)
        for alert in known:
            over = alert.closed_at is None and alert.id not in seen and alert.rule not in left_out
            if over and alert.state != "muted":
                alert.state, alert.until, alert.closed_at = "closed", None, now
                _tell(db, "alert.closed", alert, key, now)
                closed += 1
    return opened, closed


def _known(known: Sequence[Alert], row: AlarmRow, now: datetime) -> Alert | None:
    """Find the alert that a row is: one that is not over, is muted, or was over a moment only."""
    for alert in reversed(known):
        if (alert.rule, alert.key) != (row.rule, row.key):
            continue
        if alert.closed_at is None:
            return alert
        if now - alert.closed_at <= SAME_WITHIN and alert.since == row.since and row.since is not None:
            return alert
    return None


def _opened(db: Session, site: Site, row: AlarmRow, now: datetime) -> Alert:
    found = Alert(site_id=site.id, rule=row.rule, key=row.key, state="open", reason="", opened_at=now)
    found.since, found.sure, found.look, found.facts = row.since, row.sure, row.look, dict(row.facts)
    db.add(found)
    db.flush()
    return found


def _found_again(alert: Alert, row: AlarmRow, now: datetime) -> None:
    """Bring an alert up to date; a snoozed one whose day has come calls again."""
    alert.facts, alert.sure, alert.closed_at = dict(row.facts), row.sure, None
    snoozed_out = alert.state == "snoozed" and alert.until is not None and alert.until <= now.date()
    if alert.state == "closed" or snoozed_out:
        alert.state, alert.until = "open", None


def _tell(db: Session, event: str, alert: Alert, site: str, now: datetime) -> None:
    about = {
        "site": site,
        "rule": alert.rule,
        "about": alert.key,
        "since": None if alert.since is None else alert.since.isoformat(),
        "sure": alert.sure,
        "look": alert.look,
        "text": _text(alert, "en"),
    }
    webhooks.happened(db, event, f"{event} {alert.id}", about, now)  # type: ignore[arg-type]


def listed(install: Install, asked: wire.AlertsQuery) -> list[wire.AlertOut]:
    """List alerts, the newest first. Raises NotThere for a site or client that there is not."""
    question = _all()
    with install.records.read() as db:
        if asked.site is not None:
            question = question.where(Alert.site_id == find_site(db, asked.site).id)
        if asked.client is not None:
            question = question.where(Site.client_id == find_client(db, asked.client).id)
        if asked.state != "all":
            states = CALLING if asked.state == "calling" else (asked.state,)
            question = question.where(Alert.state.in_(states))
        rows = db.execute(question.order_by(Alert.opened_at.desc(), Alert.id.desc())).all()
        together = _together(db)
        return [_out(alert, site, client, asked.language, together) for alert, site, client in rows]


def one(install: Install, number: int, language: str = "en") -> wire.AlertOut:
    """Give an alert; raises NotThere."""
    with install.records.read() as db:
        alert, site, client = _row(db, number)
        return _out(alert, site, client, language, _together(db))


def changed(install: Install, number: int, asked: wire.AlertChange, by: str) -> wire.AlertOut:
    """See to an alert: acknowledge, snooze, mute, or let it call again. Raises NotThere."""
    with install.records.begin() as db:
        alert, site, client = _row(db, number)
        if alert.state == "closed" and asked.state != "muted":
            raise NotThere(
                "alert-over",
                worded("Alert {number} is over.", number=number),
                remedy="mute it, if it shall never call again",
            )
        alert.state, alert.until, alert.reason, alert.by = asked.state, asked.until, asked.reason.strip(), by
        if asked.state == "muted":
            alert.closed_at = None
        db.flush()
        return _out(alert, site, client, "en", _together(db))


def _all() -> Select[Alert, str, str]:
    asked = select(Alert, Site.key, Client.key).join(Site, Alert.site_id == Site.id)
    return asked.join(Client, Site.client_id == Client.id)


def _row(db: Session, number: int) -> tuple[Alert, str, str]:
    found = db.execute(_all().where(Alert.id == number)).first() if number <= LARGEST_NUMBER else None
    if found is None:
        raise NotThere(
            "no-such-alert",
            worded("There is no alert {number}.", number=number),
            remedy="list them with `noctilum alerts`",
        )
    return found[0], found[1], found[2]


def _together(db: Session) -> Mapping[str, Sequence[tuple[int, date]]]:
    """Give by rule the sites that call out, with since when."""
    found: dict[str, list[tuple[int, date]]] = {}
    asked = select(Alert.rule, Alert.site_id, Alert.since).where(Alert.state.in_(CALLING))
    for rule, site, since in db.execute(asked):
        if since is not None:
            found.setdefault(rule, []).append((site, since))
    return found


def _out(
    alert: Alert, site: str, client: str, language: str, together: Mapping[str, Sequence[tuple[int, date]]]
) -> wire.AlertOut:
    near = {alert.site_id}
    if alert.since is not None and alert.state in CALLING:
        for other, since in together.get(alert.rule, ()):
            if abs((since - alert.since).days) <= TOGETHER_WITHIN:
                near.add(other)
    named = ("id", "rule", "key", "since", "sure", "look", "state", "until", "reason", "by", "opened_at", "closed_at")
    told = {name: getattr(alert, name) for name in named}
    more = {"site": site, "client": client, "text": _text(alert, language), "together": len(near)}
    return wire.AlertOut.model_validate(told | more)


def _text(alert: Alert, language: str) -> str:
    named = ("rule", "key", "since", "sure", "look", "facts")
    return of_one(AlarmRow.model_validate({name: getattr(alert, name) for name in named}), language)
