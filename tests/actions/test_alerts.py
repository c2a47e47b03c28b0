"""Alerts: told once, closed by themselves, seen to by people; across stops, and by whom they may be seen."""

from __future__ import annotations

from datetime import date, timedelta

import atoma
import pytest
from pydantic import ValidationError
from tests.conftest import HIVE, NOW, TODAY
from tests.served import Held, feed

from noctilum.actions import alert_feed, alerts, people, setup, webhooks, work_calendar
from noctilum.actions.find import find_site
from noctilum.core.errors import NotThere, StoreFault
from noctilum.records.models import Alert, WebhookPost
from noctilum.standins.visits_feed import create_app
from noctilum.wire import breaks
from noctilum.wire.alerts import AlertChange, AlertsQuery
from noctilum.wire.setup import NewSite
from noctilum.wire.webhooks import NewWebhook

NUMBER = "visits-hivewright-blog"
HELD = Held(((create_app, NUMBER),))
"""Its counting stopped seventeen days before today."""
ALL = AlertsQuery(state="all")


@pytest.fixture(scope="module")
def visits_feed():
    with feed(create_app) as url:
        yield url


@pytest.fixture
def broken(install, held, visits_feed, monkeypatch):
    """A site whose counting stopped, and an address that is told of alerts; nobody pulls, and no rule minds."""
    monkeypatch.setattr(breaks, "RULES", tuple(rule for rule in breaks.RULES if rule.name != "days late"))
    HELD.now_at(install, visits_feed)
    webhooks.added(install, NewWebhook(url="https://ring.example/", events=["alert.opened", "alert.closed"]), NOW)
    return HIVE


def posts(install) -> list[str]:
    with install.records.read() as db:
        return [post.body["event"] for post in db.query(WebhookPost).order_by(WebhookPost.id)]


def mended(monkeypatch) -> None:
    """From here on nothing calls out."""
    from noctilum.readings import alarms

    monkeypatch.setattr(alarms, "_alarms", lambda *_: iter(()))


def test_what_calls_out_is_written_down_and_told_once_however_often_one_looks(install, broken):
    first = alerts.look(install, NOW)
    assert (first.sites, first.opened, first.closed, first.failed) == (1, 1, 0, 0)
    for n in range(1, 4):
        again = alerts.look(install, NOW + timedelta(n))
        assert (again.opened, again.closed) == (0, 0)
    (found,) = alerts.listed(install, ALL)
    assert (found.rule, found.key, found.state, found.site) == ("counting broke", HIVE, "open", HIVE)
    assert found.text.startswith("Counting stopped on") and found.together == 1
    assert posts(install) == ["alert.opened"]
    with install.records.read() as db:
        (post,) = db.query(WebhookPost)
    assert post.body["rule"] == "counting broke" and post.body["text"] == found.text


def test_it_is_closed_by_itself_and_a_moment_of_quiet_is_no_new_alert(install, broken, monkeypatch):
    alerts.look(install, NOW)
    with monkeypatch.context() as quiet:
        mended(quiet)
        assert alerts.look(install, NOW + timedelta(1)).closed == 1
    (over,) = alerts.listed(install, ALL)
    assert over.state == "closed" and over.closed_at is not None
    assert not alerts.listed(install, AlertsQuery())
    assert alerts.look(install, NOW + timedelta(2)).opened == 0
    (again,) = alerts.listed(install, AlertsQuery())
    assert again.id == over.id and again.closed_at is None and again.state == "open"
    assert posts(install) == ["alert.opened", "alert.closed"]


def test_people_acknowledge_snooze_and_mute_it(install, broken, monkeypatch):
    alerts.look(install, NOW)
    (found,) = alerts.listed(install, ALL)
    seen = alerts.changed(install, found.id, AlertChange(state="acknowledged"), "ines@tallowlane.example")
    assert (seen.state, seen.by) == ("acknowledged", "ines@tallowlane.example")
    assert [each.id for each in alerts.listed(install, AlertsQuery())] == [found.id]
    until = TODAY + timedelta(5)
    alerts.changed(install, found.id, AlertChange(state="snoozed", until=until), "ines")
    alerts.look(install, NOW + timedelta(4))
    assert not alerts.listed(install, AlertsQuery())
    alerts.look(install, NOW + timedelta(5))
    assert [each.state for each in alerts.listed(install, AlertsQuery())] == ["open"]
    alerts.changed(install, found.id, AlertChange(state="muted", reason="the old blog"), "ines")
    with monkeypatch.context() as quiet:
        mended(quiet)
        alerts.look(install, NOW + timedelta(6))
    assert alerts.look(install, NOW + timedelta(30)).opened == 0
    (muted,) = alerts.listed(install, AlertsQuery(state="muted"))
    assert muted.reason == "the old blog" and not alerts.listed(install, AlertsQuery())
    assert posts(install) == ["alert.opened"]


def test_what_makes_no_sense_is_refused(install, broken, monkeypatch):
    for wrong in ({"state": "snoozed"}, {"state": "muted"}, {"state": "open", "until": TODAY}, {"state": "closed"}):
        with pytest.raises(ValidationError):
            AlertChange.model_validate(wrong)
    with pytest.raises(NotThere):
        alerts.changed(install, 99, AlertChange(state="open"), "ines")
    alerts.look(install, NOW)
    mended(monkeypatch)
    alerts.look(install, NOW)
    (over,) = alerts.listed(install, ALL)
    with pytest.raises(NotThere, match="is over"):
        alerts.changed(install, over.id, AlertChange(state="acknowledged"), "ines")


def test_stopped_before_it_is_written_nothing_is_told_and_the_next_look_tells_it(install, broken, monkeypatch):
    def breaks(*_: object) -> None:
        raise StoreFault("disk-failed", "The disk failed.")

    with monkeypatch.context() as failing:
        failing.setattr(webhooks, "happened", breaks)
        with pytest.raises(StoreFault):
            alerts.look(install, NOW)
    with install.records.read() as db:
        assert db.query(Alert).count() == 0
    assert not posts(install)
    assert alerts.look(install, NOW).opened == 1 and posts(install) == ["alert.opened"]


def test_a_rule_that_cannot_be_asked_closes_nothing(install, broken, monkeypatch):
    from noctilum.readings import alarms

    alerts.look(install, NOW)

    def lacking(*_: object) -> None:
        raise NotThere("nothing-held", "No day is held.")

    monkeypatch.setattr(alarms, "_alarms", lacking)
    assert alerts.look(install, NOW + timedelta(1)).closed == 0
    assert [each.state for each in alerts.listed(install, ALL)] == ["open"]


def test_sites_that_call_out_by_one_rule_since_one_day_are_told_as_one_cause(install, pulled):
    for host, since in (("a.example", TODAY), ("b.example", TODAY - timedelta(2)), ("c.example", date(2026, 1, 1))):
        key = setup.add_site(install, "hivewright", NewSite(host=host), NOW)
        with install.records.begin() as db:
            told = {"rule": "site fell", "since": since, "sure": "almost certain", "look": "slump", "opened_at": NOW}
            facts = {"now": 70, "days": 5, "expected": 100.0, "change": -0.3}
            db.add(Alert(site_id=find_site(db, key).id, facts=facts, **told))
    together = {each.site: each.together for each in alerts.listed(install, ALL)}
    assert together == {"a.example": 2, "b.example": 2, "c.example": 1}
    german = alerts.listed(install, AlertsQuery(site="a.example", language="de"))
    assert german[0].text.startswith("Die Klicks fielen auf 70 in 5 Tagen")


def test_another_program_reads_the_feed_of_whom_it_is_for(install, broken):
    alerts.look(install, NOW)
    ines = people.add_user(install, "Inés", "ines@x.example", "lamp-and-log-and-lamp", NOW)
    address = alert_feed.feed_address(install, ines.id).address
    token = address.rpartition("/")[2].removesuffix(".atom")
    feed_read = atoma.parse_atom_bytes(alert_feed.feed_of(install, token))
    (entry,) = feed_read.entries
    assert "Counting stopped on" in entry.title.value and entry.title.value.startswith(HIVE)
    assert entry.updated == entry.published == NOW and feed_read.id_ == address
    assert [link.href for link in feed_read.links] == [address]
    for wrong in ("x", token[:-1], f"{token}x"):
        with pytest.raises(NotThere):
            alert_feed.feed_of(install, wrong)
    work_calendar.calendar_address(install, ines.id)
    with pytest.raises(NotThere):
        alert_feed.feed_of(install, token)


def test_many_sites_are_looked_through_in_processes_of_their_own_and_told_once(install, broken, monkeypatch):
    monkeypatch.setattr(alerts, "FEW", 0)
    reported = []
    first = alerts.look(install, NOW, lambda progress: reported.append(progress) or True)
    assert first.opened > 0 and first.failed == 0 and len(reported) >= first.sites
    alerts.look(install, NOW)
    monkeypatch.setattr(alerts, "FEW", 24)
    alerts.look(install, NOW)
    (found,) = [each for each in alerts.listed(install, ALL) if each.rule == "counting broke"]
    assert (found.key, found.state) == (HIVE, "open")
