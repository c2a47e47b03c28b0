"""Verifying histories, restoring from feeds what can be restored, and keeping to what an agency keeps."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any

from sqlalchemy import select

from noctilum.actions import schedule
from noctilum.actions.install import Install
from noctilum.actions.setup import connect
from noctilum.core.days import DayState
from noctilum.core.errors import Fault, NotThere, worded
from noctilum.core.windows import month_start, shift_months
from noctilum.history import Damage
from noctilum.records.models import Client, Site, Source
from noctilum.wire.operating import FindingOut, VerifyDone


@dataclass(frozen=True)
class Finding:
    """One thing that is wrong in a site's history, and how its days can be had again."""

    site: str
    damage: Damage
    remedy: str


@dataclass(frozen=True)
class Verified:
    """What verifying found over several sites. days: ledger rows that were checked."""

    sites: int
    days: int
    findings: tuple[Finding, ...]


@dataclass(frozen=True)
class Repaired:
    """What a repair did: days taken out, and the pulls queued to have them again."""

    taken_out: int
    pulls: tuple[int, ...]
    lasting: tuple[Finding, ...]


def verify(install: Install, key: str | None = None, told: Callable[[str], None] = lambda _: None) -> Verified:
    """Read everything that is held and say what is wrong; of one site, or of all."""
    findings: list[Finding] = []
    days = sites = 0
    for number, name in _sites(install, key):
        told(name)
        try:
            history = install.history(number)
            days += len(history.ledger())
            findings += [Finding(name, damage, _remedy(install, damage)) for damage in history.verify()]
        except NotThere:
            continue
        except Fault as fault:
            damage = Damage("file", fault.what)
            findings.append(Finding(name, damage, "restore the site from a backup"))
        sites += 1
    return Verified(sites, days, tuple(findings))


def _sites(install: Install, key: str | None) -> list[tuple[int, str]]:
    with install.records.read() as db:
        found = [(site.id, site.key) for site in db.scalars(select(Site).order_by(Site.host))]
    chosen = [each for each in found if key is None or each[1] == key.replace("/", "~")]
    if key and not chosen:
        raise NotThere(
            "no-such-site", worded("There is no site {key!r}.", key=key), remedy="list them with `noctilum sites`"
        )
    return chosen


def _remedy(install: Install, damage: Damage) -> str:
    if damage.kind == "rollup":
        return "verify --repair makes it anew from its rows"
    if damage.source is None:
        return "restore the site from a backup"
    with install.records.read() as db:
        source = db.get(Source, damage.source)
    if source is None:
        return "its source is gone; verify --repair takes it out"
    if source.connector == "files":
        return "verify --repair takes it out; then import the file again"
    offered = _offered(install, source)
    if offered is None:
        return "its feed cannot be asked now; verify --repair takes it out, a pull brings back what it still has"
    wanted = [damage.first or date.min, damage.last or date.max]
    if offered <= wanted[0]:
        return "verify --repair takes it out and pulls it again"
    return f"its feed keeps days from {offered} on: older ones only from a backup or their files"


def _offered(install: Install, source: Source) -> date | None:
    """Find the oldest day a source still has; None when it cannot be asked."""
    try:
        connector = connect(install, source)
        try:
            days = [found.day for found in connector.days(None, None) if found.state is not DayState.MISSING]
        finally:
            connector.close()
    except Fault:
        return None
    return min(days, default=None)


def repair(install: Install, found: Verified, now: datetime) -> Repaired:
    """Take damaged days out and queue pulls that bring them back; what only a backup can mend is named."""
    by_site: dict[str, list[Finding]] = {}
    for finding in found.findings:
        by_site.setdefault(finding.site, []).append(finding)
    numbers = {name: number for number, name in _sites(install, None)}
    taken, sources = 0, set[int]()
    lasting = [f for f in found.findings if f.damage.source is None]
    for name, findings in by_site.items():
        again = install.history(numbers[name]).repair([f.damage for f in findings], now)
        taken += len(again)
        sources |= {source for source, _, _ in again}
    return Repaired(taken, tuple(_queue(install, sources, now)), tuple(lasting))


def _queue(install: Install, sources: set[int], now: datetime) -> list[int]:
    with install.records.read() as db:
        feeds = [n for n in sorted(sources) if (s := db.get(Source, n)) is not None and s.connector != "files"]
    return [schedule.queue_pull(install, number, now) for number in feeds]


def retain(install: Install, today: date) -> Mapping[str, int]:
    """Delete what is older than each client keeps, where the agency has set it; returns days gone by site.

    A site that cannot be read holds no other up; its fault is raised when all others are seen to.
    """
    gone: dict[str, Any] = {}
    with install.records.read() as db:
        limited = [
            (site.id, site.key, client.keep_months)
            for client in db.scalars(select(Client).where(Client.keep_months.is_not(None)))
            for site in client.sites
        ]
    failed: list[Fault] = []
    for number, key, months in limited:
        first = shift_months(month_start(today), -int(months or 0))
        try:
            history = install.history(number)
            if (history.kept_from or date.min) < first:
                gone[key] = history.drop_before(first)
        except NotThere:
            continue
        except Fault as fault:
            failed.append(fault)
    if failed:
        raise failed[0]
    return gone


def sentence(found: Finding) -> str:
    """Say in one line what is wrong and what to do."""
    damage = found.damage
    days = f" {damage.first}" + (f" to {damage.last}" if damage.last != damage.first else "") if damage.first else ""
    place = f"{found.site}{f', {damage.dataset}, source {damage.source}' if damage.dataset else ''}{days}"
    return f"{place}: {damage.text}; {found.remedy}"


def result(found: Verified, mended: Repaired | None) -> dict[str, Any]:
    """Write what was found and done for a job's row."""
    findings = [
        FindingOut(
            site=f.site,
            kind=f.damage.kind,
            text=f.damage.text,
            dataset=f.damage.dataset,
            source=f.damage.source,
            first=f.damage.first,
            last=f.damage.last,
            remedy=f.remedy,
        )
        for f in found.findings
    ]
    done = VerifyDone(
        sites=found.sites,
        days=found.days,
        findings=findings,
        taken_out=mended.taken_out if mended else 0,
        pulls=list(mended.pulls) if mended else [],
    )
    return done.model_dump(mode="json")
