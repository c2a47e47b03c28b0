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
    pages = largest_pages(install, 60)
    if len(trials.listed(install, TrialsQuery())) == 1:
        second = {"treated": pages[10:30], "control": pages[30:50], "starts": LAST - timedelta(34)}
        trials.added(install, NewTrial(site=SITE, name="Titles again", **second), NOW)
    if kept_work.listed(install, WorkQuery()) or targets.listed(install, TargetsQuery()):
        return
    for n, page in enumerate(pages[:30]):
        day = LAST - timedelta(35 + 10 * n)
        done = {"site": SITE, "key": page, "todo": "Refresh it", "kind": "refresh", "state": "done", "done_on": day}
        worklist.added(install, NewWork.model_validate(done), NOW)
    treated = {"treated": pages[20:40], "control": pages[40:60], "starts": LAST - timedelta(27)}
    trials.added(install, NewTrial(site=SITE, name="Titles", **treated), NOW)
    for n, told in enumerate(TARGETS):
        by = {"starts": LAST - timedelta(60), "by": LAST + timedelta(120)}
        targets.added(install, NewTarget(site=SITE, name=f"Target {n}", **by, **told), NOW)


def asked(install: Install) -> list[tuple[str, dict[str, Any], dict[str, Any]]]:
    """List what is timed: a reading, what it is asked first, and what next."""
    one, other = (each.id for each in trials.listed(install, TrialsQuery())[:2])
    aims = [each.id for each in reversed(targets.listed(install, TargetsQuery()))]
    pages = largest_pages(install, 40)
    return [
        ("worked", {"window": "P12M"}, {"window": "P11M"}),
        ("trial", {"number": one}, {"number": other}),
        ("trial-plan", {"treated": pages[:20]}, {"treated": pages[20:]}),
        *(("target", {"number": each}, {"number": each}) for each in aims),
        ("course", {}, {"limit": 3}),
    ]


def timed(name: str, first: dict[str, Any], after: dict[str, Any]) -> tuple[float, float]:
    """Ask twice of a store just opened, whose days were read once; gives milliseconds of both."""
    install = Install(Settings(FOLDER))
    days = READINGS["timeline"].question()
    read(open_for(install, SITE, days, LAST), "timeline", days)
    took = []
    for told in (first, after):
        question = READINGS[name].question.model_validate(told)
        access = open_for(install, SITE, question, LAST)
        started = time.perf_counter()
        with access.history.still():
            read(access, name, question)
        took.append((time.perf_counter() - started) * 1000)
    install.close()
    return took[0], took[1]


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
    for name, first, after in asked(install):
        found = [timed(name, first, after) for _ in range(rounds)]
        cold, warm = (statistics.median(each) for each in zip(*found, strict=True))
        kept &= warm <= MOST_MS
        print(f"  {name:12} {str(first)[:60]:62}{cold:8.1f} ms cold {warm:8.1f} ms warm", flush=True)
    install.close()
    return 0 if kept else 1


if __name__ == "__main__":
    sys.exit(main())
