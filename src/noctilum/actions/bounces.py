"""Mails that came back: the message that says so (RFC 3464, or the mail itself as an attachment), told apart."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import datetime
from email import message_from_string, policy
from email.message import EmailMessage, Message

from noctilum.actions.install import Install
from noctilum.actions.sending import returned
from noctilum.core.errors import Nonsense
from noctilum.wire.plain_text import cleaned
from noctilum.wire.reports import Bounced

MOST_PARTS = 50


def taken(install: Install, text: str, now: datetime) -> Bounced:
    """Note whom a mail came back from; raises Nonsense for what is no such message, NotThere for a mail not from here.

    A message that says a mail is merely late ("delayed", "relayed", "delivered", "expanded") is none.
    """
    try:
        whole = message_from_string(text, policy=policy.default)
        parts = list(_parts(whole))
        states = [state for part in parts for state in _states(part)]
        message = next(filter(None, (_message_id(part) for part in parts)), "")
    except (ValueError, LookupError, TypeError, AttributeError, IndexError) as why:
        raise _no_bounce() from why
    if not any(action == "failed" for action, _ in states) or not message:
        raise _no_bounce()
    said = next(reason for action, reason in states if action == "failed")
    return returned(install, message, cleaned(said or "It came back.", 500), now)


def _parts(whole: Message) -> Iterator[Message]:
    """Give a message's parts, those of messages within it included."""
    for at, part in enumerate(whole.walk()):
        if at >= MOST_PARTS:
            return
        if part is not whole:
            yield part


def _states(part: Message) -> Iterator[tuple[str, str]]:
    """Give what a delivery status says of each recipient: the action, and why."""
    if part.get_content_type() != "message/delivery-status" and not part.get("Action"):
        return
    for each in [part, *(part.get_payload() if part.is_multipart() else ())]:
        if isinstance(each, Message) and each.get("Action"):
            said = str(each.get("Diagnostic-Code", "")).partition(";")[2] or str(each.get("Status", ""))
            yield str(each["Action"]).strip().lower(), said.strip()


def _message_id(part: Message) -> str:
    """Give the Message-ID of the mail that came back, from its copy or its headers."""
    if part.get_content_type() == "text/rfc822-headers":
        body = part.get_content() if isinstance(part, EmailMessage) else str(part.get_payload())
        inner: Message = message_from_string(str(body), policy=policy.default)
        return str(inner.get("Message-ID", "")).strip()
    return str(part.get("Message-ID", "")).strip()


def _no_bounce() -> Nonsense:
    return Nonsense(
        "no-bounce",
        "This is no message that a mail came back.",
        where="text",
        remedy="give the whole message as it arrived, headers included",
    )
