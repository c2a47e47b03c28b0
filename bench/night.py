"""A night over 300 sites: all alert rules of all of them, beside a pull that never pauses, on two cores.

Every site has 14 months of searches (150 rows a day at two grains); every third also visits, every third checks of 30
keywords. Days are settled and written to one more site all the while, as a pull does. Prints how long the look took,
and writes bench/night.json.

    python -m bench.night
"""

from __future__ import annotations

import json
import multiprocessing
import shutil
import sys
import time
from datetime import UTC, date, datetime, timedelta
from pathlib import Path
from typing import Any

sys.path.insert(0, str(Path(__file__).parents[1]))

from bench import alarms as one_site
from bench.large_site import Shape, by_page, days
from bench.overview import coarser, put

from noctilum.actions import alerts, keywords, setup
from noctilum.actions.install import Install, Settings
from noctilum.core.batch import DayBatch
from noctilum.history import DayEntry
from noctilum.records.models import Source
from noctilum.testing.batches import entry
from noctilum.wire import keywords as keyword_wire
from noctilum.wire import setup as wire

HERE = Path(__file__).parent
FOLDER = HERE / ".data" / "night"
SITES, DAYS, PROMISED = 300, 425, 60
LAST = one_site.LAST
FIRST = LAST - timedelta(DAYS - 1)
NOW = datetime(2026, 3, 16, 2, tzinfo=UTC)


def searches() -> list[DayEntry]:
    """Make the days that every site holds."""
    shape = Shape(days=DAYS, rows_a_day=150, queries=800, pages=60, first=FIRST)
    found: list[DayEntry] = []
    for pairs in days(shape):
        found += [entry(by_page(pairs)), entry(coarser(pairs, "site"))]
    return found


def beside() -> dict[int, list[DayEntry]]:
    """Make the days of visits (2) and of checks (4)."""
    made = one_site.made_up(one_site.KINDS[1], 1)
    kept: dict[int, list[DayEntry]] = {2: [], 4: []}
    for n in range(one_site.DAYS - DAYS, one_site.DAYS):
        told = one_site.entries_of(made, n, LAST - timedelta(one_site.DAYS - 1 - n))
        for source in kept:
            kept[source] += told[source]
    return kept


def fill() -> None:
    """Lay out the install."""
    install = Install(Settings(FOLDER))
    install.prepare()
    client = setup.add_client(install, wire.NewClient(name="Many"), NOW)
    often, more = searches(), beside()
    for n in range(SITES):
        host = f"site{n:03}.example"
        setup.add_site(install, client, wire.NewSite(host=host), NOW)
        kinds = {"search": often} | ({"visits": more[2]} if n % 3 == 1 else {"lookups": more[4]} if n % 3 == 2 else {})
        for kind, entries in kinds.items():
            number = _source(install, n + 1, kind, f"{n}")
            install.history(n + 1, create=True).put_days(number, entries)
        if n % 3 == 2:
            _track(install, host)
        if n % 30 == 29:
            print(f"filled {n + 1} sites", flush=True)
    install.close()


def _source(install: Install, site: int, kind: str, name: str) -> int:
    blank: dict[str, Any] = {
        "connector": "open-feed",
        "url": kind,
        "account": "-",
        "sealed_secret": b"",
        "paused": True,
    }
    with install.records.begin() as db:
        source = Source(
            site_id=site,
            kind=kind,
            label=kind,
            property=name,
            engine="quillon",
            time_zone="UTC",
            created_at=NOW,
            **blank,
        )
        db.add(source)
        db.flush()
        return source.id


def _track(install: Install, host: str) -> None:
    for term in one_site.TERMS:
        told = {"site": host, "term": term, "engine": "quillon", "language": "en", "country": "GB"}
        keywords.added(install, keyword_wire.NewKeyword.model_validate(told), NOW)


def pull_without_pause(folder: Path, ready: Any) -> None:
    """Settle and write days of a large site until told to stop."""
    install = Install(Settings(folder))
    install.prepare()
    history = install.history(SITES + 1, create=True)
    month: list[DayBatch] = list(days(Shape(days=28, rows_a_day=4000, first=date(2026, 1, 1))))
    ready.set()
    while True:
        put(history, month)


def main() -> int:
    """Fill when needed, then look."""
    if not (FOLDER / "filled").exists():
        shutil.rmtree(FOLDER, ignore_errors=True)
        FOLDER.mkdir(parents=True)
        fill()
        (FOLDER / "filled").touch()
    beside_it = FOLDER.with_name("night-pull")
    shutil.rmtree(beside_it, ignore_errors=True)
    ready = multiprocessing.Event()
    pull = multiprocessing.Process(target=pull_without_pause, args=(beside_it, ready), daemon=True)
    pull.start()
    ready.wait()
    install = Install(Settings(FOLDER))
    started = time.perf_counter()
    found = alerts.look(install, NOW)
    took = time.perf_counter() - started
    pull.kill()
    install.close()
    ok = took <= PROMISED and found.failed == 0
    print(f"{found.sites} sites looked through in {took:.1f} s ({PROMISED} promised): {found}")
    (HERE / "night.json").write_text(json.dumps({"sites": found.sites, "seconds": round(took, 1)}, indent=1) + "\n")
    return 0 if ok else 1


if __name__ == "__main__":
    sys.exit(main())
