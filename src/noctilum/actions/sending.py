"""Sending editions: one mail a recipient and edition, handed to the mail server once, across crashes.

Who is to get an edition is written down, once each, before anything is handed over; so is that a mail is being handed
over, and that it was. A process that dies between handing over and writing that down leaves one mail in doubt: the
server may have it. The setting mail_in_doubt says what becomes of it: "again" hands the same message, with the same
Message-ID, over once more, which servers that keep one message of an ID deliver once; "hold" leaves it to a person.
"""

from __future__ import annotations

import os
import random
import socket
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import datetime, timedelta
from email.message import EmailMessage
from functools import lru_cache

import structlog
from sqlalchemy import Select, select, update
from sqlalchemy.orm import Session

from noctilum.actions import editions, queue, reports
from noctilum.actions.edition_files import file_of
from noctilum.actions.install import Install
from noctilum.actions.notices import note
from noctilum.actions.people import checked_email
from noctilum.actions.progress import Progress
from noctilum.actions.schedule import back_off
from noctilum.actions.signed_links import unsubscribe_address
from noctilum.core.errors import Clash, Fault, Nonsense, NotThere, Stopped, StoreFault, worded
from noctilum.records.models import LARGEST_NUMBER, Delivery, DigestMail, Edition, Mailed, Report, Unsubscribed
from noctilum.reports.digest_mail import digest_mail
from noctilum.reports.document import Document
from noctilum.reports.mailing import Attached, Envelope, mail_of
from noctilum.sources.smtp import MailRefused, Posting, Server
from noctilum.wire import reports as wire

log = structlog.get_logger("noctilum.sending")
JOB = "deliver"
MOST_ATTEMPTS = 8
DOUBTFUL_AFTER = timedelta(minutes=3)
"""A mail whose handing over began so long ago, by a process that is not known to be gone, is in doubt."""
_CHANCE = random.Random()
KINDS: tuple[type[Mailed], ...] = (Delivery, DigestMail)
"""What is handed over: editions of reports, and digests."""


@dataclass(frozen=True)
class Sent:
    """What a run of handing over came to."""

    sent: int
    refused: int
    later: int
    held: int


def tick(install: Install, now: datetime) -> None:
    """Queue a run where mails wait for their time, or one was being handed over by a process that is gone."""
    if not is_set_up(install):
        return
    with install.records.read() as db:
        waiting = any(db.scalar(_due(kind, now).limit(1)) is not None for kind in KINDS)
        doubtful = any(_in_doubt(db, kind, now) for kind in KINDS)
    if waiting or doubtful:
        queue.put(install, JOB, {}, now)


def _due(kind: type[Mailed], now: datetime) -> Select[int]:
    return select(kind.id).where(kind.state == "waiting", kind.next_try_at <= now).order_by(kind.id)


# to whom


def signed_and_sent(install: Install, edition: int, now: datetime, who: str) -> bool:
    """Sign an edition off by the schedule and write down whom it goes to, in one transaction, and render its files.

    Says whether it goes to anybody: not without recipients or a mail server, then it is signed off only.
    """
    with install.records.begin() as db:
        found = editions.of_state(db, edition, "draft")
        found.state, found.approved_at, found.approved_by = "approved", now, who
        editions.told(db, "edition.approved", found, reports.find(db, found.report_id)[1], now)
        plan = reports.plan_of(db.get_one(Report, found.report_id))
        goes = bool(plan.recipients) and is_set_up(install)
        if goes:
            _write_down(install, db, found, now, who)
    for kind in plan.attach if goes else ():
        file_of(install, edition, kind)
    return goes


def sent(install: Install, edition: int, now: datetime, who: str) -> wire.EditionOut:
    """Send an edition to its report's recipients; what failed before is tried again, nobody gets it twice.

    Raises Clash where it is not signed off, Nonsense where there is nobody to send it to, or no mail server.
    """
    editions.one(install, edition)
    server_of(install)
    with install.records.begin() as db:
        found = editions.of_state(db, edition, "approved", "sent")
        _write_down(install, db, found, now, who)
        again = update(Delivery).where(Delivery.edition_id == edition, Delivery.state.in_(("failed", "refused")))
        db.execute(again.values(state="waiting", attempts=0, next_try_at=now, why=""))
    queue.put(install, JOB, {}, now)
    return editions.one(install, edition)


def _write_down(install: Install, db: Session, found: Edition, now: datetime, who: str) -> None:
    report = db.get_one(Report, found.report_id)
    gone = set(db.scalars(select(Unsubscribed.email).where(Unsubscribed.report_id == report.id)))
    known = set(db.scalars(select(Delivery.email).where(Delivery.edition_id == found.id)))
    wanted = [each for each in reports.plan_of(report).recipients if each.email not in gone]
    if not wanted and not known:
        raise Nonsense(
            "no-recipients",
            worded("{name} has no recipients.", name=report.name),
            where="recipients",
            remedy="name some with `noctilum reports --change NUMBER --recipient ADDRESS`",
        )
    for each in wanted:
        if each.email not in known:
            db.add(
                Delivery(
                    edition_id=found.id,
                    email=each.email,
                    name=each.name,
                    message=_message_id(install, found, each.email),
                    next_try_at=now,
                    queued_at=now,
                    queued_by=who,
                )
            )
    if found.state != "sent":
        editions.told(db, "edition.sent", found, reports.find(db, report.id)[1], now)
    found.state, found.sent_at = "sent", found.sent_at or now


def _message_id(install: Install, found: Edition, email: str) -> str:
    """Give the Message-ID of an edition for a recipient: the same however often it is handed over."""
    from noctilum.reports.frozen import digest_of

    told = digest_of(f"{found.report_id} {found.id} {found.digest} {email}".encode())
    host = (install.settings.mail_from.rpartition("@")[2] or "noctilum.invalid").lower()
    return f"<{told}@{host}>"


def deliveries(install: Install, edition: int) -> list[wire.DeliveryOut]:
    """List whom an edition is on its way to; raises NotThere."""
    editions.one(install, edition)
    with install.records.read() as db:
        found = db.scalars(select(Delivery).where(Delivery.edition_id == edition).order_by(Delivery.email))
        return [_out(each) for each in found]


def _out(found: Delivery) -> wire.DeliveryOut:
    return wire.DeliveryOut.model_validate({name: getattr(found, name) for name in wire.DeliveryOut.model_fields})


def answered(install: Install, number: int, arrived: bool, now: datetime) -> wire.DeliveryOut:
    """Say of a mail in doubt whether it arrived: it counts as sent, or is handed over again."""
    with install.records.begin() as db:
        found = _delivery(db, number)
        if found.state != "held":
            raise Clash(
                "not-in-doubt",
                worded("The mail to {email} is {state}, not in doubt.", email=found.email, state=found.state),
            )
        found.state, found.why = ("sent", "") if arrived else ("waiting", "")
        found.sent_at, found.next_try_at = (now if arrived else None), now
        db.flush()
        return _out(found)


def returned(install: Install, message: str, why: str, now: datetime) -> wire.Bounced:
    """Note that a mail came back, by its Message-ID; raises NotThere for one that was not sent from here."""
    with install.records.begin() as db:
        found = db.scalar(select(Delivery).where(Delivery.message == message))
        if found is None:
            raise NotThere("no-such-mail", "No mail with that Message-ID was sent from here.", where=message[:200])
        found.state, found.why = "returned", why[:600]
        name = db.get_one(Report, db.get_one(Edition, found.edition_id).report_id).name
        note(db, f"mail-returned {found.id}", f"{name} came back from {found.email}: {why[:200]}", now)
        return wire.Bounced(email=found.email, edition=found.edition_id, why=found.why)


def _delivery(db: Session, number: int) -> Delivery:
    found = db.get(Delivery, number) if number <= LARGEST_NUMBER else None
    if found is None:
        raise NotThere(
            "no-such-delivery", worded("There is no mail {number}.", number=number), remedy="list them with the edition"
        )
    return found


# handing over


def is_set_up(install: Install) -> bool:
    """Say whether there is a mail server to hand anything to."""
    return bool(install.settings.mail_host and install.settings.mail_from)


def server_of(install: Install) -> Server:
    """Give the mail server; raises Nonsense where none is set."""
    settings = install.settings
    if not is_set_up(install):
        raise Nonsense(
            "mail-not-set-up",
            "No mail server is set, or no address that mail comes from.",
            where="mail_host, mail_from",
            remedy="set them in noctilum.toml; see `noctilum settings`",
        )
    return Server(
        settings.mail_host,
        settings.mail_port,
        settings.mail_security,
        settings.mail_ca,
        settings.mail_user,
        settings.mail_password,
    )


def run(
    install: Install, clock: Callable[[], datetime], report: Callable[[Progress], bool], post: Posting | None = None
) -> Sent:
    """Hand over every mail whose time has come; raises Stopped between two when told to."""
    claim = f"{socket.gethostname()} {os.getpid()} {random.getrandbits(64):x}"
    held = settle_doubts(install, clock())
    with install.records.read() as db:
        due = sum(len(list(db.scalars(_due(kind, clock())))) for kind in KINDS)
    counts = {"sent": 0, "refused": 0, "later": 0}
    with post or Posting(server_of(install)) as posting:
        while (claimed := _claimed(install, clock(), claim)) is not None:
            came = _handed(install, *claimed, claim, posting, clock)
            counts["later" if came == "away" else came] += 1
            if came == "away":
                break
            if not report(Progress("sending", sum(counts.values()), due)):
                raise Stopped
    return Sent(**counts, held=held)


def _claimed(install: Install, now: datetime, claim: str) -> tuple[type[Mailed], int] | None:
    """Claim the next mail, written down before it is handed over; None where none is left."""
    with install.records.begin() as db:
        for kind in KINDS:
            number = db.scalar(_due(kind, now).limit(1))
            if number is not None:
                found = db.get_one(kind, number)
                found.state, found.claim, found.attempts, found.next_try_at = "handing", claim, found.attempts + 1, now
                return kind, found.id
    return None


def _handed(
    install: Install, kind: type[Mailed], number: int, claim: str, posting: Posting, clock: Callable[[], datetime]
) -> str:
    try:
        mail, to = _mail_for(install, kind, number, clock())
        posting.hand_over(mail, install.settings.mail_from, to)
    except Fault as fault:
        return _put_back(install, kind, number, claim, fault, clock())
    except Exception as why:
        log.exception("mail broke", kind=_CODES[kind], number=number)
        broke = StoreFault("mail-broke", worded("The mail could not be written ({name}).", name=type(why).__name__))
        return _put_back(install, kind, number, claim, broke, clock())
    with _mine(install, kind, number, claim) as found:
        if found is not None:
            found.state, found.sent_at, found.why, found.claim = "sent", clock(), "", ""
    return "sent"


@contextmanager
def _mine(install: Install, kind: type[Mailed], number: int, claim: str) -> Iterator[Mailed | None]:
    """Give a mail that is still this run's; None where another has taken it over."""
    with install.records.begin() as db:
        found = db.get(kind, number)
        yield found if found is not None and found.state == "handing" and found.claim == claim else None


def _put_back(install: Install, kind: type[Mailed], number: int, claim: str, fault: Fault, now: datetime) -> str:
    """Keep why a mail was not taken: refused for good, or to be tried later, ever more seldom.

    Where the server itself is away, everything else that is due waits as well.
    """
    refused = isinstance(fault, MailRefused)
    with install.records.begin() as db:
        found = db.get(kind, number)
        if found is None or found.state != "handing" or found.claim != claim:
            return "later"
        over = found.attempts >= MOST_ATTEMPTS
        found.state = "refused" if refused else "failed" if over else "waiting"
        found.why, found.claim = fault.what[:600], ""
        found.next_try_at = now + back_off(found.attempts, _CHANCE)
        if refused or over:
            text = f"{_named(db, found)} could not be sent to {found.email}: {fault.what}"
            note(db, f"{_CODES[kind]}-failed {found.id}", text, now)
        if fault.code == "mail-server-away":
            for each in KINDS:
                waiting = update(each).where(each.state == "waiting", each.next_try_at <= now)
                db.execute(waiting.values(next_try_at=found.next_try_at))
            return "away"
    return "refused" if refused else "later"


_CODES: dict[type[Mailed], str] = {Delivery: "mail", DigestMail: "digest"}


def _named(db: Session, found: Mailed) -> str:
    """Name what a mail brings."""
    if not isinstance(found, Delivery):
        return "A digest"
    return db.get_one(Report, db.get_one(Edition, found.edition_id).report_id).name


def _mail_for(install: Install, kind: type[Mailed], number: int, now: datetime) -> tuple[EmailMessage, str]:
    with install.records.read() as db:
        if kind is DigestMail:
            digest = db.get_one(DigestMail, number)
            envelope = envelope_of(install, digest.message, digest.email, digest.name, now)
            address = install.settings.public_url.rstrip("/")
            return digest_mail(digest.content, envelope, address), digest.email
        found = _delivery(db, number)
        report = db.get_one(Edition, found.edition_id).report_id
        edition, to = found.edition_id, found.email
        envelope = envelope_of(install, found.message, to, found.name, now, report)
    return _content(install, edition).mail(envelope), to


@dataclass(frozen=True)
class Content:
    """What every recipient of an edition gets."""

    document: Document
    files: tuple[Attached, ...]
    message: str
    complete: bool

    def mail(self, envelope: Envelope) -> EmailMessage:
        """Write it to one of them."""
        return mail_of(self.document, envelope, self.files, self.message, complete=self.complete)


@lru_cache(maxsize=1)
def _content(install: Install, edition: int) -> Content:
    """Give what goes to every recipient; one edition after the other, so that the newest is kept."""
    return content_of(install, edition)


def content_of(install: Install, edition: int) -> Content:
    """Read an edition and render the files that go with it."""
    made, _ = editions.document(install, edition)
    with install.records.read() as db:
        found = editions.of_state(db, edition, "draft", "approved", "sent")
        plan, complete = reports.plan_of(db.get_one(Report, found.report_id)), found.complete
    files = (file_of(install, edition, kind) for kind in plan.attach)
    attached = tuple(Attached(each.name, each.media_type, each.body) for each in files)
    return Content(made, attached, plan.message, complete)


def envelope_of(
    install: Install, message: str, to: str, name: str, now: datetime, report: int | None = None
) -> Envelope:
    """Say from whom and to whom a mail is; of a report its recipients can leave it."""
    settings = install.settings
    leave = unsubscribe_address(install, report, to) if report is not None and settings.portal else ""
    return Envelope(settings.mail_from, settings.agency, to, name, message, now, unsubscribe=leave)


def tested(install: Install, edition: int, to: str, now: datetime) -> wire.TestMailSent:
    """Send an edition to one address as a test, at once; nothing is noted. Raises what the server says."""
    editions.one(install, edition)
    address = checked_email(to)
    server = server_of(install)
    host = install.settings.mail_from.rpartition("@")[2]
    envelope = envelope_of(install, f"<test-{random.getrandbits(96):x}@{host}>", address, "", now)
    mail = content_of(install, edition).mail(envelope)
    mail.replace_header("Subject", f"[test] {mail['Subject']}")
    with Posting(server, seconds=8.0) as posting:
        return wire.TestMailSent(to=address, said=posting.hand_over(mail, install.settings.mail_from, address))


# doubts


def _in_doubt(db: Session, kind: type[Mailed], now: datetime) -> list[int]:
    """Give the mails that a process was handing over which is gone, or silent for long."""
    found = db.scalars(select(kind).where(kind.state == "handing"))
    return [each.id for each in found if _is_gone(each.claim) or abs(now - each.next_try_at) > DOUBTFUL_AFTER]


def _is_gone(claim: str) -> bool:
    """Say whether the process of a claim on this machine runs no longer."""
    host, _, rest = claim.partition(" ")
    number = rest.partition(" ")[0]
    if host != socket.gethostname() or not number.isdigit():
        return False
    try:
        os.kill(int(number), 0)
    except ProcessLookupError:
        return True
    except PermissionError:
        return False
    return False


def settle_doubts(install: Install, now: datetime) -> int:
    """Do with mails in doubt what the setting says; returns how many are held for a person to say."""
    hold = install.settings.mail_in_doubt == "hold"
    with install.records.begin() as db:
        doubtful = [(kind, number) for kind in KINDS for number in _in_doubt(db, kind, now)]
        for kind, number in doubtful:
            found = db.get_one(kind, number)
            found.claim, found.next_try_at = "", now
            found.state = "held" if hold else "waiting"
            found.why = "It was being handed over when the service stopped; whether it arrived is not known."
            if hold:
                say = ": say so with the edition." if kind is Delivery else "."
                text = f"Whether a mail to {found.email} arrived is not known{say}"
                note(db, f"{_CODES[kind]}-held {found.id}", text, now)
    return len(doubtful) if hold else 0


def unsubscribed(install: Install, report: int, email: str, now: datetime) -> str:
    """Send somebody a report's editions no longer; returns the report's name. Raises NotThere."""
    with install.records.begin() as db:
        found = db.get(Report, report) if report <= LARGEST_NUMBER else None
        if found is None:
            raise NotThere("no-such-report", "That report is there no longer.")
        if db.get(Unsubscribed, (report, email)) is None:
            db.add(Unsubscribed(report_id=report, email=email, at=now))
            site = found.site_id
            note(db, f"unsubscribed {report} {email}", f"{email} wants {found.name} no longer (site {site}).", now)
        return found.name
