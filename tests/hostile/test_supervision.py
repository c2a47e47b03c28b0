"""A service whose processes are killed: what ends is started again, and nobody is left behind."""

import itertools
import os
import signal
import subprocess
import time
from pathlib import Path
from types import SimpleNamespace

import httpx
import pytest
from tests.conftest import free_port

from noctilum.actions import notices
from noctilum.actions.install import Install, Settings
from noctilum.core.errors import StoreFault
from noctilum.service.serve import Supervisor, listen, start, stop, wait_until_up

pytestmark = pytest.mark.slow


def children(parent: int) -> dict[str, int]:
    found = subprocess.run(["ps", "-o", "pid=,args=", "--ppid", str(parent)], capture_output=True, text=True).stdout
    named = {}
    for line in found.splitlines():
        pid, _, command = line.strip().partition(" ")
        named["worker" if command.endswith("worker") else "web"] = int(pid)
    return named


def well(settings: Settings) -> bool:
    try:
        answer = httpx.get(f"http://127.0.0.1:{settings.port}/api/v1/health", timeout=2)
        return answer.json()["status"] == "ok"
    except (httpx.TransportError, ValueError):
        return False


def wait_for(condition, seconds=200.0) -> None:
    until = time.monotonic() + seconds
    while not condition():
        assert time.monotonic() < until
        time.sleep(0.3)


@pytest.fixture
def served(tmp_path):
    settings = Settings(tmp_path / "install", port=free_port(), web_workers=1)
    install = Install(settings)
    install.prepare()
    install.close()
    processes = start(settings, tmp_path / "log")
    wait_until_up(settings, processes)
    yield settings, processes[0]
    stop(processes)


def test_what_is_killed_is_started_again_and_told_once(served):
    settings, supervisor = served
    for _ in range(2):
        for name, pid in children(supervisor.pid).items():
            os.kill(pid, signal.SIGKILL)
            wait_for(lambda name=name, pid=pid: children(supervisor.pid).get(name, pid) != pid)
    wait_for(lambda: well(settings))
    install = Install(settings)
    codes = [notice.code for notice in notices.unseen(install)]
    install.close()
    assert sorted(codes) == ["part-ended web 1", "part-ended worker"]


def test_a_killed_supervisor_leaves_nobody_behind_who_holds_the_port(served):
    settings, supervisor = served
    parts = children(supervisor.pid).values()
    supervisor.kill()
    supervisor.wait()
    wait_for(lambda: not any(Path(f"/proc/{pid}").exists() for pid in parts))
    listen("127.0.0.1", settings.port).close()


def test_a_worker_that_hangs_is_ended_and_started_again(served, monkeypatch):
    settings, supervisor = served
    pid = children(supervisor.pid)["worker"]
    os.kill(pid, signal.SIGSTOP)
    try:
        wait_for(lambda: not well(settings))
    finally:
        os.kill(pid, signal.SIGKILL)
    wait_for(lambda: well(settings))


class _Dies:
    """A part that ends at once."""

    returncode = 3

    def __init__(self, *_args, **_more):
        self.pid = 0

    def poll(self):
        return self.returncode


def test_a_part_that_ends_again_and_again_waits_longer_each_time(tmp_path, monkeypatch):
    settings = Settings(tmp_path / "install", port=free_port(), web_workers=1)
    listening = listen("127.0.0.1", settings.port)
    started = []
    starts = SimpleNamespace(Popen=lambda *a, **m: started.append(now) or _Dies())
    monkeypatch.setattr("noctilum.service.serve.subprocess", starts)
    supervisor = Supervisor(settings, listening)
    supervisor.parts = supervisor.parts[:1]
    now = 0.0
    while now < 300:
        supervisor.step(now)
        now += 0.25
    waits = [later - sooner for sooner, later in itertools.pairwise(started)]
    assert waits == sorted(waits)
    assert (waits[0] < 1, waits[-1]) == (True, pytest.approx(60, abs=1))
    listening.close()


def test_a_service_that_cannot_start_says_so(tmp_path):
    settings = Settings(tmp_path / "install", port=free_port(), web_workers=1)
    install = Install(settings)
    install.prepare()
    install.close()
    (tmp_path / "install" / "records.db").write_bytes(b"not a database" * 500)
    processes = start(settings, tmp_path / "log")
    with pytest.raises(StoreFault, match="did not start"):
        wait_until_up(settings, processes, 40)
    stop(processes)


def test_the_unit_file_is_one_that_systemd_would_take():
    text = (Path(__file__).parents[2] / "deploy" / "noctilum.service").read_text()
    for line in ("Restart=always", "NoNewPrivileges=yes", "ProtectSystem=strict", "UMask=0077"):
        assert line in text
    checker = Path("/usr/bin/systemd-analyze")
    if checker.exists():
        found = subprocess.run(
            [checker, "verify", "--man=no", "deploy/noctilum.service"], capture_output=True, text=True
        )
        assert "Unknown" not in found.stderr
