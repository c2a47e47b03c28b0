"""Every reading against the same rows added up one by one, under any filter and over any window."""

from datetime import date, timedelta

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.readings import oracle
from tests.readings.oracle import FIRST, LAST_HELD, add, add_by, grain_for, of_figures, written

from noctilum.core.bands import NAMES, band
from noctilum.core.brand import brand_mask
from noctilum.core.errors import Nonsense, NotThere
from noctilum.core.windows import month_end, month_start
from noctilum.readings import drivers as drivers_of
from noctilum.readings import fading as fadings
from noctilum.readings.breakdown import Page, breakdown
from noctilum.readings.clusters import cluster
from noctilum.readings.cross import band_counts, cross
from noctilum.readings.drivers import curves_of
from noctilum.readings.frame import Asked
from noctilum.readings.life import life
from noctilum.readings.overlap import overlap
from noctilum.readings.reach import reach
from noctilum.readings.rows_of import Slice
from noctilum.readings.timeline import timeline
from noctilum.readings.unclicked import unclicked
from noctilum.readings.weekdays import weekdays
from noctilum.testing.batches import entry

SEEDS = range(6)
FOUR = ("query", "page", "country", "device", "kind")
laws = settings(deadline=None, max_examples=40)
fewer = settings(deadline=None, max_examples=20)


@pytest.fixture(scope="module")
def worlds(tmp_path_factory):
    yield from oracle.several(tmp_path_factory, SEEDS)


some = st.sampled_from(SEEDS)


@laws
@given(some, oracle.filters, oracle.windows(), st.sampled_from(("day", "week", "month", "quarter")))
def test_a_timeline_adds_up_the_rows_of_its_days(worlds, seed, narrowed, window, bucket):
    world = worlds[seed]
    found = timeline(world.held, narrowed.asked(written(window)), bucket)
    rows = world.of(grain_for(set(narrowed.dims)), world.days(*window), narrowed.passes)
    assert of_figures(found.now) == add(rows)
    for point in found.points:
        mine = [row for row in rows if point.start <= row.day <= point.end]
        held = world.days(max(point.start, window[0]), min(point.end, window[1]))
        if max(point.start, window[0]) > LAST_HELD:
            assert point.state in ("provisional", "missing")
            continue
        assert (point.clicks, point.impressions) == (add(mine)[:2] if held else (None, None))


@laws
@given(some, oracle.filters, oracle.windows(), st.sampled_from(FOUR), st.integers(1, 8), st.sampled_from(("", "fer")))
def test_a_breakdowns_rows_are_those_of_its_days_and_add_up(worlds, seed, narrowed, window, dimension, limit, find):
    world = worlds[seed]
    grain = grain_for({dimension, *narrowed.dims})
    rows = world.of(grain, world.days(*window), narrowed.passes)
    wanted = {key: sums for (key,), sums in add_by(rows, dimension).items()}
    found = breakdown(world.held, narrowed.asked(written(window)), dimension, Page(find, "clicks", limit))
    matching = {key: sums for key, sums in wanted.items() if find in key.casefold()}
    assert found.matching == len(matching)
    assert {row.key: of_figures(row.now) for row in found.rows}.items() <= matching.items()
    assert [row.now.clicks for row in found.rows] == sorted((s[0] for s in matching.values()), reverse=True)[:limit]
    parts = [*(row.now for row in found.rows), *(p.now for p in (found.rest, found.outside, found.unlisted) if p)]
    assert tuple(map(sum, zip(*map(of_figures, parts), strict=True))) == of_figures(found.total.now) or not parts
    if dimension == "query" and "query" not in narrowed.dims:
        whole = world.of(grain_for(set(narrowed.dims)), world.days(*window), narrowed.passes)
        assert of_figures(found.total.now) == add(whole)
    else:
        assert of_figures(found.total.now) == add(rows)


def both_sums(left, right):
    """Add two sums, measure by measure."""
    return tuple(one + other for one, other in zip(left, right, strict=True))


@laws
@given(some, oracle.filters, oracle.windows(fewest=2), st.sampled_from(FOUR), st.data())
def test_a_reading_over_two_windows_is_both_readings_added(worlds, seed, narrowed, window, dimension, data):
    world = worlds[seed]
    cut = window[0] + timedelta(data.draw(st.integers(0, (window[1] - window[0]).days - 1)))
    spans = [window, (window[0], cut), (cut + timedelta(1), window[1])]
    whole, left, right = (
        {
            row.key: of_figures(row.now)
            for row in breakdown(world.held, narrowed.asked(written(each)), dimension, Page(limit=1000)).rows
        }
        for each in spans
    )
    merged = {key: both_sums(left.get(key, (0, 0, 0)), right.get(key, (0, 0, 0))) for key in {*left, *right}}
    assert whole == merged


@laws
@given(some, oracle.filters, oracle.windows(fewest=5, most=40), st.integers(-4, 4))
def test_drivers_add_up_to_the_change_of_the_rows(worlds, seed, narrowed, window, longer):
    """Windows of one length compare days in pairs; others take what was before for as many held days."""
    world = worlds[seed]
    last = window[0] - timedelta(1)
    against = (last - (window[1] - window[0]) + timedelta(longer), last)
    if against[0] > last:
        return
    try:
        found = drivers_of.drivers(world.held, narrowed.asked(written(window), written(against)), most=200)
    except Nonsense as why:
        assert why.code == "window-not-full"
        return
    days, past = world.days(*window), world.days(*against)
    if not longer:
        shift = window[0] - against[0]
        days, past = [day for day in days if day - shift in past], [day for day in past if day + shift in days]
    grain = grain_for(set(narrowed.dims))
    now, before = (add(world.of(grain, each, narrowed.passes)) for each in (days, past))
    times = len(days) / len(past) if longer else 1.0
    assert (of_figures(found.now), of_figures(found.before)) == (now, before)
    assert found.times == pytest.approx(times)
    assert found.change.clicks == pytest.approx(now[0] - before[0] * times, abs=1e-5)
    parts = (found.demand, found.rank, found.appeal, found.entered, found.left, found.unlisted)
    if found.season is not None:
        assert found.season + found.demand_beyond == pytest.approx(found.demand, abs=1e-6)
    assert sum(parts) == pytest.approx(found.change.clicks, abs=1e-4)
    for name in ("demand", "rank", "appeal", "entered", "left"):
        assert sum(getattr(row, name) for row in found.movers) == pytest.approx(getattr(found, name), abs=1e-3)
    if "query" in narrowed.dims:
        assert found.unlisted == pytest.approx(0, abs=1e-6)


@laws
@given(some, oracle.filters, oracle.windows(), st.sampled_from(FOUR), st.sampled_from((*FOUR, "month", "band")))
def test_a_crossings_cells_are_the_rows_of_both(worlds, seed, narrowed, window, rows, columns):
    world = worlds[seed]
    if rows == columns:
        return
    grain = grain_for(
        {rows, *narrowed.dims} | ({columns} if columns in FOUR else {"query"} if columns == "band" else set())
    )
    plain = world.of(grain, world.days(*window), narrowed.passes)
    found = cross(world.held, narrowed.asked(written(window)), rows, columns, Slice(1000))
    shown = {
        (row.key, name): of_figures(cell)
        for row in found.rows
        for name, cell in zip(found.columns, row.cells, strict=True)
        if cell.impressions
    }
    assert shown == crossed(plain, rows, columns)
    assert [of_figures(cell)[0] for cell in found.total] == [
        sum(sums[0] for (_, name), sums in shown.items() if name == column) for column in found.columns
    ]


def crossed(plain, rows, columns):
    """Add plain rows up by two columns."""
    if columns == "month":
        parts = {}
        for row in plain:
            parts.setdefault((getattr(row, rows), f"{row.day:%Y-%m}"), []).append(row)
        return {key: add(mine) for key, mine in parts.items()}
    if columns != "band":
        return add_by(plain, rows, columns)
    summed = {}
    for key, sums in add_by(plain, rows, "query").items():
        cell = (key[0], band(sums[2] / sums[1]))
        summed[cell] = both_sums(summed.get(cell, (0, 0, 0)), sums)
    return summed


@fewer
@given(some, oracle.filters, oracle.windows(), st.sampled_from(("month", "device", "band")))
def test_a_set_is_crossed_as_the_rows_it_names(worlds, seed, narrowed, window, columns):
    world = worlds[seed]
    found = cross(world.held, narrowed.asked(written(window)), "set", columns)
    for name, leaf in (("Times", "set times"), ("Tables", "set Tables")):
        (test,) = [each for each in oracle.LEAVES if each.text == leaf]
        both = oracle._both(narrowed, test) if narrowed.text else test
        grain = grain_for(set(both.dims) | ({"query"} if columns == "band" else {columns} & set(FOUR)))
        wanted = add(world.of(grain, world.days(*window), both.passes))
        shown = [of_figures(row.total) for row in found.rows if row.key == name]
        assert shown == ([wanted] if wanted[1] else [])


@fewer
@given(some, oracle.filters, oracle.windows(fewest=40), st.sampled_from(("query", "page")))
def test_rows_are_counted_by_band_month_by_month(worlds, seed, narrowed, window, item):
    world = worlds[seed]
    grain = grain_for({item, *narrowed.dims})
    found = band_counts(world.held, narrowed.asked(written(window)), item)
    before = None
    for month in found.months:
        rows = add_by(world.of(grain, world.days(month.start, month.end), narrowed.passes), item)
        bands = [band(sums[2] / sums[1]) for sums in rows.values()]
        assert month.counts == [bands.count(name) for name in NAMES]
        assert month.shown == len(rows)
        days = oracle.span(month_start(month.start), month_end(month.start))
        whole = world.days(days[0], days[-1]) == days and (month.start, month.end) == (days[0], days[-1])
        assert month.partial is not whole
        if whole and before is not None:
            assert (month.new, month.lost) == (len(rows.keys() - before), len(before - rows.keys()))
        else:
            assert month.new is None and month.lost is None
        before = set(rows) if whole else None


@fewer
@given(some, oracle.filters, oracle.windows(fewest=7))
def test_the_profile_of_a_week_is_that_of_the_rows(worlds, seed, narrowed, window):
    world = worlds[seed]
    found = weekdays(world.held, narrowed.asked(written(window)))
    days = world.days(*window)
    rows = world.of(grain_for(set(narrowed.dims)), days, narrowed.passes)
    for n, row in enumerate(found.rows):
        mine = [day for day in days if day.weekday() == n]
        assert row.days == len(mine)
        assert of_figures(row.now) == add(each for each in rows if each.day in mine)


@pytest.mark.parametrize("seed", SEEDS)
@pytest.mark.parametrize("item", ["query", "page"])
def test_a_life_begins_and_ends_with_its_rows(worlds, seed, item):
    world = worlds[seed]
    days = world.days(FIRST, LAST_HELD)
    for key in oracle.QUERIES if item == "query" else oracle.PAGES:
        rows = [row for row in world.of(item, days, lambda _, row: True) if getattr(row, item) == key]
        found = life(world.held, oracle.SITE, item, key)
        assert (found.first_seen, found.last_seen) == (min(row.day for row in rows), max(row.day for row in rows))
        assert found.days_seen == len({row.day for row in rows})
        assert of_figures(found.total) == add(rows)
        assert sum(week.clicks or 0 for week in found.weeks) == add(rows)[0]
    with pytest.raises(NotThere, match="never shown"):
        life(world.held, oracle.SITE, item, "nobody asked")


@fewer
@given(some, oracle.filters, oracle.windows(fewest=14, most=40), st.sampled_from(("query", "page")))
def test_verdicts_are_on_every_row_and_their_changes_add_up(worlds, seed, narrowed, window, item):
    world = worlds[seed]
    asked = narrowed.asked(written(window), "before")
    found = fadings.fading(world.held, asked, item, fadings.core.VERDICTS, Slice(1000))
    every = breakdown(world.held, asked, item, Page(limit=1000))
    shown = {row.key: (row.now, row.before) for row in every.rows}
    assert {row.key: (row.now, row.before) for row in found.rows} == shown
    assert sum(each.rows for each in found.verdicts) == len(found.rows)
    moved = [row.now.clicks - row.before.clicks for row in found.rows]
    if any(row.change for row in every.rows) and every.window.counted == every.against.counted:
        assert found.lost == pytest.approx(sum(n for n in moved if n < 0), abs=0.01)
        assert found.gained == pytest.approx(sum(n for n in moved if n > 0), abs=0.01)
        assert found.net == pytest.approx(sum(moved), abs=0.01)
    order = [row.beyond_site if row.beyond_season is None else row.beyond_season for row in found.rows]
    beyond = [left for left in order if left is not None]
    assert beyond == sorted(beyond)
    assert all((row.beyond_site is None) == (row.change is None) for row in found.rows)


@fewer
@given(some, oracle.filters, oracle.windows(fewest=10))
def test_overlap_names_queries_that_two_pages_share(worlds, seed, narrowed, window):
    world = worlds[seed]
    rows = world.of("pair", world.days(*window), narrowed.passes)
    by_query = {key: sums for (key,), sums in add_by(rows, "query").items()}
    pairs = add_by(rows, "query", "page")
    found = overlap(world.held, narrowed.asked(written(window)), Slice(1000), fewest=1)
    for row in found.rows:
        assert of_figures(row.figures) == by_query[row.query]
        sharing = {page: sums for (query, page), sums in pairs.items() if query == row.query}
        wanted = {page for page, sums in sharing.items() if sums[1] >= 0.1 * by_query[row.query][1]}
        assert {page.page for page in row.pages} == wanted
        assert len(wanted) >= 2
        assert {page.page: of_figures(page.figures) for page in row.pages} == {page: sharing[page] for page in wanted}
        assert row.days_seen == len({each.day for each in rows if each.query == row.query})
        assert row.switches < row.days_seen


@fewer
@given(some, oracle.filters, oracle.windows(fewest=10))
def test_clusters_part_the_queries_and_keep_their_sums(worlds, seed, narrowed, window):
    world = worlds[seed]
    rows = world.of(grain_for({"query", *narrowed.dims}), world.days(*window), narrowed.passes)
    sums = {key: total for (key,), total in add_by(rows, "query").items()}
    found = cluster(world.held, narrowed.asked(written(window)), Slice(1000))
    named = [query for row in found.rows for query in row.queries]
    assert sorted(named) == sorted(sums)
    for row in found.rows:
        assert of_figures(row.now) == tuple(map(sum, zip(*(sums[query] for query in row.queries), strict=True)))
        assert row.size == len(row.queries)
        assert row.head == max(row.queries, key=lambda query: sums[query][1]) or sums[row.head][1] == max(
            sums[query][1] for query in row.queries
        )


@fewer
@given(some, oracle.filters, oracle.windows(fewest=10))
def test_within_reach_are_rows_just_below_a_better_band(worlds, seed, narrowed, window):
    world = worlds[seed]
    rows = world.of("pair", world.days(*window), narrowed.passes)
    found = reach(world.held, narrowed.asked(written(window)), Slice(1000), fewest=20)
    days = max(1, len(world.days(*window)))
    wanted = {
        key: sums
        for key, sums in add_by(rows, "query", "page").items()
        if 3.5 < sums[2] / sums[1] <= 20.5
        and sums[1] >= 20 * days / 28
        and not oracle._brand(world, next(row for row in rows if row.query == key[0]))
    }
    assert {(row.query, row.page): of_figures(row.figures) for row in found.rows} == wanted
    assert found.gain == pytest.approx(sum(row.gain for row in found.rows), abs=0.01 * (1 + len(found.rows)))
    assert all(row.gain_low <= row.gain <= row.gain_high for row in found.rows)


@pytest.mark.parametrize("seed", SEEDS)
def test_months_put_together_answer_as_days_do(worlds, seed, tmp_path):
    """The same rows never compacted, and compacted to the last month."""
    world = worlds[seed]
    loose = oracle.build(tmp_path, seed)
    loose.history.compact(date(2027, 1, 1))
    asked = Asked(oracle.SITE, "all", "none", filter="words >= 2 and not country is DE")
    for dimension in FOUR:
        one, other = (breakdown(each.held, asked, dimension, Page(limit=1000)) for each in (world, loose))
        assert [(row.key, row.now) for row in one.rows] == [(row.key, row.now) for row in other.rows]
    assert world.history.digest() == loose.history.digest()
    loose.history.close()


def test_a_day_that_comes_later_is_in_the_next_answer(tmp_path):
    world = oracle.build(tmp_path, 1)
    day = next(day for day in oracle.span(FIRST, LAST_HELD) if day not in world.states)
    asked = Asked(oracle.SITE, written((day, day)), "none")
    before = timeline(world.held, asked, "day")
    assert (before.now.clicks, before.points[0].clicks) == (0, None)
    row = oracle.Row(1, day, "boat", "/", "NO", "mobile", "web", 3, 40, 120, False, False)
    for grain, dims in oracle.GRAINS.items():
        world.history.put_days(1, [entry(oracle.batch_of(grain, day, dims, [row]))])
    after = timeline(oracle.World(world.history, [row], world.states, (1,)).held, asked, "day")
    assert of_figures(after.now) == (3, 40, 120)
    world.history.close()


def test_windows_of_other_length_of_which_one_is_not_held_speak_of_no_change(worlds):
    found = timeline(worlds[1].held, Asked(oracle.SITE, "P28D", "2020-03"), "day")
    assert found.change is None
    codes = {caution.code for caution in found.cautions}
    assert "comparison-not-held" in codes
    assert "uneven-windows" not in codes


@pytest.mark.parametrize(
    ("text", "where", "unseen"),
    [
        ("country is Norway", {}, ["Norway"]),
        ('country in (NO, "Sweden", FI) and not query is "no such thing"', {}, ["Sweden", "FI", "no such thing"]),
        ("country is no and device is MOBILE", {}, []),
        ('query has "no such thing" or path starts "/nowhere"', {}, []),
        ("country is NO", {"device": "watch", "kind": "web"}, ["watch"]),
    ],
)
def test_whole_texts_that_no_row_ever_had_are_named(worlds, text, where, unseen):
    asked = Asked(oracle.SITE, "P28D", "none", where=where, filter=text)
    told = [c.facts["texts"] for c in timeline(worlds[0].held, asked).cautions if c.code == "never-seen"]
    assert told == ([unseen] if unseen else [])


@fewer
@given(some, oracle.windows(fewest=20))
def test_a_gain_goes_by_the_curves_of_the_devices_a_row_was_shown_on(worlds, seed, window):
    world = worlds[seed]
    found = reach(world.held, Asked(oracle.SITE, written(window), "none"), Slice(1000), fewest=20)
    curves = curves_of(world.held)
    for row in found.rows:
        every = world.of("pair", world.days(*window), lambda _, r: True)
        mine = [each for each in every if (each.query, each.page) == (row.query, row.page)]
        shown = {device: sum(each.impressions for each in mine if each.device == device) for device in curves}

        def rate(place, shown=shown):
            return sum(n * float(curves[device].at(place)) for device, n in shown.items()) / sum(shown.values())

        clicks, impressions, place = row.figures.clicks, row.figures.impressions, row.figures.position
        assert sum(shown.values()) == impressions
        appeal = min(1.5, max(0.5, (clicks + 200 * rate(place)) / ((impressions + 200) * rate(place))))
        assert row.gain == pytest.approx(max(0.0, impressions * rate(row.target) * appeal - clicks), abs=0.002)


@fewer
@given(some, oracle.windows(fewest=20))
def test_what_is_passed_over_is_the_same_found_among_all_rows(worlds, seed, window):
    world = worlds[seed]
    found = unclicked(world.held, Asked(oracle.SITE, written(window), "none"), Slice(1000))
    curves = curves_of(world.held)
    told = {(row.query, row.page): row for row in found.rows}
    sums = {}
    for row in world.of("pair", world.days(*window), lambda _, r: True):
        clicks, expected = sums.setdefault((row.query, row.page), [0, {}])
        sums[row.query, row.page][0] = clicks + row.clicks
        at = expected.setdefault(row.device, [0, 0])
        at[0] += row.impressions
        at[1] += row.position_sum
    for (query, page), (clicks, devices) in sums.items():
        if oracle.WORDS.brand and brand_mask([query], oracle.WORDS.brand)[0]:
            assert (query, page) not in told
            continue
        impressions = sum(n for n, _ in devices.values())
        place = sum(s for _, s in devices.values()) / impressions if impressions else 0.0
        expected = sum(n * float(curves[device].at(place)) for device, (n, _) in devices.items())
        listed = expected >= 5 and clicks <= 0.5 * expected
        if (query, page) in told:
            assert listed
            assert told[query, page].expected == pytest.approx(expected, abs=0.002)
