"""Ranks: laws, worked numbers, and sites where the truth is known; told apart from plain loops."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from noctilum.core.curve import reference_rates
from noctilum.core.ranks import (
    MOVEMENTS,
    Checks,
    Strata,
    by_step,
    counted,
    cross_check,
    feature_effect,
    grid_sums,
    latest,
    movements,
    share_of_voice,
    visibility,
    visibility_verdict,
)

REF = [0.3, 0.16, 0.1, 0.07, 0.053, 0.042, 0.034, 0.028, 0.024, 0.021] + [0.021 * 0.85**n for n in range(1, 11)]
ranks = st.one_of(st.just(math.nan), st.integers(1, 120).map(float))
sides = st.lists(st.tuples(ranks, ranks, st.booleans(), st.booleans()), min_size=1, max_size=40)
checks = st.lists(st.tuples(st.integers(0, 4), st.integers(1, 40), ranks), max_size=60)


def made(rows) -> Checks:
    keyword, day, rank = (list(column) for column in zip(*rows, strict=True)) if rows else ([], [], [])
    return Checks(np.array(keyword, dtype=np.int64), np.array(day, dtype=np.int64), np.array(rank, dtype=np.float64))


def alike(one: float, other: float) -> bool:
    return one == other or (math.isnan(one) and math.isnan(other))


def test_visibility_is_the_worked_number_and_the_plain_sum():
    rank, weight = np.array([1, 4, np.nan, 11]), np.array([3.0, 1, 2, 1])
    assert visibility(rank, weight) == pytest.approx(47.0405, abs=5e-5)
    assert reference_rates(20).tolist() == pytest.approx(REF)
    volume = np.array([10.0, 500, 0, 40])
    plain = sum(w * v * (REF[int(r) - 1] if r == r else 0) for r, w, v in zip(rank, weight, volume, strict=True))
    whole = sum(w * v * 0.3 for w, v in zip(weight, volume, strict=True))
    assert visibility(rank, weight, volume) == pytest.approx(100 * plain / whole)


@given(st.lists(st.tuples(ranks, st.integers(1, 5), st.booleans()), min_size=1, max_size=30), st.integers(0, 29))
def test_visibility_lies_between_none_and_all_and_grows_with_any_better_place(rows, at):
    rank, weight, checked = (np.array(column, dtype=np.float64) for column in zip(*rows, strict=True))
    looked = checked.astype(bool)
    found = visibility(rank, weight, checked=looked)
    if not looked.any():
        assert found is None
        return
    assert -1e-9 <= found <= 100 + 1e-9
    better = rank.copy()
    better[at % len(rank)] = 1.0
    assert visibility(better, weight, checked=looked) >= found - 1e-9
    away = np.where(looked, rank, 1.0)
    assert visibility(away, weight, checked=looked) == pytest.approx(found)


@given(sides)
def test_every_keyword_moves_in_one_way_and_one_that_nobody_checked_is_never_lost(rows):
    before, now, then, here = (np.array(column) for column in zip(*rows, strict=True))
    found = movements(before, now, then, here)
    assert sum(counted(found).values()) == len(rows)
    for (was, is_, looked_then, looked_now), each in zip(rows, found, strict=True):
        name = MOVEMENTS[each]
        assert (name == "unknown") == (not (looked_then and looked_now))
        if name == "lost":
            assert looked_now and math.isnan(is_) and not math.isnan(was)
        if name in ("up", "same", "down"):
            assert name == ("up" if is_ < was else "same" if is_ == was else "down")
    turned = [MOVEMENTS[each] for each in movements(now, before, here, then)]
    mirror = {"up": "down", "down": "up", "entered": "lost", "lost": "entered"}
    assert turned == [mirror.get(MOVEMENTS[each], MOVEMENTS[each]) for each in found]


@given(checks, st.integers(1, 45))
def test_the_latest_check_of_the_last_seven_days_counts(rows, last):
    rank, checked = latest(made(rows), 5, last)
    for keyword in range(5):
        near = [row for row in rows if row[0] == keyword and last - 7 < row[1] <= last]
        assert checked[keyword] == bool(near)
        newest = max(near, key=lambda row: row[1])[1] if near else None
        told = [row for row in near if row[1] == newest][-1][2] if near else math.nan
        assert alike(rank[keyword], told)


@given(checks, st.sampled_from(["last", "best", "average"]))
def test_steps_of_a_ladder_are_those_of_a_plain_loop(rows, choice):
    ends = np.array([7, 14, 21, 28])
    rank, checked = by_step(made(rows), 5, ends, choice)
    for keyword in range(5):
        first = 0
        for step, end in enumerate(ends):
            mine = sorted((r for r in rows if r[0] == keyword and first < r[1] <= end), key=lambda r: r[1])
            first = end
            found = [r[2] for r in mine if not math.isnan(r[2])]
            told = {
                "last": mine[-1][2] if mine else math.nan,
                "best": min(found, default=math.nan),
                "average": sum(found) / len(found) if found else math.nan,
            }[choice]
            assert checked[keyword, step] == bool(mine)
            assert alike(rank[keyword, step], told) or rank[keyword, step] == pytest.approx(told)


@given(
    st.lists(st.tuples(st.integers(0, 6), st.integers(0, 4), st.integers(1, 40)), min_size=1, max_size=60),
    st.lists(st.integers(1, 5), min_size=5, max_size=5),
)
def test_shares_of_voice_add_up_to_one_and_are_those_of_each_domains_best_places(rows, weights):
    domain, keyword, rank = (np.array(column) for column in zip(*rows, strict=True))
    names, shares = share_of_voice(domain, keyword, rank.astype(np.float64), np.array(weights, dtype=np.float64))
    best: dict[tuple[int, int], int] = {}
    for d, k, r in rows:
        best[d, k] = min(r, best.get((d, k), 999))
    plain: dict[int, float] = {}
    for (d, k), r in best.items():
        plain[d] = plain.get(d, 0.0) + (weights[k] * REF[r - 1] if r <= 20 else 0.0)
    total = sum(plain.values())
    assert dict(zip(names.tolist(), shares.tolist(), strict=True)) == pytest.approx(
        {d: earned / total for d, earned in plain.items() if earned}
    )
    assert shares.sum() == pytest.approx(1.0 if total else 0.0)
    assert (np.diff(shares) <= 1e-12).all()


@given(st.lists(st.one_of(st.just(math.nan), st.integers(1, 20).map(float)), min_size=1, max_size=81))
def test_points_of_a_grid_that_found_nothing_count_one_place_deeper_than_was_looked(rank):
    found = grid_sums(np.array(rank), 20)
    assert found.mean == pytest.approx(sum(21 if math.isnan(r) else r for r in rank) / len(rank))
    assert found.top3 == pytest.approx(sum(r <= 3 for r in rank) / len(rank))
    assert found.found == pytest.approx(sum(not math.isnan(r) for r in rank) / len(rank))
    assert grid_sums(np.zeros(0), 20) is None


def test_what_differs_by_no_more_than_one_and_a_half_places_agrees():
    told = [cross_check(5, average) for average in (3.4, 3.5, 5.0, 6.5, 6.6)]
    assert told == ["average is better", "agree", "agree", "agree", "tracked is better"]


def simulated(seed: int, effect: float, queries: int = 60, shown: int = 400) -> Strata:
    """Queries of a click-through and scatter of their own, four strata each, with and without a feature."""
    rng = np.random.default_rng(seed)
    query = np.repeat(np.arange(queries), 4)
    own = rng.beta(3, 40, queries)[query] * rng.lognormal(0, 0.2, query.size)
    with_it, without = rng.integers(20, shown, query.size), rng.integers(20, shown, query.size)
    answers = effect * rng.lognormal(0, 0.1, queries)[query]
    clicks_with = rng.binomial(with_it, np.minimum(1, own * answers))
    clicks_without = rng.binomial(without, own)
    return Strata(query, *(x.astype(np.float64) for x in (clicks_with, with_it, clicks_without, without)))


def test_a_feature_without_effect_is_rarely_said_to_have_one_and_a_true_one_is_found():
    quiet = [feature_effect(simulated(seed, 1.0)) for seed in range(120)]
    covered = sum(each.low <= 1 <= each.high for each in quiet) / len(quiet)
    assert covered >= 0.89
    assert sum(each.verdict != "no effect can be shown" for each in quiet) <= 13
    lower = [feature_effect(simulated(seed, 0.8)) for seed in range(40)]
    assert sum(each.verdict == "lower" for each in lower) >= 38
    assert np.mean([each.ratio for each in lower]) == pytest.approx(0.8, abs=0.02)
    assert all(each.verdict != "higher" for each in lower)


def test_few_strata_or_clicks_tell_nothing():
    for strata in (simulated(1, 0.5, queries=4), simulated(1, 0.5, queries=10, shown=25)):
        found = feature_effect(strata)
        assert (found.verdict, found.ratio, found.low) == ("too few to tell", None, None)


def test_the_ratio_is_that_of_mantel_and_haenszel_from_plain_rows():
    strata = simulated(9, 0.9)
    rows = list(zip(strata.clicks_with, strata.shown_with, strata.clicks_without, strata.shown_without, strict=True))
    above = sum(c1 * n0 / (n1 + n0) for c1, n1, _, n0 in rows)
    below = sum(c0 * n1 / (n1 + n0) for _, n1, c0, n0 in rows)
    assert feature_effect(strata).ratio == pytest.approx(above / below)
    assert feature_effect(strata) == feature_effect(strata)


def weeks_of(draw: np.random.Generator, keywords: int, together: float, fall: float) -> np.ndarray:
    """Thirty weeks of ranks: each keyword about its own place, all of them shaken together, lower by `fall` lately."""
    base = draw.integers(1, 25, keywords).astype(float)
    own, common, rows = draw.normal(0, 2, keywords), 0.0, []
    for week in range(30):
        own = 0.6 * own + 0.8 * draw.normal(0, 2, keywords)
        common = 0.7 * common + draw.normal(0, together)
        rank = np.round(np.maximum(1, base + own + common + (fall if week >= 26 else 0)))
        rows.append(np.where(rank > 20, np.nan, rank))
    return np.array(rows)


def told_of(draw: np.random.Generator, keywords: int, together: float, fall: float) -> str:
    rows, weight = weeks_of(draw, keywords, together, fall), draw.integers(1, 6, keywords).astype(float)
    seen = np.array([visibility(row, weight) for row in rows[:26]])
    both = np.ones(keywords, dtype=bool)
    return visibility_verdict(rows[25], rows[-1], weight, both, seen[4:] - seen[:-4])


@pytest.mark.parametrize(
    ("keywords", "together"), [(15, 0.0), (15, 1.5), (40, 0.5), (200, 0.0), (200, 0.5), (200, 1.5)]
)
def test_visibility_that_only_trembles_is_rarely_said_to_have_changed(keywords, together):
    draw = np.random.default_rng(5)
    told = [told_of(draw, keywords, together, 0.0) for _ in range(300)]
    assert sum(each in ("rose", "fell") for each in told) <= 0.04 * len(told)


@pytest.mark.parametrize(("keywords", "together", "least"), [(40, 0.0, 0.4), (200, 0.0, 0.97), (200, 0.5, 0.4)])
def test_a_true_fall_of_visibility_is_found_and_never_called_a_rise(keywords, together, least):
    draw = np.random.default_rng(6)
    told = [told_of(draw, keywords, together, 5.0) for _ in range(100)]
    assert told.count("fell") >= least * len(told)
    assert told.count("rose") == 0


def test_few_keywords_checked_on_both_sides_tell_nothing_of_visibility():
    rank, both = np.arange(1.0, 31), np.arange(30) < 9
    assert visibility_verdict(rank, rank + 9, np.ones(30), both, np.zeros(0)) == "too few to tell"
