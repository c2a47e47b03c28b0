"""Starting, supervising and stopping the processes of an install: web processes on one socket, and one job worker."""

from __future__ import annotations

import os
import signal
import socket
import subprocess
import sys
import time
from collections.abc import Callable, Sequence
from contextlib import nullcontext, suppress
from dataclasses import dataclass, field
from pathlib import Path
from types import FrameType
from typing import IO

import httpx
import structlog

from noctilum.actions import life, notices
from noctilum.actions.hands import SPARING
from noctilum.actions.install import Install, Settings
from noctilum.actions.settings import environment_of, settings_from
from noctilum.core.errors import Clash, StoreFault, worded
from noctilum.orphans import end_with_parent
from noctilum.service import clock, logs
from noctilum.service.part import set_apart

GRACE_SECONDS = 20.0
UP_SECONDS, WORKER_SECONDS = 240.0, 20.0
"""A machine that is busy with much else may take minutes to load the service; what cannot start ends sooner."""
FIRST_WAIT, LONGEST_WAIT = 0.5, 60.0
"""A part that ends is started again after so long, doubling with each time it ends soon."""
LIVED_LONG = 60.0
"""A part that lived for so long before it ended begins with the first wait again."""
HUNG_SECONDS = 180.0
"""A job worker that has given no sign for so long, though its process is there, is ended and started again."""
PART = "noctilum.service.part"
NICENESS = 5
"""Pulls and other jobs give way to whoever waits for an answer."""
MOST_FAILURES = 3
"""A part that ends so often before the service was ever up keeps it from starting."""

log = structlog.get_logger("noctilum.serve")


def listen(host: str, port: int) -> socket.socket:
    """Open the socket that the web processes share; raises Clash when another program listens there already."""
    listening = socket.socket(socket.AF_INET6 if ":" in host else socket.AF_INET)
    listening.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    try:
        listening.bind((host, port))
        listening.listen(1024)
    except OSError as why:
        listening.close()
        raise Clash(
            "port-taken",
            worded(
                "Port {port} on {host} cannot be used: {strerror}.", port=port, host=host, strerror=why.strerror or why
            ),
            remedy=worded("stop what listens there, or choose another with --port {port}", port=min(port + 1, 65535)),
        ) from why
    return listening


def check_port(host: str, port: int) -> None:
    """Raise Clash when another program listens there already."""
    listen(host, port).close()


@dataclass
class Part:
    """One process that is kept going. failures: how often in a row it ended soon; due: when it is started again."""

    name: str
    command: Sequence[str]
    handed: tuple[int, ...] = ()
    process: subprocess.Popen[bytes] | None = None
    began: float = 0.0
    failures: int = 0
    due: float = 0.0

    @property
    def runs(self) -> bool:
        """Whether its process is there."""
        return self.process is not None and self.process.poll() is None


@dataclass
class Supervisor:
    """Keep the parts of an install going: whatever ends is started again, after waits that grow."""

    settings: Settings
    listening: socket.socket
    out: IO[bytes] | None = None
    parts: list[Part] = field(default_factory=list)

    def __post_init__(self) -> None:
        number = str(self.listening.fileno())
        for n in range(1, self.settings.web_workers + 1):
            command = (sys.executable, "-m", PART, "web", number)
            self.parts.append(Part(f"web {n}", command, (int(number),)))
        self.parts.append(Part("worker", (sys.executable, "-m", PART, "worker")))

    def step(self, now: float) -> None:
        """Look after every part once. now: seconds of a clock that only goes forward."""
        for part in self.parts:
            if part.process is not None and not part.runs:
                self._ended(part, now)
            if part.process is None and part.due <= now:
                self._start(part, now)
            if part.name == "worker" and part.runs and now - part.began > HUNG_SECONDS and self._is_hung():
                log.error("part hung", part=part.name)
                os.killpg(part.process.pid, signal.SIGKILL)  # type: ignore[union-attr]

    def _is_hung(self) -> bool:
        with suppress(OSError):
            return time.time() - life.place(self.settings.data).stat().st_mtime > HUNG_SECONDS
        return False

    def _start(self, part: Part, now: float) -> None:
        sparing = SPARING if part.name == "worker" else {}
        environment = sparing | os.environ | environment_of(self.settings)
        part.process = subprocess.Popen(
            part.command,
            env=environment,
            stdout=self.out,
            stderr=self.out,
            pass_fds=part.handed,
            start_new_session=True,
        )
        part.began = now

    def _ended(self, part: Part, now: float) -> None:
        code = part.process.returncode if part.process else None
        part.failures = 1 if now - part.began > LIVED_LONG else part.failures + 1
        wait = min(LONGEST_WAIT, FIRST_WAIT * 2.0 ** (part.failures - 1))
        part.process, part.due = None, now + wait
        log.error("part ended", part=part.name, code=code, again_in=wait)
        with suppress(Exception):
            self._tell(part, code)

    def _tell(self, part: Part, code: int | None) -> None:
        """Leave a notice, one for each part until somebody has seen it."""
        install = Install(self.settings)
        try:
            with install.records.begin() as db:
                how = f"signal {-code}" if code is not None and code < 0 else f"code {code}"
                text = f"The process {part.name} of the service ended by itself ({how}) and was started again."
                notices.note(db, f"part-ended {part.name}", text, clock.now())
        finally:
            install.close()

    def stop(self) -> None:
        """Ask every part to stop, wait, and end those that will not."""
        stop([part.process for part in self.parts if part.process is not None])


def start(settings: Settings, log_to: Path | None = None) -> list[subprocess.Popen[bytes]]:
    """Start the service as a process of its own, which supervises the others; raises Clash for a taken port."""
    check_port(settings.host, settings.port)
    with log_to.open("ab") if log_to else nullcontext() as out:
        command = [sys.executable, "-m", PART, "supervisor"]
        environment = os.environ | environment_of(settings)
        return [subprocess.Popen(command, env=environment, stdout=out, stderr=out, start_new_session=True)]


def stop(children: Sequence[subprocess.Popen[bytes]]) -> None:
    """Ask processes to stop, wait, and end those that will not."""
    for child in children:
        if child.poll() is None:
            child.send_signal(signal.SIGTERM)
    until = time.monotonic() + GRACE_SECONDS
    for child in children:
        try:
            child.wait(max(0.1, until - time.monotonic()))
        except subprocess.TimeoutExpired:
            os.killpg(child.pid, signal.SIGKILL)
            child.wait()


def wait_until_up(
    settings: Settings,
    children: Sequence[subprocess.Popen[bytes]],
    seconds: float = UP_SECONDS,
    gone: Callable[[], bool] = lambda: False,
    meanwhile: Callable[[], object] = lambda: None,
) -> None:
    """Wait until the service answers that all is well; raises StoreFault when a child ends or time runs out.

    A service that answers, but that all is not well, is up too: it is given a few seconds to see its job worker.
    gone: says whether there is no hope left. meanwhile: is done while waiting.
    """
    host = f"[{settings.host}]" if ":" in settings.host else settings.host
    host = "127.0.0.1" if host in ("0.0.0.0", "[::]") else host
    until = time.monotonic() + seconds
    answered = False
    with httpx.Client(base_url=f"http://{host}:{settings.port}", timeout=2.0, trust_env=False) as asking:
        while time.monotonic() < until:
            meanwhile()
            if gone() or any(child.poll() is not None for child in children):
                break
            try:
                if asking.get("/api/v1/health").is_success:
                    return
                if not answered:
                    answered, until = True, min(until, time.monotonic() + WORKER_SECONDS)
            except httpx.TransportError:
                pass
            time.sleep(0.1)
    if answered and not gone() and all(child.poll() is None for child in children):
        return
    raise StoreFault("service-not-up", "The service did not start.", remedy="look into its log")


def run(settings: Settings, *, log_to: Path | None = None, when_up: Callable[[], None] = lambda: None) -> int:
    """Serve until SIGINT or SIGTERM; a part that ends by itself is started again."""
    listening = listen(settings.host, settings.port)
    install = Install(settings)
    install.prepare()
    asked: list[int] = []
    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, lambda caught, _frame: asked.append(caught))
    with log_to.open("ab") if log_to else nullcontext() as out:
        supervisor = Supervisor(settings, listening, out)
        try:
            supervisor.step(time.monotonic())
            _keep_shipped(install)
            _bring_up(supervisor, lambda: bool(asked))
            if not asked:
                when_up()
            while not asked:
                supervisor.step(time.monotonic())
                time.sleep(0.2)
        finally:
            supervisor.stop()
            listening.close()
    return 0


def _keep_shipped(install: Install) -> None:
    """Keep the shipped templates; loading what that takes must not hold up the parts, which are on their way."""
    from noctilum.actions import templates

    try:
        templates.keep_shipped(install, clock.now())
    finally:
        install.close()


def _bring_up(supervisor: Supervisor, asked: Callable[[], bool]) -> None:
    def gone() -> bool:
        return asked() or any(part.failures >= MOST_FAILURES for part in supervisor.parts)

    try:
        wait_until_up(supervisor.settings, [], gone=gone, meanwhile=lambda: supervisor.step(time.monotonic()))
    except StoreFault:
        if not asked():
            raise


def main() -> int:
    """Supervise the install that the environment names."""
    set_apart()
    settings = settings_from(os.environ)
    logs.configure(settings.log_level)
    return run(settings)


def work() -> None:
    """Run the job worker of the install that the environment names."""
    from noctilum.jobs.worker import Worker
    from noctilum.service.web import open_install

    logs.configure(settings_from(os.environ).log_level)

    worker = Worker(open_install(), clock.now)
    set_apart()
    os.nice(NICENESS)

    def _stop(_number: int, _frame: FrameType | None) -> None:
        worker.stopping.set()

    signal.signal(signal.SIGTERM, _stop)
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    end_with_parent()
    worker.run()
