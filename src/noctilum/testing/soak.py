"""Living through years of nightly pulls in fast time, with faults, outages, revisions and killed processes."""

from __future__ import annotations

import random
import signal
import subprocess
import sys
import time
from dataclasses import dataclass, field
from datetime import UTC, date, datetime, timedelta
from pathlib import Path
from typing import Any

import httpx

from noctilum.actions import setup
from noctilum.actions.install import Install, Settings
from noctilum.core.days import DayState
from noctilum.history.datasets import DAILY
from noctilum.standins.search_feed import LAG_DAYS, Setting, share_counted
from noctilum.standins.search_model import model_of
from noctilum.wire import setup as wire

PROPERTY = "quillon-hivewright-blog"
RETENTION = 60
PULL = """
import sys
from datetime import UTC, date, datetime
from pathlib import Path
from noctilum.actions.install import Install, Settings
from noctilum.actions.pull import pull
from noctilum.core.errors import FeedFault
install = Install(Settings(Path(sys.argv[1])))
now = datetime.combine(date.fromisoformat(sys.argv[3]), datetime.min.time(), UTC)
def report(progress):
    print(progress.done, flush=True)
    return True
try:
    pull(install, int(sys.argv[2]), origin="night", clock=lambda: now, report=report)
except FeedFault as fault:
    print(fault, file=sys.stderr)
"""


@dataclass(frozen=True)
class Nights:
    """Say what is lived through. every: nights between pulls. outages: (night, how many nights) nothing runs.

    kill_every: so manieth pull is ended by SIGKILL at a random moment. failing: share of calls that fail.
    """

    first: date
    count: int
    every: int = 1
    kill_every: int = 5
    outages: tuple[tuple[int, int], ...] = ()
    failing: float = 0.05


@dataclass
class Lived:
    """What it came to. wrong: (grain, day) that differ from the feed's final truth."""

    pulls: int = 0
    killed: int = 0
    doubled: int = 0
    wrong: list[tuple[str, date]] = field(default_factory=list)
    lost: set[date] = field(default_factory=set)
    unobtainable: set[date] = field(default_factory=set)


class _Feed:
    """The stand-in in a process of its own."""

    def __init__(self, anchor: date, port: int) -> None:
        self.url = f"http://127.0.0.1:{port}"
        command = [sys.executable, "-m", "noctilum.standins.search_feed", "--port", str(port)]
        command += ["--anchor", str(anchor), "--retention-days", str(RETENTION)]
        self._process = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)

    def control(self, **changes: Any) -> None:
        """Tell the stand-in how to behave, waiting until it is up."""
        for _ in range(300):
            try:
                httpx.put(f"{self.url}/control", json=changes).raise_for_status()
                return
            except httpx.TransportError:
                time.sleep(0.1)
        raise RuntimeError("the stand-in did not start")

    def stop(self) -> None:
        """End it."""
        self._process.terminate()
        self._process.wait(10)


def live_through(folder: Path, nights: Nights, seed: int, told: Any = lambda _: None) -> Lived:
    """Live through the nights; returns how the history compares with the truth in the end."""
    chance = random.Random(seed)
    last = nights.first + timedelta(nights.count)
    feed = _Feed(last, _port())
    install = Install(Settings(folder / "install"))
    try:
        feed.control(today=str(nights.first))
        number = _set_up(install, feed.url)
        lived, revised = _nights(install, number, feed, nights, chance, told)
        feed.control(today=str(last), error_every=0, cut_every=0, limit_every=0)
        _pull(install, number, last, None, chance)
        _compare(install, number, lived, nights, last, revised)
    finally:
        install.close()
        feed.stop()
    return lived


def _port() -> int:
    import socket

    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


def _set_up(install: Install, url: str) -> int:
    install.prepare()
    now = datetime(2025, 1, 1, tzinfo=UTC)
    client = setup.add_client(install, wire.NewClient(name="Soak"), now)
    site = setup.add_site(install, client, wire.NewSite(host="blog.hivewright.example"), now)
    asked = {"url": url, "account": "tallow-lane", "secret": "lamp-oil", "property": PROPERTY}
    return setup.add_source(install, site, wire.NewSource.model_validate(asked), now)


def _nights(
    install: Install, number: int, feed: _Feed, nights: Nights, chance: random.Random, told: Any
) -> tuple[Lived, dict[str, int]]:
    lived, revised = Lived(), dict[str, int]()
    every = max(2, round(1 / nights.failing))
    for night in range(0, nights.count, nights.every):
        today = nights.first + timedelta(night)
        if any(start <= night < start + length for start, length in nights.outages):
            continue
        if chance.random() < 0.4:
            old = today - timedelta(chance.randint(8, RETENTION - 10))
            revised[str(old)] = revised.get(str(old), 0) + 1
        faults = {"error_every": every * 3, "cut_every": every * 3 + 1, "limit_every": every * 3 + 2}
        feed.control(today=str(today), revised=revised, retry_after=0.01, **faults)
        kill = lived.pulls % nights.kill_every == nights.kill_every - 1
        lived.killed += _pull(install, number, today, chance.randint(1, 4) if kill else None, chance)
        lived.pulls += 1
        told((night, lived))
    return lived, revised


def _pull(install: Install, number: int, today: date, kill_after: int | None, chance: random.Random) -> int:
    """Pull in a process of its own, which may be killed; returns 1 when it was."""
    command = [sys.executable, "-c", PULL, str(install.settings.data), str(number), str(today)]
    process = subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True)
    killed = 0
    for line in process.stdout or ():
        if kill_after is not None and int(line) >= 0:
            time.sleep(chance.random() * 0.12)
            process.send_signal(signal.SIGKILL)
            killed = 1
            break
    if process.stdout:
        process.stdout.close()
    process.wait()
    return killed


def _compare(install: Install, number: int, lived: Lived, nights: Nights, last: date, revised: dict[str, int]) -> None:
    """Set every day against the model: as of when it was last offered, which outages may have cut short."""
    model = model_of(PROPERTY, last)
    ledger = install.history(1).ledger(sources=[number])
    lived.doubled = len(ledger) - len({(row.dataset, row.day) for row in ledger})
    lived.lost = {row.day for row in ledger if row.state is DayState.LOST}
    first = nights.first - timedelta(RETENTION - 1)
    asked = _asked_on(nights, last)
    seen = {day for day in _span(first, last - timedelta(LAG_DAYS)) if any(_offered(day, on) for on in asked)}
    lived.unobtainable = set(_span(first, last - timedelta(LAG_DAYS))) - seen
    setting = Setting(last, last, revised=revised)
    for row in ledger:
        if row.dataset not in DAILY or row.state is DayState.LOST or row.flag == "unsettled":
            continue
        if not _offered(row.day, last) and str(row.day) in revised:
            continue
        truth = model.day(row.day, share_counted(setting, row.day))[row.dataset]
        sums = (sum(truth.clicks), sum(truth.impressions), 1000 * sum(truth.position_sum))
        if (row.sums.clicks, row.sums.impressions, row.sums.position_milli) != sums:
            lived.wrong.append((row.dataset, row.day))


def _asked_on(nights: Nights, last: date) -> list[date]:
    found = [last]
    for night in range(0, nights.count, nights.every):
        if not any(start <= night < start + length for start, length in nights.outages):
            found.append(nights.first + timedelta(night))
    return found


def _offered(day: date, today: date) -> bool:
    return LAG_DAYS <= (today - day).days < RETENTION


def _span(first: date, last: date) -> list[date]:
    return [first + timedelta(n) for n in range((last - first).days + 1)]
