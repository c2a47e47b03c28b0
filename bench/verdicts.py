"""How often the verdict is wrong, on simulated sites where the truth is known.

Quiet sites: 1,000 pages each whose weekly clicks vary only by noise, negative binomial with a variance of 1.2 to 4
times the mean, sizes log-normal. Then the same with 5% of the pages truly down by 30%. Prints and writes
bench/verdicts.json.
"""

from __future__ import annotations

import json
from dataclasses import asdict, dataclass
from pathlib import Path

import numpy as np

from noctilum.core.verdicts import VERDICTS, judge

PAGES, WEEKS, SITES = 1000, 26, 200
LOSS, LOST_SHARE = 0.30, 0.05
MIDDLE, LARGE = (400, 1500), 1500


@dataclass(frozen=True)
class Found:
    """What came out. false_alarms: quiet sites with any page listed as fading. found_…: true losses listed, by clicks
    a month. false_share: of what is listed, that which lost nothing."""

    sites: int
    false_alarms: float
    found_middle: float
    found_large: float
    false_share: float


def trial(sites: int = SITES, seed: int = 1, sizes: tuple[float, float] = (4.0, 1.6)) -> Found:
    """Simulate sites twice over: quiet, and with true losses. sizes: mean and deviation of log clicks a month."""
    rng = np.random.default_rng(seed)
    alarms, listed, wrong = 0, 0, 0
    middle, large = [0, 0], [0, 0]
    for _ in range(sites):
        size = rng.lognormal(*sizes, PAGES)
        phi = rng.uniform(1.2, 4.0, PAGES)
        alarms += bool(_fading(rng, size, phi, np.ones(PAGES)).any())
        true = rng.random(PAGES) < LOST_SHARE
        found = _fading(rng, size, phi, np.where(true, 1 - LOSS, 1.0))
        listed += int(found.sum())
        wrong += int((found & ~true).sum())
        for tally, of in ((middle, (size >= MIDDLE[0]) & (size <= MIDDLE[1])), (large, size > LARGE)):
            tally[0] += int((found & true & of).sum())
            tally[1] += int((true & of).sum())
    return Found(sites, alarms / sites, middle[0] / middle[1], large[0] / large[1], wrong / max(1, listed))


def _fading(rng: np.random.Generator, size: np.ndarray, phi: np.ndarray, factor: np.ndarray) -> np.ndarray:
    """Draw a site's weeks, 26 before the new window and 4 in it, and say which pages are judged fading.

    size: clicks in four weeks. The window before is the last four of the 26 weeks.
    """
    weeks = np.repeat((size / 4)[:, None], WEEKS + 4, axis=1)
    weeks[:, WEEKS:] *= factor[:, None]
    drawn = rng.negative_binomial(weeks / (phi[:, None] - 1), 1 / phi[:, None])
    now, before = drawn[:, WEEKS:].sum(axis=1), drawn[:, WEEKS - 4 : WEEKS].sum(axis=1)
    found = judge(now, before, drawn[:, :WEEKS].astype(np.float64), 28, 28)
    return found.verdict == VERDICTS.index("fading")


if __name__ == "__main__":
    figures = asdict(trial())
    for name, value in figures.items():
        print(f"{name:14} {value:.3f}" if isinstance(value, float) else f"{name:14} {value}")
    (Path(__file__).parent / "verdicts.json").write_text(json.dumps(figures, indent=1) + "\n")
