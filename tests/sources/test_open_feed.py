"""The open feed against its stand-in, which misbehaves when told to."""

from datetime import date, timedelta

import orjson
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.conftest import ACCOUNT, SECRET, SMALL, TODAY, Feed
from tests.opened import opened as to_close

from noctilum.core.days import DayState
from noctilum.core.errors import FeedFault
from noctilum.core.reconcile import Promised
from noctilum.sources import http_feed, open_feed
from noctilum.sources.contract import FeedSettings, connector_class
from noctilum.sources.ndjson import parse_rows, parted
from noctilum.sources.open_feed import OpenFeed
from noctilum.testing.connectors import ConnectorContract

DAY = TODAY - timedelta(10)


def opened(feed: Feed, **changes) -> OpenFeed:
    given = {
        "url": feed.url,
        "client_id": ACCOUNT,
        "client_secret": SECRET,
        "property": SMALL,
        "inside": ("127.0.0.1",),
    } | changes
    return to_close(OpenFeed(FeedSettings.model_validate(given)))


@pytest.fixture
def connector(feed):
    found = opened(feed)
    yield found
    found.close()


class TestContract(ConnectorContract):
    pass


def test_the_connector_is_found_by_name():
    assert connector_class("open-feed") is OpenFeed


def test_days_tell_final_fresh_and_not_yet(connector):
    states = {o.day: o.state for o in connector.days(TODAY - timedelta(6), TODAY)}
    assert [states[TODAY - timedelta(n)] for n in (5, 4, 2, 1)] == [
        DayState.FINAL, DayState.PROVISIONAL, DayState.PROVISIONAL, DayState.MISSING,
    ]  # fmt: skip


@pytest.mark.parametrize("fault", ["error_every", "cut_every", "limit_every"])
def test_errors_cuts_and_limits_are_waited_out(feed, connector, fault):
    expected = connector.fetch(DAY, "pair").body
    feed.control(**{fault: 2})
    assert [connector.fetch(DAY, "pair").body for _ in range(3)] == [expected] * 3


def test_an_expired_token_is_renewed(feed, connector):
    feed.control(token_seconds=0.3)
    connector.properties()
    import time

    time.sleep(0.4)
    feed.control(token_seconds=3600)
    assert connector.fetch(DAY, "site").body


def test_many_pages_make_one_day(connector, feed):
    whole = to_close(opened_big(connector.settings))
    at_once = whole.fetch(date(2026, 2, 1), "pair")
    feed.control(page_rows=100)
    asked = feed.asked()
    page = whole.fetch(date(2026, 2, 1), "pair")
    assert page == at_once and page.body.count(b"\n") == len(whole.parse(page))
    assert feed.asked() - asked > 3


def test_a_day_of_many_pages_is_the_same_at_all_its_grains_together(connector, feed):
    whole, day = to_close(opened_big(connector.settings)), date(2026, 2, 1)
    whole.days(day, day)
    alone = [whole.fetch(day, grain) for grain in whole.grains]
    feed.control(page_rows=100)
    asked = feed.asked()
    assert list(whole.fetch_several(day, whole.grains)) == alone
    assert feed.asked() - asked > 2, "no page was followed"


def test_a_feed_that_gives_grains_one_by_one_is_asked_so(feed):
    connector = opened(feed)
    connector.days(DAY, DAY)
    asked = feed.asked()
    together = list(connector.fetch_several(DAY, connector.grains))
    assert feed.asked() - asked == 1
    feed.control(together=False)
    connector.days(DAY, DAY)
    assert list(connector.fetch_several(DAY, connector.grains)) == together
    assert feed.asked() - asked == 1 + len(connector.grains)


@pytest.mark.parametrize("fault", ["error_every", "cut_every", "limit_every"])
def test_faults_of_an_answer_of_several_grains_are_waited_out(feed, connector, fault):
    connector.days(DAY, DAY)
    expected = list(connector.fetch_several(DAY, connector.grains))
    feed.control(**{fault: 2})
    assert [list(connector.fetch_several(DAY, connector.grains)) for _ in range(3)] == [expected] * 3


def head(grain, rows, **more):
    return orjson.dumps({"grain": grain, "rows": rows, **more}) + b"\n"


ROW = b'{"country": "NO"}\n'


@pytest.mark.parametrize(
    ("body", "said"),
    [
        (head("site", 1) + ROW, "no head"),
        (head("site", 2) + ROW, "came with 1 rows of 2"),
        (head("site", 2) + ROW + head("page", 0), "no head"),
        (head("site", 1) + ROW + ROW + head("page", 0), "no head where one is due"),
        (head("page", 0) + head("page", 0) + head("site", 0), "heads page twice"),
        (head("site", 0) + head("page", 0) + head("pair", 0), "heads pair, which was not asked for"),
        (head("site", -1) + head("page", 0), "no head where one is due"),
        (head("site", True) + ROW + head("page", 0), "no head where one is due"),
        (head("site", "1") + ROW + head("page", 0), "no head where one is due"),
        (head(["site"], 0) + head("page", 0), "no head where one is due"),
        (head("site", 0, totals=[3]) + head("page", 0), "no head where one is due"),
        (b"{", "no head where one is due"),
        (b"[]\n", "no head where one is due"),
        (b"", "no head"),
    ],
)
def test_an_answer_of_several_grains_that_is_not_whole_is_told(body, said):
    with pytest.raises(FeedFault, match=said) as caught:
        parted(body, DAY, ("site", "page"))
    assert caught.value.code in ("feed-unreadable", "feed-short")


@given(st.permutations(["site", "page", "pair"]), st.lists(st.integers(0, 4), min_size=3, max_size=3))
def test_what_is_parted_is_what_was_put_together(order, rows):
    told = dict(zip(order, rows, strict=True))
    totals = {"clicks": 3, "impressions": 2.5, "colour": 1}
    body = b"".join(head(grain, many, totals=totals) + ROW * many for grain, many in told.items())
    found = parted(body, DAY, ("pair", "site", "page"))
    assert [(part.grain, part.body) for part in found] == [
        (each, ROW * told[each]) for each in ("pair", "site", "page")
    ]
    assert all(part.promised == Promised(told[part.grain], {"clicks": 3}) for part in found)


def opened_big(settings: FeedSettings) -> OpenFeed:
    return OpenFeed(settings.model_copy(update={"property": "quillon-skerry"}))


def test_a_wrong_secret_is_lasting_and_does_not_show_the_secret(feed):
    with pytest.raises(FeedFault, match="refuses the credential") as caught:
        opened(feed, client_secret="wrong-oil").properties()
    assert caught.value.lasting
    assert "wrong-oil" not in str(caught.value)


def test_a_day_older_than_the_feed_keeps_is_refused_in_its_words(connector):
    with pytest.raises(FeedFault, match="older than the 16 months"):
        connector.fetch(date(2020, 1, 1), "site")


def test_a_feed_that_is_down_is_told_after_a_few_tries(feed, monkeypatch):
    monkeypatch.setattr(http_feed, "ATTEMPTS", 2)
    with pytest.raises(FeedFault, match="cannot be reached"):
        opened(feed, url="http://127.0.0.1:9").properties()
    feed.control(down=True)
    with pytest.raises(FeedFault, match="answers 503"):
        opened(feed).properties()


def test_an_address_that_is_none_is_refused(feed):
    with pytest.raises(FeedFault, match="not an http address"):
        opened(feed, url="feed.example")


GOOD = b'{"country":"NO","device":"mobile","kind":"web","clicks":1,"impressions":4,"position":2.5}\n'


@pytest.mark.parametrize(
    ("line", "said", "where"),
    [
        (b'{"country":"NO"', "not JSON", "line 2"),
        (b"[1]", "not an object", "line 2"),
        (GOOD.replace(b'"clicks":1,', b""), "without this field", "line 2, field clicks"),
        (GOOD.replace(b"4", b'"n/a"'), "not a number: 'n/a'", "line 2, field impressions"),
        (GOOD.replace(b"4", b"4.5"), "not a number", "line 2, field impressions"),
        (GOOD.replace(b'"NO"', b"7"), "not a text", "line 2, field country"),
    ],
)
def test_a_value_that_cannot_be_used_is_named_by_line_and_field(line, said, where):
    with pytest.raises(FeedFault, match=said) as caught:
        parse_rows(GOOD + line, DAY, "site")
    assert caught.value.where == where


def test_a_fractional_provider_keeps_thousandths():
    batch = parse_rows(GOOD.replace(b"2.5", b"2.3333"), DAY, "site")
    assert (batch.scale, batch.sums.position_milli) == (1000, 9333)


def test_a_feed_says_what_it_counts_and_one_that_does_not_counts_the_four(feed, connector):
    connector.days(DAY, DAY)
    assert connector.grains == ("site", "query", "page", "pair", "look")
    feed.control(looks=False)
    connector.days(DAY, DAY)
    assert connector.grains == ("site", "query", "page", "pair")


@pytest.mark.parametrize(("told", "read"), [({}, 4), ({"grains": []}, 4), ({"grains": ["colour", "look", "site"]}, 5)])
def test_grains_that_nobody_knows_are_left_alone(told, read):
    assert len(open_feed._grains(told)) == read


def test_grains_that_are_no_list_are_a_fault():
    with pytest.raises(TypeError):
        open_feed._grains({"grains": "look"})
