"""Alerts as a feed that other programs read (RFC 4287), and the address at which they do."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from urllib.parse import urlencode
from xml.etree import ElementTree as ET

from itsdangerous import BadSignature
from sqlalchemy.orm import Session

from noctilum.actions.alerts import listed
from noctilum.actions.install import Install
from noctilum.actions.people import scope_of
from noctilum.actions.signed_links import signer
from noctilum.core.errors import NotThere
from noctilum.records.models import User
from noctilum.records.scope import within
from noctilum.wire import alerts as wire
from noctilum.words.speech import Speech
from noctilum.words.tell_breaks import OVER, TITLE

ATOM = "http://www.w3.org/2005/Atom"
CONTENT_TYPE = "application/atom+xml"
MOST = 100


def as_feed(alerts: Sequence[wire.AlertOut], address: str, portal: str, agency: str, language: str) -> bytes:
    """Write alerts as an Atom feed, the newest first; one that is over says so."""
    speech = Speech(language)
    feed = ET.Element("feed", {"xmlns": ATOM, "xml:lang": language})
    _text(feed, "id", address)
    _text(feed, "title", speech.say(TITLE, agency=agency))
    newest = max((_updated(each) for each in alerts), default=None)
    _text(feed, "updated", (newest or datetime.fromisoformat("1970-01-01T00:00:00+00:00")).isoformat())
    ET.SubElement(feed, "link", {"rel": "self", "href": address})
    _text(ET.SubElement(feed, "author"), "name", agency)
    for alert in alerts:
        _entry(feed, alert, portal, speech)
    return bytes(ET.tostring(feed, encoding="utf-8", xml_declaration=True))


def _entry(feed: ET.Element, alert: wire.AlertOut, portal: str, speech: Speech) -> None:
    entry = ET.SubElement(feed, "entry")
    _text(entry, "id", f"{portal}/alerts#{alert.id}")
    title = speech.say(OVER, text=alert.text) if alert.closed_at else alert.text
    _text(entry, "title", f"{alert.site}: {title}")
    _text(entry, "published", alert.opened_at.isoformat())
    _text(entry, "updated", _updated(alert).isoformat())
    ET.SubElement(entry, "link", {"href": f"{portal}/alerts?{urlencode({'site': alert.site, 'state': 'all'})}"})
    ET.SubElement(entry, "category", {"term": alert.rule})
    _text(entry, "content", title)


def _updated(alert: wire.AlertOut) -> datetime:
    return alert.closed_at or alert.opened_at


def _text(into: ET.Element, name: str, text: str) -> None:
    ET.SubElement(into, name).text = text


def feed_address(install: Install, user: int) -> wire.FeedOut:
    """Give the address at which programs read somebody's alerts; a new calendar's address ends it."""
    with install.records.read() as db:
        found = db.get_one(User, user)
        token = signer(install, "alerts").dumps([found.id, found.calendar])
    return wire.FeedOut(address=f"{install.settings.portal}/alerts/{token}.atom")


def feed_of(install: Install, token: str) -> bytes:
    """Give the feed at an address: the alerts that whom it is for may see. Raises NotThere for one that is over."""
    with install.records.read() as db:
        user = _user_of(install, db, token)
        if user is None:
            raise NotThere("no-such-feed", "There is no feed at this address.", remedy="ask for a new one")
        scope, language = scope_of(install, user), user.language or "en"
    with within(scope):
        found = listed(install, wire.AlertsQuery(state="all", language=language))
    told = [each for each in found if each.state != "muted"][:MOST]
    address = f"{install.settings.portal}/alerts/{token}.atom"
    return as_feed(told, address, install.settings.portal, install.settings.agency, language)


def _user_of(install: Install, db: Session, token: str) -> User | None:
    try:
        number, turn = signer(install, "alerts").loads(token)
    except (BadSignature, ValueError, TypeError):
        return None
    found = db.get(User, number) if isinstance(number, int) else None
    return found if found is not None and found.calendar == turn else None
