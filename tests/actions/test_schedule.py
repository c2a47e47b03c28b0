"""Schedules: catching up, pausing, backing off, and clocks that are set back."""

import random
import sqlite3
from contextlib import closing
from datetime import UTC, datetime, timedelta

import pytest
from tests.conftest import NOW

from noctilum.actions import notices, presenters, queue, schedule, setup
from noctilum.actions.find import find_source
from noctilum.actions.pull import pull
from noctilum.actions.recurrence import next_run, rule_of
from noctilum.core.errors import FeedFault, Nonsense
from noctilum.records.models import Job
from noctilum.wire import setup as wire


def queued(install) -> list[int]:
    return [job.arguments["source"] for job in queue.active(install)]


def finish(install) -> None:
    while job := queue.take(install, "test", NOW):
        queue.end(install, job.id, "test", None, NOW)


@pytest.fixture
def daily(install, source) -> int:
    schedule.set_schedule(install, source, "daily at 06:00", NOW)
    return source


def at(days: int, hour: int) -> datetime:
    return datetime.combine(NOW.date() + timedelta(days), datetime.min.time(), UTC) + timedelta(hours=hour)


def test_a_new_source_is_pulled_daily_without_being_asked(install, source):
    assert presenters.source(install, source).schedule == "FREQ=DAILY;BYHOUR=6;BYMINUTE=0;BYSECOND=0"


def test_a_source_is_pulled_when_its_hour_comes_and_once(install, daily):
    assert schedule.tick(install, at(1, 5)) == []
    assert schedule.tick(install, at(1, 7)) == [daily]
    assert queued(install) == [daily]
    finish(install)
    assert schedule.tick(install, at(1, 8)) == []
    assert schedule.tick(install, at(2, 7)) == [daily]


def test_runs_missed_while_the_service_was_down_come_to_one(install, daily):
    assert schedule.tick(install, at(30, 12)) == [daily]
    assert schedule.tick(install, at(30, 13)) == []
    assert len(queued(install)) == 1


def test_a_paused_source_waits_and_catches_up_when_resumed(install, daily):
    schedule.set_paused(install, daily, True, NOW)
    assert schedule.tick(install, at(3, 7)) == []
    schedule.set_paused(install, daily, False, at(3, 8))
    assert schedule.tick(install, at(3, 8)) == [daily]


def test_a_clock_that_was_far_ahead_leaves_no_source_waiting_for_years(install, daily):
    schedule.set_schedule(install, daily, "daily at 06:00", NOW + timedelta(days=4000))
    assert schedule.tick(install, at(1, 5)) == []
    assert schedule.tick(install, at(1, 7)) == [daily]


def test_hours_are_those_of_the_sources_own_zone_in_summer_and_winter():
    rule = rule_of("daily at 06:00")
    winter = next_run(rule, datetime(2026, 1, 10, 12, tzinfo=UTC), "Europe/Oslo")
    summer = next_run(rule, datetime(2026, 7, 10, 12, tzinfo=UTC), "Europe/Oslo")
    assert (winter.hour, summer.hour) == (5, 4)


@pytest.mark.parametrize(
    "text", ["hourly", "monthly on 3 at 04:30", "FREQ=WEEKLY;BYDAY=MO;BYHOUR=5", "rrule:freq=daily"]
)
def test_schedules_that_are_understood_come_round(text):
    rule = rule_of(text)
    assert next_run(rule, NOW, "UTC") > NOW


@pytest.mark.parametrize("text", ["daily at 25:00", "FREQ=MINUTELY", "FREQ=DAILY;COUNT=3", "whenever", "FREQ=NEVER"])
def test_schedules_that_are_not_say_what_would_be(text):
    with pytest.raises(Nonsense) as caught:
        rule_of(text)
    assert "daily at 06:00" in caught.value.remedy


def test_waits_double_within_half_of_chance_and_end_at_six_hours():
    chance = random.Random(3)
    waits = [schedule.back_off(n, chance) for n in range(1, 30)]
    for n, wait in enumerate(waits, start=1):
        most = min(timedelta(hours=6), timedelta(minutes=1) * 2 ** (n - 1))
        assert most / 2 <= wait <= most


def test_a_feed_that_is_down_is_tried_again_later_and_later(install, daily, feed, monkeypatch):
    monkeypatch.setattr("noctilum.sources.http_feed.ATTEMPTS", 1)
    feed.control(down=True)
    waits = []
    for _ in range(3):
        with pytest.raises(FeedFault):
            pull(install, daily, origin="p", clock=lambda: NOW, report=lambda _: True)
        found = presenters.source(install, daily)
        waits.append(found.retry_at - NOW)
    assert found.failures == 3
    assert found.state == "ready"
    assert waits[0] <= timedelta(minutes=1)
    assert waits[2] > timedelta(minutes=1)
    assert schedule.tick(install, NOW + waits[2]) == [daily]


def test_a_refused_credential_stops_the_source_with_one_notice_and_no_more_pulls(install, daily, feed):
    with install.records.begin() as db:
        find_source(db, daily).sealed_secret = install.seal("no longer so")
    for _ in range(2):
        with pytest.raises(FeedFault):
            pull(install, daily, origin="p", clock=lambda: NOW, report=lambda _: True)
    assert presenters.source(install, daily).state == "broken"
    (notice,) = notices.unseen(install)
    assert notice.code == "source-stopped"
    assert "enter the secret again" in notice.text
    assert schedule.tick(install, at(9, 9)) == []
    setup.change_source(install, daily, wire.SourceChange.model_validate({"secret": "lamp-oil"}), NOW)
    assert schedule.tick(install, at(9, 9)) == [daily]


def test_a_wrong_new_secret_is_told_and_changes_nothing(install, daily, feed):
    with pytest.raises(FeedFault, match="refuses"):
        setup.change_source(install, daily, wire.SourceChange.model_validate({"secret": "wrong"}), NOW)
    assert presenters.source(install, daily).state == "ready"


def test_lanes_keep_too_many_pulls_from_one_provider_apart(install):
    for number in (1, 2, 3):
        queue.put(install, "pull", {"source": number}, NOW, lane="http://feed")
    queue.put(install, "pull", {"source": 4}, NOW, lane="http://other")
    taken = [queue.take(install, f"w{n}", NOW) for n in range(4)]
    assert [job.arguments["source"] if job else None for job in taken] == [1, 2, 4, None]


def test_two_jobs_on_one_source_do_not_run_at_once(install):
    queue.put(install, "pull", {"source": 1}, NOW)
    queue.put(install, "import", {"source": 1}, NOW)
    first = queue.take(install, "a", NOW)
    assert queue.take(install, "b", NOW) is None
    queue.end(install, first.id, "a", None, NOW)
    assert queue.take(install, "b", NOW).name == "import"


def test_a_lease_given_by_a_clock_that_was_ahead_runs_out(install):
    job = queue.put(install, "pull", {"source": 1}, NOW)
    assert queue.take(install, "a", NOW + timedelta(days=400)).id == job.id
    assert queue.take(install, "b", NOW).id == job.id


@pytest.mark.parametrize("seed", range(4))
def test_what_is_taken_is_the_oldest_that_may_be_as_plain_rows_have_it(install, seed):
    chance = random.Random(seed)
    moments = [None, *(timedelta(minutes=n) for n in (-90, -1, 0, 0.5, 5, 30, 90, 900))]
    waiting = []
    for number in range(30):
        job = queue.put(install, "export", {"n": number}, NOW)
        state = chance.choice(["queued", "running", "done", "failed"])
        rest, lease = chance.choice(moments), chance.choice(moments[1:])
        with install.records.begin() as db:
            kept = db.get_one(Job, job.id)
            kept.state, kept.not_before = state, rest if rest is None else NOW + rest
            kept.leased_until = NOW + lease if state == "running" else None
        rested = rest is None or rest <= timedelta(0) or rest > timedelta(hours=1)
        silent = lease < timedelta(0) or lease > timedelta(seconds=40)
        if (state == "queued" and rested) or (state == "running" and silent):
            waiting.append(job.id)
    taken = [job.id for n in range(31) if (job := queue.take(install, f"w{n}", NOW))]
    assert taken == waiting != []


def test_who_has_nothing_to_do_waits_for_nobody_that_writes(install):
    finished = queue.put(install, "export", {}, NOW)
    queue.take(install, "a", NOW)
    queue.end(install, finished.id, "a", None, NOW)
    with closing(sqlite3.connect(install.settings.data / "records.db", isolation_level=None)) as writer:
        writer.execute("BEGIN IMMEDIATE")
        assert queue.take(install, "b", NOW) is None
        writer.execute("ROLLBACK")


def test_a_quota_is_respected_without_a_refusal(install, source, feed):
    feed.control(per_minute=10, minute_seconds=0.3)
    result = pull(install, source, origin="p", clock=lambda: NOW, report=lambda _: True)
    assert (result.days, result.failed) == (68, ())


def test_a_long_wait_asked_for_ends_the_pull_and_says_when_it_goes_on(install, daily, feed, monkeypatch):
    monkeypatch.setattr("noctilum.sources.http_feed.LONGEST_WAIT", 0.5)
    feed.control(per_minute=10, minute_seconds=60.0)
    with pytest.raises(FeedFault, match="quota is used up"):
        pull(install, daily, origin="p", clock=lambda: NOW, report=lambda _: True)
    found = presenters.source(install, daily)
    assert timedelta(0) < found.retry_at - NOW <= timedelta(seconds=60)
    known = install.history(1).ledger(dataset="site")
    assert 0 < len(known) < 68
