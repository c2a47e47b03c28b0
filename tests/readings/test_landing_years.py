"""Landing pages net of what the year does: on a history of whole years made up here, told apart from plain rows."""

from __future__ import annotations

from datetime import date, timedelta
from math import pi, sin

import numpy as np
import pytest

from noctilum.core.batch import batch_of
from noctilum.core.errors import Nonsense
from noctilum.datasets import DATASETS
from noctilum.history import History
from noctilum.readings.figures import figures
from noctilum.readings.landing import landing
from noctilum.readings.narrow import Words
from noctilum.readings.site_access import SiteAccess, SourceOf
from noctilum.testing.batches import entry, search_batch
from noctilum.wire.catalogue import READINGS
from noctilum.wire.landing import LandingQuery

LAST = date(2025, 10, 28)
BROKE = LAST - timedelta(19)
PAGES = [f"/p{n:02}" for n in range(30)]
DAYS = 364 * 2 + 120
DEVICES = ["mobile" if n % 3 else "desktop" for n in range(len(PAGES))]


@pytest.fixture(scope="module")
def made(tmp_path_factory):
    """Fill a history: an autumn that falls every year; one page whose counting stopped, one that lost visits."""
    history = History(tmp_path_factory.mktemp("years") / "site.db", create=True)
    draw = np.random.default_rng(11)
    plain: dict[date, tuple[np.ndarray, np.ndarray]] = {}
    entries = []
    for day in (LAST - timedelta(n) for n in range(DAYS - 1, -1, -1)):
        wave = 1 - 0.4 * sin(2 * pi * (day - date(2023, 10, 14)).days / 364)
        clicks = draw.poisson((14 + np.arange(len(PAGES))) * wave)
        came = np.full(len(PAGES), 0.93)
        if day > BROKE:
            came[7] = 0.03
        sessions = draw.binomial(clicks, came)
        plain[day] = clicks, sessions
        small = {"country": ["NO"] * len(PAGES), "device": DEVICES}
        dims = {"page": PAGES, **small, "kind": ["web"] * len(PAGES)}
        page = search_batch("page", day, dims, clicks.tolist(), (clicks * 9).tolist(), [4.0] * len(PAGES))
        whole = {"country": ["NO"], "device": ["mobile"], "kind": ["web"]}
        site = search_batch("site", day, whole, [int(clicks.sum())], [int(clicks.sum() * 9)], [4.0])
        kept = DATASETS["visits"]
        texts = {name: [""] * len(PAGES) for name in kept.dims} | small | {"page": PAGES}
        texts["channel"] = ["organic"] * len(PAGES)
        told = {each.name: [0] * len(PAGES) for each in kept.measures} | {"sessions": sessions.tolist()}
        told["new_users"] = (sessions // 3).tolist()
        told["conversions"] = (sessions // 5).tolist() if day > LAST - timedelta(40) else [0] * len(PAGES)
        entries += [entry(page), entry(site)]
        history.put_days(2, [entry(batch_of(kept, day, texts, told))])
    history.put_days(1, entries)
    sources = (
        SourceOf(1, "searches", "quillon", "UTC", True, "UTC"),
        SourceOf(2, "visits", "quillon", "UTC", True, "UTC", "visits"),
    )
    yield SiteAccess("site", history, (1,), Words(), sources), plain
    history.close()


def summed(plain, which: int, last: date, days: int = 28) -> np.ndarray:
    return sum(plain[last - timedelta(n)][which] for n in range(days))


def test_what_the_year_alone_would_have_done_is_that_of_earlier_years(made):
    site, plain = made
    found = landing(site, LandingQuery(only="all", limit=100))
    for which, season in ((0, found.season), (1, found.season_sessions)):
        ratios = [
            summed(plain, which, LAST - timedelta(364 * n)).sum()
            / summed(plain, which, LAST - timedelta(364 * n + 28)).sum()
            for n in (1, 2)
        ]
        assert season.years == 2 and season.basis == "years"
        assert season.expected == pytest.approx(float(np.exp(np.mean(np.log(ratios)))) - 1, abs=1e-3)
    now, before = summed(plain, 0, LAST), summed(plain, 0, LAST - timedelta(28))
    sessions = summed(plain, 1, LAST)
    for row in found.rows:
        n = PAGES.index(row.page)
        assert (row.clicks, row.clicks_before, row.sessions) == (now[n], before[n], sessions[n])
        assert -0.4 < row.clicks_expected < -0.1 and -0.4 < row.sessions_expected < -0.1


def test_an_autumn_as_every_year_is_no_fall_and_what_broke_is_found(made):
    site, _ = made
    net = landing(site, LandingQuery(only="all", limit=100))
    assert [row.page for row in net.rows if row.told == "counting broke"] == ["/p07"]
    assert sum(row.told in ("clicks fell", "visits fell") for row in net.rows) <= 1
    counted = landing(site, LandingQuery(only="all", limit=100, season=False))
    assert sum(row.told == "clicks fell" for row in counted.rows) > 10
    assert counted.season.basis == "counted" and all(row.clicks_expected is None for row in counted.rows)


def test_pages_are_narrowed_by_device_and_by_what_came_of_them(made):
    site, plain = made
    found = landing(site, LandingQuery(only="all", limit=100, device="desktop"))
    assert {row.page for row in found.rows} == {
        page for page, on in zip(PAGES, DEVICES, strict=True) if on == "desktop"
    }
    either = LandingQuery(only="all", limit=100, filter='device is "desktop" or path is "/p01"')
    assert {row.page for row in landing(site, either).rows} == {row.page for row in found.rows} | {"/p01"}
    now, before = summed(plain, 1, LAST), summed(plain, 1, LAST - timedelta(28))
    rule = LandingQuery(only="all", limit=100, filter="sessions >= 500 and change in sessions < -100")
    wanted = {page for n, page in enumerate(PAGES) if now[n] >= 500 and now[n] - before[n] < -100}
    assert {row.page for row in landing(site, rule).rows} == wanted and 0 < len(wanted) < 30
    assert {row.page for row in landing(site, LandingQuery(only="all", filter="per_click < 0.6")).rows} == {"/p07"}


@pytest.mark.parametrize("asked", [{"query": "honey"}, {"filter": "brand"}, {"kind": "web"}, {"filter": "ctr > 2%"}])
def test_what_only_searches_tell_is_refused(made, asked):
    with pytest.raises(Nonsense):
        landing(made[0], LandingQuery(**asked))


def visits(site: SiteAccess, **asked: object) -> dict:
    question = READINGS["visits"].question.model_validate({"limit": 100, **asked})
    return figures(site, DATASETS["visits"], question)


@pytest.mark.parametrize("by", ["page", "device", "channel", "day"])
def test_visits_are_judged_net_of_the_year_by_whatever_they_are_told_by(made, by):
    site, plain = made
    found = visits(site, by=by)
    ratios = [
        summed(plain, 1, LAST - timedelta(364 * n)).sum() / summed(plain, 1, LAST - timedelta(364 * n + 28)).sum()
        for n in (1, 2)
    ]
    assert (found["season"].basis, found["season"].years) == ("years", 2)
    assert found["season"].expected == pytest.approx(float(np.exp(np.mean(np.log(ratios)))) - 1, abs=1e-3)
    verdicts = {row["key"]: row.get("verdict") for row in found["rows"]}
    if by == "page":
        assert verdicts["/p07"] == "fading"
        assert sum(each in ("fading", "slipping") for each in verdicts.values()) <= 3
    elif by == "day":
        assert set(verdicts.values()) == {None}
    else:
        assert set(verdicts.values()) <= {"holding", "slipping"}


def test_without_the_year_an_autumn_is_a_fall_and_without_a_comparison_nothing_is_judged(made):
    counted = visits(made[0], by="page", season=False)
    assert sum(row["verdict"] == "fading" for row in counted["rows"]) > 10
    assert counted["season"].basis == "counted"
    alone = visits(made[0], by="page", against="none")
    assert "season" not in alone and not any("verdict" in row for row in alone["rows"])


def parts(plain, last: date, of: int, days: int = 28) -> np.ndarray:
    """Add up what each page and day came to when sessions were parted by a number, as the rows were made."""
    return sum(plain[last - timedelta(n)][1] // of for n in range(days))


def test_what_is_formed_from_measures_is_formed_from_sums_and_sorted_and_filtered_by(made):
    site, plain = made
    found = visits(site, by="page", sort="-returning")
    now, before = (summed(plain, 1, day) - parts(plain, day, 3) for day in (LAST, LAST - timedelta(28)))
    rate = parts(plain, LAST, 5) / summed(plain, 1, LAST)
    for row in found["rows"]:
        n = PAGES.index(row["key"])
        assert (row["now"]["returning"], row["before"]["returning"]) == (now[n], before[n])
        assert row["change"]["returning"] == now[n] - before[n]
        assert row["now"]["rate"] == pytest.approx(rate[n])
    assert [row["now"]["returning"] for row in found["rows"]] == sorted(now.tolist())
    assert found["total"]["now"]["returning"] == now.sum()
    assert found["total"]["now"]["rate"] == pytest.approx(parts(plain, LAST, 5).sum() / summed(plain, 1, LAST).sum())
    many = visits(site, by="page", filter="returning >= 300 and change in returning < -60")
    assert {row["key"] for row in many["rows"]} == {
        page for page, a, b in zip(PAGES, now, before, strict=True) if a >= 300 and a - b < -60
    }
    assert 0 < len(many["rows"]) < len(PAGES)


def test_what_was_not_set_up_has_no_rate_and_what_nobody_came_to_has_none_either(made):
    site, _ = made
    early = visits(site, by="page", window="2025-06-01/2025-06-28")
    assert {row["now"]["rate"] for row in early["rows"]} == {None} and early["total"]["now"]["rate"] is None
    none = visits(site, by="page", page="/nowhere")
    assert none["total"]["now"] == dict.fromkeys(none["total"]["now"], 0.0) | {"rate": None, "revenue": None}


def test_by_day_each_stands_beside_its_own_day(made):
    site, plain = made
    for row in visits(site, by="day")["rows"]:
        day = date.fromisoformat(row["key"])
        assert row["now"]["returning"] == int((plain[day][1] - plain[day][1] // 3).sum())
