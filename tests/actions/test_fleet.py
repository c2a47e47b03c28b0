"""Fleet events over real installs: many sites that move at once are named with their day, and few are not."""

from __future__ import annotations

from datetime import timedelta

import numpy as np
import pytest
from tests.conftest import NOW, TODAY

from noctilum.actions import dated_notes, setup
from noctilum.actions import fleet as fleets
from noctilum.actions.find import find_site
from noctilum.actions.fleet import fleet, section_of
from noctilum.core.windows import Window
from noctilum.testing.batches import entry, search_batch
from noctilum.wire.noted import NewNote
from noctilum.wire.setup import NewClient, NewFileSource, NewSite

DAYS, LAST = 220, TODAY - timedelta(3)
UPDATE = LAST - timedelta(20)
WEEK = (1, 1.02, 1.0, 0.98, 0.95, 0.7, 0.72)


def with_sites(install, sites: int, hit: int) -> list[str]:
    """Sites of a few hundred clicks a day, of which the first ones lose three tenths from a day on."""
    draw = np.random.default_rng(7)
    setup.add_client(install, NewClient(name="Tallow", currency="GBP"), NOW)
    keys = []
    for n in range(sites):
        key = setup.add_site(install, "tallow", NewSite(host=f"s{n:02}.example"), NOW)
        source = setup.add_file_source(install, key, NewFileSource(label="By hand", kind="search"), NOW)
        entries = []
        for back in range(DAYS - 1, -1, -1):
            day = LAST - timedelta(back)
            mean = (200 + 40 * n) * WEEK[day.weekday()] * np.exp(draw.normal(0, 0.03)) / 2
            guides, fares = draw.poisson([mean * (0.36 if n < hit and day >= UPDATE else 1.0), mean]).tolist()
            clicks = guides + fares
            dims = {"country": ["GB"], "device": ["mobile"], "kind": ["web"]}
            entries.append(entry(search_batch("site", day, dims, [clicks], [clicks * 9], [4.0])))
            two = {name: texts * 2 for name, texts in dims.items()} | {"page": ["/guides/a", "/fares"]}
            entries.append(entry(search_batch("page", day, two, [guides, fares], [guides * 9, fares * 9], [4.0, 4.0])))
        with install.records.read() as db:
            number = find_site(db, key).id
        install.history(number, create=True).put_days(source, entries)
        keys.append(key)
    return keys


def test_many_sites_that_fall_at_once_are_one_event_with_its_day(install):
    keys = with_sites(install, 10, 5)
    found = fleet(install, TODAY)
    (event,) = found.events
    assert found.sites == 10 and event.looked_at == 10
    assert abs((event.day - UPDATE).days) <= 2
    assert {each.site for each in event.sites} == set(keys[:5])
    assert (event.fell, event.rose, event.noted) == (5, 0, [])
    assert event.chance < 1e-4 and all(each.score < -2.5 for each in event.sites)
    assert {each.section for each in event.sites} == {"/guides/"}
    assert all(each.share > 0.8 for each in event.sites)
    dated_notes.add_note(install, NewNote(first=UPDATE, kind="engine update", text="Update Harbourlight"), NOW)
    assert fleet(install, TODAY).events[0].noted == ["Update Harbourlight"]


class Ranks:
    """Ranks of thirty keywords that wander a little; of sites that are hit they fall from a day on."""

    def __init__(self, draw: np.random.Generator, hit: bool, on) -> None:
        self.draw, self.hit, self.on = draw, hit, on

    def over(self, window: Window) -> np.ndarray:
        days = len(window)
        logs = np.log(self.draw.uniform(3, 40, 30))[:, None] + self.draw.normal(0, 0.05, (30, days))
        logs[:, days - 1 - (window.last - self.on).days :] += 0.4 if self.hit else 0.0
        return np.round(np.exp(logs))


@pytest.mark.parametrize(("clicks_hit", "on"), [(0, LAST - timedelta(40)), (5, UPDATE + timedelta(4))])
def test_ranks_that_fall_at_once_are_an_event_of_their_own_or_evidence_of_one(install, monkeypatch, clicks_hit, on):
    keys = with_sites(install, 10, clicks_hit)
    draw = np.random.default_rng(3)
    monkeypatch.setattr(fleets, "daily_ranks", lambda site: Ranks(draw, keys.index(site.key) < 6, on))
    found = fleet(install, TODAY)
    (event,) = found.events
    assert (found.sites, found.ranked) == (10, 10)
    if clicks_hit:
        assert (event.on, event.ranks_too, event.fell) == ("clicks", 6, 5)
    else:
        assert (event.on, event.ranks_too, event.fell) == ("ranks", 0, 6) and abs((event.day - on).days) <= 2
        assert {each.site for each in event.sites} == set(keys[:6])


def test_a_section_is_the_first_part_of_a_path():
    told = {"/guides/hives?x=1": "/guides/", "/fares": "/", "/": "/", "https://b.example/a/b": "/a/", "/a/": "/a/"}
    assert {path: section_of(path) for path in told} == told


@pytest.mark.parametrize(("sites", "hit"), [(9, 0), (9, 1), (6, 6)])
def test_quiet_sites_one_alone_and_a_small_fleet_are_no_event(install, sites, hit):
    with_sites(install, sites, hit)
    found = fleet(install, TODAY)
    assert found.events == [] and found.sites == sites
