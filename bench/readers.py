"""Eight readers of the large site while a feed is pulled into it: how long answers take, and in how much memory.

The pull is a real one, of the stand-in feed over HTTP into the same history file, in a process of its own.
"""

from __future__ import annotations

import json
import multiprocessing
import resource
import shutil
import socket
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, date, datetime, timedelta
from pathlib import Path

import httpx

HERE = Path(__file__).parent
READERS, SECONDS = 8, 20
LAST = date(2025, 12, 31)


def main() -> int:
    """Copy the site, let one process pull and eight read, print and keep the figures."""
    with tempfile.TemporaryDirectory(dir=HERE / ".data-large") as folder, _feed() as url:
        source = _laid_out(Path(folder), url)
        path = Path(folder) / "history" / "1.db"
        context = multiprocessing.get_context("spawn")
        with context.Pool(READERS + 1) as pool:
            pulled = pool.apply_async(_pull, (Path(folder), source))
            read = pool.map(_read, [(path, n) for n in range(READERS)], chunksize=1)
            days, rows = pulled.get()
    times = sorted(ms for found, _ in read for ms in found)
    figures = {
        "readers": READERS,
        "seconds": SECONDS,
        "answers": len(times),
        "median_ms": statistics.median(times),
        "p95_ms": times[int(len(times) * 0.95)],
        "most_memory_mb": max(most for _, most in read),
        "days_pulled_meanwhile": days,
        "rows_pulled_meanwhile": rows,
    }
    print(", ".join(f"{name} {value:,.0f}" for name, value in figures.items()))
    (HERE / "readers.json").write_text(json.dumps(figures, indent=1) + "\n")
    return 0


@contextmanager
def _feed() -> Iterator[str]:
    """Start the stand-in feed; gives its address."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    command = [sys.executable, "-m", "noctilum.standins.search_feed", "--port", str(port)]
    feed = subprocess.Popen([*command, "--anchor", str(LAST)], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    url = f"http://127.0.0.1:{port}"
    try:
        for _ in range(200):
            try:
                httpx.put(f"{url}/control", json={}).raise_for_status()
                break
            except httpx.TransportError:
                time.sleep(0.1)
        yield url
    finally:
        feed.terminate()
        feed.wait(10)


def _laid_out(folder: Path, url: str) -> int:
    """Lay out an install whose site has the large history; returns the number of the source to pull."""
    from noctilum.actions import setup
    from noctilum.actions.install import Install, Settings
    from noctilum.wire import setup as wire

    now = datetime.combine(LAST, datetime.min.time(), UTC)
    install = Install(Settings(folder, inside_hosts="127.0.0.1"))
    install.prepare()
    client = setup.add_client(install, wire.NewClient(name="Large"), now)
    site = setup.add_site(install, client, wire.NewSite(host="skerryferries.example"), now)
    setup.add_file_source(install, site, wire.NewFileSource(label="the large history"), now)
    asked = {"url": url, "account": "tallow-lane", "secret": "lamp-oil", "property": "quillon-skerry"}
    number = setup.add_source(install, site, wire.NewSource.model_validate(asked), now)
    install.close()
    shutil.copy(HERE / ".data-large" / "noctilum" / "site.db", folder / "history" / "1.db")
    return number


def _pull(folder: Path, source: int) -> tuple[int, int]:
    """Pull until time is up; returns days and rows."""
    from noctilum.actions.install import Install, Settings
    from noctilum.actions.pull import pull

    install = Install(Settings(folder, inside_hosts="127.0.0.1"))
    now = datetime.combine(LAST, datetime.min.time(), UTC)
    until = time.monotonic() + SECONDS
    try:
        done = pull(install, source, origin="bench", clock=lambda: now, report=lambda _: time.monotonic() < until)
    finally:
        install.close()
    return done.days, done.rows


def _read(task: tuple[Path, int]) -> tuple[list[float], int]:
    """Ask for top queries and pages of several windows until time is up; milliseconds each, and megabytes at most."""
    from noctilum.history import AnswerCache, History, Question

    path, number = task
    history = History(path, answers=AnswerCache(0))
    until = time.monotonic() + SECONDS
    times = []
    while time.monotonic() < until:
        for by, days in (("query", 28), ("page", 487), ("query", 90), ("country", 1096)):
            began = time.perf_counter()
            end = LAST - timedelta(number)
            history.read(Question("pair", end - timedelta(days - 1), end, (by,)))
            times.append((time.perf_counter() - began) * 1e3)
    history.close()
    return times, resource.getrusage(resource.RUSAGE_SELF).ru_maxrss // 1024


if __name__ == "__main__":
    sys.exit(main())
