"""The queue of jobs: rows with a lease, so that a killed worker's job is taken up again."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime, timedelta
from typing import Any

from sqlalchemy import bindparam, select

from noctilum.actions.install import Install
from noctilum.core.errors import Fault, NotThere, worded
from noctilum.records.models import LARGEST_NUMBER, Job

LEASE = timedelta(seconds=20)
"""A worker that says nothing for this long has lost its job."""
MOST_ATTEMPTS = 5
LONGEST_PAUSE = timedelta(hours=1)
"""No job waits longer than this before it is tried again, whatever the clock said when it was put off."""
ENDED = ("done", "failed", "cancelled")


_NOW = bindparam("now", type_=Job.leased_until.type)
_SILENT = (Job.leased_until < _NOW) | (Job.leased_until > bindparam("longest_lease", type_=Job.leased_until.type))
_RESTED = Job.not_before.is_(None) | (Job.not_before <= _NOW)
_RESTED |= Job.not_before > bindparam("longest_pause", type_=Job.not_before.type)
_IS_FREE = ((Job.state == "queued") & _RESTED) | ((Job.state == "running") & _SILENT)
# put together once: each slot asks several times a second whether anything waits
_FREE = select(Job).where(_IS_FREE).order_by(Job.id)
_ANY_FREE = select(Job.id).where(_IS_FREE).limit(1)
_BUSY = select(Job).where((Job.state == "running") & ~_SILENT)


def put(install: Install, name: str, arguments: Mapping[str, Any], now: datetime, lane: str = "") -> Job:
    """Queue a job, or give the one with the same name and arguments that is queued or running.

    lane: jobs of one lane share a provider or a file; only so many of them run at once.
    """
    with install.records.begin() as db:
        waiting = db.scalars(select(Job).where(Job.name == name, Job.state.in_(["queued", "running"])))
        for job in waiting:
            if job.arguments == dict(arguments):
                return job
        job = Job(name=name, arguments=dict(arguments), state="queued", progress={}, attempts=0, created_at=now)
        job.lane = lane
        db.add(job)
        return job


def get(install: Install, number: int) -> Job:
    """Find a job; raises NotThere."""
    with install.records.read() as db:
        job = db.get(Job, number) if number <= LARGEST_NUMBER else None
    if job is None:
        raise NotThere("no-such-job", worded("There is no job {number}.", number=number))
    return job


def newest(install: Install, count: int = 50) -> list[Job]:
    """List the newest jobs."""
    with install.records.read() as db:
        return list(db.scalars(select(Job).order_by(Job.id.desc()).limit(count)))


def active(install: Install) -> list[Job]:
    """List jobs that are queued or running."""
    with install.records.read() as db:
        return list(db.scalars(select(Job).where(Job.state.in_(["queued", "running"])).order_by(Job.id)))


def take(install: Install, worker: str, now: datetime) -> Job | None:
    """Lease the oldest job that is queued, or whose worker has gone silent; None when there is none.

    A job whose lane is full, or that works on what another is working on, waits. A lease longer than any
    that is given means that the clock was set back; it counts as run out. Nothing is locked while nothing waits.
    """
    times = {"now": now, "longest_lease": now + 2 * LEASE, "longest_pause": now + LONGEST_PAUSE}
    with install.records.read() as db:
        if db.execute(_ANY_FREE, times).first() is None:
            return None
    with install.records.begin() as db:
        busy = [(j.lane, j.arguments) for j in db.scalars(_BUSY, times)]
        waiting = db.scalars(_FREE, times)
        job = next((j for j in waiting if _may_run(j, busy, install.settings.per_provider)), None)
        if job is None:
            return None
        if job.stopping:
            _cancelled(job, now)
            return None
        if job.attempts >= MOST_ATTEMPTS:
            job.state, job.ended_at = "failed", now
            job.fault = f"given-up: the job was begun {job.attempts} times and never ended"
            return None
        job.state, job.worker, job.leased_until, job.not_before = "running", worker, now + LEASE, None
        job.attempts += 1
        job.started_at = job.started_at or now
        return job


def _may_run(job: Job, busy: Sequence[tuple[str, Mapping[str, Any]]], most: int) -> bool:
    mine = job.arguments.get("source")
    if mine is not None and any(arguments.get("source") == mine for _, arguments in busy):
        return False
    return not job.lane or sum(lane == job.lane for lane, _ in busy) < most


def say(install: Install, number: int, line: str) -> None:
    """Add a line to a job's log; the newest two hundred are kept."""
    with install.records.begin() as db:
        job = db.get(Job, number)
        if job is not None:
            job.log = [*job.log[-199:], line]


def report(install: Install, number: int, worker: str, progress: Mapping[str, Any], now: datetime) -> bool:
    """Note progress and renew the lease; False when the job is to stop, or belongs to another worker now."""
    with install.records.begin() as db:
        job = db.get(Job, number)
        if job is None or job.worker != worker or job.state != "running":
            return False
        job.progress, job.leased_until = dict(progress), now + LEASE
        return not job.stopping


def renew(install: Install, number: int, worker: str, now: datetime) -> None:
    """Renew the lease of a job that is still this worker's."""
    with install.records.begin() as db:
        job = db.get(Job, number)
        if job is not None and job.worker == worker and job.state == "running":
            job.leased_until = now + LEASE


def stop(install: Install, number: int, now: datetime) -> None:
    """Cancel a job: at once while it waits, at its next step while it runs. One that has ended stays as it ended."""
    get(install, number)
    with install.records.begin() as db:
        job = db.get(Job, number)
        if job is None or job.state in ENDED:
            return
        job.stopping = True
        if job.state == "queued":
            _cancelled(job, now)


def is_stopping(install: Install, number: int) -> bool:
    """Say whether somebody asked a job to stop."""
    with install.records.read() as db:
        job = db.get(Job, number)
        return job is None or job.stopping


def _cancelled(job: Job, now: datetime) -> None:
    job.state, job.ended_at, job.leased_until, job.worker = "cancelled", now, None, None
    job.fault = "cancelled: somebody asked it to stop; what it had done by then stays"


def cancel(install: Install, number: int, worker: str, now: datetime) -> None:
    """Close a job that was stopped on the way."""
    with install.records.begin() as db:
        job = db.get(Job, number)
        if job is not None and job.worker == worker:
            _cancelled(job, now)


def put_off(install: Install, number: int, worker: str, why: Fault, until: datetime) -> None:
    """Put a job back until a moment, as when the disk is full; the attempt does not count."""
    with install.records.begin() as db:
        job = db.get(Job, number)
        if job is not None and job.worker == worker and job.state == "running":
            job.state, job.worker, job.leased_until, job.not_before = "queued", None, None, until
            job.attempts = max(0, job.attempts - 1)
            job.fault = str(why)


def hand_back(install: Install, number: int, worker: str) -> None:
    """Put a job back in the queue, as when the worker is asked to stop; the attempt does not count."""
    with install.records.begin() as db:
        job = db.get(Job, number)
        if job is not None and job.worker == worker and job.state == "running":
            job.state, job.worker, job.leased_until = "queued", None, None
            job.attempts -= 1


def end(
    install: Install,
    number: int,
    worker: str,
    fault: Fault | None,
    now: datetime,
    result: Mapping[str, Any] | None = None,
) -> None:
    """Close a job, done or failed, with what it came to."""
    with install.records.begin() as db:
        job = db.get(Job, number)
        if job is not None and job.worker == worker:
            job.state, job.ended_at, job.leased_until = "failed" if fault else "done", now, None
            job.fault = str(fault) if fault else None
            job.result = dict(result or {})
