"""Starting and stopping the processes of an install: web workers and one job worker."""

from __future__ import annotations

import os
import signal
import socket
import subprocess
import sys
import time
from collections.abc import Callable
from contextlib import nullcontext
from pathlib import Path
from types import FrameType

import httpx

from noctilum.actions.install import Install, Settings
from noctilum.actions.settings import environment_of, settings_from
from noctilum.core.errors import Clash, StoreFault
from noctilum.jobs.worker import Worker
from noctilum.service import clock, logs

GRACE_SECONDS = 20.0
WORKER_SECONDS = 20.0


def check_port(host: str, port: int) -> None:
    """Raise Clash when another program listens there already."""
    with socket.socket(socket.AF_INET6 if ":" in host else socket.AF_INET) as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind((host, port))
        except OSError as why:
            raise Clash(
                "port-taken",
                f"Port {port} on {host} cannot be used: {why.strerror}.",
                remedy=f"stop what listens there, or choose another with --port {port + 1}",
            ) from why


def start(settings: Settings, log_to: Path | None = None) -> list[subprocess.Popen[bytes]]:
    """Start the web workers and the job worker as child processes; raises Clash for a taken port."""
    check_port(settings.host, settings.port)
    install = Install(settings)
    install.prepare()
    install.close()
    environment = os.environ | environment_of(settings)
    web = [
        *(sys.executable, "-m", "gunicorn", "noctilum.service.web:app", "--no-control-socket"),
        *("--config", "python:noctilum.service.ahead"),
        *("--bind", f"{settings.host}:{settings.port}", "--worker-class", "gthread"),
        *("--workers", str(settings.web_workers), "--threads", str(settings.web_threads)),
        *("--log-level", "warning", "--timeout", "120", "--graceful-timeout", "10", "--keep-alive", "15"),
    ]
    work = [sys.executable, "-m", "noctilum.service.serve"]
    with log_to.open("ab") if log_to else nullcontext() as out:
        return [
            subprocess.Popen(command, env=environment, stdout=out, stderr=out, start_new_session=True)
            for command in (web, work)
        ]


def stop(children: list[subprocess.Popen[bytes]]) -> None:
    """Ask the children to stop, wait, and end those that will not."""
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


def wait_until_up(settings: Settings, children: list[subprocess.Popen[bytes]], seconds: float = 60.0) -> None:
    """Wait until the service answers that all is well; raises StoreFault when a child ends or time runs out.

    A service that answers, but that all is not well, is up too: it is given a few seconds to see its job worker.
    """
    host = f"[{settings.host}]" if ":" in settings.host else settings.host
    until = time.monotonic() + seconds
    answered = False
    while time.monotonic() < until:
        if any(child.poll() is not None for child in children):
            break
        try:
            left = max(1.0, until - time.monotonic())
            if httpx.get(f"http://{host}:{settings.port}/api/v1/health", timeout=left).is_success:
                return
            if not answered:
                answered, until = True, min(until, time.monotonic() + WORKER_SECONDS)
        except httpx.TransportError:
            pass
        time.sleep(0.1)
    if answered and all(child.poll() is None for child in children):
        return
    raise StoreFault("service-not-up", "The service did not start.", remedy="look into its log")


def run(settings: Settings, *, log_to: Path | None = None, when_up: Callable[[], None] = lambda: None) -> int:
    """Serve until SIGINT or SIGTERM, or until a child ends by itself (then 1)."""
    children = start(settings, log_to)
    asked: list[int] = []
    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, lambda caught, _frame: asked.append(caught))
    try:
        wait_until_up(settings, children)
        when_up()
        while not asked and all(child.poll() is None for child in children):
            time.sleep(0.2)
    finally:
        stop(children)
    return 0 if asked else 1


def work() -> None:
    """Run the job worker of the install that the environment names."""
    logs.configure(settings_from(os.environ).log_level)
    from noctilum.service.web import open_install

    worker = Worker(open_install(), clock.now)

    def _stop(_number: int, _frame: FrameType | None) -> None:
        worker.stopping.set()

    signal.signal(signal.SIGTERM, _stop)
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    worker.run()


if __name__ == "__main__":
    work()
