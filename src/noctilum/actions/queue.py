"""The queue of jobs: rows with a lease, so that a killed worker's job is taken up again."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime, timedelta
from typing import Any

from sqlalchemy import select

from noctilum.actions.install import Install
from noctilum.core.errors import Fault, NotThere
from noctilum.records.models import LARGEST_NUMBER, Job

LEASE = timedelta(seconds=20)
"""A worker that says nothing for this long has lost its job."""
MOST_ATTEMPTS = 5


def put(install: Install, name: str, arguments: Mapping[str, Any], now: datetime) -> Job:
    """Queue a job, or give the one with the same name and arguments that is queued or running."""
    with install.records.begin() as db:
        waiting = db.scalars(select(Job).where(Job.name == name, Job.state.in_(["queued", "running"])))
        for job in waiting:
            if job.arguments == dict(arguments):
                return job
        job = Job(name=name, arguments=dict(arguments), state="queued", progress={}, attempts=0, created_at=now)
        db.add(job)
        return job


def get(install: Install, number: int) -> Job:
    """Find a job; raises NotThere."""
    with install.records.read() as db:
        job = db.get(Job, number) if number <= LARGEST_NUMBER else None
    if job is None:
        raise NotThere("no-such-job", f"There is no job {number}.")
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
    """Lease the oldest job that is queued, or whose worker has gone silent; None when there is none."""
    with install.records.begin() as db:
        free = (Job.state == "queued") | ((Job.state == "running") & (Job.leased_until < now))
        job = db.scalar(select(Job).where(free).order_by(Job.id).limit(1))
        if job is None:
            return None
        if job.attempts >= MOST_ATTEMPTS:
            job.state, job.ended_at = "failed", now
            job.fault = f"given-up: the job was begun {job.attempts} times and never ended"
            return None
        job.state, job.worker, job.leased_until = "running", worker, now + LEASE
        job.attempts += 1
        job.started_at = job.started_at or now
        return job


def report(install: Install, number: int, worker: str, progress: Mapping[str, Any], now: datetime) -> bool:
    """Note progress and renew the lease; False when the job now belongs to another worker."""
    with install.records.begin() as db:
        job = db.get(Job, number)
        if job is None or job.worker != worker or job.state != "running":
            return False
        job.progress, job.leased_until = dict(progress), now + LEASE
        return True


def renew(install: Install, number: int, worker: str, now: datetime) -> None:
    """Renew the lease of a job that is still this worker's."""
    with install.records.begin() as db:
        job = db.get(Job, number)
        if job is not None and job.worker == worker and job.state == "running":
            job.leased_until = now + LEASE


def hand_back(install: Install, number: int, worker: str) -> None:
    """Put a job back in the queue, as when the worker is asked to stop; the attempt does not count."""
    with install.records.begin() as db:
        job = db.get(Job, number)
        if job is not None and job.worker == worker and job.state == "running":
            job.state, job.worker, job.leased_until = "queued", None, None
            job.attempts -= 1


def end(install: Install, number: int, worker: str, fault: Fault | None, now: datetime) -> None:
    """Close a job, done or failed."""
    with install.records.begin() as db:
        job = db.get(Job, number)
        if job is not None and job.worker == worker:
            job.state, job.ended_at, job.leased_until = "failed" if fault else "done", now, None
            job.fault = str(fault) if fault else None
