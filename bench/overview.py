"""Time an overview: all its panels' API answers for a site of 5,000 rows a day over three years.

Fills an install with all four grains, starts the service, and asks for every panel in turn, as a console
that has just opened the view. Prints the median of the sums and adds it to bench/latest.json.
"""

from __future__ import annotations

import json
import os
import shutil
import statistics
import sys
import time
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, date, datetime, timedelta
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1]))

import httpx
import numpy as np
from bench.large_site import Shape, days

from noctilum.actions import people, setup
from noctilum.actions.install import Install, Settings
from noctilum.core.batch import Coded, DayBatch
from noctilum.core.days import DayState
from noctilum.datasets import DATASETS
from noctilum.history import DayEntry
from noctilum.records.models import Source
from noctilum.service.serve import start, stop, wait_until_up
from noctilum.testing.batches import search_day
from noctilum.wire import setup as wire

HERE = Path(__file__).parent
PORT = 8457
SITE = "large.example"
LIMIT_MS = 150
PANELS = (
    "/timeline",
    "/drivers",
    "/fading/page?limit=3",
    "/odd-days",
    "/timeline?window=all&against=none&by=week",
)
GRAINS = ("site", "query", "page", "pair")


def coarser(batch: DayBatch, grain: str) -> DayBatch:
    """Sum a day of pairs to a coarser grain."""
    dims = DATASETS[grain].dims
    key = np.zeros(len(batch), dtype=np.int64)
    for name in dims:
        key = key * len(batch.dims[name].texts) + batch.dims[name].codes
    _, first, inverse = np.unique(key, return_index=True, return_inverse=True)
    sums = [np.bincount(inverse, weights=m).astype(np.int64) for m in batch.values.values()]
    columns = {name: Coded(batch.dims[name].codes[first], batch.dims[name].texts) for name in dims}
    return search_day(grain, batch.day, columns, *sums)


def fill(folder: Path) -> tuple[Settings, str]:
    """Lay out an install with the large site; returns its settings and a token."""
    settings = Settings(folder, port=PORT)
    install = Install(settings)
    install.prepare()
    now = datetime.now(UTC)
    user = people.add_user(install, "Bench", "bench@agency.example", "lanterns over the quay", now)
    token = people.new_token(install, user.id, "bench", now)
    client = setup.add_client(install, wire.NewClient(name="Large"), now)
    setup.add_site(install, client, wire.NewSite(host=SITE), now)
    with install.records.begin() as db:
        blank = {"kind": "search", "connector": "open-feed", "url": "-", "account": "-", "sealed_secret": b""}
        db.add(Source(site_id=1, label="-", property="-", engine="-", time_zone="UTC", created_at=now, **blank))
    history = install.history(1, create=True)
    month: list[DayBatch] = []
    for batch in days(Shape(rows_a_day=4445, first=date(2023, 1, 1))):
        if month and month[0].day.month != batch.day.month:
            put(history, month)
            month = []
        month.append(batch)
    put(history, month)
    install.close()
    return settings, token


def put(history, month: Sequence[DayBatch], source: int = 1) -> None:
    """Hold a month at every grain."""
    entries = [
        DayEntry(grain, b.day, DayState.FINAL, "1", b if grain == "pair" else coarser(b, grain), "", "bench")
        for b in month
        for grain in GRAINS
    ]
    history.put_days(source, entries)


def main() -> int:
    """Run; 1 when the limit is not kept."""
    folder = HERE / ".data" / "overview"
    card = folder / "token"
    if not card.exists():
        shutil.rmtree(folder, ignore_errors=True)
        print("filling 3 years at four grains …", flush=True)
        settings, token = fill(folder)
        card.write_text(token)
    settings, token = Settings(folder, port=PORT), card.read_text()
    os.environ["NOCTILUM_TODAY"] = (date(2023, 1, 1) + timedelta(1097)).isoformat()
    children = start(settings, folder / "service.log")
    try:
        wait_until_up(settings, children)
        time.sleep(5)
        address = f"http://127.0.0.1:{PORT}/api/v1/sites/{SITE}"
        with httpx.Client(base_url=address, headers={"Authorization": f"Bearer {token}"}) as http:
            sums, parts, tags = measure(http)
            together = statistics.median(at_once(http))
    finally:
        stop(children)
    median = statistics.median(sums)
    for path, ms in parts.items():
        print(f"  {path or '/':48}{statistics.median(ms):8.1f} ms")
    print(f"all panels one after another: median {median:.0f} ms of {len(sums)} rounds, at most {LIMIT_MS} promised")
    print(f"all panels at once, as the console asks: median {together:.0f} ms")
    print(f"{tags} of {len(PANELS)} readings answer 304 when asked again")
    report = HERE / "latest.json"
    found = json.loads(report.read_text()) if report.exists() else {}
    found["overview"] = {
        "median_ms": median,
        "at_once_ms": together,
        "panels_ms": {p: statistics.median(ms) for p, ms in parts.items()},
    }
    report.write_text(json.dumps(found, indent=1) + "\n")
    return 0 if median <= LIMIT_MS else 1


def at_once(http: httpx.Client, rounds: int = 15) -> list[float]:
    """Ask for all panels at once, as the console does; gives how long each round took until the last was there."""

    def asked(path: str) -> None:
        http.get(path).raise_for_status()

    took = []
    with ThreadPoolExecutor(len(PANELS)) as pool:
        for _ in range(rounds):
            began = time.perf_counter()
            list(pool.map(asked, PANELS))
            took.append((time.perf_counter() - began) * 1e3)
    return took


def measure(http: httpx.Client) -> tuple[list[float], dict[str, list[float]], int]:
    """Ask for all panels in rounds; the first rounds warm the workers. Then ask once more with the tags."""
    parts: dict[str, list[float]] = {path: [] for path in PANELS}
    sums, tags = [], {}
    for turn in range(25):
        total = 0.0
        for path in PANELS:
            began = time.perf_counter()
            answer = http.get(path)
            answer.raise_for_status()
            took = (time.perf_counter() - began) * 1e3
            total += took
            tags[path] = answer.headers.get("ETag")
            if turn >= 6:
                parts[path].append(took)
        if turn >= 6:
            sums.append(total)
    again = sum(http.get(p, headers={"If-None-Match": t}).status_code == 304 for p, t in tags.items() if t)
    return sums, parts, again


if __name__ == "__main__":
    sys.exit(main())
