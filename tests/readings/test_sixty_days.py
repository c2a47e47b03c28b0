"""Visits, links, index and facts: sixty days as each feed itself tells them, to the unit; killed and resumed alike."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator
from datetime import date, timedelta
from functools import partial

import numpy as np
import pytest
from tests.conftest import ACCOUNT, HIVE, NOW, SECRET, TODAY
from tests.served import asked_of, connected, feed, pulled, with_site

from noctilum.actions import setup
from noctilum.actions.pull import pull
from noctilum.datasets import DATASETS
from noctilum.history import Question
from noctilum.standins import facts_feed, index_feed, links_feed, visits_feed
from noctilum.wire import setup as wire

FEEDS = {
    "visits": (visits_feed.create_app, "visits-hivewright-blog", 180),
    "links": (links_feed.create_app, "links-hivewright-blog", 300),
    "index": (index_feed.create_app, "index-hivewright-blog", 110),
    "facts": (facts_feed.create_app, "facts-hivewright-blog", 180),
}


@pytest.fixture(scope="module", params=FEEDS)
def served(request):
    make, number, back = FEEDS[request.param]
    with feed(make) as url:
        yield request.param, url, number, back


def sampled(kind: str, back: int) -> list[date]:
    """Sixty days, or of facts the first of every month, which is all their days."""
    if kind == "facts":
        return [date(2025, month, 1) for month in (10, 11, 12)] + [date(2026, 1, 1), date(2026, 2, 1)]
    draw = np.random.default_rng(60)
    return [TODAY - timedelta(int(n)) for n in sorted(draw.choice(np.arange(14, back), 60, replace=False))]


def test_every_sum_of_sixty_days_is_the_feeds_own_to_the_unit(install, served):
    kind, url, number, back = served
    with_site(install)
    connected(install, HIVE, url, number)
    history, looked_at = install.history(1), 0
    for kept in DATASETS.of_kind(kind):
        if kept.span != ("month" if kind == "facts" else "day"):
            continue
        for day in sampled(kind, back):
            rows = asked_of(url, f"/properties/{number}/days/{day}/{kept.name}")
            names = [measure.name for measure in kept.measures if measure.merge in ("sum", "last")]
            told: dict[str, dict[str, float]] = defaultdict(dict)
            for row in rows:
                sums = told[row[kept.dims[0]]]
                sums |= {name: sums.get(name, 0.0) + row[name] * kept.measure(name).scale for name in names}
            found = history.read(Question(kept.name, day, day, (kept.dims[0],), measures=tuple(names)))
            keys = history.texts(kept.dims[0], found.keys[0].tolist())
            held = {key: {name: found.figures[name][n] for name in names} for n, key in enumerate(keys)}
            assert held == {key: pytest.approx(each) for key, each in told.items() if any(each.values())}, (
                kept.name,
                day,
            )
            looked_at += len(rows)
    assert looked_at >= 10


def test_stopped_anywhere_and_resumed_it_is_the_same_as_never_stopped(install, served, monkeypatch):
    monkeypatch.setattr("noctilum.actions.pull._Tally.EVERY", 0.0)
    kind, url, number, _ = served
    with_site(install)
    whole = connected(install, HIVE, url, number)
    other = setup.add_site(install, "hivewright", wire.NewSite(host="hivewright.example"), NOW)
    make, _, _ = FEEDS[kind]
    with feed(make) as again:
        source = stopped_again_and_again(install, other, again, number)
    assert digest_of(install, 2, source) == digest_of(install, 1, whole)
    before = install.history(1).digest()
    assert pulled(install, whole).days == 0
    assert install.history(1).digest() == before


def stopped_again_and_again(install, site: str, url: str, number: str) -> int:
    """Pull a property that is stopped after a few days, several times, then whole; gives the source's number."""
    asked = {"url": url, "account": ACCOUNT, "secret": SECRET, "property": number}
    source = setup.add_source(install, site, wire.NewSource.model_validate(asked), NOW)
    days = []
    for most in (1, 2, 3, 7, 20):
        result = pull(install, source, origin="pull 1", clock=lambda: NOW, report=partial(_goes_on, iter(range(most))))
        days.append(result.days)
    assert sum(each > 0 for each in days) >= 2, days
    pulled(install, source)
    return source


def _goes_on(left: Iterator[int], _: object) -> bool:
    return next(left, None) is not None


def digest_of(install, number: int, source: int) -> list[tuple[object, ...]]:
    """Give every row that is held of a source, in one order."""
    history, rows = install.history(number), []
    for name in sorted({row.dataset for row in history.ledger(sources=[source])}):
        kept = DATASETS[name]
        days = [row.day for row in history.ledger(sources=[source], dataset=name)]
        found = history.read(Question(name, min(days), max(days), (*kept.dims, "day"), sources=(source,)))
        texts = [history.texts(dim, found.keys[n].tolist()) for n, dim in enumerate(kept.dims)]
        columns = [*texts, found.keys[-1].tolist(), *(each.tolist() for each in found.figures.values())]
        rows += [(name, *row) for row in sorted(zip(*columns, strict=True))]
        rows += [(name, row.day, row.state) for row in history.ledger(sources=[source], dataset=name)]
    return rows
