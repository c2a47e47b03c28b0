"""Whether visits follow clicks: false alarms on quiet data first, then breaks that are known."""

import numpy as np
import pytest

from noctilum.core.counting import broken

DAYS, BEFORE, ROWS = 28, 120, 12


def site(draw, *, scatter=1.0, ratio=0.93, rows=ROWS):
    """Clicks of some pages, some busy and some not, and sessions that follow them with so much scatter."""
    often = draw.lognormal(2.2, 1.1, rows)[:, None]
    week = 1 + 0.35 * np.sin(np.arange(BEFORE + DAYS) * 2 * np.pi / 7)
    clicks = draw.poisson(often * week)
    loose = draw.gamma(1 / max(scatter - 1, 1e-9), max(scatter - 1, 1e-9), clicks.shape) if scatter > 1 else 1.0
    return clicks, draw.poisson(clicks * ratio * loose)


def judged(clicks, sessions):
    return broken(sessions[:, BEFORE:], clicks[:, BEFORE:], sessions[:, :BEFORE], clicks[:, :BEFORE])


@pytest.mark.parametrize("scatter", [1.0, 1.15, 1.4])
def test_quiet_sites_raise_no_alarm(scatter):
    draw = np.random.default_rng(7)
    found = [judged(*site(draw, scatter=scatter)) for _ in range(400)]
    assert sum(len(each.row) > 0 for each in found) <= 8, "2 in 100 sites at most"
    assert np.mean([each.looked_at for each in found]) > 6


def test_clicks_that_fall_or_rise_are_no_break_of_counting():
    draw = np.random.default_rng(8)
    alarms = 0
    for n in range(200):
        clicks, _ = site(draw)
        clicks[:, BEFORE + 9 :] = draw.binomial(clicks[:, BEFORE + 9 :], 0.3) if n % 2 else clicks[:, BEFORE + 9 :] * 3
        alarms += len(judged(clicks, draw.poisson(clicks * 0.93)).row) > 0
    assert alarms <= 4


@pytest.mark.parametrize(
    ("left", "verdict", "near", "often"),
    [(0.0, "stopped", 1, 0.9), (0.1, "stopped", 1, 0.9), (2.0, "doubled", 3, 0.85)],
)
def test_a_break_is_found_where_it_is_and_when_it_began(left, verdict, near, often):
    draw = np.random.default_rng(9)
    hits, days, others = 0, [], 0
    for _ in range(150):
        clicks, sessions = site(draw, scatter=1.15)
        row, day = int(clicks[:, :BEFORE].sum(axis=1).argmax()), int(draw.integers(4, 20))
        sessions[row, BEFORE + day :] = draw.poisson(sessions[row, BEFORE + day :] * left)
        found = judged(clicks, sessions)
        others += len(set(found.row.tolist()) - {row})
        if row in found.row:
            at = found.row.tolist().index(row)
            hits += (found.sessions[at] > found.expected[at]) == (verdict == "doubled")
            days.append(abs(int(found.since[at]) - day))
    assert hits >= 143, "19 of 20 at least"
    assert np.mean(np.array(days) <= near) >= often and others <= 4


def test_too_little_is_never_judged():
    few = np.full((1, BEFORE + DAYS), 0)
    few[:, ::13] = 1
    found = judged(few, np.where(np.arange(BEFORE + DAYS) < BEFORE, few, 0))
    assert (len(found.row), found.looked_at) == (0, 0)
    nothing = np.zeros((3, BEFORE + DAYS), dtype=np.int64)
    assert len(judged(nothing, nothing).row) == 0
