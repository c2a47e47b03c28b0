"""Showing clients, sites, sources and jobs as wire models."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from datetime import date

import structlog
from sqlalchemy import select

from noctilum.actions import queue
from noctilum.actions.find import find_client, find_site, find_source
from noctilum.actions.install import Install
from noctilum.actions.notices import unseen
from noctilum.core.days import HELD, DayState, complete_through
from noctilum.core.errors import NotThere, StoreFault
from noctilum.datasets import DATASETS
from noctilum.readings.grains import standing
from noctilum.records.models import Client, Job, Site, Source
from noctilum.reports.numbers import readable
from noctilum.wire import setup as wire
from noctilum.wire.worth import ValueGiven

log = structlog.get_logger("noctilum.show")


def clients(install: Install) -> list[wire.Client]:
    """List all clients with their sites."""
    with install.records.read() as db:
        return [_client(found) for found in db.scalars(select(Client).order_by(Client.name))]


def client(install: Install, key: str) -> wire.Client:
    """Show one client."""
    with install.records.read() as db:
        return _client(find_client(db, key))


def sites(install: Install) -> list[wire.SiteSummary]:
    """List all sites."""
    with install.records.read() as db:
        return [_summary(found) for found in db.scalars(select(Site).order_by(Site.host))]


def site_numbers(install: Install) -> list[tuple[wire.SiteSummary, int]]:
    """List all sites with the numbers of their history files."""
    with install.records.read() as db:
        return [(_summary(found), found.id) for found in db.scalars(select(Site).order_by(Site.host))]


def site(install: Install, key: str) -> wire.Site:
    """Show one site with its sources."""
    jobs = queue.active(install)
    with install.records.read() as db:
        found = find_site(db, key)
        return wire.Site(
            key=found.key,
            host=found.host,
            client=found.client.key,
            client_name=found.client.name,
            colour=found.client.colour,
            brand_terms=found.brand_terms,
            session_value=session_value(found),
            values=values_of(found),
            sources=[_source(install, source, jobs) for source in found.sources],
        )


def source(install: Install, number: int) -> wire.Source:
    """Show one source."""
    with install.records.read() as db:
        return _source(install, find_source(db, number), queue.active(install))


def sources(install: Install) -> list[wire.Source]:
    """List all sources, by site."""
    jobs = queue.active(install)
    with install.records.read() as db:
        found = db.scalars(select(Source).join(Site).order_by(Site.host, Source.id))
        return [_source(install, source, jobs) for source in found]


def job(install: Install, number: int) -> wire.Job:
    """Show one job."""
    return _job(queue.get(install, number), _hosts(install))


def jobs(install: Install) -> list[wire.Job]:
    """List the newest jobs."""
    hosts = _hosts(install)
    return [_job(found, hosts) for found in queue.newest(install)]


def _hosts(install: Install) -> dict[int, str]:
    with install.records.read() as db:
        return {found.id: found.site.key for found in db.scalars(select(Source))}


def _client(found: Client) -> wire.Client:
    return wire.Client(
        key=found.key,
        name=found.name,
        language=found.language,
        time_zone=found.time_zone,
        currency=found.currency,
        colour=found.colour,
        accent=found.accent,
        printed=readable(found.colour),
        logo=found.logo_type or "",
        sender=found.sender,
        footer=found.footer,
        keep_months=found.keep_months,
        sites=[_summary(each) for each in found.sites],
    )


def _summary(found: Site) -> wire.SiteSummary:
    return wire.SiteSummary(
        key=found.key,
        host=found.host,
        client=found.client.key,
        client_name=found.client.name,
        sources=len(found.sources),
        brand_terms=found.brand_terms,
        session_value=session_value(found),
        values=values_of(found),
    )


def values_of(found: Site) -> list[ValueGiven]:
    """Give what is earned on pages of its sets."""
    return [ValueGiven.model_validate(each) for each in found.page_values or []]


def session_value(found: Site) -> float | None:
    """Give what a session of a site is worth, in its client's currency; None where nobody said."""
    return None if found.session_value is None else found.session_value / 100


def _source(install: Install, found: Source, active: Iterable[Job]) -> wire.Source:
    holding = _holding(install, found)
    pulling = next((j for j in active if j.name in ("pull", "checks") and j.arguments.get("source") == found.id), None)
    return wire.Source.model_validate(
        {
            "id": found.id,
            "site": found.site.key,
            "kind": found.kind,
            "connector": found.connector,
            "label": found.label,
            "url": found.url,
            "account": found.account,
            "property": found.property,
            "engine": found.engine,
            "time_zone": found.time_zone,
            "state": found.state,
            "pulled_at": found.pulled_at,
            **holding,
            "scope": found.scope,
            "counted": found.counted,
            "part_of": found.part_of,
            "schedule": found.schedule,
            "paused": found.paused,
            "next_run_at": None if found.paused else found.next_run_at,
            "retry_at": found.retry_at,
            "failures": found.failures,
            "a_month": found.settings.get("a_month"),
            "used": _used(found),
            "job": _job(pulling, {found.id: found.site.key}) if pulling else None,
        }
    )


def _used(found: Source) -> int:
    """Say how many lookups a source has used in the newest month in which it used some."""
    used: dict[str, int] = found.settings.get("used", {})
    return used[max(used)] if used else 0


def _holding(install: Install, found: Source) -> dict[str, object]:
    states: Mapping[date, DayState] = {}
    flagged, fault = 0, found.fault
    try:
        history = install.history(found.site_id)
        flagged = history.flagged(found.id)
        for totals in DATASETS.of_kind(found.kind)[:1]:
            states = standing(history, (found.id,), totals.name).states
    except NotThere:
        pass
    except StoreFault as why:
        fault = str(why)
    except Exception as why:
        log.exception("history not read", site=found.site.key)
        fault = f"history-unreadable: Its history cannot be read ({type(why).__name__}).\n  try: noctilum verify"
    held = [day for day, state in states.items() if state in HELD]
    return {
        "fault": fault,
        "first_held": min(held, default=None),
        "complete_through": complete_through(states),
        "days_held": len(held),
        "days_lost": sum(state is DayState.LOST for state in states.values()),
        "days_flagged": flagged,
    }


def notices(install: Install) -> list[wire.Notice]:
    """List the notices nobody has seen yet, newest first."""
    return [
        wire.Notice(id=n.id, at=n.at, code=n.code, text=n.text, source=n.source_id, site=n.site_key)
        for n in unseen(install)
    ]


def _job(found: Job, hosts: dict[int, str]) -> wire.Job:
    progress = found.progress or {}
    number = found.arguments.get("source")
    return wire.Job.model_validate(
        {
            "id": found.id,
            "name": found.name,
            "state": found.state,
            "stopping": found.stopping and found.state not in queue.ENDED,
            "waits_until": found.not_before if found.state == "queued" else None,
            "site": hosts.get(number) if number is not None else None,
            "source": number,
            "done": progress.get("done", 0),
            "due": progress.get("due", 0),
            "rows": progress.get("rows", 0),
            "rows_per_second": progress.get("rows_per_second"),
            "seconds_left": progress.get("seconds_left"),
            "stage": progress.get("stage", found.state),
            "attempts": found.attempts,
            "expires_in": progress.get("expires_in"),
            "fault": found.fault,
            "log": found.log,
            "result": found.result,
            "created_at": found.created_at,
            "started_at": found.started_at,
            "ended_at": found.ended_at,
        }
    )
