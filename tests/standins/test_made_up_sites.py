"""The made-up sites: the same whenever they are asked, whole in every grain, and drawn by the shares they name."""

import csv
import gzip
import json
from collections import defaultdict
from datetime import date, timedelta

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.stats import chi2

from noctilum.demo.files import EXPORTED, write_month_files
from noctilum.standins.lookup_model import Looked, LookupModel
from noctilum.standins.search_feed import LAG_DAYS, RETENTION_DAYS, Setting, create_app
from noctilum.standins.search_model import DEVICE_SHARE, DEVICES, GRAINS, WITHHELD_BELOW, SearchModel, model_of
from noctilum.standins.worlds import NEWEST, OLDEST, WORLDS

ANCHOR = date(2026, 3, 20)
SMALL = "quillon-hivewright-blog"
offsets = st.integers(OLDEST, NEWEST)
few = settings(deadline=None, max_examples=15)


def rows(grain, *names):
    """A grain's rows: the columns asked for, clicks, impressions and places added up."""
    columns = [grain.texts[name] for name in names]
    return list(zip(*columns, grain.clicks, grain.impressions, grain.position_sum, strict=True))


def summed(found):
    """Rows added up by what stands before their three sums."""
    sums = defaultdict(lambda: np.zeros(3, dtype=np.int64))
    for *key, clicks, shown, places in found:
        sums[tuple(key)] += (clicks, shown, places)
    return {key: tuple(map(int, value)) for key, value in sums.items()}


def told(made):
    return {name: (grain.texts, grain.clicks, grain.impressions, grain.position_sum) for name, grain in made.items()}


@few
@given(st.sampled_from(sorted(WORLDS)), st.lists(offsets, min_size=2, max_size=4, unique=True))
def test_a_day_is_the_same_in_whatever_order_days_are_asked(world, asked):
    days = [ANCHOR + timedelta(each) for each in asked]
    forth = {day: told(model_of(world, ANCHOR).day(day)) for day in days}
    back = {day: told(model_of(world, ANCHOR).day(day)) for day in reversed(days)}
    assert forth == back
    assert told(SearchModel(WORLDS[world], ANCHOR).day(days[0])) == forth[days[0]]
    alone = {name: told(model_of(world, ANCHOR).day(days[0], grains=(name,)))[name] for name in GRAINS}
    assert alone == forth[days[0]]


@few
@given(st.sampled_from(sorted(WORLDS)), offsets)
def test_grains_of_a_day_agree(world, offset):
    made = model_of(world, ANCHOR).day(ANCHOR + timedelta(offset))
    for grain in made.values():
        assert all(0 <= clicks <= shown <= places for *_, clicks, shown, places in rows(grain))
    whole = summed(rows(made["site"], "country", "device", "kind"))
    listed = summed(rows(made["query"], "country", "device", "kind"))
    assert all(sums <= whole[key] for key, sums in listed.items())
    pages = summed(rows(made["page"], "country", "device", "kind"))
    assert {key: sums[0] for key, sums in pages.items()} == {key: sums[0] for key, sums in whole.items()}
    assert all(sums[1] >= whole[key][1] for key, sums in pages.items())
    by_page, in_pairs = summed(rows(made["page"], "page")), summed(rows(made["pair"], "page"))
    assert all(np.all(np.array(sums) <= by_page[page]) for page, sums in in_pairs.items())
    shown = summed(rows(made["query"], "query"))
    assert all(sums[1] >= WITHHELD_BELOW for sums in shown.values())
    looks = summed(rows(made["look"], "country", "device"))
    of_place = summed(rows(made["site"], "country", "device"))
    assert all(sums[1] <= of_place[key][1] for key, sums in looks.items())


@few
@given(offsets, st.floats(0.05, 0.99))
def test_a_day_that_is_counted_in_part_holds_no_more_than_the_whole(offset, share):
    model, day = model_of(SMALL, ANCHOR), ANCHOR + timedelta(offset)
    whole, part = (summed(rows(model.day(day, of)["site"], "country", "device", "kind")) for of in (1.0, share))
    assert all(sums[0] <= whole[key][0] and sums[1] <= whole[key][1] for key, sums in part.items())


def test_of_a_day_that_is_counted_in_part_about_so_much_is_there():
    model = model_of(SMALL, ANCHOR)
    days = [ANCHOR - timedelta(n) for n in range(1, 40)]
    shown = {of: sum(sum(model.day(day, of, ("site",))["site"].impressions) for day in days) for of in (1.0, 0.3)}
    assert shown[0.3] == pytest.approx(0.3 * shown[1.0], abs=5 * (0.21 * shown[1.0]) ** 0.5)


@pytest.mark.parametrize("offset", [OLDEST - 1, NEWEST + 1])
def test_a_day_outside_of_a_world_is_refused(offset):
    with pytest.raises(ValueError, match="outside of this world"):
        model_of(SMALL, ANCHOR).day(ANCHOR + timedelta(offset))


def unlikely(counts, shares):
    """The chance of counts as far from their shares as these, or farther (Pearson's chi-square)."""
    wanted = sum(counts) * np.array(shares) / sum(shares)
    return float(chi2.sf(((np.array(counts) - wanted) ** 2 / wanted).sum(), len(counts) - 1))


def test_what_is_shown_falls_to_places_and_devices_by_their_shares():
    """Every topic of this site is in English, so no query has a country of its own."""
    model = model_of(SMALL, ANCHOR)
    on, places = defaultdict(int), defaultdict(int)
    for n in range(0, 400, 5):
        for country, device, _, shown, _ in rows(model.day(ANCHOR - timedelta(n))["site"], "country", "device"):
            on[device] += shown
            places[country] += shown
    assert unlikely([on[device] for device in DEVICES], DEVICE_SHARE) > 1e-4
    countries = dict(WORLDS[SMALL].countries)
    assert unlikely([places[code] for code in countries], list(countries.values())) > 1e-4


def test_parts_of_what_a_query_is_shown_are_drawn_as_if_each_were_drawn_by_itself():
    """Poisson numbers that do not know of each other: as large a spread as their mean, and no correlation."""
    model = model_of(SMALL, ANCHOR)
    expected = np.zeros(len(model.queries))
    expected[:2] = 40.0, 3.0
    rng, draws = np.random.default_rng(5), 4000
    found = np.zeros((draws, 2, len(WORLDS[SMALL].countries), len(DEVICES)))
    for n in range(draws):
        query, country, device, shown = model._shown(rng, expected)
        np.add.at(found[n], (query, country, device), shown)
    shares = np.array([share for _, share in WORLDS[SMALL].countries])[:, None] * DEVICE_SHARE
    for query, usual in enumerate((40.0, 3.0)):
        wanted = usual * shares
        mean, spread = found[:, query].mean(axis=0), found[:, query].var(axis=0)
        assert np.all(np.abs(mean - wanted) < 5 * np.sqrt(wanted / draws))
        assert np.all(np.abs(spread - wanted) < 6 * np.sqrt((wanted + 2 * wanted**2) / draws))
    largest = found[:, 0].reshape(draws, -1)
    largest = largest[:, np.argsort(-largest.mean(axis=0))[:3]]
    assert np.all(np.abs(np.corrcoef(largest.T) - np.eye(3)) < 5 / np.sqrt(draws))


def test_monthly_files_hold_the_days_before_the_feeds_first_and_are_left_as_they_are(tmp_path):
    paths = write_month_files(tmp_path, SMALL, ANCHOR)
    model = model_of(SMALL, ANCHOR)
    found = defaultdict(list)
    for path in paths:
        grain = path.name.removeprefix(f"{SMALL}-").split("-")[0]
        with path.open(encoding="utf-8", newline="") as stream:
            for row in csv.DictReader(stream):
                found[grain, date.fromisoformat(row["day"])].append(row)
    days = {day for _, day in found}
    assert (min(days), max(days)) == (ANCHOR - timedelta(1095), ANCHOR - timedelta(RETENTION_DAYS))
    for day in sorted(days)[::97]:
        for grain, made in model.day(day, grains=EXPORTED).items():
            dims = list(made.texts)
            plain = [
                (*(row[name] for name in dims), int(row["clicks"]), int(row["impressions"]))
                for row in found[grain, day]
            ]
            assert plain == [row[:-1] for row in rows(made, *dims)]
            places = [float(row["position"]) * int(row["impressions"]) for row in found[grain, day]]
            assert places == pytest.approx(made.position_sum)
    paths[0].write_text("kept")
    assert write_month_files(tmp_path, SMALL, ANCHOR) == paths
    assert paths[0].read_text() == "kept"


@few
@given(
    st.sampled_from(("honey bread recipe", "ronsay ferry timetable", "pickling salt", "nothing of theirs")),
    st.sampled_from(("desktop", "mobile")),
    st.sampled_from(("", "Aldermere", "52.2,-1.4")),
    st.integers(-728, 0),
    st.sampled_from((10, 20, 100)),
)
def test_a_result_page_is_in_order_and_the_same_to_everybody(term, device, place, offset, depth):
    looked = Looked(term, place=place, device=device, depth=depth)
    day = ANCHOR + timedelta(offset)
    page = LookupModel(ANCHOR).page(looked, day)
    assert page == LookupModel(ANCHOR).page(looked, day)
    assert [each.rank for each in page.results] == list(range(1, depth + 1))
    assert len({each.url for each in page.results}) == depth
    assert all(each.url.startswith("https://") and ".example/" in each.url for each in page.results)
    assert all(1 <= each.above <= depth for each in page.features)
    shorter = LookupModel(ANCHOR).page(Looked(term, place=place, device=device, depth=depth // 2), day)
    assert shorter.results == page.results[: depth // 2]


def test_where_a_site_stands_in_lookups_is_where_its_search_metrics_say():
    """In the mean over days: a lookup trembles by a third of a place."""
    model, lookups = model_of("quillon-northloft", ANCHOR), LookupModel(ANCHOR)
    site = WORLDS["quillon-northloft"].site
    usual = model.usual_demand()
    for at in np.argsort(-usual)[:5].tolist():
        ranks, places = [], []
        for offset in range(-300, 0, 6):
            place, _, there = model.ranks(offset)
            page = lookups.page(Looked(model.queries[at], depth=100), ANCHOR + timedelta(offset))
            rank = next((each.rank for each in page.results if each.url.startswith(f"https://{site}/")), None)
            if rank is not None and there[at]:
                ranks.append(rank)
                places.append(max(1.0, place[at]))
        assert len(ranks) > 40
        assert np.mean(ranks) == pytest.approx(np.mean(places), abs=0.5)


@few
@given(st.sampled_from(sorted(WORLDS)), st.integers(0, RETENTION_DAYS - 1), st.integers(3, 900))
def test_a_day_is_served_row_by_row_however_its_pages_are_cut(world, back, page_rows):
    asked = ANCHOR - timedelta(back)
    setting = Setting(ANCHOR, ANCHOR + timedelta(LAG_DAYS + 5), {"a": ("s", (world,))}, page_rows=page_rows)
    setting.retention_days += LAG_DAYS + 5
    feed = create_app(setting).test_client()
    form = {"grant_type": "client_credentials", "client_id": "a", "client_secret": "s"}
    signed = {"Authorization": f"Bearer {feed.post('/token', data=form).json['access_token']}"}
    lines, url = [], f"/properties/{world}/days/{asked}?grains={','.join(GRAINS)}"
    while url:
        answer = feed.get(url, headers=signed)
        lines += map(json.loads, gzip.decompress(answer.data).splitlines())
        url = answer.headers.get("Link", "").partition("<")[2].partition(">")[0]
    for name, grain in model_of(world, ANCHOR).day(asked).items():
        head, *served = lines[: len(grain.clicks) + 1]
        del lines[: len(grain.clicks) + 1]
        assert head == {
            "grain": name,
            "rows": len(grain.clicks),
            "totals": {"clicks": sum(grain.clicks), "impressions": sum(grain.impressions)},
        }
        rows_of = zip(*grain.texts.values(), grain.clicks, grain.impressions, grain.position_sum, strict=True)
        told_as = [*grain.texts, "clicks", "impressions", "position"]
        assert served == [
            dict(zip(told_as, (*texts, clicks, shown, places / shown), strict=True))
            for *texts, clicks, shown, places in rows_of
        ]
    assert not lines
