"""What the ledger proves: what a day was made from, what changed, what is lost, what disagrees."""

from datetime import date, timedelta

import pytest
from tests.conftest import NOW, SMALL, TODAY

from noctilum.actions import presenters, setup
from noctilum.actions.pull import Span, pull
from noctilum.actions.read import read
from noctilum.actions.site_access import open_site
from noctilum.core.days import DayState
from noctilum.core.errors import Clash
from noctilum.history import Question
from noctilum.standins.search_model import model_of
from noctilum.wire import setup as wire

KEY = "blog.hivewright.example"


def run(install, source, **more):
    return pull(install, source, origin="pull 7", clock=lambda: NOW, report=lambda _: True, **more)


def final_day(n: int = 10) -> date:
    return TODAY - timedelta(n)


def test_every_day_says_what_it_was_made_from_and_that_the_provider_agrees(install, source):
    assert run(install, source).flagged == 0
    found = read(open_site(install, KEY), "day", day=final_day())
    assert [grain.grain for grain in found.grains] == ["site", "query", "page", "pair", "look"]
    truth = model_of(SMALL, TODAY).day(final_day())
    for grain in found.grains:
        assert grain.origin == "pull 7"
        assert grain.lines == grain.promised_rows == len(truth[grain.grain].clicks)
        assert (grain.promised_clicks, grain.promised_impressions) == (grain.clicks, grain.impressions)


def test_a_late_revision_of_a_final_day_is_logged_with_both_sums_and_read_as_revised(install, pulled, source, feed):
    day = final_day(40)
    opened = open_site(install, KEY)
    before = opened.history.read(Question("site", day, day)).sums
    feed.control(revised={day.isoformat(): 3})
    assert run(install, source).days == 1
    change = next(c for c in read(opened, "changes", grain="site"))
    after = opened.history.read(Question("site", day, day)).sums
    assert (change.day, change.kind, change.was.revision, change.now.revision) == (day, "revised", "final", "final-3")
    assert (change.was.impressions, change.now.impressions) == (before.impressions, after.impressions)
    assert after.impressions < before.impressions
    feed.control(revised={})
    ledger = read(opened, "ledger", source=source, grain="site")
    assert ledger.changed == 1


def test_a_provisional_day_that_settles_is_no_change_of_history(install, pulled, source, feed):
    feed.control(today=(TODAY + timedelta(4)).isoformat())
    assert run(install, source).days == 7
    assert list(read(open_site(install, KEY), "changes")) == []


def test_a_day_whose_sums_disagree_is_kept_but_doubted_and_asked_for_again(install, source, feed):
    day = final_day(12)
    feed.control(wrong_totals=[day.isoformat()])
    result = run(install, source)
    assert (result.days, result.flagged) == (68, 1)
    found = presenters.source(install, source)
    assert found.days_flagged == 1
    assert "1 day adds up otherwise" in found.fault
    making = read(open_site(install, KEY), "day", day=day)
    assert {grain.flag for grain in making.grains} == {"promise-broken"}
    assert "where the provider counts" in making.grains[0].remark
    feed.control(wrong_totals=[])
    assert (run(install, source).days, presenters.source(install, source).days_flagged) == (1, 0)
    assert presenters.source(install, source).fault is None


def test_a_day_never_counted_is_missing_while_it_may_come_and_then_lost_with_the_reason(install, source, feed):
    day = final_day(60)
    feed.control(none=[day.isoformat()])
    run(install, source)
    opened = open_site(install, KEY)
    assert opened.history.states([source], "site").get(day) is None
    feed.control(today=(TODAY + timedelta(20)).isoformat())
    assert run(install, source).lost == 1
    assert opened.history.states([source], "site")[day] is DayState.LOST
    making = read(opened, "day", source=source, day=day)
    assert "the provider keeps days from" in making.grains[0].remark
    assert presenters.source(install, source).days_lost == 1
    assert run(install, source).lost == 0


def test_days_missed_while_everything_was_down_are_lost_and_nothing_else(install, pulled, source, feed):
    later = TODAY + timedelta(100)
    feed.control(today=later.isoformat())
    run(install, source)
    states = open_site(install, KEY).history.states([source], "site")
    lost = sorted(day for day, state in states.items() if state is DayState.LOST)
    first_offered = later - timedelta(69)
    assert lost == [TODAY + timedelta(n) for n in range(-1, (first_offered - TODAY).days)]


def test_a_day_last_seen_provisional_counts_as_seen_and_is_doubted_once_it_can_settle_no_more(
    install, pulled, source, feed
):
    feed.control(today=(TODAY + timedelta(100)).isoformat())
    run(install, source)
    opened = open_site(install, KEY)
    states = opened.history.states([source], "site")
    assert {states[TODAY - timedelta(n)] for n in (2, 3, 4)} == {DayState.FINAL}
    assert "keeps it no more" in read(opened, "day", day=TODAY - timedelta(3)).grains[0].remark
    assert presenters.source(install, source).days_flagged == 3


def test_a_refill_asks_again_for_a_span_only(install, pulled, source, feed):
    span = Span(final_day(20), final_day(11), again=True)
    assert run(install, source, span=span).days == 10
    assert run(install, source, span=Span(final_day(20), final_day(11))).days == 0


def test_two_numbers_that_differ_are_explained_to_the_unit(install, pulled, source):
    found = read(open_site(install, KEY), "reconcile")
    (totals,) = found.sources
    sums = {grain.grain: grain for grain in totals.grains}
    steps = {step.code: step for step in totals.steps}
    assert steps["withheld"].clicks == sums["query"].clicks - sums["site"].clicks < 0
    assert steps["counted-by-page"].impressions == sums["page"].impressions - sums["site"].impressions >= 0
    assert sums["pair"].clicks - sums["page"].clicks == steps["pairs-withheld"].clicks
    assert steps["time-zones"].text.startswith("Its days begin and end in Europe/London")
    share = totals.unlisted[-1]
    assert 0 < share.clicks < 1


def connect(install, feed, key, number):
    asked = {"url": feed.url, "account": "tallow-lane", "secret": "lamp-oil", "property": number}
    return setup.add_source(install, key, wire.NewSource.model_validate(asked), NOW)


def test_two_engines_of_one_site_are_read_together_or_apart(install, feed):
    client = setup.add_client(install, wire.NewClient(name="Skerry Ferries"), NOW)
    key = setup.add_site(install, client, wire.NewSite(host="skerryferries.example"), NOW)
    quillon, orrery = connect(install, feed, key, "quillon-skerry"), connect(install, feed, key, "orrery-skerry")
    span = Span(final_day(12), final_day(8))
    for number in (quillon, orrery):
        run(install, number, span=span)
    both, one, other = (open_site(install, key, engine) for engine in (None, "quillon", "Orrery"))
    assert (both.sources, one.sources, other.sources) == ((quillon, orrery), (quillon,), (orrery,))
    asked = Question("site", span.first, span.last)
    sums = [
        o.history.read(Question("site", asked.first, asked.last, sources=o.sources)).sums for o in (both, one, other)
    ]
    assert sums[0].impressions == sums[1].impressions + sums[2].impressions
    assert sums[2].impressions > 0


def test_a_property_inside_another_is_kept_apart_and_never_counted_twice(install, feed):
    client = setup.add_client(install, wire.NewClient(name="Skerry Ferries"), NOW)
    key = setup.add_site(install, client, wire.NewSite(host="skerryferries.example"), NOW)
    part = connect(install, feed, key, "quillon-skerry-de")
    whole = connect(install, feed, key, "quillon-skerry")
    found = presenters.source(install, part)
    assert (found.counted, found.part_of) == (False, whole)
    install.history(1, create=True)
    assert open_site(install, key).sources == (whole,)
    assert open_site(install, key, source=part).sources == (part,)
    with pytest.raises(Clash, match="count the same visits"):
        setup.change_source(install, part, wire.SourceChange(counted=True), NOW)


def test_what_a_property_would_count_twice_is_told_before_it_is_connected(install, feed):
    client = setup.add_client(install, wire.NewClient(name="Skerry Ferries"), NOW)
    key = setup.add_site(install, client, wire.NewSite(host="skerryferries.example"), NOW)
    connect(install, feed, key, "quillon-skerry")
    asked = {"url": feed.url, "account": "tallow-lane", "secret": "lamp-oil"}
    seen = {p.id: p for p in setup.list_properties(install, wire.Credential.model_validate(asked))}
    assert "is part of" in seen["quillon-skerry-de"].overlaps
    assert seen["quillon-hivewright"].overlaps is None
