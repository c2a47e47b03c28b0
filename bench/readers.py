"""Eight readers of the large site while a writer puts days: how long answers take, and in how much memory."""

from __future__ import annotations

import json
import multiprocessing
import resource
import shutil
import statistics
import sys
import tempfile
import time
from datetime import date, timedelta
from pathlib import Path

HERE = Path(__file__).parent
READERS, SECONDS = 8, 20
LAST = date(2025, 12, 31)


def main() -> int:
    """Copy the site, let one process write and eight read, print and keep the figures."""
    source = HERE / ".data-large" / "noctilum" / "site.db"
    with tempfile.TemporaryDirectory(dir=source.parent) as folder:
        path = Path(folder) / "site.db"
        shutil.copy(source, path)
        context = multiprocessing.get_context("spawn")
        with context.Pool(READERS + 1) as pool:
            written = pool.apply_async(_write, (path,))
            read = pool.map(_read, [(path, n) for n in range(READERS)], chunksize=1)
            days = written.get()
    times = sorted(ms for found, _ in read for ms in found)
    figures = {
        "readers": READERS,
        "answers": len(times),
        "median_ms": statistics.median(times),
        "p95_ms": times[int(len(times) * 0.95)],
        "most_memory_mb": max(most for _, most in read),
        "days_written_meanwhile": days,
    }
    print(", ".join(f"{name} {value:,.0f}" for name, value in figures.items()))
    (HERE / "readers.json").write_text(json.dumps(figures, indent=1) + "\n")
    return 0


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


def _write(path: Path) -> int:
    """Put one day after the other until time is up."""
    sys.path.insert(0, str(HERE.parent))
    from bench.large_site import Shape, days

    from noctilum.core.days import DayState
    from noctilum.history import DayEntry, History

    history = History(path)
    until = time.monotonic() + SECONDS
    count = 0
    for batch in days(Shape(days=400, rows_a_day=40_150, queries=240_000, first=date(2026, 1, 1))):
        history.put_days(1, [DayEntry("pair", batch.day, DayState.FINAL, "1", batch, "", "bench")])
        count += 1
        if time.monotonic() > until:
            break
    history.close()
    return count


if __name__ == "__main__":
    sys.exit(main())
