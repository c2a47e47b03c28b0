"""The worker: takes jobs, keeps their leases alive, hands them back when asked to stop, and keeps the schedules."""

from __future__ import annotations

import os
import socket
import threading
from collections.abc import Callable, Mapping
from dataclasses import asdict
from datetime import datetime, timedelta
from typing import Any

import structlog
from sqlalchemy.exc import SQLAlchemyError

from noctilum.actions import life, notices, queue, schedule
from noctilum.actions.install import Install
from noctilum.core.errors import DiskFull, Fault, Stopped, StoreFault, worded
from noctilum.jobs.types import JOB_TYPES, Running
from noctilum.records.models import Job
from noctilum.sqlite_files import common_fault
from noctilum.wire.jobs import RESULTS
from noctilum.wire.plain_text import cleaned

log = structlog.get_logger("noctilum.worker")
PAUSE = 0.3
TICK = timedelta(seconds=5)
FULL_PAUSE = timedelta(minutes=1)
"""A job that found the disk full is tried again after so long, and takes up no attempt."""


class Worker:
    """Do jobs until stopped, several at a time; several workers may share a queue."""

    def __init__(self, install: Install, clock: Callable[[], datetime]) -> None:
        self.install, self.clock = install, clock
        self.name = f"{socket.gethostname()}-{os.getpid()}-{threading.get_ident()}"
        self.stopping = threading.Event()
        self._ticked: datetime | None = None

    def run(self) -> None:
        """Take jobs until stop is asked for, and see to the schedules meanwhile."""
        slots = [
            threading.Thread(target=self._slot, args=(n,), name=f"slot-{n}")
            for n in range(self.install.settings.jobs_at_once)
        ]
        for slot in slots:
            slot.start()
        while not self.stopping.is_set():
            self._calmly(self.tick)
            self.stopping.wait(PAUSE)
        for slot in slots:
            slot.join()

    def _slot(self, number: int) -> None:
        name = f"{self.name}-{number}"
        while not self.stopping.is_set():
            if not self._calmly(lambda: self.run_one(name)):
                self.stopping.wait(PAUSE)

    def _calmly(self, what: Callable[[], bool | None]) -> bool:
        """Do something; what breaks is logged, and the worker goes on after a pause."""
        try:
            return bool(what())
        except Exception:
            log.exception("worker stumbled")
            self.stopping.wait(1.0)
            return False

    def tick(self) -> None:
        """Queue what the schedules say is due; every few seconds, or at once when the clock was set back.

        Each schedule is looked after by itself: one that breaks is told once and holds no other up.
        """
        now = self.clock()
        life.beat(self.install, now)
        if self._ticked is None or not timedelta(0) <= now - self._ticked < TICK:
            self._ticked = now
            self._look_after("schedules", lambda: self._due(now))
            for name, verb in JOB_TYPES.items():
                self._look_after(name, lambda tick=verb.tick: tick(self.install, now))  # type: ignore[misc]

    def _due(self, now: datetime) -> None:
        for number in schedule.tick(self.install, now):
            log.info("pull due", source=number)

    def _look_after(self, name: str, what: Callable[[], None]) -> None:
        """Do one schedule's work; what breaks is logged and left as a notice."""
        try:
            what()
        except Exception as why:
            fault = _explained(why, self.install)
            log.exception("schedule broke", schedule=name)
            self._tell_once(f"schedule-broke {name}", f"What is done by itself for {name} did not work: {fault.what}")

    def _tell_once(self, code: str, text: str) -> None:
        """Leave a notice unless the same is there unseen; where even that cannot be written, the log has it."""
        try:
            with self.install.records.begin() as db:
                notices.note(db, code, cleaned(text), self.clock())
        except Exception:
            log.exception("notice not kept", code=code)

    def run_one(self, name: str | None = None) -> bool:
        """Take and do one job; False when there is none."""
        name = name or self.name
        job = queue.take(self.install, name, self.clock())
        if job is None:
            return False
        with structlog.contextvars.bound_contextvars(job=job.id, kind=job.name, **_named(job)):
            return self._done(job, name)

    def _done(self, job: Job, name: str) -> bool:
        log.info("job taken", attempt=job.attempts)
        heart = _Heart(self, job.id, name)
        with heart:
            fault, result = self._do(job, name)
        if isinstance(fault, DiskFull):
            self._wait_for_room(job, name, fault)
            return False
        if queue.is_stopping(self.install, job.id) and (isinstance(fault, Stopped) or heart.told_to_stop):
            queue.cancel(self.install, job.id, name, self.clock())
            log.info("job cancelled")
            return True
        if self.stopping.is_set() and (fault is None or isinstance(fault, Stopped)) and heart.cut_short:
            queue.hand_back(self.install, job.id, name)
            log.info("job handed back")
            return False
        queue.end(self.install, job.id, name, fault, self.clock(), result)
        log.info("job ended", fault=fault.code if fault else None)
        return True

    def _wait_for_room(self, job: Job, name: str, fault: DiskFull) -> None:
        """Put a job off while the disk is full; as that must be written too, it is tried until there is room."""
        log.error("disk full", job=job.id)
        while not self.stopping.is_set():
            try:
                queue.put_off(self.install, job.id, name, fault, self.clock() + FULL_PAUSE)
                break
            except SQLAlchemyError:
                self.stopping.wait(2.0)
        self._tell_once(
            "disk-full", f"The disk is full: work waits and goes on by itself. {fault.remedy.capitalize()}."
        )

    def _do(self, job: Job, name: str) -> tuple[Fault | None, Mapping[str, Any]]:
        def report(progress: Any) -> bool:
            life.beat(self.install, self.clock())
            told = asdict(progress) if progress is not None else dict(job.progress)
            return queue.report(self.install, job.id, name, told, self.clock()) and not self.stopping.is_set()

        def say(line: str) -> None:
            queue.say(self.install, job.id, f"{self.clock():%H:%M:%S} {line}")
            log.info(line)

        try:
            kind = JOB_TYPES.get(job.name)
            if kind is None:
                raise StoreFault(
                    "job-unknown", worded("No worker of this version knows how to do {name!r}.", name=job.name)
                )
            done = kind.do(Running(self.install, job, self.clock, report, say))
            model = RESULTS.get(job.name)
            return None, model.model_validate(done).model_dump(mode="json") if model else done
        except Fault as fault:
            return fault, {}
        except Exception as why:
            log.exception("job broke")
            return _explained(why, self.install), {}


def _explained(why: Exception, install: Install) -> Fault:
    """Give what broke as a fault."""
    if isinstance(why, Fault):
        return why
    common = common_fault(why, install.settings.data)
    remedy = "look into the worker's log for this job"
    return common or StoreFault("job-broke", "The job failed inside the service.", remedy=remedy)


def _named(job: Job) -> dict[str, Any]:
    return {"source": job.arguments["source"]} if "source" in job.arguments else {}


class _Heart:
    """Renew a job's lease while it is being done, also while an action is silent."""

    EVERY = 5.0

    def __init__(self, worker: Worker, job: int, name: str) -> None:
        self._worker, self._job, self._name = worker, job, name
        self._done = threading.Event()
        self._thread = threading.Thread(target=self._beat, daemon=True)
        self.cut_short = False
        self.told_to_stop = False

    def __enter__(self) -> None:
        self._thread.start()

    def __exit__(self, *_: object) -> None:
        self.cut_short = self._worker.stopping.is_set()
        self.told_to_stop = self._is_stopping()
        self._done.set()
        self._thread.join()

    def _is_stopping(self) -> bool:
        try:
            return queue.is_stopping(self._worker.install, self._job)
        except SQLAlchemyError:
            return False

    def _beat(self) -> None:
        while not self._done.wait(self.EVERY):
            try:
                now = self._worker.clock()
                life.beat(self._worker.install, now)
                queue.renew(self._worker.install, self._job, self._name, now)
            except Exception:
                log.exception("heart stumbled", job=self._job)
