"""Digests: everybody is told once of what is theirs to know, at their hour and in their language, whatever breaks."""

from __future__ import annotations

import multiprocessing
import os
import random
import re
import signal
import time
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.conftest import HIVE, NOW
from tests.lives import tell_on
from tests.mailboxes import sinking

from noctilum.actions import digests, people, sending, setup
from noctilum.core.calling import due_after, is_quiet
from noctilum.core.errors import Nonsense
from noctilum.records.models import Alert, User
from noctilum.wire import setup as sw
from noctilum.wire.digests import DigestChange
from noctilum.wire.people import UserChange

_LIVES = multiprocessing.get_context("forkserver")
_LIVES.set_forkserver_preload(["tests.lives", "noctilum.actions.digests"])
DAY = timedelta(days=1)


@given(
    st.datetimes(datetime(2025, 1, 1), datetime(2027, 1, 1), timezones=st.just(UTC)),
    st.sampled_from(("day", "week")),
    st.integers(0, 6),
    st.times(),
    st.sampled_from(("UTC", "Europe/Oslo", "America/New_York", "Pacific/Apia", "Asia/Kathmandu")),
)
def test_the_next_digest_is_the_first_such_hour_after_the_last(told, every, weekday, at, name):
    at, zone = at.replace(second=0, microsecond=0), ZoneInfo(name)
    due = due_after(told, every, weekday, at, zone)
    assert due > told and due - told <= (timedelta(days=1) if every == "day" else timedelta(days=7)) + timedelta(
        hours=2
    )
    assert due.time() == at and (every == "day" or due.weekday() == weekday)


@given(st.datetimes(timezones=st.just(UTC)), st.times(), st.times())
def test_an_hour_is_quiet_or_lies_in_the_rest_of_the_day(now, first, last):
    first, last = (each.replace(tzinfo=None) for each in (first, last))
    assert is_quiet(now, first, last, ZoneInfo("UTC")) != is_quiet(now, last, first, ZoneInfo("UTC")) or first == last


@pytest.fixture
def boxes(tmp_path):
    with sinking(tmp_path / "mail") as found:
        yield found


@pytest.fixture
def house(install, site, boxes):
    """Two clients with a site each, a person for all and one for the second client alone."""
    told = {"mail_host": "127.0.0.1", "mail_port": boxes.port, "mail_security": "none"}
    install.settings = replace(
        install.settings, mail_from="calls@lane.example", public_url="https://lane.example", **told
    )
    setup.add_client(install, sw.NewClient(name="Brine Pot"), NOW)
    setup.add_site(install, "brine-pot", sw.NewSite(host="brinepot.example"), NOW)
    people.add_user(install, "Ada", "ada@lane.example", "a-long-password-1", NOW)
    people.add_user(install, "Ben", "ben@lane.example", "a-long-password-2", NOW)
    with install.records.begin() as db:
        ben = db.get_one(User, 2)
        ben.language = "de"
    people.change_user(install, 2, UserChange.model_validate({"clients": ["brine-pot"]}))
    return install


def told_daily(install, user: int, now: datetime = NOW, **more):
    return digests.changed(install, user, DigestChange.model_validate({"every": "day", **more}), now)


def calls(install, page: str, now: datetime, site: int = 1, closed: datetime | None = None) -> None:
    """Let a page's silence call out."""
    facts = {"key": page, "since": "2026-03-18", "days": 2, "usual": 80, "clicks": 900, "chance": 1e-9}
    with install.records.begin() as db:
        found = Alert(
            site_id=site, rule="page gone", key=page, state="closed" if closed else "open", reason="", opened_at=now
        )
        found.since, found.sure, found.look, found.facts = date(2026, 3, 18), "almost certain", "silent", facts
        found.closed_at = closed
        db.add(found)


def over(install, page: str, now: datetime) -> None:
    with install.records.begin() as db:
        found = db.query(Alert).filter_by(key=page).one()
        found.state, found.closed_at = "closed", now


def post(install, now: datetime):
    made = digests.run(install, lambda: now, lambda _: True)
    sending.run(install, lambda: now, lambda _: True)
    return made


def test_what_called_out_is_told_once_at_ones_hour_and_what_is_over_after_it(house, boxes):
    chosen = told_daily(house, 1, at="07:00", time_zone="Europe/Oslo")
    assert (chosen.next_at, chosen.mail) == (datetime(2026, 3, 21, 6, tzinfo=UTC), True)
    calls(house, "/a", NOW + timedelta(hours=1))
    assert post(house, NOW + timedelta(hours=2)).mails == 0
    morning = datetime(2026, 3, 21, 6, 5, tzinfo=UTC)
    assert post(house, morning).mails == 1 and post(house, morning + timedelta(minutes=1)).mails == 0
    (mail,) = boxes.mails()
    assert (mail["To"], mail["Subject"]) == ("Ada <ada@lane.example>", "What calls out: 1 new")
    text = mail.get_body(("plain",)).get_content()
    assert HIVE in text and "/a" in text and f"https://lane.example/sites/{HIVE}/read/silent" in text
    over(house, "/a", morning + timedelta(hours=2))
    calls(house, "/zeta", morning + timedelta(hours=3), closed=morning + timedelta(hours=4))
    assert post(house, morning + DAY).mails == 1
    (later,) = (mail for mail in boxes.mails() if mail["Subject"] == "What calls out: 1 over")
    second = later.get_body(("plain",)).get_content()
    assert "Over" in second and "/a" in second and "/zeta" not in second
    assert post(house, morning + 2 * DAY) == digests.wire.DigestsMade(mails=0, quiet=1)


def test_each_is_told_of_their_clients_alone_in_their_language(house, boxes):
    told_daily(house, 1)
    told_daily(house, 2)
    calls(house, "/a", NOW + timedelta(hours=1), site=1)
    calls(house, "/zeta", NOW + timedelta(hours=1), site=2)
    assert post(house, NOW + DAY).mails == 2
    mails = {mail["To"]: mail for mail in boxes.mails()}
    ada, ben = (mails[f"{name} <{name.lower()}@lane.example>"] for name in ("Ada", "Ben"))
    assert (ada["Subject"], ben["Subject"]) == ("What calls out: 2 new", "Was anschlägt: 1 neu")
    html = ben.get_body(("html",)).get_content()
    assert "/zeta" in html and HIVE not in html and "Schlägt an" in html and "brinepot.example" in html


def test_nothing_is_mailed_in_quiet_hours_and_nothing_is_lost_by_them(house, boxes):
    told_daily(house, 1, at="05:00", quiet_from="22:00", quiet_to="08:00")
    calls(house, "/a", NOW + timedelta(hours=1))
    night = datetime(2026, 3, 21, 5, 30, tzinfo=UTC)
    assert post(house, night) == digests.wire.DigestsMade(mails=0, quiet=0)
    assert post(house, datetime(2026, 3, 21, 8, 1, tzinfo=UTC)).mails == 1


def test_an_alert_that_is_written_down_late_is_told_with_the_next_digest(house, boxes):
    told_daily(house, 1)
    calls(house, "/prompt", NOW + timedelta(hours=1))
    assert post(house, NOW + DAY).mails == 1
    calls(house, "/late", NOW + timedelta(hours=2))
    assert post(house, NOW + 2 * DAY).mails == 1
    texts = [mail.get_body(("plain",)).get_content() for mail in boxes.mails()]
    assert [sum(page in text for text in texts) for page in ("/prompt", "/late")] == [1, 1]


def test_whoever_turns_it_off_is_told_no_more_and_begins_anew_later(house, boxes):
    told_daily(house, 1)
    calls(house, "/a", NOW + timedelta(hours=1))
    digests.changed(house, 1, DigestChange(every="off"), NOW + timedelta(hours=2))
    assert post(house, NOW + DAY).mails == 0
    told_daily(house, 1, NOW + DAY)
    assert post(house, NOW + 2 * DAY).mails == 0
    with pytest.raises(Nonsense, match="time zone"):
        told_daily(house, 1, time_zone="Nowhere/There")


@pytest.mark.parametrize("kills", [12])
def test_killed_at_random_points_everything_is_told_once(house, tmp_path, kills):
    draw, now = random.Random("digest"), NOW
    told_daily(house, 1, at="00:00")
    with sinking(tmp_path / "sink") as boxes:
        settings = replace(house.settings, mail_port=boxes.port)
        killed = pages = 0
        usual = 30.0  # the first two lives go to their end, and the second says how long one takes here
        while killed < kills:
            calls(house, f"/page-{pages}/", now + timedelta(minutes=1))
            pages, now = pages + 1, now + DAY
            life = _LIVES.Process(target=tell_on, args=(settings, now))
            begun = time.monotonic()
            life.start()
            life.join(draw.uniform(0.1, 1.2) * usual)
            if pages <= 2 and not life.is_alive():
                usual = time.monotonic() - begun
            if life.is_alive():
                os.kill(life.pid, signal.SIGKILL)
                killed += 1
            life.join()
        house.settings = settings
        for n in range(3):
            post(house, now + (n + 1) * DAY)
        texts = [mail.get_body(("plain",)).get_content() for mail in boxes.mails()]
    told = [page for text in texts for page in re.findall(r"/page-\d+/", text)]
    assert sorted(told) == sorted(f"/page-{n}/" for n in range(pages))
    assert len(texts) > 1
