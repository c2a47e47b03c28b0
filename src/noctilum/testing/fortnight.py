"""Living through a fortnight in fast time, with another fault every hour: nothing is lost, nothing done by hand.

The worker is the real one, in a process of its own, which may be killed; only its clock is told. The disk that fills up
is a real one where this machine lets us mount one.
"""

from __future__ import annotations

import gzip
import multiprocessing
import os
import random
import subprocess
import threading
import time
from collections import Counter
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass, field
from datetime import UTC, date, datetime, timedelta
from pathlib import Path
from typing import Any

from noctilum.actions import files, notices, presenters, queue, setup
from noctilum.actions.install import Install, Settings
from noctilum.jobs.worker import Worker
from noctilum.testing import soak
from noctilum.wire import setup as wire

FEED_SECONDS = 0.6
LONGEST_HOUR = 60.0
DISK = "96m"
_HOURS = multiprocessing.get_context("forkserver")
_HOURS.set_forkserver_preload([__name__])


@dataclass
class Fortnight:
    """What it came to. drawn: how often each fault came. told: notices by code, of which none may stand twice."""

    drawn: Counter[str] = field(default_factory=Counter)
    killed: int = 0
    refused: int = 0
    told: Counter[str] = field(default_factory=Counter)
    compared: int = 0
    wrong: list[tuple[str, date]] = field(default_factory=list)
    doubled: int = 0
    damages: int = 0
    fault: str | None = None


@contextmanager
def disk(folder: Path) -> Iterator[bool]:
    """Mount a small disk of its own on a folder; gives whether this machine let us."""
    folder.mkdir(parents=True, exist_ok=True)
    command = ["mount", "-t", "tmpfs", "-o", f"size={DISK},mode=700", "none", str(folder)]
    mounted = os.geteuid() == 0 and subprocess.run(command, check=False, capture_output=True).returncode == 0
    try:
        yield mounted
    finally:
        if mounted:
            subprocess.run(["umount", "-l", str(folder)], check=False, capture_output=True)


def live_through(folder: Path, hours: int, seed: int, told: Callable[[int, str], None] = lambda *_: None) -> Fortnight:
    """Live through the hours, a fault drawn for each; then give it a calm day, and compare with the feed's truth."""
    chance = random.Random(seed)
    first = date(2025, 9, 1)
    nights = soak.Nights(first, hours // 24 + 2)
    feed = soak._Feed(soak._anchor(nights), soak._port())
    found = Fortnight()
    with disk(folder / "disk") as own_disk:
        life = _Life(
            folder / "disk" / "install", feed, found, chance, datetime.combine(first, datetime.min.time(), UTC)
        )
        try:
            feed.control(today=str(first))
            life.set_up()
            kinds = [kind for kind in FAULTS if own_disk or kind != "full disk"]
            for hour in range(hours):
                kind = chance.choice(kinds)
                found.drawn[kind] += 1
                life.hour(kind)
                told(hour, kind)
            life.rest(24 * nights.count - hours)
            _compare(life, nights)
        finally:
            feed.stop()
    return found


@dataclass
class _Life:
    """One install living from hour to hour."""

    data: Path
    feed: soak._Feed
    found: Fortnight
    chance: random.Random
    now: datetime
    number: int = 0

    @property
    def install(self) -> Install:
        """Open it, as it lies there."""
        return Install(_settings(self.data))

    def set_up(self) -> None:
        install = self.install
        install.prepare()
        client = setup.add_client(install, wire.NewClient(name="Fortnight"), self.now)
        site = setup.add_site(install, client, wire.NewSite(host="blog.hivewright.example"), self.now)
        asked = {"url": self.feed.url, "account": "tallow-lane", "secret": "lamp-oil", "property": soak.PROPERTY}
        source = wire.NewSource.model_validate(asked | {"schedule": "hourly"})
        self.number = setup.add_source(install, site, source, self.now)
        install.close()

    def hour(self, kind: str) -> None:
        """Let an hour pass under a fault, and a calm moment after it."""
        self.now += timedelta(hours=1)
        self.feed.control(today=str(self.now.date()), **CALM)
        FAULTS[kind](self)
        self.feed.control(**CALM)
        self.work(self.now + timedelta(minutes=5))

    def rest(self, hours: int) -> None:
        """Let calm hours pass."""
        for _ in range(hours):
            self.now += timedelta(hours=1)
            if self.now.hour in (0, 6, 12, 23):
                self.feed.control(today=str(self.now.date()), **CALM)
                self.work(self.now)

    def work(self, now: datetime, kill_after: float | None = None, meanwhile: Callable[[], None] | None = None) -> None:
        """Let the worker do what is due, in a process of its own."""
        process = _HOURS.Process(target=_work, args=(self.data, now))
        process.start()
        if meanwhile:
            meanwhile()
        if kill_after is not None:
            process.join(kill_after)
            if process.is_alive():
                process.kill()
                self.found.killed += 1
        process.join(LONGEST_HOUR + 20)
        if process.is_alive():
            process.kill()
            raise RuntimeError(f"the hour of {now} does not end")
        process.close()


def _settings(data: Path) -> Settings:
    return Settings(data, inside_hosts="127.0.0.1", feed_seconds=FEED_SECONDS, jobs_at_once=1)


class _Looking(Worker):
    """A worker that says whether it has looked what is due: on a busy machine that may take longer than a pause."""

    looked = False

    def tick(self) -> None:
        """Queue what is due."""
        try:
            super().tick()
        finally:
            self.looked = True


def _work(data: Path, now: datetime) -> None:
    """Run the worker until it has looked what is due and nothing is left to do at this moment."""
    install = Install(_settings(data))
    began = time.monotonic()
    worker = _Looking(install, lambda: now + timedelta(seconds=time.monotonic() - began))
    thread = threading.Thread(target=worker.run)
    thread.start()
    idle = 0
    while idle < 3 and time.monotonic() - began < LONGEST_HOUR:
        time.sleep(0.2)
        idle = idle + 1 if worker.looked and _is_idle(install, worker.clock()) else 0
    worker.stopping.set()
    thread.join()
    install.close()


def _is_idle(install: Install, now: datetime) -> bool:
    try:
        return all(job.not_before is not None and job.not_before > now for job in queue.active(install))
    except Exception:
        return False


CALM: dict[str, Any] = {
    "error_every": 0,
    "cut_every": 0,
    "limit_every": 0,
    "slow_ms": 0,
    "down": False,
    "retry_after": 0.01,
}


def _kill(life: _Life) -> None:
    life.work(life.now, kill_after=life.chance.uniform(0.1, 1.2))


def _fill_up(life: _Life) -> None:
    """Fill the disk to the brim while the worker works, and make room again a moment later."""
    ballast = life.data.parent / "ballast"

    def fill() -> None:
        with suppress(OSError), ballast.open("wb", buffering=0) as sink:
            while True:
                sink.write(b"\0" * (1 << 16))
        time.sleep(life.chance.uniform(0.5, 2.0))
        ballast.unlink()

    life.work(life.now, meanwhile=fill)


def _damaged_file(life: _Life) -> None:
    inbox = files.inbox(life.install, life.number)
    inbox.mkdir(parents=True, exist_ok=True)
    path = inbox / f"{life.now:%Y-%m-%d-%H}.csv.gz"
    path.write_bytes(gzip.compress(b"Date,Clicks,Impressions,Position\n" * 900)[: -life.chance.randint(9, 30)])
    os.utime(path, (1, 1))
    life.found.refused += 1
    life.work(life.now)


def _hang(life: _Life) -> None:
    life.feed.control(slow_ms=int(2500 * FEED_SECONDS))
    life.work(life.now)


def _step_the_clock(life: _Life) -> None:
    life.work(life.now + timedelta(hours=life.chance.choice([-700, -30, -3, 2, 9, 50, 700])))


def _turn_hostile(life: _Life) -> None:
    life.feed.control(error_every=2, cut_every=3, limit_every=5, retry_after=1e300)
    life.work(life.now)


def _go_down(life: _Life) -> None:
    life.feed.control(down=True)
    life.work(life.now)


FAULTS: dict[str, Callable[[_Life], None]] = {
    "kill": _kill,
    "full disk": _fill_up,
    "damaged file": _damaged_file,
    "hanging feed": _hang,
    "clock step": _step_the_clock,
    "hostile feed": _turn_hostile,
    "feed down": _go_down,
}


def _compare(life: _Life, nights: soak.Nights) -> None:
    install, lived, found = life.install, soak.Lived(), life.found
    soak._compare(install, life.number, lived, nights, {}, {})
    found.compared, found.wrong, found.doubled = lived.compared, lived.wrong, lived.doubled
    found.damages = len(install.history(1).verify())
    found.told = Counter(notice.code for notice in notices.unseen(install))
    found.fault = presenters.source(install, life.number).fault
    install.close()
