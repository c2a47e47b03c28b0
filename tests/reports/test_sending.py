"""Editions on their way: due once, waited for, signed off, one mail a recipient, whatever happens in between."""

from __future__ import annotations

import multiprocessing
import os
import random
import signal
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta
from email.message import EmailMessage

import pytest
from hypothesis import given
from hypothesis import strategies as st
from sqlalchemy import func, select
from tests.certificates import certificate
from tests.conftest import NOW
from tests.lives import live_on
from tests.mailboxes import sinking
from tests.reports.test_editions import BODY

from noctilum.actions import bounces, due_list, editions, reports, sending, signed_links, slots, templates
from noctilum.actions.install import Install
from noctilum.actions.recurrence import next_due, rule_of
from noctilum.core.due import off_weekend
from noctilum.core.errors import Clash, FeedFault, Nonsense, NotThere
from noctilum.records.models import Delivery, Edition, Notice, Slot
from noctilum.sources.smtp import Posting, Server
from noctilum.wire import reports as wire

PEOPLE = ["mara@hivewright.example", "otto@hivewright.example"]
_LIVES = multiprocessing.get_context("forkserver")
_LIVES.set_forkserver_preload(["tests.lives", "noctilum.reports.render", "noctilum.actions.export"])


@pytest.fixture
def boxes(tmp_path):
    with sinking(tmp_path / "mail") as found:
        yield found


def with_mail(install: Install, port: int, **more) -> Install:
    """Let an install hand its mail to the sink."""
    told = {"mail_host": "127.0.0.1", "mail_port": port, "mail_security": "none", "mail_from": "reports@lane.example"}
    install.settings = replace(install.settings, **told | {"public_url": "http://127.0.0.1:1"} | more)
    return install


def report_of(install, site, name="Monthly", **more) -> wire.ReportOut:
    templates.keep_shipped(install, NOW)
    body = wire.ReportBody.model_validate({"window": "P7D", "blocks": BODY["blocks"][:5]})
    told = {"recipients": [{"email": each} for each in PEOPLE], "body": body, "schedule": "monthly on 1 at 07:00"}
    asked = {"site": site, "name": name, "template": "One page for the board"} | told | more
    return reports.added(install, wire.NewReport.model_validate(asked), NOW)


def clock() -> datetime:
    return NOW


def on(_progress) -> bool:
    return True


@given(st.dates(date(2020, 1, 1), date(2040, 1, 1)), st.sampled_from(["next", "previous", "as it falls"]))
def test_a_day_moves_off_a_weekend_to_the_nearest_weekday_on_the_side_asked_for(day, weekend):
    moved = off_weekend(day, weekend)
    if weekend == "as it falls" or day.weekday() < 5:
        assert moved == day
    else:
        assert moved.weekday() == (0 if weekend == "next" else 4) and abs((moved - day).days) <= 2


def test_a_report_falls_due_in_its_own_zone_across_summer_time_and_off_weekends():
    rule = rule_of("monthly on 1 at 07:00")
    at, times = datetime(2026, 1, 15, tzinfo=UTC), []
    for _ in range(5):
        at = next_due(rule, at, "Europe/Oslo", "next")
        times.append(f"{at:%m-%dT%H:%M}")
    assert times == ["02-02T06:00", "03-02T06:00", "04-01T05:00", "05-01T05:00", "06-01T05:00"]
    assert rule_of("weekly on monday at 7:00") == "FREQ=WEEKLY;BYDAY=MO;BYHOUR=7;BYMINUTE=0;BYSECOND=0"


def test_what_was_missed_is_made_up_for_once_each_and_what_is_too_old_is_skipped_and_told(install, site, pulled):
    made = report_of(install, site, schedule="weekly on monday at 07:00", recipients=[])
    later = NOW + timedelta(40)
    for _ in range(2):
        slots.tick(install, later)
    with install.records.read() as db:
        found = db.execute(select(Slot.state, func.count()).group_by(Slot.state)).all()
    assert dict(map(tuple, found)) == {"due": slots.MOST_CAUGHT_UP, "skipped": 3}
    assert reports.one(install, made.id).coming[0] > later


def test_a_month_that_is_not_complete_is_waited_for_and_goes_out_marked_at_the_latest(install, site, pulled):
    body = wire.ReportBody.model_validate({"window": "last-month", "blocks": BODY["blocks"][:3]})
    report_of(install, site, body=body, wait_days=5)
    due = datetime(2026, 4, 1, 7, 0, tzinfo=UTC)
    slots.tick(install, due)
    assert slots.run(install, lambda: due, on) == slots.Run(0, 1, 0, 0)
    (line,) = [each for each in due_list.due_list(install, wire.DueQuery(), due) if each.state == "waiting"]
    assert "it needs 2026-03-31" in line.why
    latest = due + timedelta(5)
    assert slots.run(install, lambda: latest, on) == slots.Run(1, 0, 0, 0)
    (edition,) = editions.listed(install, wire.EditionsQuery())
    assert (edition.first, edition.last, edition.complete) == (date(2026, 3, 1), date(2026, 3, 31), False)
    assert slots.run(install, lambda: latest, on) == slots.Run(0, 0, 0, 0)


def test_nothing_is_sent_before_it_is_signed_off_and_then_once_to_each(install, site, pulled, boxes):
    with_mail(install, boxes.port)
    report_of(install, site, attach=["pdf", "xlsx"], message="Dear all, **well done**. <script>x</script>")
    slots.tick(install, NOW + timedelta(20))
    slots.run(install, lambda: NOW + timedelta(20), on)
    (edition,) = editions.listed(install, wire.EditionsQuery())
    with pytest.raises(Clash, match="is draft"):
        sending.sent(install, edition.id, NOW, "Ines")
    editions.approved(install, edition.id, NOW, "Ines")
    for _ in range(2):
        sending.sent(install, edition.id, NOW, "Ines")
        sending.run(install, clock, on)
    mails = boxes.mails()
    assert sorted(mail["To"] for mail in mails) == PEOPLE
    mail = mails[0]
    text, html = mail.get_body(("plain",)).get_content(), mail.get_body(("html",)).get_content()
    assert "**well done**" in text and "<strong>well done</strong>" in html and "<script>" not in html
    for sentence in edition.summary:
        assert sentence in " ".join(text.split())
    names = [part.get_filename() for part in mail.iter_attachments()]
    assert [name.rsplit(".", 1)[1] for name in names] == ["pdf", "xlsx"]
    assert next(mail.iter_attachments()).get_content()[:5] == b"%PDF-"
    assert "noctilum" not in (text + html + "".join(mail.values())).lower()
    found = editions.one(install, edition.id)
    assert (found.state, found.to, found.reached, found.troubles) == ("sent", 2, 2, 0)


def test_a_report_that_says_so_is_sent_without_anybody(install, site, pulled, boxes):
    with_mail(install, boxes.port)
    for n in range(2):
        report_of(install, site, f"Report {n}", approval=False)
    slots.tick(install, NOW + timedelta(20))
    assert slots.run(install, lambda: NOW + timedelta(20), on) == slots.Run(0, 0, 0, 2)
    sending.run(install, lambda: NOW + timedelta(20), on)
    assert len(boxes.mails()) == 4
    assert {each.approved_by for each in editions.listed(install, wire.EditionsQuery())} == {"the schedule"}


@pytest.mark.slow
@pytest.mark.parametrize(("doubt", "kills"), [("again", 50), ("hold", 15)])
def test_killed_at_random_points_everybody_has_each_edition_once(install, site, pulled, tmp_path, doubt, kills):
    """A server that suppresses duplicates has one of each; of one that does not, none has two and doubts are told."""
    with sinking(tmp_path / "mail", *(["--every"] if doubt == "hold" else [])) as boxes:
        with_mail(install, boxes.port, mail_in_doubt=doubt)
        people = [{"email": f"reader{n}@hivewright.example"} for n in range(25)]
        made = report_of(install, site, recipients=people, attach=["html"], approval=False, when_late="mark")
        now, draw = NOW + timedelta(20), random.Random(doubt)
        killed = 0
        while killed < kills:
            _something_is_due(install, made.id, now)
            life = _LIVES.Process(target=live_on, args=(install.settings, now))
            life.start()
            life.join(draw.uniform(0.05, 0.9))
            if life.is_alive():
                os.kill(life.pid, signal.SIGKILL)
                killed += 1
            life.join()
        for _ in range(3):
            slots.run(install, lambda: now, on)
            sending.run(install, lambda: now + timedelta(hours=1), on)
        answered = _answered(install, boxes, now)
        got = [(mail["To"], mail["Message-ID"]) for mail in boxes.mails()]
        again = (boxes.folder / "again.log").exists()
    with install.records.read() as db:
        wanted = {(each.email, each.message) for each in db.scalars(select(Delivery))}
        assert {*db.scalars(select(Delivery.state))} == {"sent"} and {*db.scalars(select(Slot.state))} == {"made"}
        counts = [db.scalar(select(func.count()).select_from(each)) for each in (Slot, Edition, Delivery)]
    assert counts[0] == counts[1] and counts[2] == 25 * counts[1]
    assert len(got) == len(set(got)) and set(got) == wanted
    assert not (again if doubt == "hold" else answered)


def _something_is_due(install, report, now) -> None:
    """Let the report fall due once more, when everything before has been sent."""
    with install.records.begin() as db:
        busy = db.scalar(select(Slot.id).where(Slot.state != "made").limit(1))
        busy = busy or db.scalar(select(Delivery.id).where(Delivery.state.in_(("waiting", "handing"))).limit(1))
        if busy is None:
            many = db.scalar(select(func.count()).select_from(Slot))
            db.add(Slot(report_id=report, due_at=now - timedelta(minutes=many), next_try_at=now, state="due"))


def _answered(install, boxes, now) -> int:
    """Say of each mail in doubt whether it arrived, as who looks into the mailbox can."""
    with install.records.read() as db:
        held = [(each.id, each.email, each.message) for each in db.scalars(select(Delivery)) if each.state == "held"]
    there = {(mail["To"], mail["Message-ID"]) for mail in boxes.mails()}
    for number, email, message in held:
        sending.answered(install, number, (email, message) in there, now)
    sending.run(install, lambda: now + timedelta(hours=2), on)
    return len(held)


def test_who_is_unknown_is_told_who_is_busy_is_tried_again_and_a_server_away_holds_all_back(
    install, site, pulled, boxes
):
    with_mail(install, boxes.port)
    addresses = ["nobody@lane.example", "later@lane.example", "mara@lane.example"]
    report_of(install, site, recipients=[{"email": each} for each in addresses], attach=[])
    edition = _signed(install)
    assert sending.run(install, clock, on) == sending.Sent(1, 1, 1, 0)
    assert sending.run(install, lambda: NOW + timedelta(hours=1), on) == sending.Sent(1, 0, 0, 0)
    states = {each.email.split("@")[0]: (each.state, each.attempts) for each in sending.deliveries(install, edition)}
    assert states == {"nobody": ("refused", 1), "later": ("sent", 2), "mara": ("sent", 1)}
    with install.records.read() as db:
        assert next(each.text for each in db.scalars(select(Notice))).endswith(
            "550: 5.1.1 nobody of that name is here."
        )
    assert due_list.due_list(install, wire.DueQuery(), NOW)[0].state == "trouble"
    boxes.process.terminate()
    boxes.process.wait(10)
    second = _signed(install)
    assert sending.run(install, clock, on).sent == 0
    waiting = sending.deliveries(install, second)
    assert {each.state for each in waiting} == {"waiting"} and sum(each.attempts for each in waiting) == 1
    assert all(each.next_try_at > NOW for each in waiting)


def _signed(install) -> int:
    report = reports.listed(install, wire.ReportsQuery())[0]
    edition = editions.drafted(install, report.id, NOW, "Ines").id
    editions.approved(install, edition, NOW, "Ines")
    return sending.sent(install, edition, NOW, "Ines").id


def test_a_test_mail_goes_to_oneself_and_counts_for_nothing(install, site, pulled, boxes):
    with_mail(install, boxes.port)
    made = report_of(install, site)
    draft = editions.drafted(install, made.id, NOW, "Ines").id
    sending.tested(install, draft, "ines@lane.example", NOW)
    (mail,) = boxes.mails("ines@lane.example")
    assert mail["Subject"].startswith("[test]") and not sending.deliveries(install, draft)
    with pytest.raises(FeedFault, match="550"):
        sending.tested(install, draft, "nobody@lane.example", NOW)


def test_leaving_is_by_an_address_that_cannot_be_made_up_and_holds(install, site, pulled, boxes):
    with_mail(install, boxes.port)
    made = report_of(install, site, attach=[])
    _signed(install)
    sending.run(install, clock, on)
    (mail,) = boxes.mails(PEOPLE[0])
    link = mail["List-Unsubscribe"].strip("<>")
    token = link.rsplit("/", 1)[1]
    assert signed_links.unsubscribing(install, token) == (made.id, PEOPLE[0])
    with pytest.raises(NotThere):
        signed_links.unsubscribing(install, token[:-3] + "abc")
    sending.unsubscribed(install, made.id, PEOPLE[0], NOW)
    assert [each.email for each in sending.deliveries(install, _signed(install))] == PEOPLE[1:]
    assert reports.one(install, made.id).unsubscribed == PEOPLE[:1]


BOUNCE = """From: MAILER-DAEMON@mx.example
To: reports@lane.example
Subject: Undelivered
MIME-Version: 1.0
Content-Type: multipart/report; report-type=delivery-status; boundary="b"

--b
Content-Type: text/plain

It could not be delivered.
--b
Content-Type: message/delivery-status

Reporting-MTA: dns; mx.example

Final-Recipient: rfc822; mara@hivewright.example
Action: {action}
Status: 5.2.2
Diagnostic-Code: smtp; 552 5.2.2 Mailbox full

--b
Content-Type: text/rfc822-headers

Message-ID: {message}
Subject: Report

--b--
"""


def test_a_mail_that_comes_back_is_noted_by_the_message_that_says_so(install, site, pulled, boxes):
    with_mail(install, boxes.port)
    report_of(install, site, attach=[])
    edition = _signed(install)
    sending.run(install, clock, on)
    message = sending.deliveries(install, edition)[0].message
    with pytest.raises(Nonsense, match="no message that a mail came back"):
        bounces.taken(install, BOUNCE.format(action="delayed", message=message), NOW)
    with pytest.raises(NotThere):
        bounces.taken(install, BOUNCE.format(action="failed", message="<x@y>"), NOW)
    came = bounces.taken(install, BOUNCE.format(action="failed", message=message), NOW)
    assert (came.email, came.why) == (PEOPLE[0], "552 5.2.2 Mailbox full")
    assert sending.deliveries(install, edition)[0].state == "returned"
    assert editions.one(install, edition).troubles == 1


@given(st.text(max_size=400))
def test_any_text_is_a_returned_mail_or_is_told_not_to_be(text):
    with pytest.raises((Nonsense, NotThere)):
        bounces.taken(None, text, NOW)


def test_mail_goes_over_tls_with_a_password_and_to_no_server_that_is_not_trusted(tmp_path):
    files = certificate(tmp_path, "localhost")
    mail = EmailMessage()
    mail["From"], mail["To"], mail["Subject"] = "a@lane.example", "b@lane.example", "x"
    mail.set_content("x")
    secret = ("--account", "lane:lamp", "--tls", str(files.chain), str(files.key))
    with sinking(tmp_path / "mail", *secret) as boxes:
        good = Server("localhost", boxes.port, "starttls", files.ca, "lane", "lamp")
        with Posting(good) as posting:
            posting.hand_over(mail, "a@lane.example", "b@lane.example")
        for bad in (replace(good, password="other"), replace(good, ca=None), replace(good, security="none")):
            with Posting(bad, seconds=4) as posting, pytest.raises(FeedFault):
                posting.hand_over(mail, "a@lane.example", "b@lane.example")
        assert len(boxes.mails()) == 1
