"""Inviting people by mail, and letting somebody choose a new password: an address that works once, for a while."""

from __future__ import annotations

import secrets
from datetime import datetime
from email.headerregistry import Address
from email.message import EmailMessage
from email.utils import format_datetime

from itsdangerous import BadSignature
from sqlalchemy import select

from noctilum.actions import people
from noctilum.actions.install import Install
from noctilum.actions.looks import agency
from noctilum.actions.sending import is_set_up, server_of
from noctilum.actions.signed_links import timed_signer
from noctilum.core.errors import NotThere
from noctilum.records.models import LARGEST_NUMBER, User
from noctilum.sources.smtp import Posting
from noctilum.wire import people as wire
from noctilum.words.mails import INVITATION, RESET
from noctilum.words.speech import LANGUAGES, Speech

INVITED_FOR, RESET_FOR = 7 * 24 * 3600, 2 * 3600
"""Seconds that an address of an invitation, or of a new password, leads somewhere."""


def invited(install: Install, asked: wire.Invitation, now: datetime) -> wire.UserOut:
    """Add somebody who chooses a password by a mailed address. Raises what add_user and the mail server raise."""
    server_of(install)
    password = secrets.token_urlsafe(24)
    user = people.add_user(install, asked.name, asked.email, password, now, asked.role, asked.clients)
    if asked.language in LANGUAGES:
        people.speak(install, user.id, asked.language)
    _post(install, user, "invitation", now, asked.language)
    return people.user_out(install, user)


def reset_asked(install: Install, email: str, now: datetime) -> None:
    """Mail an address to choose a new password by; who is not known here gets nothing, and nobody is told which."""
    with install.records.read() as db:
        user = db.scalar(select(User).where(User.email == email.strip().lower()))
    if user is not None and is_set_up(install):
        _post(install, user, "reset", now, user.language or "en")


def _post(install: Install, user: User, purpose: str, now: datetime, language: str) -> None:
    speech, settings = Speech(language), install.settings
    token = timed_signer(install, purpose).dumps([user.id, user.password_hash[-16:]])
    link = f"{settings.portal}/welcome/{purpose}/{token}"
    name = agency(install).sender or settings.agency
    subject, what, holds = INVITATION if purpose == "invitation" else RESET
    mail = EmailMessage()
    mail["From"] = Address(display_name=" ".join(name.split()), addr_spec=settings.mail_from)
    mail["To"] = Address(display_name=" ".join(user.name.split()), addr_spec=user.email)
    mail["Subject"], mail["Date"] = speech.say(subject, agency=name), format_datetime(now)
    mail["Message-ID"] = f"<{secrets.token_hex(16)}@{settings.mail_from.rpartition('@')[2]}>"
    mail["Auto-Submitted"] = "auto-generated"
    mail.set_content(f"{speech.say(what, address=link)}\n\n{speech.text(holds)}\n")
    with Posting(server_of(install), seconds=8.0) as posting:
        posting.hand_over(mail, settings.mail_from, user.email)


def whose(install: Install, purpose: str, token: str) -> User:
    """Find whose password an address lets choose; raises NotThere for one that is over, used, or was made elsewhere."""
    age = {"invitation": INVITED_FOR, "reset": RESET_FOR}.get(purpose)
    try:
        if age is None:
            raise BadSignature("no such purpose")
        number, tail = timed_signer(install, purpose).loads(token, max_age=age)
        with install.records.read() as db:
            user = db.get(User, number) if 0 < number <= LARGEST_NUMBER else None
    except (BadSignature, ValueError, TypeError) as why:
        raise _nothing() from why
    if user is None or not secrets.compare_digest(user.password_hash[-16:], str(tail)):
        raise _nothing()
    return user


def chosen(install: Install, purpose: str, token: str, password: str) -> None:
    """Set the password somebody chose by such an address; it leads to nothing afterwards."""
    people.set_password(install, whose(install, purpose, token).email, password)


def _nothing() -> NotThere:
    return NotThere("no-such-link", "This address leads to nothing.")
