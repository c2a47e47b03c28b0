"""The monthly check: what was gone through is remembered with whom, month by month, and nobody else's month moves."""

from datetime import timedelta

import pytest
from tests.conftest import HIVE, NOW, TODAY

from noctilum.actions import keywords, monthly, setup
from noctilum.core.errors import Nonsense, NotThere
from noctilum.records import scope
from noctilum.wire import keywords as kw
from noctilum.wire import monthly as wire
from noctilum.wire import setup as sw

ME, OTHER = "ada@tallowlane.example", "ben@tallowlane.example"


def of(install, month=None):
    return monthly.of_client(install, "hivewright", month, TODAY)


def went(install, step, *, done=True, by=ME, now=NOW, month=None):
    change = wire.MonthlyChange(step=step, done=done)
    return monthly.changed(install, "hivewright", month, change, by, now, TODAY)


def test_a_month_begins_with_nothing_done_and_passes_over_what_there_is_not(install, site):
    found = of(install)
    assert (found.month, str(found.first), str(found.last)) == ("2026-02", "2026-02-01", "2026-02-28")
    assert [step.step for step in found.steps] == list(wire.STEPS)
    assert [step.step for step in found.steps if not step.applies] == ["keywords", "outcomes"]
    assert (found.done, found.of, found.next, found.through_at) == (0, 5, "change", None)
    look = {"site": site, "term": "honey", "engine": "quillon", "language": "en", "country": "GB"}
    keywords.added(install, kw.NewKeyword.model_validate(look), NOW)
    assert of(install).of == 6


def test_it_remembers_who_went_through_what_and_doing_it_twice_changes_nothing(install, site):
    went(install, "change")
    again = went(install, "change", by=OTHER, now=NOW + timedelta(1))
    assert [(step.by, step.at) for step in again.steps if step.done] == [(ME, NOW)]
    assert (again.done, again.next) == (1, "fading")
    for step in ("fading", "work", "commentary"):
        went(install, step, by=OTHER)
    late = NOW + timedelta(hours=3)
    through = went(install, "report", now=late)
    assert (through.next, through.through_at, through.done) == (None, late, 5)
    assert went(install, "report", done=False).through_at is None


def test_each_month_and_each_client_has_its_own(install, site):
    setup.add_client(install, sw.NewClient(name="Brine Pot"), NOW)
    setup.add_site(install, "brine-pot", sw.NewSite(host="brinepot.example"), NOW)
    setup.add_client(install, sw.NewClient(name="Nobody Yet"), NOW)
    went(install, "change")
    assert of(install, "2026-01").done == 0
    lines = monthly.of_all(install, None, TODAY)
    assert [(line.client, line.done, line.by) for line in lines] == [("brine-pot", 0, []), ("hivewright", 1, [ME])]
    assert {line.site for line in lines} == {"brinepot.example", HIVE}


def test_whoever_may_see_one_client_sees_its_month_alone(install, site):
    setup.add_client(install, sw.NewClient(name="Brine Pot"), NOW)
    setup.add_site(install, "brine-pot", sw.NewSite(host="brinepot.example"), NOW)
    with scope.within(scope.Scope(frozenset({2}))):
        assert [line.client for line in monthly.of_all(install, None, TODAY)] == ["brine-pot"]
        with pytest.raises(NotThere):
            went(install, "change")
    assert of(install).done == 0


def test_a_month_to_come_and_a_client_without_a_site_are_told(install, site):
    with pytest.raises(Nonsense, match="still to come"):
        of(install, "2026-04")
    assert of(install, "2026-03").month == "2026-03"
    setup.add_client(install, sw.NewClient(name="Nobody Yet"), NOW)
    with pytest.raises(NotThere, match="no site"):
        monthly.of_client(install, "nobody-yet", None, TODAY)
