"""How often a note on a page is said to have done something, where the truth is known: with and without earlier years.

Pages of 400 and 1,500 clicks in four weeks beside a rest of the site of 20,000 a week; their weeks are negative
binomial with a variance of 1.2 to 4 times the mean, times what the year does (as in bench/verdicts.py). Each case is
simulated quiet, and again with a loss of 30%. Prints, and writes bench/notes.json: `python -m bench.notes`.
Then follow-ups of work, on pages of 1,000 clicks in four weeks, quiet and with a gain of 15%: by themselves, as sites
of few pages are read, and beside 60 pages of their site, of which a share of CHANGED changed for reasons of their own.
"""

from __future__ import annotations

import json
import sys
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import numpy as np
from bench.verdicts import SHAPES, YEAR, pair, shared

from noctilum.core import verdicts
from noctilum.core.beside_rows import own_and_stray
from noctilum.core.season import Year, departure, over, untold
from noctilum.readings.effect import SURE, TYPICAL

SIZES = (400, 1500)
WORK, GAIN, SPANS = 1000, 0.15, (4, 12)
"""Follow-ups of work: a page of so many clicks in four weeks gains so much; read after 28 and after 84 days."""


def sums(drawn: np.ndarray, end: int, span: int = 4) -> tuple[np.ndarray, np.ndarray]:
    """Give clicks of so many weeks that end at a week, and of as many before."""
    return drawn[:, end - span : end].sum(axis=1), drawn[:, end - 2 * span : end - span].sum(axis=1)


def log_ratio(pair: tuple[np.ndarray, np.ndarray]) -> np.ndarray:
    return np.log(np.maximum(pair[0], 0.5) / np.maximum(pair[1], 0.5))


def left_open(pair: tuple[np.ndarray, np.ndarray]) -> np.ndarray:
    return 1 / np.maximum(pair[0], 0.5) + 1 / np.maximum(pair[1], 0.5)


def share_judged(
    shape: str, size: int, years: int, loss: float, notes: int = 2000, seed: int = 7, span: int = 4
) -> float:
    """Simulate notes; give the share of them said to be better or worse. span: the weeks read after them."""
    rng = np.random.default_rng(seed)
    before_it = 26 + 2 * span
    total = YEAR * years + before_it
    weeks = np.arange(-total + 1, 1)
    mean = size / 4 * np.exp(SHAPES[shape](rng, weeks, notes))
    mean[:, -span:] *= 1 - loss
    spread = rng.uniform(1.2, 4.0, notes)[:, None]
    page = rng.negative_binomial(np.maximum(mean, 1e-6) / (spread - 1), 1 / spread)
    wave = np.zeros(total) if shape == "none" else shared(rng, weeks, 1)[0]
    rest = rng.poisson(20_000 * np.exp(wave), (notes, total))
    weekly = page[:, total - before_it : total - 2 * span].astype(np.float64)
    phi, freedom = verdicts.drawn_to(TYPICAL, *verdicts.dispersion(weekly))
    own, stray = np.zeros(notes), np.full(notes, untold(7 * span))
    if years:
        then = [(sums(page, total - YEAR * n, span), sums(rest, total - YEAR * n, span)) for n in range(1, years + 1)]
        apart = np.stack([log_ratio(mine) - log_ratio(others) for mine, others in then])
        open_ = np.stack([phi * (left_open(mine) + left_open(others)) for mine, others in then])
        found = [departure(apart[:, n], open_[:, n], over(7 * span)) for n in range(notes)]
        own, stray = np.array(found).T
    (now, before), others = sums(page, total, span), sums(rest, total, span)
    expected = before * np.exp(log_ratio(others) + own)
    ratio = expected / np.maximum(before, 1)
    chance = phi * (ratio**2 * before + now + expected**2 * left_open(others))
    z = (now - expected) / np.sqrt(chance + expected**2 * stray)
    clear = np.abs(now / np.maximum(expected, 1e-9) - 1) >= verdicts.RULE.ratio
    return float(np.mean((verdicts.two_sided(z, freedom) <= SURE) & clear))


PAGES, CHANGED = 60, 0.03


def share_learnt(case: tuple[str, int, float, int, int]) -> float:
    """Simulate follow-ups beside other pages; give the share of them said to be better or worse."""
    shape, years, gain, span, notes = case
    rng = np.random.default_rng(7)
    return float(np.mean([_is_told(rng, shape, years, gain, span) for _ in range(notes)]))


def _is_told(rng: np.random.Generator, shape: str, years: int, gain: float, span: int) -> bool:
    total, before_it = YEAR * years + 26 + 2 * span, 26 + 2 * span
    size = np.concatenate([[WORK], rng.lognormal(5.5, 1.2, PAGES)])
    mean = size[:, None] / 4 * np.exp(SHAPES[shape](rng, np.arange(-total + 1, 1), size.size))
    changed = rng.random(size.size) < CHANGED
    factor = np.where(changed, rng.choice([0.6, 1.5], size.size), 1.0)
    factor[0] = 1 + gain
    mean[:, -span:] *= factor[:, None]
    spread = rng.uniform(1.2, 4.0, (size.size, 1))
    drawn = rng.negative_binomial(np.maximum(mean, 1e-6) / (spread - 1), 1 / spread)
    weekly = drawn[:, total - before_it : total - 2 * span].astype(np.float64)
    now = pair(drawn, total, span)
    earlier = [Year(pair(drawn, total - YEAR * n, span)) for n in range(1, years + 1)]
    eligible = (now.now + now.before) >= verdicts.RULE.fewest
    found = own_and_stray(
        now, earlier, verdicts.shrunk(*verdicts.dispersion(weekly), eligible, verdicts.RULE)[0], eligible, 0
    )
    assert found is not None
    phi, freedom = verdicts.drawn_to(TYPICAL, *verdicts.dispersion(weekly[:1]))
    rest = now.site_now - int(now.now[0]), now.site_before - int(now.before[0])
    ratio, after, before = float(np.exp(found[0])) * rest[0] / rest[1], int(now.now[0]), int(now.before[0])
    expected = ratio * before
    chance = phi * (ratio**2 * before + after + expected**2 * (1 / rest[0] + 1 / rest[1]))
    z = (after - expected) / np.sqrt(chance + expected**2 * found[1])
    clear = abs(after / expected - 1) >= verdicts.RULE.ratio
    return bool(verdicts.two_sided(z, freedom)[0] <= SURE and clear)


def main() -> None:
    """Simulate every case."""
    notes = int(sys.argv[1]) if len(sys.argv) > 1 else 2000
    figures = {}
    print(f"{'':22}quiet 400   quiet 1,500   found 400   found 1,500")
    for shape in ("none", "shared", "own", "loose"):
        for years in range(4):
            row = [share_judged(shape, size, years, loss, notes) for loss in (0.0, 0.3) for size in SIZES]
            figures[f"{shape}, {years} years"] = row
            print(f"{f'{shape}, {years} years':22}" + "".join(f"{share:>12.1%}" for share in row), flush=True)
    print(f"\n{'follow-ups, 1,000':22}quiet 28    quiet 84    +15% 28    +15% 84")
    for shape in ("none", "shared", "own", "loose"):
        for years in range(4):
            row = [share_judged(shape, WORK, years, loss, notes, span=span) for loss in (0.0, -GAIN) for span in SPANS]
            figures[f"follow-up, {shape}, {years} years"] = row
            print(f"{f'{shape}, {years} years':22}" + "".join(f"{share:>12.1%}" for share in row), flush=True)
    print(f"\n{'beside 60 pages':22}quiet 28    quiet 84    +15% 28    +15% 84")
    for shape in ("none", "shared", "own", "loose"):
        for years in range(4):
            cases = [(shape, years, gain, span, notes // 2) for gain in (0.0, GAIN) for span in SPANS]
            with ProcessPoolExecutor() as pool:
                row = list(pool.map(share_learnt, cases))
            figures[f"beside pages, {shape}, {years} years"] = row
            print(f"{f'{shape}, {years} years':22}" + "".join(f"{share:>12.1%}" for share in row), flush=True)
    (Path(__file__).parent / "notes.json").write_text(json.dumps(figures, indent=1) + "\n")


if __name__ == "__main__":
    main()
