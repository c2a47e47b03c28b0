"""A hundred sites in one install: the portfolio, every site's overview in turn, and the memory it takes.

Fills an install with sites of 300 pairs a day over a year at four grains, starts the service, and asks.
Prints the figures and writes bench/sites.json.
"""

from __future__ import annotations

import json
import os
import shutil
import statistics
import subprocess
import sys
import time
from datetime import UTC, date, datetime, timedelta
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1]))

import httpx
from bench.large_site import Shape, days
from bench.overview import put

from noctilum.actions import people, setup
from noctilum.actions.install import Install, Settings
from noctilum.core.batch import DayBatch
from noctilum.records.models import Source
from noctilum.service.serve import start, stop, wait_until_up
from noctilum.wire import setup as wire

HERE = Path(__file__).parent
FOLDER = HERE / ".data" / "sites"
PORT, SITES, DAYS = 8459, 100, 365
FIRST = date(2025, 1, 1)
PANELS = ("/timeline", "/drivers", "/breakdown/page?sort=change&limit=6", "/fading/page?limit=3")


def fill() -> str:
    """Lay out the install; returns a token."""
    install = Install(Settings(FOLDER, port=PORT))
    install.prepare()
    now = datetime.now(UTC)
    user = people.add_user(install, "Bench", "bench@agency.example", "lanterns over the quay", now)
    token = people.new_token(install, user.id, "bench", now)
    months = _months()
    for n in range(SITES):
        client = setup.add_client(install, wire.NewClient(name=f"Client {n}"), now)
        setup.add_site(install, client, wire.NewSite(host=f"site{n}.example"), now)
        with install.records.begin() as db:
            blank = {"kind": "search", "connector": "open-feed", "url": "-", "account": "-", "sealed_secret": b""}
            blank |= {"label": "-", "property": str(n), "engine": "-", "time_zone": "UTC", "paused": True}
            db.add(Source(site_id=n + 1, created_at=now, **blank))
        history = install.history(n + 1, create=True)
        for month in months:
            put(history, month, source=n + 1)
        if n % 10 == 9:
            print(f"filled {n + 1} sites", flush=True)
    install.close()
    return token


def _months() -> list[list[DayBatch]]:
    months: dict[tuple[int, int], list[DayBatch]] = {}
    for batch in days(Shape(days=DAYS, rows_a_day=300, queries=3000, pages=200, first=FIRST)):
        months.setdefault((batch.day.year, batch.day.month), []).append(batch)
    return list(months.values())


def main() -> int:
    """Fill when needed, then measure."""
    card = FOLDER / "token"
    if not card.exists():
        shutil.rmtree(FOLDER, ignore_errors=True)
        card.parent.mkdir(parents=True, exist_ok=True)
        token = fill()
        card.write_text(token)
    settings = Settings(FOLDER, port=PORT)
    os.environ["NOCTILUM_TODAY"] = (FIRST + timedelta(DAYS + 1)).isoformat()
    children = start(settings, FOLDER / "service.log")
    try:
        wait_until_up(settings, children)
        head = {"Authorization": f"Bearer {card.read_text()}"}
        with httpx.Client(base_url=f"http://127.0.0.1:{PORT}/api/v1", headers=head, timeout=120) as http:
            figures = measure(http)
        figures["memory_mb"] = _memory(children[0].pid)
    finally:
        stop(children)
    figures["store_mb"] = sum(path.stat().st_size for path in (FOLDER / "history").glob("*.db")) / 1e6
    for name, value in figures.items():
        print(f"{name:32}{value:10.1f}")
    (HERE / "sites.json").write_text(json.dumps(figures, indent=1) + "\n")
    return 0


def measure(http: httpx.Client) -> dict[str, float]:
    """Time the portfolio first and again, and every site's overview first and again; milliseconds."""
    portfolio = [_timed(http, "/portfolio") for _ in range(6)]
    first = [sum(_timed(http, f"/sites/site{n}.example{panel}") for panel in PANELS) for n in range(SITES)]
    again = [sum(_timed(http, f"/sites/site{n}.example{panel}") for panel in PANELS) for n in range(SITES)]
    return {
        "sites": SITES,
        "portfolio_first_ms": portfolio[0],
        "portfolio_again_ms": statistics.median(portfolio[2:]),
        "overview_first_median_ms": statistics.median(first),
        "overview_first_p95_ms": sorted(first)[int(SITES * 0.95)],
        "overview_again_median_ms": statistics.median(again),
    }


def _timed(http: httpx.Client, path: str) -> float:
    began = time.perf_counter()
    http.get(path).raise_for_status()
    return (time.perf_counter() - began) * 1e3


def _memory(parent: int) -> float:
    """Give the resident memory of the largest web worker, in MB."""
    found = subprocess.run(["ps", "--ppid", str(parent), "-o", "rss="], capture_output=True, text=True, check=True)
    return max(int(line) for line in found.stdout.split()) / 1024


if __name__ == "__main__":
    sys.exit(main())
