"""Whether a keyword's rank moved after work on it: quiet keywords first, then lifts of known size."""

from collections import Counter

import numpy as np
import pytest

from noctilum.core.rank_work import LEAST_BESIDE, LEAST_CHECKS, LEAST_OTHERS, moved_beside

KEYWORDS, DAYS = 60, 28


def wandering(rng: np.random.Generator, keywords: int, weeks: int) -> tuple[np.ndarray, np.ndarray]:
    """Where keywords stand at rest, and how they wander about it, with a shake-up of all results among."""
    days = 7 * weeks
    at = np.exp(rng.uniform(np.log(1.2), np.log(60), keywords))
    unrest = 0.25 * rng.uniform(0.3, 1.7, keywords)
    steps = rng.normal(size=(keywords, days)) * np.sqrt(1 - 0.93**2)
    steps[:, 0] = rng.normal(size=keywords)
    for n in range(1, days):
        steps[:, n] += 0.93 * steps[:, n - 1]
    shaken = rng.normal(0, 0.15) * (np.arange(days) >= rng.integers(0, days))
    return at, steps * unrest[:, None] + shaken


def verdicts(lift: float, cases: int, keywords: int = KEYWORDS, earlier: int = 0) -> Counter:
    """What is said of one keyword, in so many cases, with so many earlier pairs of windows known."""
    said: Counter = Counter()
    for seed in range(cases):
        rng = np.random.default_rng(seed)
        at, moving = wandering(rng, keywords, 8 * (1 + earlier))
        usual = np.flatnonzero((at > 3) & (at < 40))
        mine = int(rng.choice(usual if usual.size else keywords))
        moving[mine, -DAYS:] += np.log(lift)
        rank = np.clip(np.round(at[:, None] * np.exp(moving)), 1, 101)
        pairs = [(rank[:, n : n + DAYS], rank[:, n + DAYS : n + 2 * DAYS]) for n in range(0, rank.shape[1], 2 * DAYS)]
        found = moved_beside(*pairs[-1], mine, pairs[:-1])
        assert found is not None
        said[found.verdict] += 1
    return said


@pytest.mark.parametrize(("keywords", "earlier"), [(60, 0), (12, 4), (7, 6)])
def test_what_nothing_was_done_for_is_called_moved_in_at_most_one_case_of_twenty(keywords: int, earlier: int):
    said = verdicts(1.0, 600, keywords, earlier)
    assert (said["better"] + said["worse"]) / 600 <= 0.05 + 2 * np.sqrt(0.05 * 0.95 / 600)


def test_a_rank_that_halved_is_found_and_one_that_doubled_is_worse():
    assert verdicts(0.5, 150)["better"] >= 100
    assert verdicts(2.0, 150)["worse"] >= 100
    assert verdicts(0.5, 150, 12, 4)["better"] >= 90


def test_days_that_nobody_looked_change_no_mean_and_too_few_are_not_read():
    rank = np.repeat(np.arange(1.0, 41)[:, None], DAYS, axis=1)
    now = rank.copy()
    now[4] = 2.0
    whole = moved_beside(rank, now, 4)
    gone = rank.copy()
    gone[:, ::2] = np.nan
    found = moved_beside(gone, now, 4)
    assert (found.before, found.now, found.p, found.verdict) == (5.0, 2.0, whole.p, "better")
    assert found.moved == pytest.approx(whole.moved) == pytest.approx(2 / 5 - 1)
    gone[4, LEAST_CHECKS:] = np.nan
    assert moved_beside(gone, now, 4) is None


@pytest.mark.parametrize(("keywords", "earlier"), [(LEAST_OTHERS, 0), (LEAST_BESIDE, 9)])
def test_beside_too_few_others_the_ranks_are_told_and_nothing_is_judged(keywords: int, earlier: int):
    rank = np.repeat(np.arange(1.0, 1 + keywords)[:, None], DAYS, axis=1)
    found = moved_beside(rank, rank / 2, 3, [(rank, rank)] * earlier)
    assert (found.before, found.now, found.p, found.verdict) == (4.0, 2.0, None, None)


@pytest.mark.parametrize("all_by", [0.5, 1.0, 3.0])
def test_what_came_over_all_keywords_is_no_work_of_ones_own(all_by: float):
    rank = np.repeat(np.arange(2.0, 42)[:, None], DAYS, axis=1)
    found = moved_beside(rank, rank * all_by, 7)
    assert found.moved == pytest.approx(0.0, abs=1e-9) and found.verdict == "no clear change"
