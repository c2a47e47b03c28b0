"""How often shipped alert rules call out on quiet sites, and how soon on what broke: whole sites, all feeds, all rules.

Every site is made up over two years and held as any site is: searches by page with a season, weekdays, days that hang
together and counts that scatter more than chance; organic visits; indexed pages; 30 tracked keywords with their
features and 12 domains beside them. All rules are asked day by day over a quarter, and what would be told is counted
as it is told: once, until it is over. Then each kind of break is put into other sites. Prints, and writes
bench/alarms.json.

    python -m bench.alarms [sites]
"""

from __future__ import annotations

import json
import sys
import tempfile
from collections import Counter
from collections.abc import Callable, Mapping
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from datetime import date, timedelta
from pathlib import Path
from typing import Any

import numpy as np

sys.path.insert(0, str(Path(__file__).parents[1]))

from noctilum.core.batch import batch_of
from noctilum.datasets import DATASETS
from noctilum.datasets.lookups import TRACKED
from noctilum.history import DayEntry, History
from noctilum.readings.alarms import answer
from noctilum.readings.narrow import Words
from noctilum.readings.site_access import SiteAccess, SourceOf
from noctilum.testing.batches import entry, search_batch
from noctilum.wire.breaks import RULES, AlarmsQuery
from noctilum.wire.keywords import KeywordOut

HERE = Path(__file__).parent
LAST = date(2026, 3, 15)
DAYS, QUARTER = 730, 91
PAGES = [f"/p{n:02}" for n in range(30)]
TERMS = [f"term {n}" for n in range(30)]
DOMAINS = [f"rival{n}.example" for n in range(11)] + ["made.example"]
SAME_WITHIN = 7
AGAIN_AFTER = 14
Floats = np.ndarray


@dataclass(frozen=True)
class Kind:
    """A kind of site: clicks a day, how deep its season goes, how far counts scatter beyond chance."""

    clicks: float
    season: float
    over: float


KINDS = (Kind(15, 0.3, 1.3), Kind(80, 0.5, 1.5), Kind(400, 0.5, 1.5), Kind(2000, 0.3, 2.5))
Break = Callable[[dict[str, Floats], int], None]
"""Puts a break into a site's days: (columns by what they are of, place of its first day)."""


def deleted(made: dict[str, Floats], at: int) -> None:
    """Delete the page that is shown fifth most."""
    for name in ("shown", "clicks", "sessions"):
        made[name][at:, 4] = 0


def fallen(made: dict[str, Floats], at: int) -> None:
    """Let the whole site lose three tenths."""
    draw = np.random.default_rng(at)
    for name in ("shown", "clicks", "sessions"):
        made[name][at:] = draw.binomial(made[name][at:], 0.7)


def uncounted(made: dict[str, Floats], at: int) -> None:
    """Let the counting of visits stop."""
    made["sessions"][at:] = 0


BREAKS: Mapping[str, tuple[Break, str, int]] = {
    "a page is deleted": (deleted, "page gone", 2),
    "the site falls by 30%": (fallen, "site fell", 7),
    "counting stops": (uncounted, "counting broke", 2),
}
"""What breaks → how, the rule that is to call out, and within how many complete days it is promised."""


def scattered(draw: np.random.Generator, means: Floats, over: float) -> Floats:
    """Draw counts whose variance is so many times their mean."""
    return draw.negative_binomial(np.maximum(means / (over - 1), 1e-9), 1 / over)


def made_up(kind: Kind, seed: int) -> dict[str, Floats]:
    """Make a quiet site: counts by day and row, each of shape (days, rows)."""
    draw = np.random.default_rng(seed)
    at = np.arange(DAYS)
    together = np.zeros(DAYS)
    for n in range(1, DAYS):
        together[n] = 0.7 * together[n - 1] + draw.normal(0, 0.03)
    wave = kind.season * np.sin(2 * np.pi * at / 364 + draw.uniform(0, 6.28)) + together
    level = np.exp(wave) * np.where(at % 7 >= 5, draw.uniform(0.6, 1.2), 1.0)
    share = np.geomspace(1, 0.01, len(PAGES))
    means = kind.clicks * level[:, None] * (share / share.sum())[None, :]
    shown = scattered(draw, means * 25, kind.over)
    clicks = draw.binomial(shown, 0.04)
    middle = draw.uniform(1, 25, len(TERMS))
    rank = np.rint(middle + draw.normal(0, 1, (DAYS, len(TERMS))) * (0.3 + 0.08 * middle))
    places = np.argsort(np.argsort(draw.normal(0, 0.6, (DAYS, len(TERMS), len(DOMAINS))) + np.arange(len(DOMAINS))))
    return {
        "shown": shown,
        "clicks": clicks,
        "sessions": draw.binomial(clicks, 0.93) + draw.poisson(clicks * 0.02),
        "indexed": np.rint(900 + np.cumsum(draw.normal(0, 2, DAYS)))[:, None],
        "rank": np.maximum(rank, 1),
        "checked": draw.random((DAYS, len(TERMS))) > 0.03,
        "found": draw.random((DAYS, len(TERMS))) > 0.01,
        "answered": draw.random((DAYS, len(TERMS))) < draw.choice([0, 0.05, 0.5, 0.95, 1], len(TERMS))[None, :],
        "place": places + 1,
    }


def entries_of(made: Mapping[str, Floats], n: int, day: date) -> dict[int, list[DayEntry]]:
    """Give what the sources of a site hold of its n-th day, by source."""
    rows = len(PAGES)
    small = {"country": ["NO"] * rows, "device": ["mobile"] * rows}
    shown, clicks = made["shown"][n], made["clicks"][n]
    page = search_batch(
        *("page", day, {"page": PAGES, **small, "kind": ["web"] * rows}, clicks.tolist(), shown.tolist(), [5.0] * rows)
    )
    whole = {"country": ["NO"], "device": ["mobile"], "kind": ["web"]}
    site = search_batch("site", day, whole, [int(clicks.sum())], [int(shown.sum())], [5.0])
    kept = DATASETS["visits"]
    texts = {dim: [""] * rows for dim in kept.dims} | small | {"page": PAGES, "channel": ["organic"] * rows}
    told = {each.name: [0] * rows for each in kept.measures} | {"sessions": made["sessions"][n].tolist()}
    index = batch_of(DATASETS["index"], day, {"status": ["indexed"]}, {"counted": [int(made["indexed"][n, 0])]})
    return {
        1: [entry(page), entry(site)],
        2: [entry(batch_of(kept, day, texts, told))],
        3: [entry(index)],
        4: [entry(batch) for batch in _looked_up(made, n, day)],
    }


def _looked_up(made: Mapping[str, Floats], n: int, day: date) -> list[Any]:
    looked = np.flatnonzero(made["checked"][n])
    named = {"keyword": [TERMS[k] for k in looked]}
    named |= {
        dim: [text] * looked.size for dim, text in zip(TRACKED[1:], ("en-GB", "", "desktop", "quillon"), strict=True)
    }
    found = made["found"][n, looked].astype(int)
    rank = np.where(found, made["rank"][n, looked], 0.0)
    ranks = {"checks": [1] * looked.size, "found": found.tolist(), "pages": found.tolist()}
    ranks |= {"rank": rank.tolist(), "spot": rank.tolist()}
    yes = np.flatnonzero(made["answered"][n, looked])
    shown = {dim: [texts[k] for k in yes] for dim, texts in named.items()} | {"feature": ["written answer"] * yes.size}
    many = {dim: [text for text in texts for _ in DOMAINS] for dim, texts in named.items()}
    places = made["place"][n, looked].astype(float).ravel()
    beside = {"domain": DOMAINS * looked.size, "address": [""] * places.size, **many}
    seen = {"seen": [1] * places.size, "listed": places.tolist(), "worth": (0.3 / places).round(6).tolist()}
    return [
        batch_of(DATASETS["ranks"], day, {**named, "page": ["/p00"] * looked.size}, ranks),
        batch_of(DATASETS["features"], day, shown, {"present": [1] * yes.size, "owned": [0] * yes.size}),
        batch_of(DATASETS["listings"], day, beside, seen),
    ]


def held(folder: Path, made: Mapping[str, Floats]) -> SiteAccess:
    """Hold a site as any is held."""
    history = History(folder / "site.db", create=True)
    kept: dict[int, list[DayEntry]] = {1: [], 2: [], 3: [], 4: []}
    for n in range(DAYS):
        for source, entries in entries_of(made, n, LAST - timedelta(DAYS - 1 - n)).items():
            kept[source] += entries
    for source, entries in kept.items():
        history.put_days(source, entries)
    kinds = {1: "search", 2: "visits", 3: "index", 4: "lookups"}
    sources = tuple(SourceOf(n, kind, "quillon", "UTC", True, "UTC", kind) for n, kind in kinds.items())
    tracked = tuple(_keyword(n, term) for n, term in enumerate(TERMS, 1))
    return SiteAccess(
        *("made.example", history, (1,), Words(host="made.example"), sources), today=LAST, keywords=lambda: tracked
    )


def _keyword(number: int, term: str) -> KeywordOut:
    named = {"id": number, "site": "made.example", "term": term, "engine": "quillon", "language": "en"}
    named |= {"country": "GB", "place": "", "device": "desktop", "page": "", "weight": 1, "tags": [], "pinned": False}
    named |= {"note": "", "volume": None, "cpc": None, "interval": "daily", "checked_at": None}
    return KeywordOut.model_validate(named)


def told_over(site: SiteAccess, days: range) -> Counter[str]:
    """Ask all rules day by day and count what is told, by rule: once until it is over, and not anew within a week."""
    told: Counter[str] = Counter()
    calling: dict[tuple[str, str], date] = {}
    for back in days:
        day = LAST - timedelta(back)
        for row in answer(site, AlarmsQuery(on=day, limit=500)).rows:
            seen = calling.get((row.rule, row.key))
            if seen is None or (day - seen).days > SAME_WITHIN:
                told[row.rule] += 1
            calling[(row.rule, row.key)] = day
    return told


def quiet(job: tuple[int, Kind]) -> dict[str, int]:
    """Count what a quiet site calls out in a quarter, by rule."""
    seed, kind = job
    with tempfile.TemporaryDirectory() as folder:
        site = held(Path(folder), made_up(kind, seed))
        found = dict(told_over(site, range(QUARTER - 1, -1, -1)))
        site.history.close()
    return found


def broken(job: tuple[int, Kind, str]) -> int | None:
    """Say after how many complete days a break is told; None where not within two weeks of it."""
    seed, kind, name = job
    put, rule, _ = BREAKS[name]
    made = made_up(kind, seed)
    put(made, DAYS - AGAIN_AFTER)
    with tempfile.TemporaryDirectory() as folder:
        site = held(Path(folder), made)
        for days in range(1, AGAIN_AFTER + 1):
            asked = AlarmsQuery(on=LAST - timedelta(AGAIN_AFTER - days), rule=rule)
            if answer(site, asked).rows:
                break
        else:
            days = 0
        site.history.close()
    return days or None


def main() -> None:
    """Simulate, on all cores."""
    sites = int(sys.argv[1]) if len(sys.argv) > 1 else 6
    quiet_ones = [(100 * k + n, kind) for n in range(sites) for k, kind in enumerate(KINDS)]
    figures: dict[str, Any] = {"quarters": len(quiet_ones), "rules": len(RULES)}
    with ProcessPoolExecutor() as pool:
        found = list(pool.map(quiet, quiet_ones))
        by_rule: Counter[str] = Counter()
        for each in found:
            by_rule.update(each)
        print(f"{len(quiet_ones)} quiet sites over a quarter: {sum(by_rule.values()) / len(quiet_ones):.2f} told each")
        for rule in RULES:
            print(f"  {rule.name:24}{by_rule[rule.name] / len(quiet_ones):.3f}")
        figures["quiet"] = {rule.name: round(by_rule[rule.name] / len(quiet_ones), 3) for rule in RULES}
        figures["told a site and quarter"] = round(sum(by_rule.values()) / len(quiet_ones), 3)
        figures["found"] = {}
        for name, (_, _, promised) in BREAKS.items():
            for k, kind in enumerate(KINDS):
                after = list(pool.map(broken, [(5000 + 100 * k + n, kind, name) for n in range(sites)]))
                within = sum(days is not None and days <= promised for days in after)
                print(f"{name}, {kind.clicks:g} clicks a day: {within} of {sites} within {promised} days; {after}")
                figures["found"][f"{name}, {kind.clicks:g} clicks a day"] = [within, sites]
    (HERE / "alarms.json").write_text(json.dumps(figures, indent=1) + "\n")


if __name__ == "__main__":
    main()
