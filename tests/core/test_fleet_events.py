"""Events of a whole fleet: quiet years first, with common weather; then an engine update where it is known."""

from __future__ import annotations

import numpy as np
import pytest

from noctilum.core.fleet import SPAN, events, rank_scores, scores

DAYS = 520
WEEK = np.array([1, 1.02, 1.0, 0.98, 0.95, 0.7, 0.72])


def fleet(seed: int, sites: int, update: int | None = None, share: float = 0.4) -> tuple[np.ndarray, np.ndarray]:
    """Scores of sites of 30 to 3,000 clicks a day; each has its own weather and some of a common one.

    update: a day from which on a share of them stand a quarter lower or higher; gives which.
    """
    draw = np.random.default_rng(seed)
    common = np.zeros(DAYS)
    for day in range(1, DAYS):
        common[day] = 0.6 * common[day - 1] + draw.normal(0, 0.02)
    hit = draw.random(sites) < share if update is not None else np.zeros(sites, dtype=bool)
    found = []
    for site in range(sites):
        own = np.zeros(DAYS)
        for day in range(1, DAYS):
            own[day] = 0.5 * own[day - 1] + draw.normal(0, 0.04)
        wave = 1 + 0.3 * np.sin(2 * np.pi * (np.arange(DAYS) / 365.25 + draw.random()))
        level = np.exp(draw.uniform(np.log(30), np.log(3000)))
        means = level * np.tile(WEEK, DAYS // 7 + 1)[:DAYS] * wave * np.exp(own + common)
        if hit[site]:
            means[update:] *= 0.72 if draw.random() < 0.7 else 1.35
        counted = draw.negative_binomial(means / 0.5, 1 / 1.5).astype(float)
        found.append(scores(counted))
    return np.array(found), hit


@pytest.mark.parametrize("seed", [1, 2, 3])
def test_a_quiet_year_over_many_sites_has_at_most_one_event(seed):
    found, _ = fleet(seed, 100)
    assert len(events(found[:, -365:])) <= 1


@pytest.mark.parametrize("seed", [11, 12, 13, 14])
def test_an_update_is_found_with_its_day_and_the_sites_it_hit(seed):
    day = DAYS - 60
    found, hit = fleet(seed, 60, update=day)
    told = events(found[:, -365:])
    event = next(each for each in told if abs(each.first - (day - (DAYS - 365))) <= 3)
    named = np.zeros(60, dtype=bool)
    named[list(event.sites)] = True
    assert (named & hit).sum() >= 0.6 * hit.sum()
    assert (named & ~hit).sum() <= 0.15 * 60
    assert event.chance <= 1e-4 and event.usual < len(event.sites)
    assert list(event.scores) == sorted(event.scores)


def test_few_sites_or_a_short_past_tell_nothing():
    found, _ = fleet(5, 6, update=DAYS - 60)
    assert events(found) == []
    assert events(np.full((20, 400), np.nan)) == []
    assert np.isnan(scores(np.ones(40))).all()


def test_what_one_site_does_alone_is_no_event():
    found, _ = fleet(6, 30)
    before = len(events(found[:, -365:]))
    found[3, -100 : -100 + SPAN] = -12.0
    assert len(events(found[:, -365:])) == before


def ranked(seed: int, sites: int, update: int | None = None, share: float = 0.4) -> tuple[np.ndarray, np.ndarray]:
    """Rank scores of sites of 10 to 80 keywords, a fifth of them looked up weekly; update as of fleet."""
    draw = np.random.default_rng(seed)
    hit = draw.random(sites) < share if update is not None else np.zeros(sites, dtype=bool)
    common = np.zeros(365)
    for day in range(1, 365):
        common[day] = 0.9 * common[day - 1] + draw.normal(0, 0.005)
    return np.array([rank_scores(ranks_of(draw, common, update if hit[n] else None)) for n in range(sites)]), hit


def ranks_of(draw: np.random.Generator, common: np.ndarray, update: int | None) -> np.ndarray:
    """Where keywords of one site stand on 365 days; three looks of a hundred fail."""
    keywords = int(draw.integers(10, 80))
    at = np.exp(draw.uniform(np.log(1.2), np.log(60), keywords))
    unrest = 0.2 * draw.uniform(0.2, 1.8, keywords)
    own = draw.standard_t(4, size=(keywords, 365)) * np.sqrt(1 - 0.93**2)
    weather = draw.normal(0, 0.02, 365)
    for day in range(1, 365):
        own[:, day] += 0.93 * own[:, day - 1]
        weather[day] += 0.9 * weather[day - 1]
    logs = own * unrest[:, None] + weather + common
    if update is not None:
        logs[:, update:] += (0.3 if draw.random() < 0.7 else -0.3) * draw.uniform(0.5, 1.5, keywords)[:, None]
    rank = np.clip(np.round(at[:, None] * np.exp(logs)), 1, 101)
    rank[draw.random(rank.shape) < 0.03] = np.nan
    if draw.random() < 0.2:
        rank[:, np.arange(365) % 7 != draw.integers(7)] = np.nan
    return rank


@pytest.mark.parametrize("seed", [1, 2, 3])
def test_quiet_ranks_of_many_sites_have_at_most_one_event_a_year(seed):
    assert len(events(ranked(seed, 100)[0])) <= 1


@pytest.mark.parametrize("seed", [21, 22, 23])
def test_an_update_is_found_in_ranks_with_its_day_and_its_sites(seed):
    found, hit = ranked(seed, 40, update=300)
    event = next(each for each in events(found) if abs(each.first - 300) <= 3)
    named = np.zeros(40, dtype=bool)
    named[list(event.sites)] = True
    assert (named & hit).sum() >= 0.6 * hit.sum() and (named & ~hit).sum() <= 4


def test_a_few_keywords_alone_move_no_site():
    rank = np.repeat(np.arange(1.0, 31)[:, None], 200, axis=1)
    rank[:5, 120:] += 40
    assert np.nanmax(np.abs(rank_scores(rank))) < 2.5
    assert np.isnan(rank_scores(rank[:9])).all()
