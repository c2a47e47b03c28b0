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

from noctilum.actions import health, queue, schedule
from noctilum.actions.install import Install
from noctilum.core.errors import Fault, StoreFault
from noctilum.jobs.verbs import VERBS, Running
from noctilum.records.models import Job

log = structlog.get_logger("noctilum.worker")
PAUSE = 0.3
TICK = timedelta(seconds=5)


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
        """Queue what the schedules say is due; every few seconds, or at once when the clock was set back."""
        now = self.clock()
        health.beat(self.install, now)
        if self._ticked is None or not timedelta(0) <= now - self._ticked < TICK:
            self._ticked = now
            for number in schedule.tick(self.install, now):
                log.info("pull due", source=number)
            for name in VERBS.values():
                name.tick(self.install, now)

    def run_one(self, name: str | None = None) -> bool:
        """Take and do one job; False when there is none."""
        name = name or self.name
        job = queue.take(self.install, name, self.clock())
        if job is None:
            return False
        with structlog.contextvars.bound_contextvars(job=job.id, verb=job.name, **_named(job)):
            return self._done(job, name)

    def _done(self, job: Job, name: str) -> bool:
        log.info("job taken", attempt=job.attempts)
        heart = _Heart(self, job.id, name)
        with heart:
            fault, result = self._do(job, name)
        if self.stopping.is_set() and fault is None and heart.cut_short:
            queue.hand_back(self.install, job.id, name)
            log.info("job handed back")
            return False
        queue.end(self.install, job.id, name, fault, self.clock(), result)
        log.info("job ended", fault=fault.code if fault else None)
        return True

    def _do(self, job: Job, name: str) -> tuple[Fault | None, Mapping[str, Any]]:
        def report(progress: Any) -> bool:
            health.beat(self.install, self.clock())
            return (
                queue.report(self.install, job.id, name, asdict(progress), self.clock()) and not self.stopping.is_set()
            )

        def say(line: str) -> None:
            queue.say(self.install, job.id, f"{self.clock():%H:%M:%S} {line}")
            log.info(line)

        try:
            verb = VERBS.get(job.name)
            if verb is None:
                raise StoreFault("job-unknown", f"No worker of this version knows how to do {job.name!r}.")
            return None, verb.do(Running(self.install, job, self.clock, report, say))
        except Fault as fault:
            return fault, {}
        except Exception:
            log.exception("job broke")
            remedy = "look into the worker's log for this job"
            return StoreFault("job-broke", "The job failed inside the service.", remedy=remedy), {}


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

    def __enter__(self) -> None:
        self._thread.start()

    def __exit__(self, *_: object) -> None:
        self.cut_short = self._worker.stopping.is_set()
        self._done.set()
        self._thread.join()

    def _beat(self) -> None:
        while not self._done.wait(self.EVERY):
            now = self._worker.clock()
            health.beat(self._worker.install, now)
            queue.renew(self._worker.install, self._job, self._name, now)
