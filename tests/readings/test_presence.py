"""Where pages stand: the stand-in's own lists, set side by side here, against what is kept and read."""

from __future__ import annotations

from collections import Counter
from datetime import date, datetime, timedelta
from statistics import median

import pytest
from tests.conftest import HIVE, SMALL, TODAY
from tests.served import Held, answered, connected, feed
from tests.served import pulled as pull_again

from noctilum.core.errors import NotThere
from noctilum.standins.index_feed import LAG_DAYS, create_app
from noctilum.standins.index_model import counts_on, listed_on, pages_of
from noctilum.standins.search_model import model_of

NUMBER = "index-hivewright-blog"
HELD = Held(((create_app, NUMBER),), sitemaps=True)
INDEXED_ON = TODAY - timedelta(LAG_DAYS)


@pytest.fixture(scope="module")
def index_feed():
    with feed(create_app) as url:
        yield url


@pytest.fixture
def site(install, held, index_feed):
    return HELD.now_at(install, index_feed)


def shown(first: date, last: date) -> Counter[str]:
    found: Counter[str] = Counter()
    for n in range((last - first).days + 1):
        rows = model_of(SMALL, TODAY).day(first + timedelta(n))["page"]
        for page, times in zip(rows.texts["page"], rows.impressions, strict=True):
            found[page] += times
    return +found


def test_three_sets_and_their_differences_are_those_of_the_lists(install, site):
    found = answered(install, site, "presence", window="P28D", only="all", limit=1000)
    seen = shown(found.window.first, found.window.last)
    listed = {page for paths in listed_on(NUMBER, TODAY, TODAY).values() for page in paths}
    offset = -LAG_DAYS
    indexed = {page.path for page in pages_of(NUMBER) if page.is_indexed(offset)}
    assert (found.listed, found.indexed, found.shown) == (len(listed), len(indexed), len(seen))
    assert {row.page for row in found.rows} == listed | indexed | set(seen)
    for row in found.rows:
        assert (row.listed, row.indexed) == (row.page in listed, row.page in indexed)
        assert row.impressions == seen.get(row.page, 0)
    stands = {row.page: row.standing for row in found.rows}
    assert stands["/plants/lavender"] == "shown, not listed"
    assert stands["/notices/moved"] == "listed, not shown"
    assert stands["/diary/draft"] == "listed, not indexed"
    assert stands["/diary/first-year"] == "as it should be"
    assert stands["/tags/old"] == "only indexed"
    assert stands["/recipes/mead"] == "as it should be"
    assert {each.standing: each.pages for each in found.counts} == Counter(stands.values()) | {
        each.standing: 0 for each in found.counts if each.standing not in stands.values()
    }


@pytest.mark.parametrize("only", ["gone", "not-indexed", "not-shown", "not-listed", "only-indexed"])
def test_each_choice_lists_its_own_pages_only(install, site, only):
    every = answered(install, site, "presence", window="P28D", only="all", limit=1000)
    some = answered(install, site, "presence", window="P28D", only=only)
    wanted = {"not-indexed": "listed, not indexed", "not-shown": "listed, not shown"}
    wanted |= {"gone": "gone", "not-listed": "shown, not listed", "only-indexed": "only indexed"}
    assert {row.page for row in some.rows} == {row.page for row in every.rows if row.standing == wanted[only]}
    amiss = answered(install, site, "presence", window="P28D", limit=1000)
    assert {row.page for row in amiss.rows} == {row.page for row in every.rows if row.standing != "as it should be"}


def test_a_page_that_was_shown_and_is_neither_listed_nor_indexed_is_gone(install, pulled, index_feed):
    """Skerry's lists know none of the blog's pages: whatever the blog was shown for is in neither."""
    connected(install, HIVE, index_feed, "index-skerry")
    address = f"{index_feed}/sitemaps/index-skerry/sitemap.xml"
    connected(install, HIVE, address, address, connector="sitemap")
    found = answered(install, HIVE, "presence", window="P28D", only="gone", limit=1000)
    assert {row.page for row in found.rows} == set(shown(found.window.first, found.window.last))
    assert any("neither listed nor indexed" in each.text for each in found.sentences)


def test_counts_by_status_are_the_feeds_on_every_day(install, site):
    found = answered(install, site, "index", by="status", window=f"P28D/{INDEXED_ON}")
    assert {row.key: row.now.counted for row in found.rows if row.now.counted} == {
        name: many for name, many in counts_on(NUMBER, TODAY, INDEXED_ON).items() if many
    }
    daily = answered(install, site, "index", by="day", status="indexed", window=f"P28D/{INDEXED_ON}", limit=100)
    for row in daily.rows:
        assert row.now.counted == counts_on(NUMBER, TODAY, date.fromisoformat(row.key))["indexed"]


def test_pages_that_fell_out_are_told_by_day(install, site):
    found = answered(install, site, "indexed", by="page", window=f"P28D/{INDEXED_ON}", limit=100)
    assert {row.key: row.now.left for row in found.rows if row.now.left} == {"/diary/first-year": 1}


def test_new_pages_are_dated_from_list_to_index_to_shown(install, pulled, index_feed):
    """Sitemaps tell of today only, so each day is read on that day; the first one makes nothing new."""
    connected(install, HIVE, index_feed, NUMBER)
    number = None
    for offset in range(-34, -20):
        now = datetime.combine(TODAY + timedelta(offset), datetime.min.time())
        with feed(create_app, TODAY + timedelta(offset)) as url:
            address = f"{url}/sitemaps/{NUMBER}/sitemap.xml"
            if number is None:
                number = connected(install, HIVE, address, address, now, connector="sitemap")
            else:
                moved_to(install, number, address)
                pull_again(install, number, now)
    found = answered(install, HIVE, "arrivals", window=f"P28D/{TODAY - timedelta(21)}")
    (row,) = found.rows
    assert (row.page, row.listed, row.indexed) == (
        "/diary/second-year",
        TODAY - timedelta(30),
        TODAY - timedelta(24),
    )
    assert (row.days_to_index, row.shown, row.waiting) == (6, None, 9)
    assert found.typical_index == median([6]) and found.not_shown == 1


def moved_to(install, number: int, address: str) -> None:
    from noctilum.records.models import Source

    with install.records.begin() as db:
        db.get_one(Source, number).url = address


def test_a_day_on_which_no_sitemap_was_read_is_a_gap_and_no_loss(install, pulled, index_feed):
    address = f"{index_feed}/sitemaps/{NUMBER}/sitemap.xml"
    number = connected(install, HIVE, address, address, datetime(2026, 3, 10), connector="sitemap")
    result = pull_again(install, number, datetime(2026, 3, 20))
    assert (result.days, result.lost) == (1, 0)


def test_with_neither_sitemaps_nor_index_it_says_what_to_do(install, pulled):
    with pytest.raises(NotThere) as why:
        answered(install, HIVE, "presence")
    assert why.value.code == "no-index"


def test_what_is_not_connected_is_not_known_and_never_nothing(install, pulled, index_feed):
    address = f"{index_feed}/sitemaps/{NUMBER}/sitemap.xml"
    connected(install, HIVE, address, address, connector="sitemap")
    found = answered(install, HIVE, "presence", only="all")
    assert found.indexed is None and all(row.indexed is None for row in found.rows)
    assert not any(row.standing in ("listed, not indexed", "only indexed") for row in found.rows)
