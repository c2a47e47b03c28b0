"""Links from elsewhere: the stand-in's own list, counted here, against what is kept and read."""

from __future__ import annotations

from collections import Counter
from datetime import date, timedelta
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.conftest import HIVE, NOW, TODAY
from tests.served import Held, answered, connected, feed
from tests.served import pulled as pull_again

from noctilum.actions import setup
from noctilum.actions.imports import import_files
from noctilum.core.errors import Nonsense, NotThere
from noctilum.core.standing import standing_at
from noctilum.history import Question
from noctilum.standins.index_feed import create_app as index_app
from noctilum.standins.links_feed import FRESH_DAYS, LAG_DAYS, create_app
from noctilum.standins.links_model import Link, links_of
from noctilum.wire.setup import NewFileSource, NewSite

NUMBER = "links-hivewright-blog"
HELD = Held(((create_app, NUMBER),), searches=False)
SEEN = TODAY - timedelta(LAG_DAYS + FRESH_DAYS)
"""The last day that is final."""


@pytest.fixture(scope="module")
def links_feed():
    with feed(create_app) as url:
        yield url


@pytest.fixture
def site(install, held, links_feed):
    return HELD.now_at(install, links_feed)


def on(offset: int) -> date:
    return TODAY + timedelta(offset)


def stands(link: Link, day: date) -> bool:
    return on(link.found) <= day and (link.gone is None or day < on(link.gone))


def standing(day: date) -> list[Link]:
    return [link for link in links_of(NUMBER) if stands(link, day)]


def window(days: int = 91) -> str:
    return f"{SEEN - timedelta(days - 1)}/{SEEN}"


def test_what_stands_is_what_the_feed_says_by_every_key(install, site):
    for by, name in (("domain", "domain"), ("page", "page"), ("anchor", "anchor"), ("address", "address")):
        found = answered(install, site, "backlinks", by=by, window=window(), limit=1000)
        plain = Counter(getattr(link, name) for link in standing(SEEN))
        assert {row.key: row.links for row in found.rows if row.links} == plain
        assert found.links == sum(plain.values())
    assert found.domains == len({link.domain for link in standing(SEEN)})


def test_gained_and_lost_lead_from_one_end_of_the_window_to_the_other(install, site):
    first = SEEN - timedelta(90)
    found = answered(install, site, "backlinks", window=window(), limit=1000)
    came = [link for link in links_of(NUMBER) if first <= on(link.found) <= SEEN]
    went = [link for link in links_of(NUMBER) if link.gone is not None and first <= on(link.gone) <= SEEN]
    assert (found.gained, found.lost) == (len(came), len(went))
    assert found.links_before == len(standing(first - timedelta(1)))
    assert found.links_before + found.gained - found.lost == found.links
    for row in found.rows:
        assert row.before + row.gained - row.lost == row.links


def test_each_week_stands_as_counted_by_hand(install, site):
    found = answered(install, site, "backlinks", window=window())
    assert len(found.weeks) == 13
    for week in found.weeks:
        end = week.first + timedelta(6)
        assert week.links == len(standing(end))
        assert week.domains == len({link.domain for link in standing(end)})


def test_links_to_pages_that_are_gone_are_told_once_sitemaps_are_read(install, site):
    unknown = answered(install, site, "backlinks", by="page", window=window())
    assert unknown.gone is None and all(row.state is None for row in unknown.rows)
    with feed(index_app) as url:
        address = f"{url}/sitemaps/index-hivewright-blog/sitemap.xml"
        connected(install, site, address, address, connector="sitemap")
    found = answered(install, site, "backlinks", by="page", only="gone", window=f"P91D/{TODAY}")
    assert "/recipes/metheglin" in {row.key for row in found.rows}
    assert all(row.state == "gone" for row in found.rows)
    assert found.gone == sum(row.links for row in found.rows)
    with pytest.raises(Nonsense):
        answered(install, site, "backlinks", by="domain", only="gone")


def test_the_largest_loss_is_named(install, site):
    found = answered(install, site, "backlinks", window=f"P28D/{SEEN}", only="lost", sort="lost")
    assert found.rows[0].key == "garden-diary.example" and found.rows[0].lost == 7
    assert any("garden-diary.example" in each.text for each in found.sentences)


def test_a_fresh_day_is_revised_when_it_is_final(install, site, links_feed):
    held = install.history(1)
    source = site_source(install)
    before = sum(held.read(Question("links", on(-400), on(-3))).figures["gained"].tolist())
    with feed(create_app, TODAY + timedelta(7)) as url:
        point(install, url)
        pull_again(install, source)
    after = sum(held.read(Question("links", on(-400), on(-3))).figures["gained"].tolist())
    truth = sum(on(link.found) <= on(-3) for link in links_of(NUMBER))
    assert before <= after == truth


def test_pulled_twice_is_the_same(install, site):
    digest = install.history(1).digest()
    pull_again(install, site_source(install))
    assert install.history(1).digest() == digest


def test_without_links_it_says_what_to_do(install, pulled):
    with pytest.raises(NotThere) as why:
        answered(install, HIVE, "backlinks")
    assert "links" in str(why.value)


def listed(folder, columns: str, row) -> Path:
    """Write the stand-in's links as a list: one line each, from when it was found to when it was gone."""
    lines = [columns, *(",".join(map(str, row(link))) for link in links_of(NUMBER) if on(link.found) <= SEEN)]
    path = folder / "list.csv"
    path.write_text("\n".join(lines) + "\n")
    return path


def gone(link: Link) -> str:
    return "" if link.gone is None or on(link.gone) > SEEN else f"{on(link.gone):%d/%m/%Y}"


def last_seen(link: Link) -> str:
    """The day before it was gone; a link that stands was looked at within the last three weeks."""
    day = on(link.gone) - timedelta(1) if gone(link) else SEEN - timedelta(len(link.address) % 20)
    return f"{max(day, on(link.found)):%d/%m/%Y}"


def told_last(link: Link) -> date:
    """The last day that a list without looks tells of a link."""
    days = (on(link.found), on(link.gone) if link.gone is not None else on(link.found))
    return max(day for day in days if day <= SEEN or day == on(link.found)) if on(link.found) <= SEEN else date.min


def listing_site(install) -> tuple[str, int]:
    """Another site whose links come from files alone."""
    host = setup.add_site(install, "hivewright", NewSite(host="lists.hivewright.example"), NOW)
    return host, setup.add_file_source(install, host, NewFileSource(label="A list", kind="links"), NOW)


LISTS = {
    "gone on a day": ("Referring domain,Source URL,Target URL,Anchor,First seen,Lost", gone),
    "last seen": ("Referring domain,Source URL,Target URL,Anchor text,First seen,Last seen", last_seen),
}


@pytest.mark.parametrize("form", LISTS)
def test_a_list_of_links_as_a_file_reads_as_the_feed_itself(install, site, tmp_path, form):
    columns, end = LISTS[form]
    path = listed(
        tmp_path,
        columns,
        lambda link: (link.domain, link.address, link.page, link.anchor, f"{on(link.found):%d/%m/%Y}", end(link)),
    )
    other, number = listing_site(install)
    result = import_files(install, number, [path], lambda: NOW)
    last = SEEN if form == "last seen" else max(map(told_last, links_of(NUMBER)))
    assert (result.rejected, result.last) == (0, last)
    # what was lost in the last thirty days still stands in a list that only says when it was last seen
    through = result.last if form == "gone on a day" else SEEN - timedelta(32)
    for by in ("domain", "page"):
        asked = {"by": by, "window": f"{through - timedelta(180)}/{through}", "limit": 1000}
        mine, theirs = (answered(install, of, "backlinks", **asked) for of in (other, site))
        assert (mine.links, mine.gained, mine.lost) == (theirs.links, theirs.gained, theirs.lost)
        assert {r.key: (r.links, r.gained, r.lost) for r in mine.rows} == {
            r.key: (r.links, r.gained, r.lost) for r in theirs.rows
        }
        assert not mine.cautions
    again = import_files(install, number, [path], lambda: NOW)
    assert again.days == 0


def test_a_list_with_an_end_before_its_beginning_is_told_by_its_line(install, site, tmp_path):
    path = tmp_path / "list.csv"
    path.write_text(
        "domain,source url,target url,anchor,first seen,lost on\n"
        "a.example,https://a.example/1,/,one,2025-05-01,2025-04-01\n"
        "a.example,https://a.example/2,/,two,never,\n"
        "a.example,https://a.example/3,/,three,2025-05-01,2025-05-01\n"
    )
    other, number = listing_site(install)
    result = import_files(install, number, [path], lambda: NOW)
    assert [(each.line, each.reason) for each in result.rejects] == [
        (2, "it ended on 2025-04-01, before it began"),
        (3, "the day is 'never', which is no day"),
    ]
    found = answered(install, other, "backlinks", window="2025-05-01/2025-05-02")
    assert (found.gained, found.lost, found.links) == (1, 1, 0)


def site_source(install) -> int:
    from noctilum.records.models import Source

    with install.records.read() as db:
        return db.query(Source).filter_by(kind="links").one().id


def point(install, url: str) -> None:
    from noctilum.records.models import Source

    with install.records.begin() as db:
        db.query(Source).filter_by(kind="links").one().url = url


@given(
    st.lists(st.tuples(st.integers(0, 4), st.integers(0, 60), st.one_of(st.none(), st.integers(1, 40))), max_size=40),
    st.lists(st.integers(-1, 110), min_size=1, max_size=6, unique=True).map(sorted),
)
def test_standing_is_what_began_and_has_not_ended(made, ends):
    net: Counter[tuple[int, int]] = Counter()
    for key, first, life in made:
        net[key, first] += 1
        if life is not None:
            net[key, first + life] -= 1
    rows = np.array([(key, day, n) for (key, day), n in net.items()], dtype=np.int64).reshape(-1, 3)
    links, keys = standing_at(rows[:, 0], rows[:, 1], rows[:, 2], np.array(ends, dtype=np.int64))
    for n, end in enumerate(ends):
        alive = [key for key, first, life in made if first <= end and (life is None or end < first + life)]
        assert (links[n], keys[n]) == (len(alive), len(set(alive)))
