"""How often the verdict is wrong, on simulated sites where the truth is known: with and without seasons.

Sites of 1,000 or 120 pages whose weekly clicks are negative binomial with a variance of 1.2 to 4 times the mean, sizes
log-normal, times what the year does to the site and to each page. Every case is simulated quiet, and again with 5% of
the pages truly down by 30%. The last week is the steepest fall of the site's year. Prints, and writes
bench/verdicts.json.
"""

from __future__ import annotations

import json
import sys
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from dataclasses import asdict, dataclass
from pathlib import Path

import numpy as np

from noctilum.core.season import Pair, Year, judge_net
from noctilum.core.verdicts import VERDICTS, judge

YEAR = 52
LOSS, LOST_SHARE = 0.30, 0.05
MIDDLE, LARGE = (400, 800), (1500, 3000)
"""Clicks in 28 days of the pages whose losses are counted."""
Shape = Callable[[np.random.Generator, np.ndarray, int], np.ndarray]
"""Gives the logarithm of what the year does: (random, weeks counted back from 0, pages) → (pages, weeks)."""


@dataclass(frozen=True)
class Case:
    """What is simulated. net: judged net of the season. changed: share of pages that really changed a year ago."""

    name: str
    shape: str
    months: int = 39
    weeks: int = 4
    pages: int = 1000
    net: bool = True
    changed: float = 0.0
    whole: float = 1.0


@dataclass(frozen=True)
class Found:
    """What came out. quiet_pages: called fading of quiet pages. alarms: quiet sites with any. found_…: true losses
    listed, by size. false_share: of what is listed, that which lost nothing."""

    quiet_pages: float
    alarms: float
    found_middle: float
    found_large: float
    false_share: float


def none(_rng: np.random.Generator, weeks: np.ndarray, pages: int) -> np.ndarray:
    return np.zeros((pages, weeks.size))


def shared(_rng: np.random.Generator, weeks: np.ndarray, pages: int) -> np.ndarray:
    """One yearly sine of 50% for all pages; at week 0 it falls most steeply."""
    return np.tile(np.log1p(-0.5 * np.sin(2 * np.pi * weeks / YEAR)), (pages, 1))


def own(rng: np.random.Generator, weeks: np.ndarray, pages: int) -> np.ndarray:
    """Seasons of their own on top: heights up to 50%, any phase."""
    height, phase = rng.uniform(0, 0.5, (pages, 1)), rng.uniform(0, 2 * np.pi, (pages, 1))
    return shared(rng, weeks, pages) + np.log1p(height * np.sin(2 * np.pi * weeks / YEAR + phase))


def loose(rng: np.random.Generator, weeks: np.ndarray, pages: int) -> np.ndarray:
    """Seasons of their own that come back loosely: height and phase stray from year to year."""
    found = shared(rng, weeks, pages)
    height, phase = rng.uniform(0, 0.4, (pages, 1)), rng.uniform(0, 2 * np.pi, (pages, 1))
    for year in range(int(-weeks.min()) // YEAR + 1):
        here = (weeks > -(year + 1) * YEAR) & (weeks <= -year * YEAR)
        strayed = height * np.exp(rng.normal(0, 0.15, (pages, 1))), phase + rng.normal(0, 0.15, (pages, 1))
        found[:, here] += np.log1p(np.minimum(strayed[0], 0.9) * np.sin(2 * np.pi * weeks[here] / YEAR + strayed[1]))
    return found


def moved(rng: np.random.Generator, weeks: np.ndarray, pages: int) -> np.ndarray:
    """A feast that moves by up to two weeks lifts a third of the pages by 40% for two weeks."""
    found, lifted = shared(rng, weeks, pages), rng.random(pages) < 1 / 3
    for year in range(int(-weeks.min()) // YEAR + 1):
        feast = -year * YEAR - 5 + int(rng.integers(-2, 3))
        found[np.ix_(lifted, (weeks >= feast - 1) & (weeks <= feast))] += np.log(1.4)
    return found


SHAPES: dict[str, Shape] = {"none": none, "shared": shared, "own": own, "loose": loose, "moved": moved}
CASES = (
    Case("no season, as counted", "none", net=False),
    Case("one season, as counted", "shared", net=False),
    *(Case(f"no season, {m} months", "none", m) for m in (14, 26, 39)),
    *(Case(f"one season, {m} months", "shared", m) for m in (13, 14, 26, 39)),
    *(Case(f"own seasons, {m} months", "own", m) for m in (14, 26, 39)),
    *(Case(f"loose seasons, {m} months", "loose", m) for m in (14, 26, 39)),
    *(Case(f"moved feast, {m} months", "moved", m) for m in (14, 39)),
    Case("own seasons, 13 weeks", "own", 39, 13),
    Case("own seasons, 13 weeks, one year", "own", 19, 13),
    Case("own seasons, 120 pages", "own", 39, pages=120),
    Case("own seasons, 120 pages, one year", "own", 15, pages=120),
    *(Case(f"{n} pages, {m} months", "own", m, pages=n) for n in (1, 3, 10, 30) for m in (14, 39)),
    *(Case(f"{n} pages, as counted", "none", net=False, pages=n) for n in (1, 3, 10, 30)),
    Case("the whole site falls", "own", 39, whole=0.7),
    *(Case(f"changed a year ago, {m} months", "own", m, changed=0.05) for m in (14, 26, 39)),
)


def pair(drawn: np.ndarray, end: int, weeks: int) -> Pair:
    """Take the windows of so many weeks that end at a week, and the ones before them."""
    now, before = drawn[:, end - weeks : end].sum(axis=1), drawn[:, end - 2 * weeks : end - weeks].sum(axis=1)
    return Pair(now, before, 7 * weeks, 7 * weeks, int(now.sum()), int(before.sum()))


def years_of(drawn: np.ndarray, weeks: int) -> list[Year]:
    """Take the same windows of every year that is there, with those just outside them."""
    found, total = [], drawn.shape[1]
    for back in range(1, total // YEAR + 1):
        end = total - back * YEAR
        if end < 2 * weeks:
            break
        outside = None
        if weeks <= 8 and end >= 3 * weeks and end + weeks <= total:
            now, before = (
                drawn[:, end : end + weeks].sum(axis=1),
                drawn[:, end - 3 * weeks : end - 2 * weeks].sum(axis=1),
            )
            outside = Pair(now, before, 7 * weeks, 7 * weeks, int(now.sum()), int(before.sum()))
        found.append(Year(pair(drawn, end, weeks), outside))
    return found


def fading(case: Case, drawn: np.ndarray) -> np.ndarray:
    """Say which pages are judged fading."""
    total = drawn.shape[1]
    weekly = drawn[:, max(0, total - case.weeks - 26) : total - case.weeks].astype(np.float64)
    asked = pair(drawn, total, case.weeks)
    if not case.net:
        return judge(asked.now, asked.before, weekly, 28, 28).verdict == VERDICTS.index("fading")
    found, _ = judge_net(asked, weekly, years_of(drawn, case.weeks))
    return found.verdict == VERDICTS.index("fading")


def draw(rng: np.random.Generator, case: Case, size: np.ndarray, factor: np.ndarray) -> np.ndarray:
    """Draw a site's weeks; size: clicks in four weeks; factor: of each page in the window now."""
    total = round(case.months * 365.25 / 12 / 7)
    weeks = np.arange(-total + 1, 1)
    mean = np.repeat((size / 4)[:, None], total, axis=1) * np.exp(SHAPES[case.shape](rng, weeks, size.size))
    if case.changed:
        when = rng.integers(-YEAR - 8, -YEAR + 1, size.size)
        step = np.where(rng.random(size.size) < case.changed, rng.choice([0.4, 0.6, 1.6, 2.5], size.size), 1.0)
        mean *= np.where(weeks[None, :] > when[:, None], step[:, None], 1.0)
    mean[:, -case.weeks :] *= factor[:, None] * case.whole
    phi = rng.uniform(1.2, 4.0, size.size)[:, None]
    return rng.negative_binomial(np.maximum(mean, 1e-6) / (phi - 1), 1 / phi)


def trial(case: Case, sites: int, seed: int = 1) -> Found:
    """Simulate sites twice over: quiet, and with true losses."""
    rng = np.random.default_rng(seed)
    quiet = alarms = listed = wrong = 0
    tallies = {MIDDLE: [0, 0], LARGE: [0, 0]}
    for _ in range(sites):
        size = rng.lognormal(4.0, 1.6, case.pages)
        found = fading(case, draw(rng, case, size, np.ones(case.pages)))
        quiet += int(found.sum())
        alarms += bool(found.any())
        true = rng.random(case.pages) < LOST_SHARE
        found = fading(case, draw(rng, case, size, np.where(true, 1 - LOSS, 1.0)))
        listed += int(found.sum())
        wrong += int((found & ~true).sum())
        for (low, high), tally in tallies.items():
            of = true & (size >= low) & (size <= high)
            tally[0] += int((found & of).sum())
            tally[1] += int(of.sum())
    middle, large = (found / max(1, all_) for found, all_ in tallies.values())
    return Found(quiet / sites / case.pages, alarms / sites, middle, large, wrong / max(1, listed))


def main() -> None:
    """Simulate every case, on all cores."""
    sites = int(sys.argv[1]) if len(sys.argv) > 1 else 200
    only = sys.argv[2] if len(sys.argv) > 2 else ""
    cases = [case for case in CASES if only in case.name]
    print(f"{'':36}quiet pages  sites alarmed   found 400   found 1,500   false")
    figures = {}
    with ProcessPoolExecutor() as pool:
        for case, found in zip(cases, pool.map(trial, cases, [sites] * len(cases)), strict=True):
            figures[case.name] = asdict(found)
            print(
                f"{case.name:36}{found.quiet_pages:>10.4%}{found.alarms:>13.1%}{found.found_middle:>13.1%}"
                f"{found.found_large:>13.1%}{found.false_share:>10.1%}",
                flush=True,
            )
    if not only:
        (Path(__file__).parent / "verdicts.json").write_text(json.dumps(figures, indent=1) + "\n")


if __name__ == "__main__":
    main()
