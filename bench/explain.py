"""Time every reading of a site of 5,000 rows a day over three years: cold in a new process, then warm.

A new process has loaded its code as the service's workers have, and opened and read nothing. Uses the install that
bench/overview.py fills. Warm keeps decoded columns but no answers, so that every run computes; the service keeps
answers besides. Prints a table and writes bench/explain.json.
"""

from __future__ import annotations

import json
import statistics
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

sys.path.insert(0, str(Path(__file__).parents[1]))

from bench.overview import SITE

if TYPE_CHECKING:
    from noctilum.history import History

HERE = Path(__file__).parent
FOLDER = HERE / ".data" / "overview"
WARM_MS, COLD_MS = 150, 1000
RUNS = 5


def readings() -> dict[str, Callable[[], object]]:
    """Give every reading as a call; a new opening of the site each, as the service does."""
    from noctilum.actions.install import Install, Settings
    from noctilum.actions.site_access import open_site
    from noctilum.history import AnswerCache, History
    from noctilum.readings.breakdown import Page, breakdown
    from noctilum.readings.clusters import cluster
    from noctilum.readings.cross import band_counts, cross
    from noctilum.readings.device_gap import device_gap
    from noctilum.readings.drivers import drivers
    from noctilum.readings.fading import fading
    from noctilum.readings.frame import Asked
    from noctilum.readings.odd import odd
    from noctilum.readings.overlap import overlap
    from noctilum.readings.reach import reach
    from noctilum.readings.rows_of import Slice
    from noctilum.readings.site_access import SiteAccess
    from noctilum.readings.timeline import timeline
    from noctilum.readings.unclicked import unclicked
    from noctilum.readings.weekdays import weekdays

    install = Install(Settings(FOLDER))
    install._histories[1] = History(install.history_path(1), cache=install._cache, answers=AnswerCache(0))
    page = Slice()

    def asked(**given: str) -> Asked:
        return Asked(SITE, **given)

    def opened() -> SiteAccess:
        return open_site(install, SITE)

    long = {"window": "P364D", "against": "before"}
    text = {"filter": "words >= 3 and not query has ab and device is mobile"}
    calls = {
        "timeline, 28 days": lambda: timeline(opened().holding, asked(), "day"),
        "timeline, all by week": lambda: timeline(opened().holding, asked(window="all", against="none"), "week"),
        "drivers, 28 days": lambda: drivers(opened().holding, asked()),
        "drivers, 52 weeks": lambda: drivers(opened().holding, asked(**long)),
        "breakdown by query, 28 days": lambda: breakdown(opened().holding, asked(), "query", Page()),
        "breakdown by query, 52 weeks": lambda: breakdown(opened().holding, asked(**long), "query", Page()),
        "breakdown by query, filtered": lambda: breakdown(opened().holding, asked(**text), "query", Page()),
        "breakdown by query, first seen lately": lambda: breakdown(
            opened().holding, asked(filter="first seen >= 2025-10"), "query", Page()
        ),
        "breakdown by page, 28 days": lambda: breakdown(opened().holding, asked(), "page", Page()),
        "fading pages, 28 days": lambda: fading(opened().holding, asked(), "page", (), page),
        "fading queries, 28 days": lambda: fading(opened().holding, asked(), "query", (), page),
        "fading pages against a year before": lambda: fading(opened().holding, asked(against="year"), "page", (), page),
        "within reach, 28 days": lambda: reach(opened().holding, asked(), page, 50),
        "overlap, 28 days": lambda: overlap(opened().holding, asked(), page, 50),
        "clusters, 28 days": lambda: cluster(opened().holding, asked(), page, "en"),
        "unclicked, 28 days": lambda: unclicked(opened().holding, asked(), page),
        "device gap, 28 days": lambda: device_gap(opened().holding, asked(), page, 50),
        "weekdays, 52 weeks": lambda: weekdays(opened().holding, asked(window="P364D")),
        "crossing of queries by device": lambda: cross(opened().holding, asked(), "query", "device", page),
        "crossing of queries by month": lambda: cross(opened().holding, asked(window="P12M"), "query", "month", page),
        "queries by band, 12 months": lambda: band_counts(opened().holding, asked(window="P12M")),
        "odd days, 52 weeks": lambda: odd(opened().holding, asked(window="P364D"), ()),
    }
    return {name: _stilled(install._histories[1], call) for name, call in calls.items()}


def _stilled(history: History, call: Callable[[], object]) -> Callable[[], object]:
    """Read as the service does, which asks for the state of a history once a reading."""

    def run() -> object:
        with history.still():
            return call()

    return run


def one(name: str) -> None:
    """Time one reading in this process; prints JSON."""
    from noctilum.service import ahead

    ahead.load()
    calls = readings()
    times = []
    for _ in range(RUNS + 1):
        began = time.perf_counter()
        calls[name]()
        times.append((time.perf_counter() - began) * 1e3)
    print(json.dumps({"cold_ms": times[0], "warm_ms": statistics.median(times[1:])}))


def main() -> int:
    """Run all; 1 when a limit is not kept."""
    if len(sys.argv) > 1:
        one(sys.argv[1])
        return 0
    found = {}
    for name in readings():
        done = subprocess.run([sys.executable, __file__, name], capture_output=True, text=True, check=True)
        found[name] = json.loads(done.stdout)
        cold, warm = found[name]["cold_ms"], found[name]["warm_ms"]
        kept = cold <= COLD_MS and warm <= WARM_MS
        print(f"{name:40}{cold:9.0f} /{warm:7.0f} ms{'' if kept else '   NOT KEPT'}", flush=True)
    (HERE / "explain.json").write_text(json.dumps(found, indent=1) + "\n")
    return int(any(each["cold_ms"] > COLD_MS or each["warm_ms"] > WARM_MS for each in found.values()))


if __name__ == "__main__":
    sys.exit(main())
