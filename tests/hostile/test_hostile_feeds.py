"""Feeds that mean harm: where requests go, what comes back, how much of it, and for how long."""

import resource
import time
from contextlib import closing, suppress

import pytest
from pydantic import SecretStr
from tests.conftest import NOW, SECRET
from tests.hostile.feeds import LAST, hostile_feed

from noctilum.actions import presenters, previews, queue, setup
from noctilum.actions.install import Install, Settings
from noctilum.actions.pull import Span, pull
from noctilum.core.errors import FeedFault, Stopped
from noctilum.sources import outgoing
from noctilum.sources.contract import FeedSettings
from noctilum.sources.open_feed import OpenFeed
from noctilum.sources.outgoing import Guard, Limits
from noctilum.sources.pace import LONGEST_HOLD, Pace, pace_of, seconds_of
from noctilum.wire.setup import AskTry, Credential, NewSource

INSIDE = ("127.0.0.1",)


def opened(url, limits=None, inside=INSIDE) -> OpenFeed:
    given = {"url": url, "client_id": "a", "client_secret": SecretStr(SECRET), "property": "p", "inside": inside}
    return OpenFeed(FeedSettings.model_validate(given | ({"limits": limits} if limits else {})))


def fetched(url, limits=None):
    feed = opened(url, limits)
    try:
        return feed.fetch(LAST, "site")
    finally:
        feed.close()


# where requests may go


@pytest.mark.parametrize(
    "address",
    [
        "127.0.0.1", "127.8.9.1", "10.0.0.1", "172.16.3.4", "192.168.1.1", "169.254.169.254", "0.0.0.0", "100.64.0.1",
        "224.0.0.1", "::1", "fe80::1", "fc00::1", "::ffff:127.0.0.1", "::ffff:10.0.0.1", "64:ff9b::7f00:1", "::",
        "2002:7f00:1::",
    ],
)  # fmt: skip
def test_no_inside_address_is_connected_to_in_any_spelling(address):
    assert not Guard().admits(address)


@pytest.mark.parametrize("address", ["93.184.216.34", "2606:2800:220:1::1"])
def test_addresses_of_the_world_are(address):
    assert Guard().admits(address)


def test_the_operator_may_allow_hosts_addresses_and_ranges():
    guard = Guard(("feed.internal", "10.1.0.0/16"))
    assert guard.admits("10.1.2.3")
    assert not guard.admits("10.2.2.3")


@pytest.mark.parametrize("host", ["127.0.0.1", "localhost", "2130706433", "127.1"])
def test_a_feed_inside_is_refused_before_anything_is_sent(villain, host):
    url, feed = villain
    found = opened(f"http://{host}:{url.rsplit(':', 1)[1]}", inside=())
    with pytest.raises(FeedFault) as caught:
        found.properties()
    assert caught.value.code in ("feed-inside", "feed-unreachable")
    assert feed.seen == []


def test_a_name_that_resolves_to_the_inside_is_refused(villain, monkeypatch):
    """The very address that was checked is connected to: a name that changes its answer gains nothing."""
    url, feed = villain
    asked = []

    def resolve(host, port, **_more):
        asked.append(host)
        return [(2, 1, 6, "", ("127.0.0.1", port))]

    monkeypatch.setattr(outgoing.socket, "getaddrinfo", resolve)
    with pytest.raises(FeedFault) as caught:
        opened(f"http://rebound.example:{url.rsplit(':', 1)[1]}", inside=()).properties()
    assert (caught.value.code, asked) == ("feed-inside", ["rebound.example"])
    assert feed.seen == []


def test_an_install_allows_no_inside_host_unless_it_is_told_to(tmp_path, villain):
    install = Install(Settings(tmp_path / "strict"))
    install.prepare()
    with pytest.raises(FeedFault, match="inside this network"):
        setup.list_properties(install, Credential(url=villain[0], account="a", secret=SecretStr(SECRET)))
    install.close()
    assert villain[1].seen == []


@pytest.mark.parametrize("does", ["redirects", "points elsewhere"])
def test_a_token_never_goes_to_another_origin(villain, does):
    url, feed = villain
    with hostile_feed() as (other, elsewhere):
        feed.does, feed.elsewhere = does, f"{other}/properties/p/days/{LAST}/site"
        with pytest.raises(FeedFault):
            fetched(url)
        assert elsewhere.seen == []


def test_a_secret_that_a_feed_echoes_is_hidden(villain, install):
    url, feed = villain
    feed.does = "echoes"
    with pytest.raises(FeedFault) as caught:
        previews.try_feed(install, AskTry(url=url, account="a", secret=SecretStr(SECRET)))
    said = str(caught.value)
    assert "refused" in said
    assert SECRET not in said
    assert "a-token-that-opens-all" not in said


# how much may come back, and for how long


@pytest.mark.parametrize(
    ("does", "limits", "code"),
    [
        ("endless pages", Limits(day_pages=50), "feed-too-much"),
        ("endless pages", Limits(day_rows=50), "feed-too-much"),
        ("endless pages", Limits(day_bytes=5000), "feed-too-much"),
        ("endless pages", Limits(day_seconds=0.5), "feed-too-much"),
        ("a circle", Limits(), "feed-unreadable"),
        ("bomb", Limits(), "feed-too-much"),
        ("other packing", Limits(), "feed-unreadable"),
        ("broken packing", Limits(), "feed-unreadable"),
        ("a byte a second", Limits(answer_seconds=1.5), "feed-slow"),
        ("a header a second", Limits(answer_seconds=1.5), "feed-slow"),
    ],
)
def test_what_has_no_end_is_cut_off_with_words(villain, does, limits, code):
    url, feed = villain
    feed.does = does
    began = time.monotonic()
    with pytest.raises(FeedFault) as caught:
        fetched(url, limits)
    assert caught.value.code == code
    assert time.monotonic() - began < 10


def test_two_hundred_megabytes_in_one_packed_answer_take_no_such_memory(villain):
    url, feed = villain
    feed.does = "bomb"
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    with pytest.raises(FeedFault):
        fetched(url)
    assert resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before < 120 << 10


@pytest.mark.parametrize("does", ["hangs", "a byte a second"])
def test_who_waits_for_a_feed_waits_five_seconds_at_most(villain, install, does):
    url, feed = villain
    feed.does = does
    began = time.monotonic()
    with pytest.raises(FeedFault):
        previews.try_feed(install, AskTry(url=url, account="a", secret=SecretStr(SECRET)))
    assert time.monotonic() - began < 11


@pytest.mark.parametrize("does", ["not json", "deep", "year 9999", "control characters"])
def test_nonsense_from_a_feed_is_told_and_nothing_of_it_kept(villain, install, site, does):
    url, feed = villain
    asked = NewSource.model_validate({"url": url, "account": "a", "secret": SECRET, "property": "p"})
    number = setup.add_source(install, site, asked, NOW)
    feed.does = does
    with suppress(FeedFault):
        pull(install, number, origin="p", clock=lambda: NOW, report=lambda _: True)
    fault = presenters.source(install, number).fault
    assert fault
    assert "\x00" not in fault
    assert presenters.source(install, number).days_held == 0


def test_a_property_with_line_breaks_in_its_name_is_refused(villain, install):
    url, feed = villain
    feed.does = "line breaks"
    with pytest.raises(FeedFault, match="is no name"):
        setup.list_properties(install, Credential(url=url, account="a", secret=SecretStr(SECRET)))


def test_promises_that_are_no_numbers_promise_nothing(villain):
    url, feed = villain
    feed.does = "odd promises"
    assert fetched(url).promised.figures == {}


# waits that a header asks for


@pytest.mark.parametrize(
    ("text", "seconds"),
    [
        ("1e300", LONGEST_HOLD), ("inf", None), ("-inf", None), ("nan", None), ("-5", 0.0), ("9" * 400, None),
        ("soon", None), ("Fri, 31 Dec 9999 23:59:59 GMT", LONGEST_HOLD), ("Thu, 01 Jan 1970 00:00:00 GMT", 0.0),
        ("", None),
    ],
)  # fmt: skip
def test_no_header_asks_for_more_than_a_day(text, seconds):
    assert seconds_of(text) == seconds


@pytest.mark.parametrize(
    "headers",
    [
        {"ratelimit-remaining": "0", "ratelimit-reset": "1e300"},
        {"ratelimit-remaining": "0", "ratelimit-reset": "inf"},
        {"ratelimit-remaining": "0", "ratelimit-reset": "nan"},
        {"ratelimit": f"r=0; t={'9' * 300}"},
        {"ratelimit": "r=²; t=5"},
        {"ratelimit-remaining": "9" * 5000},
    ],
)
def test_a_provider_holds_nobody_back_for_longer_whatever_header_it_uses(headers):
    pace = Pace(clock=lambda: 1000.0, sleep=lambda _: None)
    pace.heed(headers)
    assert pace.wait(0.0) <= LONGEST_HOLD


@pytest.mark.parametrize("header", [("Retry-After", "1e300"), ("Retry-After", "nan"), ("RateLimit-Reset", "inf")])
def test_pulls_go_on_after_a_day_without_a_restart(villain, header):
    url, feed = villain
    feed.does, feed.header = "limits", header
    with closing(opened(url, Limits(whole_seconds=1.0))) as found, pytest.raises(FeedFault):
        found.properties()
    assert pace_of(f"{url}/").wait(0.0) <= LONGEST_HOLD


# stopping


def test_a_pull_from_a_feed_that_hangs_is_cancelled_within_seconds(villain, install, site):
    url, feed = villain
    asked = NewSource.model_validate({"url": url, "account": "a", "secret": SECRET, "property": "p"})
    number = setup.add_source(install, site, asked, NOW)
    feed.does = "hangs"
    began = time.monotonic()
    with pytest.raises(Stopped):
        pull(install, number, origin="p", clock=lambda: NOW, report=lambda _: time.monotonic() - began < 1, span=Span())
    assert time.monotonic() - began < 6


def test_a_job_that_waits_is_cancelled_at_once_and_one_that_runs_at_its_next_step(install, source):
    waiting = queue.put(install, "verify", {}, NOW).id
    queue.stop(install, waiting, NOW)
    assert presenters.job(install, waiting).state == "cancelled"
    running = queue.put(install, "pull", {"source": source}, NOW).id
    assert queue.take(install, "w", NOW).id == running
    assert queue.report(install, running, "w", {}, NOW)
    queue.stop(install, running, NOW)
    assert presenters.job(install, running).stopping
    assert not queue.report(install, running, "w", {}, NOW)
    queue.cancel(install, running, "w", NOW)
    assert presenters.job(install, running).state == "cancelled"
    queue.stop(install, running, NOW)
    assert queue.take(install, "w", NOW) is None
