"""Time what stands beside searches: visits, links, index and term facts of a large site over three years.

5,000 rows of visits and as many of searches a day, 200,000 links, 5,000 pages in the sitemap, 5,000 terms. Every
reading is asked in this process about windows that were not asked before, after one that warms it; prints medians,
and how many bytes a row of each kind takes.

    python bench/beside.py [--rounds 7]
"""

from __future__ import annotations

import argparse
import json
import os
import shutil
import statistics
import sys
import time
from collections.abc import Callable, Iterator
from datetime import UTC, date, datetime, timedelta
from pathlib import Path
from typing import Any

sys.path.insert(0, str(Path(__file__).parents[1]))

import numpy as np
from bench.overview import SITE, fill

from noctilum.actions.install import Install, Settings
from noctilum.actions.read import open_for, read
from noctilum.core.batch import Coded, DayBatch
from noctilum.core.days import DayState
from noctilum.datasets import DATASETS
from noctilum.history import DayEntry, History
from noctilum.records.models import Source
from noctilum.wire.catalogue import READINGS

HERE = Path(__file__).parent
FIRST, DAYS = date(2023, 1, 1), 1096
LAST = FIRST + timedelta(DAYS - 1)
ROWS, LINKS, PAGES, TERMS = 5_000, 200_000, 5_000, 5_000
MOST_MS, MOST_BYTES = 150.0, 8.0
KINDS = {"visits": 2, "links": 3, "index": 4, "sitemap": 5, "facts": 6}
ASKED: tuple[tuple[str, dict[str, object]], ...] = (
    ("visits", {"by": "page"}),
    ("visits", {"by": "channel"}),
    ("visits", {"by": "city", "country": "NO"}),
    ("visits", {"by": "day", "window": "P12M"}),
    ("visits", {"by": "page", "window": "P12M", "filter": 'channel is "organic"'}),
    ("visitors", {"by": "channel"}),
    ("goals", {"by": "goal", "window": "P12M"}),
    ("outcomes", {"by": "query"}),
    ("outcomes", {"by": "page"}),
    ("counting", {}),
    ("landing", {}),
    ("landing", {"only": "all", "filter": 'device is "mobile" and change in sessions < 0'}),
    ("silent", {}),
    ("silent", {"item": "query"}),
    ("slump", {}),
    ("backlinks", {}),
    ("backlinks", {"by": "page", "window": "P12M"}),
    ("backlinks", {"by": "anchor"}),
    ("presence", {}),
    ("arrivals", {}),
    ("index", {"by": "day", "window": "P12M"}),
    ("terms", {}),
    ("ideas", {"word": "w1"}),
)


def made(name: str, day: date, dims: dict[str, tuple[np.ndarray, tuple[str, ...]]], *values: np.ndarray) -> DayBatch:
    """Make a day of a dataset from codes and figures."""
    kept = DATASETS[name]
    coded = {dim: Coded(codes.astype(np.int32), texts) for dim, (codes, texts) in dims.items()}
    stored = {column: np.asarray(figures, dtype=np.int64) for column, figures in zip(kept.stored, values, strict=True)}
    return DayBatch(kept, day, coded, stored)


def visits_of(day: date, pages: tuple[str, ...], draw: np.random.Generator) -> Iterator[DayBatch]:
    """Make a day of visits by page, channel, device and place, of who came, and of goals."""
    size = (len(pages), 4, 3, 12)
    weight = 1 / np.arange(1, len(pages) + 1) ** 0.7
    page = draw.choice(len(pages), int(ROWS * 1.25), p=weight / weight.sum())
    rest = [draw.integers(0, n, page.size) for n in size[1:]]
    key = np.unique(np.ravel_multi_index((page, *rest), size))[:ROWS]
    page, channel, device, city = np.unravel_index(key, size)
    sessions = 1 + draw.poisson(1.2, key.size)
    engaged, new = draw.binomial(sessions, 0.6), draw.binomial(sessions, 0.5)
    goals = draw.binomial(sessions, 0.03)
    channels, devices = ("direct", "mail", "organic", "referral"), ("desktop", "mobile", "tablet")
    titles = tuple(f"Title of {text}" for text in pages)
    places = {
        "country": (city // 4, ("DE", "GB", "NO")),
        "region": (city // 2, tuple(f"region {n}" for n in range(6))),
        "city": (city, tuple(f"city {n}" for n in range(12))),
    }
    of = {"page": (page, pages), "title": (page, titles), "channel": (channel, channels), "device": (device, devices)}
    yield made("visits", day, {**of, **places}, sessions, engaged, new, goals, goals * 4200)
    came = np.bincount(channel, weights=sessions, minlength=4).astype(np.int64)
    yield made("visitors", day, {"channel": (np.arange(4), channels)}, came, (came * 0.9).astype(np.int64))
    some = np.flatnonzero(goals)
    by_page = np.bincount(page[some] * 4 + channel[some], weights=goals[some], minlength=len(pages) * 4)
    at = np.flatnonzero(by_page)
    dims = {"goal": (at % 2, ("order", "newsletter")), "page": (at // 4, pages), "channel": (at % 4, channels)}
    yield made("goals", day, dims, by_page[at], by_page[at] * 4200)


def links_by_day(pages: tuple[str, ...], draw: np.random.Generator) -> Iterator[DayBatch]:
    """Make what began and ended of all links: two fifths stood on the first day, a third end within the years."""
    found = np.where(draw.random(LINKS) < 0.4, 0, draw.integers(0, DAYS, LINKS))
    ends = found + 1 + draw.exponential(1800, LINKS).astype(np.int64)
    domain, page, anchor = (
        draw.zipf(1.3, LINKS) % 9_000,
        draw.zipf(1.4, LINKS) % len(pages),
        draw.integers(0, 900, LINKS),
    )
    domains = tuple(f"d{n}.example" for n in range(9_000))
    anchors = tuple(f"words {n}" for n in range(900))
    for n in range(DAYS):
        begun, over = np.flatnonzero(found == n), np.flatnonzero(ends == n)
        rows = np.concatenate([begun, over])
        addresses = tuple(f"https://{domains[domain[row]]}/a/{row}" for row in rows)
        dims = {
            "domain": (domain[rows], domains),
            "address": (np.arange(rows.size), addresses),
            "page": (page[rows], pages),
            "anchor": (anchor[rows], anchors),
        }
        began = np.arange(rows.size) < begun.size
        yield made("links", FIRST + timedelta(n), dims, began, ~began)


def put(history: History, source: int, batches: Iterator[DayBatch], at_once: int = 60) -> tuple[int, int]:
    """Hold batches; gives their rows and the bytes that the file grew by."""
    before, rows, held = history.size(), 0, []
    for batch in batches:
        rows += len(batch)
        held.append(DayEntry(batch.dataset, batch.day, DayState.FINAL, "1", batch, "", "bench"))
        if len(held) >= at_once:
            history.put_days(source, held)
            held = []
    if held:
        history.put_days(source, held)
    history.compact(before=LAST)
    return rows, history.size() - before


def fill_beside(folder: Path) -> dict[str, float]:
    """Lay out the large site with everything beside its searches; gives bytes a row by kind."""
    fill(folder)
    install, now, draw = Install(Settings(folder)), datetime.now(UTC), np.random.default_rng(8)
    with install.records.begin() as db:
        for kind, number in KINDS.items():
            blank = {"connector": "open-feed", "url": kind, "account": "-", "sealed_secret": b"", "property": kind}
            told = {"site_id": 1, "label": kind, "engine": kind, "time_zone": "UTC", "created_at": now}
            db.add(Source(id=number, kind=kind, **blank, **told))
    history = install.history(1)
    pages = tuple(history.all_texts("page"))[:2_000]
    every = tuple(dict.fromkeys((*pages, *(f"/more/{n}" for n in range(PAGES)))))[:PAGES]
    all_days = [FIRST + timedelta(n) for n in range(DAYS)]
    newest = all_days[-90:]
    index = (each for day in all_days for each in index_of(day, every))
    sitemap = (
        made(
            "sitemap",
            day,
            {"page": (np.arange(PAGES), every), "sitemap": (np.zeros(PAGES), ("s.xml",))},
            np.ones(PAGES),
        )
        for day in newest
    )
    months = [day for day in all_days if day.day == 1][-25:]
    taken = {
        "visits": put(history, 2, (each for day in all_days for each in visits_of(day, pages, draw)), 90),
        "links": put(history, 3, links_by_day(pages, draw)),
        "index": put(history, 4, index),
        "sitemap": put(history, 5, sitemap),
        "facts": put(history, 6, (each for month in months for each in facts_of(month, draw))),
    }
    install.close()
    return {kind: size / max(1, rows) for kind, (rows, size) in taken.items()}


def index_of(day: date, pages: tuple[str, ...]) -> Iterator[DayBatch]:
    """Make a day of the index: all stand in it from the first day, and some come and go."""
    statuses = ("indexed", "fetched and left out")
    yield made("index", day, {"status": (np.arange(2), statuses)}, np.array([len(pages), 40]))
    rows = np.arange(len(pages)) if day == FIRST else np.array([day.toordinal() % len(pages)])
    entered = np.ones(rows.size) if day.toordinal() % 2 or day == FIRST else np.zeros(rows.size)
    yield made("indexed", day, {"page": (rows, pages)}, entered, 1 - entered)


def facts_of(month: date, draw: np.random.Generator) -> Iterator[DayBatch]:
    """Make a month of facts."""
    words = np.arange(TERMS)
    terms = tuple(f"w{n % 40} x{n}" for n in range(TERMS))
    country = (np.zeros(TERMS), ("GB",))
    volume, cpc = draw.integers(10, 9000, TERMS), draw.integers(10, 300, TERMS)
    yield made("volumes", month, {"term": (words, terms), "country": country}, volume, cpc)
    near = {"word": (words % 40, tuple(f"w{n}" for n in range(40))), "term": (words, terms), "country": country}
    yield made("related", month, near, volume, cpc)


def timed(ask: Callable[[int], Any], rounds: int) -> float:
    """Give the median milliseconds of a question about other days each time."""
    ask(0)
    took = []
    for n in range(1, rounds + 1):
        began = time.perf_counter()
        ask(n)
        took.append((time.perf_counter() - began) * 1e3)
    return statistics.median(took)


def window_of(asked: dict[str, object], usual: str, n: int) -> str:
    """Give a window as long as usual that ends so many days earlier."""
    days = {"P28D": 28, "P13W": 91, "P90D": 90, "P12M": 365}[str(asked.get("window", usual))]
    last = LAST - timedelta(4 + n)
    return f"{last - timedelta(days - 1)}/{last}"


def main() -> int:
    """Run; 1 when a promise is not kept."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--rounds", type=int, default=7)
    asked = parser.parse_args()
    os.environ["NOCTILUM_TODAY"] = (LAST + timedelta(1)).isoformat()
    folder = HERE / ".data" / "beside"
    card = folder / "bytes.json"
    if not card.exists():
        shutil.rmtree(folder, ignore_errors=True)
        print("filling three years of searches, visits, links, index and facts …", flush=True)
        sizes = fill_beside(folder)
        card.write_text(json.dumps(sizes))
    sizes = json.loads(card.read_text())
    install = Install(Settings(folder))
    install.prepare()
    kept = True
    for name, told in ASKED:

        def ask(n: int, name: str = name, told: dict[str, object] = told) -> Any:
            model = READINGS[name].question
            window = window_of(told, str(model.model_fields["window"].default), n)
            question = model.model_validate({**told, "window": window})
            return read(open_for(install, SITE, question, LAST), name, question)

        ms = timed(ask, asked.rounds)
        kept &= ms <= MOST_MS
        print(f"  {name} {' '.join(f'{key}={value}' for key, value in told.items()):50} {ms:8.1f} ms")
    for kind, size in sizes.items():
        print(f"  {kind:20} {size:8.2f} bytes a row")
    kept &= sizes["visits"] <= MOST_BYTES
    print("all kept" if kept else f"NOT KEPT: {MOST_MS:.0f} ms a reading, {MOST_BYTES:.0f} bytes a row of visits")
    return 0 if kept else 1


if __name__ == "__main__":
    raise SystemExit(main())
