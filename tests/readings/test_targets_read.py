"""Targets read from held days: levels, seasons and paths told apart from plain rows, of one site and of several."""

from __future__ import annotations

from datetime import UTC, date, datetime, timedelta
from math import exp, log, pi, sin

import numpy as np
import pytest

from noctilum.core.batch import batch_of
from noctilum.datasets import DATASETS
from noctilum.history import History
from noctilum.readings.narrow import NamedSet, Words
from noctilum.readings.site_access import SiteAccess, SourceOf
from noctilum.readings.targets import course, target
from noctilum.testing.batches import entry, search_batch
from noctilum.wire.targets import CourseQuery, NewTarget, TargetOut, TargetQuery

LAST = date(2026, 3, 15)
STARTS, BY = date(2026, 1, 5), date(2026, 6, 30)
PAGES = ["/guides/a", "/guides/b", "/shop/c"]
DAYS = 364 * 2 + 150
OUT = date(2026, 3, 1)
SETS = {"guides": NamedSet("Guides", "page", 'path starts "/guides/"')}


def filled(folder, name: str, times: float, days: int) -> tuple[SiteAccess, dict[date, np.ndarray]]:
    """Fill a history with a season; one day of it is missing. Visits have paid ones beside the organic."""
    history = History(folder / f"{name}.db", create=True)
    draw = np.random.default_rng(days)
    plain, searches, visits = {}, [], []
    for day in (LAST - timedelta(n) for n in range(days - 1, -1, -1)):
        if day == OUT:
            continue
        wave = 1 + 0.5 * sin(2 * pi * (day - date(2025, 3, 1)).days / 364)
        clicks = draw.poisson(np.array([30, 20, 10]) * wave * times)
        plain[day] = clicks
        dims = {"page": PAGES, "country": ["NO"] * 3, "device": ["mobile"] * 3, "kind": ["web"] * 3}
        searches.append(entry(search_batch("page", day, dims, clicks.tolist(), (clicks * 9).tolist(), [4.0] * 3)))
        whole = {"country": ["NO"], "device": ["mobile"], "kind": ["web"]}
        total = int(clicks.sum())
        searches.append(entry(search_batch("site", day, whole, [total], [total * 9], [4.0])))
        kept = DATASETS["visits"]
        texts = {dim: [""] * 6 for dim in kept.dims} | {"page": PAGES * 2, "channel": ["organic"] * 3 + ["paid"] * 3}
        sessions = [*clicks.tolist(), 7, 7, 7]
        goals = [int(each) // 9 for each in sessions] if day >= date(2025, 12, 1) else [0] * 6
        told = {each.name: [0] * 6 for each in kept.measures} | {"sessions": sessions, "conversions": goals}
        visits.append(entry(batch_of(kept, day, texts, told)))
    history.put_days(1, searches)
    history.put_days(2, visits)
    sources = (
        SourceOf(1, "searches", "quillon", "UTC", True, "UTC"),
        SourceOf(2, "visits", "quillon", "UTC", True, "UTC", "visits"),
    )
    return SiteAccess(name, history, (1,), Words(sets=SETS), sources, today=date(2026, 3, 18)), plain


@pytest.fixture(scope="module")
def made(tmp_path_factory):
    folder = tmp_path_factory.mktemp("targets")
    one, two = filled(folder, "one", 1.0, DAYS), filled(folder, "two", 0.5, DAYS)
    yield one, two
    one[0].history.close()
    two[0].history.close()


def asked(of: SiteAccess, others: tuple[SiteAccess, ...] = (), **said: object) -> SiteAccess:
    """Give a site with one target."""
    new = NewTarget.model_validate({"site": of.key, "name": "Aim", "starts": STARTS, "by": BY, "value": 2500.0, **said})
    told = new.model_dump() | {"id": 1, "client": "them", "created_at": datetime(2026, 1, 5, tzinfo=UTC)}
    kept = TargetOut.model_validate(told)
    fields = {name: getattr(of, name) for name in of.__dataclass_fields__}
    return SiteAccess(**{**fields, "targets": lambda: [kept], "siblings": lambda: (of, *others)})


def level(plain, last: date, of=slice(None)) -> float:
    held = [plain[day][of].sum() for n in range(28) if (day := last - timedelta(n)) in plain]
    return float(np.mean(held) * 28)


def season(plain, last: date, of=slice(None)) -> float:
    """The ln ratio of the same 28 days to those of the base, over two earlier years."""
    base = STARTS - timedelta(1)
    years = [timedelta(364 * n) for n in (1, 2)]
    return float(np.mean([log(level(plain, last - y, of) / level(plain, base - y, of)) for y in years]))


def expected(plain, value: float, of=slice(None)) -> dict[str, float]:
    base, end = level(plain, STARTS - timedelta(1), of), season(plain, BY, of)
    share = ((LAST - STARTS).days + 1) / ((BY - STARTS).days + 1)
    path = base * exp(season(plain, LAST, of)) * (value / (base * exp(end))) ** share
    now = level(plain, LAST, of)
    return {
        "base": base,
        "now": now,
        "path": path,
        "gap": now / path - 1,
        "gain": value / (base * exp(end)) - 1,
        "ends": now * exp(end - season(plain, LAST, of)),
    }


@pytest.mark.parametrize(
    ("said", "of"),
    [
        ({}, slice(None)),
        ({"filter": 'set "Guides"', "value": 1800.0}, slice(0, 2)),
        ({"metric": "sessions"}, slice(None)),
        ({"metric": "sessions", "filter": 'path is "/shop/c"', "value": 400.0}, slice(2, 3)),
    ],
)
def test_a_way_is_that_of_plain_rows(made, said, of):
    (site, plain), _ = made
    found = target(asked(site, **said), TargetQuery(number=1))
    for name, value in expected(plain, said.get("value", 2500.0), of).items():
        assert getattr(found, name) == pytest.approx(value, rel=1e-4, abs=1e-3), name
    assert (found.years, found.on, found.days_to_go) == (2, LAST, (BY - date(2026, 3, 18)).days)
    assert found.rows[0].day == STARTS - timedelta(1) and found.rows[-1].day == BY
    assert found.rows[-1].path == pytest.approx(found.target.value) and found.rows[-1].now is None
    for row in found.rows:
        if row.day <= LAST:
            assert row.now == pytest.approx(level(plain, row.day, of), abs=1e-3)


def test_all_sites_of_a_client_are_one(made):
    (site, plain), (other, more) = made
    found = target(asked(site, (other,), over="client", value=4000.0), TargetQuery(number=1))
    both = {day: plain[day] + more[day] for day in plain}
    assert found.now == pytest.approx(level(both, LAST), abs=1e-3)
    assert found.path == pytest.approx(expected(both, 4000.0)["path"], rel=1e-4)


def test_a_channel_that_is_named_is_the_one_and_a_goal_set_up_late_has_no_year(made):
    (site, _), _ = made
    paid = target(asked(site, metric="sessions", filter="channel is paid", value=600.0), TargetQuery(number=1))
    assert paid.now == pytest.approx(21 * 28)
    goals = target(asked(site, metric="conversions", value=200.0), TargetQuery(number=1))
    assert goals.years == 0 and goals.now > 0 and goals.gain == pytest.approx(200 / goals.base - 1, abs=1e-5)


def test_what_cannot_be_read_says_why_and_stops_nothing_else(made):
    (site, _), _ = made
    early = asked(site, starts=date(2023, 1, 2), by=date(2025, 6, 30))
    assert target(early, TargetQuery(number=1)).lacks == "its start is not held"
    gone = asked(site, filter='set "Sold"')
    assert target(gone, TargetQuery(number=1)).lacks == "its filter cannot be asked"
    ranks = course(asked(site, metric="top10", value=9.0), CourseQuery())
    assert [row.lacks for row in ranks.rows] == ["nothing held"] and ranks.behind == 0


def test_a_list_is_narrowed_to_what_is_behind_or_over(made):
    (site, _), _ = made
    behind, over = asked(site, value=9000.0), asked(site, by=date(2026, 3, 1))
    assert course(behind, CourseQuery()).behind == 1
    for of, only, rows in (behind, "behind", 1), (behind, "over", 0), (over, "over", 1), (over, "open", 0):
        assert course(of, CourseQuery(only=only)).matching == rows, only
    ended = course(over, CourseQuery()).rows[0]
    assert ended.course in ("reached", "missed") and ended.on == date(2026, 3, 1) and ended.days_to_go == 0
