"""Time what acts: worklist, trials and targets of the large site of bench/beside.py, each asked of a store just opened.

30 items of work done over a year, a trial of 20 pages, and targets of clicks, of a set, of a country, of visits, each
with three years to take a season from. Prints medians of rounds, each with nothing kept from the one before but the
site's days.

    python -m bench.acting [--rounds 5]
"""

from __future__ import annotations

import argparse
import os
import statistics
import sys
import time
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

sys.path.insert(0, str(Path(__file__).parents[1]))

from bench.beside import HERE, LAST, MOST_MS, SITE

from noctilum.actions import kept_work, targets, trials, worklist
from noctilum.actions.install import Install, Settings
from noctilum.actions.read import open_for, read
from noctilum.wire.catalogue import READINGS
from noctilum.wire.targets import NewTarget, TargetsQuery
from noctilum.wire.trials import NewTrial, TrialsQuery
from noctilum.wire.work import NewWork, WorkQuery

FOLDER = HERE / ".data" / "beside"
NOW = datetime(2026, 1, 1, tzinfo=UTC)
TARGETS: tuple[dict[str, Any], ...] = (
    {"value": 9e5},
    {"value": 9e4, "filter": 'path starts "/a"'},
    {"value": 9e4, "filter": "country is NO"},
    {"value": 9e4, "metric": "sessions"},
)


def largest_pages(install: Install, many: int) -> list[str]:
    """Name the pages with the most clicks."""
    question = READINGS["breakdown"].question.model_validate({"dimension": "page", "limit": many})
    found: Any = read(open_for(install, SITE, question, LAST), "breakdown", question)
    return [row.key for row in found.rows]


def furnish(install: Install) -> None:
    """Put on the list, plan and set what is timed, unless it is there."""
    if kept_work.listed(install, WorkQuery()) or targets.listed(install, TargetsQuery()):
        return
    pages = largest_pages(install, 60)
    for n, page in enumerate(pages[:30]):
        day = LAST - timedelta(35 + 10 * n)
        done = {"site": SITE, "key": page, "todo": "Refresh it", "kind": "refresh", "state": "done", "done_on": day}
        worklist.added(install, NewWork.model_validate(done), NOW)
    treated = {"treated": pages[20:40], "control": pages[40:60], "starts": LAST - timedelta(27)}
    trials.added(install, NewTrial(site=SITE, name="Titles", **treated), NOW)
    for n, told in enumerate(TARGETS):
        by = {"starts": LAST - timedelta(60), "by": LAST + timedelta(120)}
        targets.added(install, NewTarget(site=SITE, name=f"Target {n}", **by, **told), NOW)


def asked(install: Install) -> list[tuple[str, dict[str, Any]]]:
    """List what is timed."""
    trial = trials.listed(install, TrialsQuery())[0].id
    aims = [each.id for each in reversed(targets.listed(install, TargetsQuery()))]
    plan = {"treated": largest_pages(install, 20)}
    return [
        ("worked", {"window": "P12M"}),
        ("trial", {"number": trial}),
        ("trial-plan", plan),
        *(("target", {"number": number}) for number in aims),
        ("course", {}),
    ]


def timed(name: str, told: dict[str, Any]) -> float:
    """Ask of a store just opened, whose days were read once; gives milliseconds."""
    install = Install(Settings(FOLDER))
    first = READINGS["timeline"].question()
    read(open_for(install, SITE, first, LAST), "timeline", first)
    question = READINGS[name].question.model_validate(told)
    access = open_for(install, SITE, question, LAST)
    started = time.perf_counter()
    with access.history.still():
        read(access, name, question)
    took = (time.perf_counter() - started) * 1000
    install.close()
    return took


def main() -> int:
    """Run; 1 when a promise is not kept."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--rounds", type=int, default=5)
    rounds = parser.parse_args().rounds
    os.environ["NOCTILUM_TODAY"] = (LAST + timedelta(1)).isoformat()
    install = Install(Settings(FOLDER))
    install.prepare()
    furnish(install)
    kept = True
    for name, told in asked(install):
        ms = statistics.median(timed(name, told) for _ in range(rounds))
        kept &= ms <= MOST_MS
        print(f"  {name:12} {str(told)[:60]:62}{ms:8.1f} ms", flush=True)
    install.close()
    return 0 if kept else 1


if __name__ == "__main__":
    sys.exit(main())
