"""Living through years of nightly pulls in fast time, with faults, outages, revisions and killed processes."""

from __future__ import annotations

import contextlib
import multiprocessing
import random
import signal
import subprocess
import sys
import time
from dataclasses import dataclass, field
from datetime import UTC, date, datetime, timedelta
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any

import httpx

from noctilum.actions import setup
from noctilum.actions.install import Install, Settings
from noctilum.actions.pull import pull
from noctilum.core.days import DayState
from noctilum.core.errors import FeedFault
from noctilum.datasets import DATASETS
from noctilum.standins.search_feed import LAG_DAYS, Setting, share_counted
from noctilum.standins.search_model import model_of
from noctilum.standins.worlds import NEWEST, OLDEST
from noctilum.wire import setup as wire

PROPERTY = "quillon-hivewright-blog"
RETENTION = 60
_NIGHTS = multiprocessing.get_context("forkserver")
_NIGHTS.set_forkserver_preload([__name__])


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
    """What it came to. wrong: (grain, day) not there or not as the feed's final truth; compared: how many are."""

    pulls: int = 0
    killed: int = 0
    doubled: int = 0
    compared: int = 0
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
    feed = _Feed(_anchor(nights), _port())
    install = Install(Settings(folder / "install", inside_hosts="127.0.0.1"))
    try:
        feed.control(today=str(nights.first))
        number = _set_up(install, feed.url)
        lived, revised, revised_on = _nights(install, number, feed, nights, chance, told)
        feed.control(today=str(last), error_every=0, cut_every=0, limit_every=0)
        _pull(install, number, last, None, chance)
        _compare(install, number, lived, nights, revised, revised_on)
    finally:
        install.close()
        feed.stop()
    return lived


def _anchor(nights: Nights) -> date:
    """Place the feed's world so that it knows the oldest day asked for and the last."""
    oldest = nights.first - timedelta(RETENTION)
    if nights.count + RETENTION > NEWEST - OLDEST:
        raise ValueError(f"the feed's world lasts {NEWEST - OLDEST} days, not {nights.count + RETENTION}")
    return oldest - timedelta(OLDEST)


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
) -> tuple[Lived, dict[str, int], dict[date, date]]:
    lived, revised, revised_on = Lived(), dict[str, int](), dict[date, date]()
    every = max(2, round(1 / nights.failing))
    for night in range(0, nights.count, nights.every):
        today = nights.first + timedelta(night)
        if any(start <= night < start + length for start, length in nights.outages):
            continue
        if chance.random() < 0.4:
            old = today - timedelta(chance.randint(8, RETENTION - 10))
            revised[str(old)] = revised.get(str(old), 0) + 1
            revised_on[old] = today
        faults = {"error_every": every * 3, "cut_every": every * 3 + 1, "limit_every": every * 3 + 2}
        feed.control(today=str(today), revised=revised, retry_after=0.01, **faults)
        kill = lived.pulls % nights.kill_every == nights.kill_every - 1
        lived.killed += _pull(install, number, today, chance.randint(1, 2) if kill else None, chance)
        lived.pulls += 1
        told((night, lived))
    return lived, revised, revised_on


def _pull(install: Install, number: int, today: date, kill_after: int | None, chance: random.Random) -> int:
    """Pull in a process of its own, which may be killed; returns 1 when it was."""
    told, telling = _NIGHTS.Pipe(duplex=False)
    process = _NIGHTS.Process(target=_night, args=(install.settings.data, number, today, telling))
    process.start()
    telling.close()
    killed = heard = 0
    try:
        while True:
            told.recv()
            heard += 1
            if heard == kill_after:
                time.sleep(chance.random() * 0.12)
                process.kill()
                killed = 1
                break
    except EOFError:
        pass
    told.close()
    process.join()
    if process.exitcode not in (0, -signal.SIGKILL):
        raise RuntimeError(f"the pull of {today} ended with {process.exitcode}")
    process.close()
    return killed


def _night(data: Path, number: int, today: date, telling: Connection) -> None:
    """Pull once, telling each step; a pull that the feed cut short goes on the next night."""
    install = Install(Settings(data, inside_hosts="127.0.0.1"))
    now = datetime.combine(today, datetime.min.time(), UTC)

    def report(progress: Any) -> bool:
        telling.send(progress.done)
        return True

    with contextlib.suppress(FeedFault):
        pull(install, number, origin="night", clock=lambda: now, report=report)
    install.close()


def _compare(
    install: Install,
    number: int,
    lived: Lived,
    nights: Nights,
    revised: dict[str, int],
    revised_on: dict[date, date],
) -> None:
    """Set every day that was ever offered on a night of pulling against the model."""
    last = nights.first + timedelta(nights.count)
    model = model_of(PROPERTY, _anchor(nights))
    ledger = install.history(1).ledger(sources=[number])
    lived.doubled = len(ledger) - len({(row.dataset, row.day) for row in ledger})
    lived.lost = {row.day for row in ledger if row.state is DayState.LOST}
    first = nights.first - timedelta(RETENTION - 1)
    asked = _asked_on(nights, last)
    seen = {day for day in _span(first, last - timedelta(LAG_DAYS)) if any(_offered(day, on) for on in asked)}
    lived.unobtainable = set(_span(first, last - timedelta(LAG_DAYS))) - seen
    setting = Setting(_anchor(nights), last, revised=revised)
    held = {(row.dataset, row.day): row for row in ledger if row.state is not DayState.LOST}
    for day in sorted(seen):
        truth = model.day(day, share_counted(setting, day))
        for name in (kept.name for kept in DATASETS.of_kind("search")):
            row = held.get((name, day))
            if row is None:
                lived.wrong.append((name, day))
                continue
            if row.flag == "unsettled" or not _could_see(day, revised_on.get(day), asked):
                continue
            sums = tuple(sum(column) for column in (truth[name].clicks, truth[name].impressions))
            places = 1000 * sum(truth[name].position_sum)
            if (row.sums.clicks, row.sums.impressions, row.sums.position_milli) != (*sums, places):
                lived.wrong.append((name, day))
            else:
                lived.compared += 1


def _could_see(day: date, revised: date | None, asked: list[date]) -> bool:
    """Say whether a day's last revision was there on two nights of pulling, of which one may have been killed."""
    return revised is None or sum(revised <= on and _offered(day, on) for on in asked) >= 2


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
