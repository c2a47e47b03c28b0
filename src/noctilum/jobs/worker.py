"""The worker: takes one job after the other, keeps its lease alive, hands it back when asked to stop."""

from __future__ import annotations

import os
import socket
import threading
from collections.abc import Callable
from dataclasses import asdict
from datetime import datetime

import structlog

from noctilum.actions import health, pull, queue
from noctilum.actions.install import Install
from noctilum.core.errors import Fault, StoreFault
from noctilum.records.models import Job

log = structlog.get_logger("noctilum.worker")
PAUSE = 0.3


class Worker:
    """Do jobs until stopped. One job at a time; several workers may share a queue."""

    def __init__(self, install: Install, clock: Callable[[], datetime]) -> None:
        self.install, self.clock = install, clock
        self.name = f"{socket.gethostname()}-{os.getpid()}-{threading.get_ident()}"
        self.stopping = threading.Event()

    def run(self) -> None:
        """Take jobs until stop is asked for."""
        while not self.stopping.is_set():
            health.beat(self.install, self.clock())
            if not self.run_one():
                self.stopping.wait(PAUSE)

    def run_one(self) -> bool:
        """Take and do one job; False when there is none."""
        job = queue.take(self.install, self.name, self.clock())
        if job is None:
            return False
        log.info("job taken", job=job.id, name=job.name, attempt=job.attempts)
        lost = _Heart(self, job.id)
        with lost:
            fault = self._do(job)
        if self.stopping.is_set() and fault is None and lost.cut_short:
            queue.hand_back(self.install, job.id, self.name)
            log.info("job handed back", job=job.id)
            return False
        queue.end(self.install, job.id, self.name, fault, self.clock())
        log.info("job ended", job=job.id, fault=fault.code if fault else None)
        return True

    def _do(self, job: Job) -> Fault | None:
        try:
            _VERBS[job.name](self, job)
        except Fault as fault:
            return fault
        except Exception:
            log.exception("job broke", job=job.id)
            return StoreFault("job-broke", "The job failed inside the service.", remedy="look into the worker's log")
        return None

    def pull(self, job: Job) -> None:
        """Pull a source, telling progress to the job row."""

        def report(progress: pull.Progress) -> bool:
            health.beat(self.install, self.clock())
            mine = queue.report(self.install, job.id, self.name, asdict(progress), self.clock())
            return mine and not self.stopping.is_set()

        pull.pull(self.install, int(job.arguments["source"]), origin=f"pull {job.id}", clock=self.clock, report=report)


class _Heart:
    """Renew a job's lease while it is being done, also while an action is silent."""

    EVERY = 5.0

    def __init__(self, worker: Worker, job: int) -> None:
        self._worker, self._job = worker, job
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
            queue.renew(self._worker.install, self._job, self._worker.name, now)


_VERBS: dict[str, Callable[[Worker, Job], None]] = {"pull": Worker.pull}
"""Job name → what does it."""
