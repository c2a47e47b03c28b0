"""The mail an edition goes out with: plain text and HTML in the client's language, with the summary in it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from email.headerregistry import Address
from email.message import EmailMessage
from email.utils import format_datetime

from markupsafe import Markup

from noctilum.reports.commentary import as_html
from noctilum.reports.document import Document
from noctilum.reports.numbers import readable
from noctilum.reports.templates_read import environment
from noctilum.words.speech import Speech


@dataclass(frozen=True)
class Attached:
    """A file that goes with a mail."""

    name: str
    media_type: str
    body: bytes


@dataclass(frozen=True)
class Envelope:
    """From whom and to whom a mail is. message: its Message-ID; unsubscribe: an address, empty for none."""

    sender: str
    sender_name: str
    to: str
    to_name: str
    message: str
    at: datetime
    unsubscribe: str = ""
    link: str = ""


def mail_of(
    document: Document, envelope: Envelope, files: Sequence[Attached], message: str = "", *, complete: bool = True
) -> EmailMessage:
    """Write the mail of an edition. message: the analyst's own words, Markdown, above the summary."""
    speech = Speech(document.look.language)
    told = {
        "d": document,
        "n": speech.numbers,
        "said": speech.say,
        "message": Markup(as_html(message)) if message else "",
        "plain": message.strip(),
        "complete": complete,
        "link": envelope.link,
        "unsubscribe": envelope.unsubscribe,
        "colour": readable(document.look.colour),
        "files": [each.name for each in files],
    }
    mail = EmailMessage()
    mail["From"] = named_address(document.look.sender or envelope.sender_name, envelope.sender)
    mail["To"] = named_address(envelope.to_name, envelope.to)
    mail["Subject"] = speech.say("{client}: {title}", client=document.look.client_name, title=document.title)
    mail["Date"] = format_datetime(envelope.at)
    mail["Message-ID"] = envelope.message
    mail["Auto-Submitted"] = "auto-generated"
    if envelope.unsubscribe:
        mail["List-Unsubscribe"] = f"<{envelope.unsubscribe}>"
        mail["List-Unsubscribe-Post"] = "List-Unsubscribe=One-Click"
    mail.set_content(environment().get_template("mail.txt").render(**told))
    mail.add_alternative(environment().get_template("mail.html").render(**told), subtype="html")
    for each in files:
        kind, _, part = each.media_type.partition("/")
        mail.add_attachment(each.body, maintype=kind, subtype=part, filename=each.name)
    return mail


def named_address(name: str, email: str) -> Address:
    """Give a name with its address, as a mail's head has it."""
    return Address(display_name=" ".join(name.split()), addr_spec=email)
