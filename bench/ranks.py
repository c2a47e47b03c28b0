"""What three years of rank checks take and how fast they are read.

1,000 keywords on 2 devices, looked up daily, the first 20 results kept each: size of the history, of the result pages
by their rule (a sample, scaled), and the time of each reading, cold and warm.

    python bench/ranks.py [--keywords 1000] [--days 1095] [--folder DIR]
"""

from __future__ import annotations

import argparse
import shutil
import statistics
import tempfile
import time
from collections.abc import Callable
from datetime import date, timedelta
from pathlib import Path

import numpy as np

from noctilum.actions.read import read
from noctilum.core.batch import Coded, DayBatch
from noctilum.core.curve import reference_rates
from noctilum.core.days import DayState
from noctilum.core.found import LISTED, Found, Result, own_part, written
from noctilum.datasets import DATASETS
from noctilum.history import DayEntry, History
from noctilum.history.captures import Capture, count
from noctilum.readings import rank_rows
from noctilum.readings.narrow import Words
from noctilum.readings.site_access import SiteAccess, SourceOf
from noctilum.wire.keywords import KeywordOut

SITE = "skerryferries.example"
LAST = date(2026, 3, 20)
DEVICES = ("desktop", "mobile")
DOMAINS, POOL = 600, 34
WRITTEN, CITED = 3, 4
"""A written answer, the fourth feature, cites four domains; any other leads to one."""
SAMPLED = 60
"""Lookups whose result pages are kept by the rule, to be scaled."""


def main() -> None:
    """Build, measure, print."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--keywords", type=int, default=1000)
    parser.add_argument("--days", type=int, default=1095)
    parser.add_argument("--folder", type=Path, help="keep what is built here, or use what is there")
    asked = parser.parse_args()
    folder = asked.folder or Path(tempfile.mkdtemp(prefix="bench-ranks-"))
    path = folder / "site.db"
    built = path.exists()
    history = History(path, create=True)
    if not built:
        began = time.perf_counter()
        build(history, asked.keywords, asked.days)
        history.compact(LAST + timedelta(1))
        print(f"built in {time.perf_counter() - began:.0f} s")
    print(f"history of {asked.keywords:,} keywords × 2 devices × {asked.days:,} days: {history.size() / 2**20:.0f} MiB")
    if not built:
        kept_pages(folder, asked.keywords, asked.days)
    measure(history, asked.keywords)
    history.close()
    if asked.folder is None:
        shutil.rmtree(folder)


def drifting(rng: np.random.Generator, size: tuple[int, ...], days: int) -> np.ndarray:
    """Scores that wander slowly, shape (days, *size)."""
    steps = rng.normal(0, 0.12, (days, *size)).astype(np.float32)
    return np.cumsum(steps, axis=0)


def build(history: History, keywords: int, days: int) -> None:
    """Put every day's rows in, a month at a time."""
    rng = np.random.default_rng(5)
    looks = keywords * len(DEVICES)
    terms = tuple(f"keyword number {n}" for n in range(keywords))
    keyword = np.repeat(np.arange(keywords, dtype=np.int32), len(DEVICES))
    device = np.tile(np.arange(len(DEVICES), dtype=np.int32), keywords)
    domains = (SITE, *(f"domain{n}.example" for n in range(DOMAINS)))
    drawn = [np.append(0, 1 + rng.choice(DOMAINS, POOL - 1, replace=False)) for _ in range(looks)]
    pool = np.stack(drawn).astype(np.int32)
    base = np.sort(rng.uniform(1, 34, (looks, POOL)), axis=1)
    base[:, 0] = rng.uniform(1, 26, looks)
    addresses = tuple(f"{domains[d]}/{terms[k]}" for k in range(keywords) for d in range(len(domains)))
    score = base.astype(np.float32)
    pages = ("", *(f"/page/{n}" for n in range(60)))
    page_of = rng.integers(1, 61, looks).astype(np.int32)
    zeros = np.zeros(looks, dtype=np.int32)
    alike = {"track": ("en-GB",), "place": ("",), "engine": ("Quillon",)}
    kinds = ("snippet", "video", "questions", "written answer")
    rates = np.rint(reference_rates(LISTED) * 1e6).astype(np.int64)
    has = rng.random((looks, len(kinds))) < 0.4
    entries: list[DayEntry] = []
    for n in range(days):
        day = LAST - timedelta(days - 1 - n)
        score = score + rng.normal(0, 0.10, score.shape).astype(np.float32) + 0.02 * (base - score)
        noisy = score + rng.normal(0, 0.25, score.shape)
        order = np.argsort(noisy, axis=1)[:, :LISTED]
        listed = np.take_along_axis(pool, order, axis=1)
        own = np.argmax(listed == 0, axis=1)
        found = (listed == 0).any(axis=1)
        rank = np.where(found, own + 1, 0)
        dims = {"keyword": Coded(keyword, terms), "device": Coded(device, DEVICES)}
        dims |= {name: Coded(zeros, texts) for name, texts in alike.items()}
        ranked = {**dims, "page": Coded(np.where(found, page_of, 0).astype(np.int32), pages)}
        values = {"checks": np.ones(looks, dtype=np.int64), "found": found.astype(np.int64)}
        values |= {
            "rank_sum": rank.astype(np.int64),
            "spot_sum": (rank + found).astype(np.int64),
            "pages": found.astype(np.int64),
        }
        entries.append(_entry("ranks", day, ranked, values))
        row = np.repeat(np.arange(looks), LISTED)
        flat = listed.ravel()
        where = {name: Coded(np.repeat(each.codes, LISTED), each.texts) for name, each in dims.items()}
        where |= {"domain": Coded(flat, domains)}
        where |= {"address": Coded((keyword[row] * len(domains) + flat).astype(np.int32), addresses)}
        places = np.tile(np.arange(1, LISTED + 1), looks)
        values = {"seen": np.ones(flat.size, dtype=np.int64), "listed_sum": places, "worth": np.tile(rates, looks)}
        entries.append(_entry("listings", day, where, values))
        present = has & (rng.random(has.shape) < 0.85)
        look, kind = np.nonzero(present)
        shown = {name: Coded(each.codes[look], each.texts) for name, each in dims.items()}
        shown |= {"feature": Coded(kind.astype(np.int32), kinds)}
        owned = (rng.random(look.size) < 0.1).astype(np.int64)
        entries.append(_entry("features", day, shown, {"present": np.ones(look.size, dtype=np.int64), "owned": owned}))
        many = np.where(kind == WRITTEN, CITED, 1)
        row, nth = np.repeat(np.arange(look.size), many), np.concatenate([np.arange(each) for each in many])
        domain = listed[look[row], (3 * nth + rng.integers(0, 3, row.size)) % LISTED]
        led = {name: Coded(each.codes[look[row]], each.texts) for name, each in dims.items()}
        led |= {"feature": Coded(kind[row].astype(np.int32), kinds), "domain": Coded(domain, domains)}
        led |= {"address": Coded((keyword[look[row]] * len(domains) + domain).astype(np.int32), addresses)}
        entries.append(_entry("citations", day, led, {"led": np.ones(row.size, dtype=np.int64)}))
        if (day + timedelta(1)).day == 1 or n == days - 1:
            history.put_days(1, entries)
            entries = []


def _entry(name: str, day: date, dims: dict[str, Coded], values: dict[str, np.ndarray]) -> DayEntry:
    kept = DATASETS[name]
    batch = DayBatch(kept, day, {dim: dims[dim] for dim in kept.dims}, {each: values[each] for each in kept.stored})
    return DayEntry(name, day, DayState.FINAL, None, batch, "2026-03-20T05:00:00+00:00", "bench")


def kept_pages(folder: Path, keywords: int, days: int) -> None:
    """Keep a sample's result pages by the rule, and scale what they take."""
    rng = np.random.default_rng(6)
    history = History(folder / "pages.db", create=True)
    pools = [rng.permutation(DOMAINS)[:POOL] for _ in range(SAMPLED)]
    score = np.sort(rng.uniform(1, 34, (SAMPLED, POOL)), axis=1)
    base = score.copy()
    for n in range(days):
        day = LAST - timedelta(days - 1 - n)
        score = score + rng.normal(0, 0.10, score.shape) + 0.02 * (base - score)
        noisy = score + rng.normal(0, 0.25, score.shape)
        made = []
        for look in range(SAMPLED):
            order = np.argsort(noisy[look])[:LISTED]
            results = tuple(
                Result(
                    rank, f"https://domain{pools[look][at]}.example/keyword-number-{look}", f"Title of {at} for {look}"
                )
                for rank, at in enumerate(order, 1)
            )
            found = Found(results)
            named = f"keyword {look}", "en-GB", "", "desktop", "Quillon"
            own = own_part(f"domain{pools[look][0]}.example", found)
            made.append(Capture("\x1f".join(named), day, f"{day}T05:00:00+00:00", own, written(named, found)))
        history.put_captures(1, made)
        if n % 7 == 0:
            history.thin_captures(1, day)
    with history._reading() as db:
        many, size = count(db)
    history.close()
    (folder / "pages.db").unlink()
    whole = size / SAMPLED * keywords * len(DEVICES)
    each, size_of_all = many / SAMPLED, whole / 2**20
    print(f"result pages by their rule: {each:.0f} a lookup, {size_of_all:.0f} MiB for all (scaled from {SAMPLED})")


def measure(history: History, keywords: int) -> None:
    """Time every reading cold (nothing kept) and warm (the median of five)."""
    tracked = [
        KeywordOut(
            id=n * 2 + at + 1, site=SITE, term=f"keyword number {n}", engine="Quillon", language="en", country="GB",
            place="", device=device, page="", weight=1 + n % 5, tags=[f"tag {n % 12}"], pinned=n % 100 == 0, note="",
            volume=100 + n, cpc=0.5, interval="daily", checked_at=None,
        )
        for n in range(keywords)
        for at, device in enumerate(DEVICES)
    ]  # fmt: skip
    source = SourceOf(1, "Lookups", "Lookups", "UTC", True, "UTC", "lookups")
    site = SiteAccess(SITE, history, (), Words(host=SITE), (source,), keywords=lambda: tracked)
    one_device = SiteAccess(SITE, history, (), Words(host=SITE), (source,), keywords=lambda: tracked[::2])
    questions: list[tuple[str, Callable[[], object], str]] = [
        ("ladder, 1,000 × 156 weeks", lambda: read(one_device, "ladder", window="P1092D", limit=1000), "150 ms"),
        ("rank summary", lambda: read(site, "rank-summary"), "60 ms"),
        ("one keyword, 3 years", lambda: read(site, "keyword", number=7, window="all"), "20 ms"),
        ("voice, 3 years by month", lambda: read(site, "share-of-voice", window="all", step="month"), "150 ms"),
        ("voice, 12 weeks", lambda: read(site, "share-of-voice"), ""),
        ("features, 12 weeks", lambda: read(site, "result-features"), ""),
        ("whom written answers cite", lambda: read(site, "feature-owners"), ""),
        ("one domain, 4 weeks", lambda: read(site, "domain", domain="domain5.example"), ""),
    ]
    for name, ask, wanted in questions:
        rank_rows._KEPT.forget()
        cold = timed(ask, history)
        warm = statistics.median(timed(ask, history) for _ in range(5))
        promised = f"(asked: {wanted})" if wanted else ""
        print(f"{name:28} cold {cold * 1000:7.0f} ms   warm {warm * 1000:6.0f} ms   {promised}", flush=True)


def timed(ask: Callable[[], object], history: History) -> float:
    """Take the time of one asking, as the service asks."""
    began = time.perf_counter()
    with history.still():
        ask()
    return time.perf_counter() - began


if __name__ == "__main__":
    main()
