"""The mail of a digest: what calls out, what is over, what came of work, in the language of its reader."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from email.message import EmailMessage
from email.utils import format_datetime
from typing import Any, Literal
from urllib.parse import quote

from noctilum.reports.mailing import Envelope, named_address
from noctilum.reports.templates_read import environment
from noctilum.words.speech import Speech

COLOUR = "#7a3b12"


@dataclass(frozen=True)
class Item:
    """Something that is told. look: the reading that tells more; verdict: of work."""

    what: Literal["opened", "closed", "worked"]
    site: str
    text: str
    look: str
    key: str = ""
    verdict: str = ""

    def kept(self) -> dict[str, str]:
        """Give it as it is written down."""
        return asdict(self)


def digest_mail(content: Mapping[str, Any], envelope: Envelope, address: str) -> EmailMessage:
    """Write the mail. address: where the console is opened; "" where that is not known."""
    speech = Speech(content["language"])
    items = [Item(**each) for each in content["items"]]
    parts = {what: [each for each in items if each.what == what] for what in ("opened", "closed", "worked")}
    told = {
        "agency": envelope.sender_name,
        "said": speech.say,
        "colour": COLOUR,
        "language": content["language"],
        "parts": parts,
        "title": _title(speech, parts),
        "link_of": lambda item: link_of(item, address),
        "console": f"{address}/alerts" if address else "",
    }
    mail = EmailMessage()
    mail["From"] = named_address(envelope.sender_name, envelope.sender)
    mail["To"] = named_address(envelope.to_name, envelope.to)
    mail["Subject"] = told["title"]
    mail["Date"] = format_datetime(envelope.at)
    mail["Message-ID"] = envelope.message
    mail["Auto-Submitted"] = "auto-generated"
    mail.set_content(environment().get_template("digest.txt").render(**told))
    mail.add_alternative(environment().get_template("digest.html").render(**told), subtype="html")
    return mail


def _title(speech: Speech, parts: Mapping[str, Sequence[Item]]) -> str:
    """Say what is in it, shortest first to read."""
    told = []
    if parts["opened"]:
        told.append(speech.say("{number} new", number=str(len(parts["opened"]))))
    if parts["closed"]:
        told.append(speech.say("{number} over", number=str(len(parts["closed"]))))
    if parts["worked"]:
        told.append(speech.say("{number} of work", number=str(len(parts["worked"]))))
    return speech.say("What calls out: {told}", told=", ".join(told))


def link_of(item: Item, address: str) -> str:
    """Give where the console tells more of it."""
    if not address:
        return ""
    site = quote(item.site.replace("/", "~"), safe="~")
    return f"{address}/sites/{site}/read/{quote(item.look)}"
