"""Rules of alerts as people keep them: shipped ones off, narrowed or changed, own ones, and what lasts."""

from __future__ import annotations

from datetime import date

import pytest
from pydantic import ValidationError
from tests.conftest import HIVE, NOW
from tests.served import Held, answered, feed

from noctilum.actions import alert_rules, alerts, setup
from noctilum.core.errors import Clash, Fault, Nonsense, NotThere
from noctilum.records import scope
from noctilum.standins.visits_feed import create_app
from noctilum.wire import setup as sw
from noctilum.wire.alert_rules import AlertRulesQuery, NewAlertRule
from noctilum.wire.alerts import AlertsQuery
from noctilum.wire.breaks import RULES

NUMBER = "visits-hivewright-blog"
HELD = Held(((create_app, NUMBER),))
COUNTING = "counting broke"


@pytest.fixture(scope="module")
def visits_feed():
    with feed(create_app) as url:
        yield url


@pytest.fixture
def blog(install, held, visits_feed):
    return HELD.now_at(install, visits_feed)


def rule(**what) -> NewAlertRule:
    return NewAlertRule.model_validate(what)


def named(install, site=HIVE) -> list[str]:
    return [each.name for each in alert_rules.of_site(install, site)]


def calling(install, **asked) -> dict[str, set[str]]:
    found: dict[str, set[str]] = {}
    for row in answered(install, HIVE, "alarms", limit=500, **asked).rows:
        found.setdefault(row.rule, set()).add(row.key)
    return found


def test_without_anything_kept_all_rules_are_asked_as_they_ship(install, site):
    assert alert_rules.of_site(install, HIVE) == RULES


def test_a_shipped_rule_is_switched_off_narrowed_changed_and_brought_back(install, blog):
    assert COUNTING in calling(install)
    setup.add_site(install, "hivewright", sw.NewSite(host="hivewright.example"), NOW)
    kept = alert_rules.added(install, rule(name=COUNTING, on=False), NOW)
    assert kept.shipped and COUNTING not in calling(install) and COUNTING not in named(install)
    alert_rules.changed(install, kept.id, rule(name=COUNTING, sites=["hivewright.example"]), NOW)
    assert (COUNTING in named(install), COUNTING in named(install, "hivewright.example")) == (False, True)
    alert_rules.changed(
        install, kept.id, rule(name=COUNTING, condition='verdict is "stopped" and expected > 9000'), NOW
    )
    assert COUNTING in named(install) and COUNTING not in calling(install)
    alert_rules.dropped(install, kept.id)
    assert alert_rules.of_site(install, HIVE) == RULES and COUNTING in calling(install)


def test_a_rule_of_ones_own_calls_out_and_its_alert_is_kept_told_and_closed(install, blog):
    asked = {"reading": "visits", "window": "P28D", "asked": {"by": "channel"}, "key": "key"}
    condition = "sessions >= 100 and sessions_relative <= -20%"
    kept = alert_rules.added(install, rule(name="channel fell", condition=condition, **asked), NOW)
    rows = answered(install, HIVE, "visits", by="channel").rows
    wanted = {
        row.key
        for row in rows
        if row.now.sessions >= 100 and row.before.sessions and row.now.sessions / row.before.sessions - 1 <= -0.2
    }
    assert wanted and calling(install)["channel fell"] == wanted
    assert calling(install, rule="channel fell") == {"channel fell": wanted}
    alerts.look(install, NOW, site=HIVE)
    told = [each for each in alerts.listed(install, AlertsQuery()) if each.rule == "channel fell"]
    assert {each.text for each in told} == {f"channel fell: {key}." for key in wanted}
    alert_rules.dropped(install, kept.id)
    assert alerts.look(install, NOW, site=HIVE).closed == len(wanted)


def test_what_must_last_is_told_on_the_day_it_has_lasted_and_not_before(install, blog):
    broke = next(each for each in answered(install, HIVE, "alarms").rows if each.rule == COUNTING)
    first = next(
        day for day in (date(2026, 3, n) for n in range(1, 19)) if COUNTING in calling(install, on=day, rule=COUNTING)
    )
    assert broke.since is not None and (first - broke.since).days <= 2
    alert_rules.added(install, rule(name=COUNTING, lasting=3), NOW)
    days = [day for day in (date(2026, 3, n) for n in range(1, 19)) if calling(install, on=day, rule=COUNTING)]
    assert days[0].toordinal() == first.toordinal() + 2


@pytest.mark.parametrize(
    ("what", "said"),
    [
        ({"name": "mine", "reading": "no-such", "condition": "clicks > 1"}, "no reading"),
        ({"name": "mine", "reading": "fading", "condition": "clocks > 1"}, "clocks"),
        ({"name": "mine", "reading": "fading", "condition": "clicks >"}, "."),
        ({"name": "mine", "reading": "fading", "condition": "clicks > 1", "key": "nothing"}, "no column"),
        (
            {"name": "mine", "reading": "fading", "condition": "clicks > 1", "asked": {"item": "shoe"}},
            "cannot be asked",
        ),
        (
            {"name": "mine", "reading": "fading", "condition": "clicks > 1", "window": "x", "sites": ["none.example"]},
            ".",
        ),
        ({"name": "days late", "lasting": 2}, "last"),
        ({"name": "page gone", "condition": "clicks_lost > 4"}, "clicks_lost"),
        ({"name": "mine", "reading": "feeds", "condition": "late > 0", "lasting": 3}, "last"),
    ],
)
def test_a_rule_that_cannot_be_asked_is_refused_and_nothing_is_kept(install, site, what, said):
    with pytest.raises(Fault, match=said):
        alert_rules.added(install, rule(**what), NOW)
    assert alert_rules.listed(install, AlertRulesQuery()) == []


def test_names_are_used_once_and_a_shipped_rule_keeps_its_reading(install, site):
    alert_rules.added(install, rule(name="page gone", on=False), NOW)
    with pytest.raises(Clash):
        alert_rules.added(install, rule(name="page gone"), NOW)
    for what in ({"name": "page gone", "reading": "fading", "condition": "clicks > 1"}, {"name": "mine"}):
        with pytest.raises(ValidationError):
            rule(**what)


def test_rules_are_the_agencys_whoever_works_for_some_clients_is_under_them_and_changes_none(install, site):
    kept = alert_rules.added(install, rule(name="page gone", on=False), NOW)
    with scope.within(scope.Scope(frozenset({1}))):
        assert "page gone" not in named(install)
        assert alert_rules.listed(install, AlertRulesQuery()) == []
        with pytest.raises(NotThere):
            alert_rules.dropped(install, kept.id)
        with pytest.raises((Nonsense, Fault)):
            alert_rules.added(install, rule(name="odd day", on=False), NOW)
    assert len(alert_rules.listed(install, AlertRulesQuery())) == 1
