"""Feeds of visits and links that send what they should not: a clear fault or harmless text, and nothing half kept."""

from __future__ import annotations

from collections.abc import Callable
from datetime import timedelta

import pytest
from tests.conftest import ACCOUNT, HIVE, SECRET, TODAY
from tests.served import answered, connected, serving, with_site
from tests.served import pulled as pull_again

from noctilum.core.errors import Nonsense
from noctilum.standins.feed_app import Feed, Property, Row, feed_app

DAY = TODAY - timedelta(3)
VISIT: Row = {
    **{
        "page": "/",
        "title": "Home",
        "channel": "organic",
        "device": "mobile",
        "country": "GB",
        "region": "",
        "city": "",
    },
    **{"sessions": 10, "engaged": 6, "new_users": 5, "conversions": 1, "revenue": 4.5},
}
LINK: Row = {
    "domain": "a.example",
    "address": "https://a.example/1",
    "page": "/",
    "anchor": "here",
    "gained": 1,
    "lost": 0,
}


def serve(kind: str, grain: str, rows: Callable[[object], list[Row]], currency: str = ""):
    """Serve one property of seven days, of which one is told by rows."""
    told = {grain: lambda number, day, fresh: rows(day)}
    properties = {"p": Property("Odd", HIVE, TODAY - timedelta(9), currency=currency)}
    return serving(feed_app(Feed("odd", kind, properties, told, TODAY, 1, 0), {ACCOUNT: SECRET}))


def one_bad(bad: list[Row], good: Row) -> Callable[[object], list[Row]]:
    return lambda day: bad if day == DAY else [good]


@pytest.mark.parametrize(
    ("changes", "said"),
    [
        ({"conversions": -1}, "-1 conversions"),
        ({"conversions": 1.5}, "not a number: 1.5"),
        ({"sessions": "10"}, "not a number"),
        ({"engaged": 11}, "11 engaged on 10 sessions"),
        ({"revenue": 4.567}, "out of range"),
        ({"sessions": 2**63}, "out of range"),
        ({"city": None}, "not a text"),
        ({"city": "a\x00b"}, "cannot be kept"),
    ],
)
def test_a_day_with_an_impossible_row_is_left_out_whole_and_named(install, changes, said):
    with_site(install)
    bad = [{**VISIT, "page": "/good"}, {**VISIT, **changes}]
    with serve("visits", "visits", one_bad(bad, VISIT)) as url:
        source = connected(install, HIVE, url, "p")
        result = pull_again(install, source)
    assert [day for day, _ in result.failed] == [DAY]
    assert said in result.failed[0][1]
    found = answered(install, HIVE, "visits", by="day", window="P8D")
    assert DAY.isoformat() not in {row.key for row in found.rows} and len(found.rows) == 7


def test_money_of_two_currencies_in_one_day_is_refused(install):
    with_site(install)
    bad = [{**VISIT, "currency": "GBP"}, {**VISIT, "page": "/fr", "currency": "EUR"}]
    with serve("visits", "visits", one_bad(bad, {**VISIT, "currency": "GBP"})) as url:
        source = connected(install, HIVE, url, "p")
        result = pull_again(install, source)
    assert [day for day, _ in result.failed] == [DAY]
    assert "money in EUR, GBP" in result.failed[0][1]


def test_a_property_in_another_currency_than_the_clients_is_not_connected(install):
    with_site(install)
    said = pytest.raises(Nonsense, match="counts money in EUR, the client in GBP")
    with serve("visits", "visits", lambda day: [VISIT], currency="EUR") as url, said:
        connected(install, HIVE, url, "p")
    with serve("visits", "visits", lambda day: [VISIT], currency="GBP") as url:
        connected(install, HIVE, url, "p")


def test_scripts_in_anchors_are_text(install):
    with_site(install)
    script = '<script>alert(1)</script>"><img src=x onerror=alert(2)>'
    rows = [{**LINK, "anchor": script}, {**LINK, "anchor": "=HYPERLINK(1)", "address": "javascript:alert(3)"}]
    with serve("links", "links", lambda day: rows if day == DAY else []) as url:
        connected(install, HIVE, url, "p")
    found = answered(install, HIVE, "backlinks", by="anchor", window="P7D")
    assert {row.key for row in found.rows} == {script, "=HYPERLINK(1)"}


def test_a_link_that_ended_without_having_begun_stands_nowhere(install):
    with_site(install)
    with serve("links", "links", lambda day: [{**LINK, "gained": 0, "lost": 1}] if day == DAY else []) as url:
        connected(install, HIVE, url, "p")
    found = answered(install, HIVE, "backlinks", window="P7D")
    assert (found.domains, found.links, found.rows[0].links, found.rows[0].lost) == (0, 0, 0, 1)
