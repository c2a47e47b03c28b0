"""Devices side by side and days out of line, against plain rows and the formulas written out once more."""

from datetime import timedelta
from statistics import median

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.readings import oracle
from tests.readings.oracle import DEVICES, add, add_by, grain_for, of_figures, written

from noctilum.core.errors import Nonsense
from noctilum.readings.device_gap import device_gap
from noctilum.readings.drivers import curves_of
from noctilum.readings.odd import odd
from noctilum.readings.rows_of import Slice

SEEDS = range(3)
fewer = settings(deadline=None, max_examples=25)
some = st.sampled_from(SEEDS)


@pytest.fixture(scope="module")
def worlds(tmp_path_factory):
    yield from oracle.several(tmp_path_factory, SEEDS)


def place(sums):
    """The average place of summed rows."""
    return sums[2] / sums[1]


@fewer
@given(some, oracle.filters, oracle.windows(fewest=10), st.sampled_from((1, 50, 400)))
def test_a_gap_is_that_of_the_rows_on_either_device(worlds, seed, narrowed, window, fewest):
    world = worlds[seed]
    days = world.days(*window)
    rows = world.of(grain_for({"query", *narrowed.dims}), days, narrowed.passes)
    sums = add_by(rows, "query", "device")
    enough = fewest * max(1, len(days)) / 28
    wanted = {
        query: (sums[query, "mobile"], sums[query, "desktop"])
        for query in {row.query for row in rows}
        if all(sums.get((query, device), (0, 0))[1] >= enough for device in ("mobile", "desktop"))
    }
    found = device_gap(world.held, narrowed.asked(written(window)), Slice(1000), fewest)
    assert {row.query: (of_figures(row.mobile), of_figures(row.desktop)) for row in found.rows} == wanted
    assert found.matching == len(wanted)
    for name in ("mobile", "desktop"):
        assert of_figures(getattr(found, name)) == add(row for row in rows if row.device == name)
    gains = [row.gain for row in found.rows]
    assert gains == sorted(gains, reverse=True)


@fewer
@given(some, oracle.windows(fewest=10))
def test_what_a_gap_would_bring_goes_by_the_curve_of_the_worse_device(worlds, seed, window):
    world = worlds[seed]
    curves = curves_of(world.held)
    for row in device_gap(world.held, oracle.EVERYTHING.asked(written(window)), Slice(1000), fewest=1).rows:
        on = {"mobile": of_figures(row.mobile), "desktop": of_figures(row.desktop)}
        at = {device: place(sums) for device, sums in on.items()}
        assert row.gap == pytest.approx(at["mobile"] - at["desktop"], abs=5e-4 + 1e-9)
        worse, better = ("mobile", "desktop") if at["mobile"] > at["desktop"] else ("desktop", "mobile")
        assert row.worse == worse
        rate = [float(curves[worse].at(at[device])) for device in (better, worse)]
        assert row.gain == pytest.approx(on[worse][1] * (rate[0] - rate[1]), abs=2e-3)


def test_one_device_is_not_set_beside_another(worlds):
    asked = oracle.Asked(oracle.SITE, "P28D", "none", where={"device": DEVICES[0]})
    with pytest.raises(Nonsense, match="within one device"):
        device_gap(worlds[0].held, asked)


def told_apart(values):
    """What was to be expected of each held day, by the formula: {day: (middle, scale)}."""
    expected, ratios, off = {}, [], []
    for day in sorted(values):
        before = [values[past] for n in range(1, 17) if (past := day - timedelta(weeks=n)) in values][:8]
        if len(before) < 4:
            continue
        usual = median(before)
        enough = len(ratios) >= 7
        middle = usual * (median(ratios[-14:]) if enough else 1.0)
        root = max(middle, 1.0) ** 0.5
        if enough:
            expected[day] = middle, root * max(1.0, 1.4826 * median(off[-28:]))
        off.append(abs(values[day] - middle) / root)
        if usual > 0:
            ratios.append(values[day] / usual)
    return expected


@fewer
@given(some, oracle.filters, oracle.windows(fewest=20))
def test_days_out_of_line_are_those_of_the_rows(worlds, seed, narrowed, window):
    world = worlds[seed]
    start = max(window[0] - timedelta(weeks=24), oracle.FIRST)
    days = world.days(start, window[1])
    rows = world.of(grain_for(set(narrowed.dims)), days, narrowed.passes)
    by_day = {day: sums for (day,), sums in add_by(rows, "day").items()}
    wanted = {}
    for n, measure in enumerate(("clicks", "impressions")):
        values = {day: by_day.get(day, (0, 0, 0))[n] for day in days}
        score = {day: (values[day] - mid) / scale for day, (mid, scale) in told_apart(values).items()}
        for day, far in score.items():
            beside = [score.get(day + timedelta(step), 0.0) for step in (-1, 1)]
            lasts = abs(far) >= 3 and any(abs(other) >= 3 and other * far > 0 for other in beside)
            if (abs(far) >= 4 or lasts) and window[0] <= day <= window[1]:
                wanted[day, measure] = values[day], pytest.approx(far, abs=1e-3)
    found = odd(world.held, narrowed.asked(written(window)))
    assert {(row.day, row.measure): (row.value, row.score) for row in found.rows} == wanted
    assert all((row.score > 0) is (row.kind != "low") for row in found.rows)
    # three scales exactly, two days running, are odd: such a day lies on the end of its range
    assert all(not row.low < row.value < row.high for row in found.rows)
    assert [row.day for row in found.rows] == sorted((row.day for row in found.rows), reverse=True)
