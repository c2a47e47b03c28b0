"""Visits, links, index and facts by a mapping: the examples that ship give what the open feed gives, row by row."""

from __future__ import annotations

from datetime import date, timedelta
from pathlib import Path

import pytest
from tests.conftest import ACCOUNT, HIVE, NOW, SECRET, TODAY
from tests.served import answered, connected, feed, with_site

from noctilum.actions import setup
from noctilum.actions.pull import Span, pull
from noctilum.core.errors import Nonsense
from noctilum.datasets import DATASETS
from noctilum.history import Question
from noctilum.sources.mapping import read_mapping
from noctilum.standins import facts_feed, index_feed, links_feed, visits_feed
from noctilum.wire import setup as wire

EXAMPLES = Path(__file__).parents[2] / "examples/feeds"
FEEDS = {
    "visits": (visits_feed.create_app, "visits-hivewright-blog", date(2026, 1, 26)),
    "links": (links_feed.create_app, "links-hivewright-blog", date(2025, 12, 1)),
    "index": (index_feed.create_app, "index-hivewright-blog", date(2025, 12, 20)),
    "facts": (facts_feed.create_app, "facts-hivewright-blog", date(2025, 9, 1)),
}
SETTLED = TODAY - timedelta(12)
OTHER = "hivewright.example"


def mapping_of(kind: str) -> str:
    return (EXAMPLES / f"{kind}.toml").read_text()


def test_there_is_an_example_of_every_feed():
    assert {path.stem for path in EXAMPLES.glob("*.toml")} == set(FEEDS)
    assert {read_mapping(path.read_text()).kind for path in EXAMPLES.glob("*.toml")} == set(FEEDS)


@pytest.fixture(params=FEEDS)
def both(install, request):
    """Connect a property to one site by the open feed, to another by the mapping; gives kind and address."""
    make, number, first = FEEDS[request.param]
    with_site(install)
    setup.add_site(install, "hivewright", wire.NewSite(host=OTHER), NOW)
    with feed(make) as url:
        connected(install, HIVE, url, number)
        asked = {"connector": "mapped-feed", "url": url, "account": ACCOUNT, "secret": SECRET, "property": number}
        asked |= {"mapping": mapping_of(request.param)}
        source = setup.add_source(install, OTHER, wire.NewSource.model_validate(asked), NOW)
        done = pull(install, source, origin="p", clock=lambda: NOW, report=lambda _: True, span=Span(first, TODAY))
        assert (done.failed, done.flagged) == ((), 0)
        yield request.param, first


def rows(install, number: int, name: str, first: date) -> list[tuple[object, ...]]:
    kept, history = DATASETS[name], install.history(number)
    found = history.read(Question(name, first, SETTLED, (*kept.dims, "day")))
    texts = [history.texts(dim, found.keys[n].tolist()) for n, dim in enumerate(kept.dims)]
    return sorted(
        zip(*texts, found.keys[-1].tolist(), *(each.tolist() for each in found.figures.values()), strict=True)
    )


def test_a_mapping_gives_what_the_open_feed_gives(install, both):
    kind, first = both
    for name in [name for name, kept in DATASETS.items() if kept.kind == kind]:
        found = rows(install, 2, name, first)
        assert found == rows(install, 1, name, first), name
        assert found or name == "related", name


def test_users_of_a_week_and_a_month_come_by_a_mapping_too(install):
    with_site(install)
    with feed(visits_feed.create_app) as url:
        asked = {"connector": "mapped-feed", "url": url, "account": ACCOUNT, "secret": SECRET}
        asked |= {"property": "visits-hivewright-blog", "mapping": mapping_of("visits")}
        source = setup.add_source(install, HIVE, wire.NewSource.model_validate(asked), NOW)
        span = Span(date(2026, 1, 28), TODAY)
        pull(install, source, origin="p", clock=lambda: NOW, report=lambda _: True, span=span)
    for window, known in (("2026-02", True), ("2026-03-02/2026-03-08", True), ("2026-02-03/2026-02-09", False)):
        found = answered(install, HIVE, "visitors", window=window, against="none", by="channel")
        assert (found.rows[0].now.users is not None) == known, window


@pytest.mark.parametrize(
    ("old", "new", "said"),
    [
        ("[grains.visits", "[grains.site", "different kinds of sources"),
        ("[grains.visits", "[grains.ranks", "nput should be"),
        ('sessions = "sessions"\nengaged', "engaged", "says nothing of sessions"),
        (
            'week-visitors"\nformat = "ndjson"',
            'week-visitors"\nformat = "ndjson"\nrange_days = 7\nday = "day"',
            "of whole spans",
        ),
    ],
)
def test_a_mapping_that_mixes_feeds_or_lacks_something_names_its_line(old, new, said):
    text = mapping_of("visits")
    assert old in text
    with pytest.raises(Nonsense, match=said) as told:
        read_mapping(text.replace(old, new, 2 if new[0] == "[" else 1))
    assert told.value.where.startswith("mapping line")


def test_a_mapping_without_the_totals_says_which():
    text = mapping_of("visits")
    start, end = text.index("[grains.visits]"), text.index("[grains.visitors]")
    with pytest.raises(Nonsense, match="no grain visits, the totals"):
        read_mapping(text[:start] + text[end:])
