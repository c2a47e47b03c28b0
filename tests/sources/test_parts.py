"""A property that counts several sites: each is connected to its part of it, and the parts add up to the whole."""

from __future__ import annotations

from datetime import timedelta

import pytest
from tests.conftest import ACCOUNT, HIVE, NOW, SECRET, TODAY
from tests.served import answered, connected, serving, with_site
from tests.served import pulled as pull_again

from noctilum.actions import setup
from noctilum.actions.find import find_source
from noctilum.core.errors import Clash, Nonsense
from noctilum.standins.feed_app import Feed, Property, Row, feed_app
from noctilum.wire import setup as wire

SHOP = "shop.hivewright.example"
PAGES = {
    f"https://{HIVE}/": 5,
    f"https://{HIVE}/blog": 7,
    f"https://{HIVE}/blog/queens?page=2": 11,
    f"https://{HIVE}/blogroll": 13,
    f"https://{SHOP}/hives": 17,
    "/told-without-a-host": 19,
}
WINDOW = f"{TODAY - timedelta(7)}/{TODAY - timedelta(5)}"


def _visits(number: str, day: object, fresh: bool) -> list[Row]:
    blank = {"title": "", "channel": "organic", "device": "mobile", "country": "GB", "region": "", "city": ""}
    none = {"engaged": 0, "new_users": 0, "conversions": 0, "revenue": 0}
    return [{"page": page, **blank, "sessions": many, **none} for page, many in PAGES.items()]


def _visitors(number: str, day: object, fresh: bool) -> list[Row]:
    return [{"channel": "organic", "sessions": sum(PAGES.values()), "users": 60}]


@pytest.fixture
def url():
    """Serve one property that counts two hosts."""
    whole = {"p": Property("Everything", HIVE, TODAY - timedelta(9))}
    rows = {"visits": _visits, "visitors": _visitors, "goals": lambda number, day, fresh: []}
    with serving(feed_app(Feed("whole", "visits", whole, rows, TODAY, 1, 0), {ACCOUNT: SECRET})) as address:
        yield address


def asked(url: str, **more: str) -> wire.NewSource:
    return wire.NewSource.model_validate({"url": url, "account": ACCOUNT, "secret": SECRET, "property": "p", **more})


def sessions(install, site: str, source: int) -> dict[str, float]:
    found = answered(install, site, "visits", by="page", window=WINDOW, against="none", source=source)
    return {row.key: row.now.sessions for row in found.rows}


def test_two_sites_have_their_parts_of_one_property_and_together_all_of_it(install, url):
    with_site(install)
    setup.add_site(install, "hivewright", wire.NewSite(host=SHOP), NOW)
    setup.add_site(install, "hivewright", wire.NewSite(host=f"{HIVE}/blog"), NOW)
    own = connected(install, HIVE, url, "p", part=HIVE)
    shop = connected(install, SHOP, url, "p", part=f"https://{SHOP}/")
    blog = connected(install, f"{HIVE}/blog", url, "p", part=f"{HIVE}/Blog")
    assert sessions(install, SHOP, shop) == {"/hives": 51}
    assert sessions(install, HIVE, own) == {
        "/": 15, "/blog": 21, "/blog/queens?page=2": 33, "/blogroll": 39, "/told-without-a-host": 57,
    }  # fmt: skip
    assert sessions(install, f"{HIVE}/blog", blog) == {"/blog": 21, "/blog/queens?page=2": 33}
    assert 51 + sum(sessions(install, HIVE, own).values()) == 3 * sum(PAGES.values())
    assert pull_again(install, shop).days == 0


def test_who_came_is_not_known_of_a_part(install, url):
    with_site(install)
    part = connected(install, HIVE, url, "p", part=f"{HIVE}/blog")
    held = install.history(1)
    assert held.states([part], "visits") and not held.states([part], "visitors")
    assert not {row.flag for row in held.ledger(sources=[part])} - {None}


def test_the_same_part_twice_and_a_part_of_what_has_no_pages_are_refused(install, url):
    with_site(install)
    setup.add_source(install, HIVE, asked(url, part=f"{HIVE}/blog"), NOW)
    with pytest.raises(Clash, match=r"connected to blog\.hivewright\.example already"):
        setup.add_source(install, HIVE, asked(url, part=f"{HIVE}/blog/"), NOW)
    with pytest.raises(Nonsense, match="'/blog' is not a host") as unhosted:
        setup.add_source(install, HIVE, asked(url, part="/blog"), NOW)
    assert unhosted.value.where == "part"
    search = Property("Searches", HIVE, TODAY - timedelta(9))
    told = feed_app(Feed("found", "search", {"p": search}, {"site": _visitors}, TODAY, 1, 0), {ACCOUNT: SECRET})
    with serving(told) as address, pytest.raises(Nonsense, match="cannot be parted by pages"):
        setup.add_source(install, HIVE, asked(address, part=HIVE), NOW)


def test_a_narrower_part_of_a_property_a_site_has_whole_is_read_apart(install, url):
    with_site(install)
    setup.add_source(install, HIVE, asked(url), NOW)
    narrow = setup.add_source(install, HIVE, asked(url, part=f"{HIVE}/blog"), NOW)
    with install.records.read() as db:
        found = find_source(db, narrow)
        assert (found.counted, found.scope, setup.property_id(found)) == (False, f"{HIVE}/blog", "p")
