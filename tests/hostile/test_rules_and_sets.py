"""Rules that never come round, and sets that name sets: nothing spins, nothing is held up."""

import time
from datetime import timedelta

import pytest
from tests.conftest import NOW

from noctilum.actions import filter_previews, notices, queue, schedule, sets, setup
from noctilum.actions.recurrence import next_run, rule_of
from noctilum.actions.site_access import open_site
from noctilum.core.errors import Nonsense
from noctilum.readings.narrow import NamedSet, Words, check_nesting
from noctilum.records.models import SavedSet, Source
from noctilum.wire.noted import NewSet
from noctilum.wire.setup import NewFileSource

NEVER = [
    "FREQ=DAILY;INTERVAL=0",
    "FREQ=YEARLY;INTERVAL=-1",
    "FREQ=DAILY;INTERVAL=99999999999999999999",
    "FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=30",
    "FREQ=DAILY;BYMONTH=2;BYMONTHDAY=30",
    "FREQ=HOURLY;BYMONTH=2;BYMONTHDAY=30",
    "FREQ=DAILY;BYSETPOS=9",
    "FREQ=HOURLY;BYMINUTE=0,1,2,3",
    "FREQ=DAILY;BYEASTER=0",
    "FREQ=DAILY;FREQ=HOURLY",
    "FREQ=DAILY;UNTIL=20270101",
    "monthly on 99 at 04:30",
]


@pytest.mark.parametrize("rule", NEVER)
def test_a_rule_that_never_comes_round_is_refused_within_seconds(rule):
    began = time.process_time()
    with pytest.raises(Nonsense) as caught:
        rule_of(rule)
    assert time.process_time() - began < 5
    assert "daily at 06:00" in caught.value.remedy


def test_a_rule_of_leap_days_comes_round_and_the_years_are_not_shifted():
    found = next_run("FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=29", NOW, "UTC")
    assert (found.year, found.month, found.day) == (2028, 2, 29)


@pytest.fixture
def two(install, site) -> tuple[int, int]:
    """Two sources with schedules, the first of which got a rule past every check."""
    numbers = [setup.add_file_source(install, site, NewFileSource(label=f"F{n}", engine=f"E{n}"), NOW) for n in (1, 2)]
    with install.records.begin() as db:
        for number in numbers:
            found = db.get(Source, number)
            found.schedule, found.next_run_at = "FREQ=DAILY;BYHOUR=6;BYMINUTE=0;BYSECOND=0", NOW
    return numbers[0], numbers[1]


@pytest.mark.parametrize(
    ("change", "said"),
    [({"schedule": NEVER[0]}, "interval"), ({"schedule": NEVER[4]}, "never"), ({"time_zone": "Moon/Sea"}, "time zone")],
)
def test_one_source_with_a_rule_like_that_loses_it_with_a_notice_and_holds_no_other_up(install, two, change, said):
    with install.records.begin() as db:
        found = db.get(Source, two[0])
        for name, value in change.items():
            setattr(found, name, value)
    began = time.monotonic()
    assert schedule.tick(install, NOW + timedelta(days=1)) == [two[1]]
    assert time.monotonic() - began < 6
    assert [job.arguments["source"] for job in queue.active(install)] == [two[1]]
    (told,) = notices.unseen(install)
    assert told.code == "schedule-unusable"
    assert said in told.text
    assert schedule.tick(install, NOW + timedelta(days=1, minutes=1)) == []
    assert len(notices.unseen(install)) == 1


def test_nobody_waits_for_the_records_while_a_rule_is_searched_for(install, two, monkeypatch):
    """What is due is worked out before a transaction is begun: a writer gets through meanwhile."""
    order = []

    def slow(rule, after, zone):
        with install.records.begin():
            order.append("written")
        return next_run(rule, after, zone)

    monkeypatch.setattr(schedule, "next_run", slow)
    assert len(schedule.tick(install, NOW + timedelta(days=1))) == 2
    assert order == ["written", "written"]


def saved(install, name, rule, client=None):
    """Keep a set, or make the one of its name what is asked."""
    asked = NewSet(name=name, item="query", rule=rule, client=client)
    kept = [each.id for each in sets.list_sets(install) if (each.name, each.client) == (name, client)]
    return sets.changed(install, kept[0], asked, NOW) if kept else sets.added(install, asked, NOW)


def test_thirty_sets_that_each_name_the_one_before_many_times_are_looked_into_once():
    rules = {"s0": "query has a"} | {f"s{n}": " or ".join([f"set s{n - 1}"] * 200) for n in range(1, 8)}
    words = Words(sets={name: NamedSet(name, "query", rule) for name, rule in rules.items()})
    from noctilum.core.filters import parse

    began = time.monotonic()
    check_nesting(parse(rules["s7"]), words, "s7")
    assert time.monotonic() - began < 2


def test_a_chain_of_sets_deeper_than_eight_is_refused_at_saving(install):
    saved(install, "s0", "query has a")
    for n in range(1, 9):
        saved(install, f"s{n}", f"set s{n - 1}")
    with pytest.raises(Nonsense, match="deep"):
        saved(install, "s9", "set s8")
    assert "s9" not in {each.name for each in sets.list_sets(install)}


def test_a_change_below_that_makes_a_set_above_too_deep_is_refused(install):
    for n in range(1, 6):
        saved(install, f"a{n}", "query has a" if n == 1 else f"set a{n - 1}")
        saved(install, f"b{n}", "query has b" if n == 1 else f"set b{n - 1}")
    with pytest.raises(Nonsense, match="deep"):
        saved(install, "a1", "set b5")
    assert next(each.rule for each in sets.list_sets(install) if each.name == "a1") == "query has a"


def test_a_circle_is_refused_at_saving(install):
    saved(install, "one", "query has a")
    saved(install, "two", "set one")
    with pytest.raises(Nonsense, match="circle"):
        saved(install, "one", "set two")


def test_four_hundred_sets_kept_by_an_older_version_are_refused_with_words_when_read(install, source, feed):
    from noctilum.actions.pull import pull

    pull(install, source, origin="p", clock=lambda: NOW, report=lambda _: True)
    with install.records.begin() as db:
        for n in range(400):
            rule = f"set s{n - 1}" if n else "query has a"
            db.add(SavedSet(name=f"s{n}", item="query", rule=rule, members=[], created_at=NOW))
    began = time.monotonic()
    opened = open_site(install, "blog.hivewright.example")
    with pytest.raises(Nonsense, match="deep"):
        filter_previews.try_filter(opened, "set s399", "query")
    assert time.monotonic() - began < 5
