"""Shared pages: addresses that cannot be guessed, that end, can be taken back, and say when they were looked at."""

from __future__ import annotations

import secrets
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta
from ipaddress import ip_address, ip_network

from itsdangerous import BadSignature, URLSafeTimedSerializer
from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from noctilum.actions import editions, people, reports
from noctilum.actions import report as making
from noctilum.actions.find import find_site
from noctilum.actions.install import Install
from noctilum.actions.sets import usable_sets
from noctilum.actions.signed_links import signer, timed_signer
from noctilum.actions.signing_in import PAIR, forget_failures, note_failure, refuse_early
from noctilum.core.errors import Clash, Nonsense, NotThere, Refused, worded
from noctilum.core.filters.rows import compared
from noctilum.core.filters.text import quoted
from noctilum.records.models import LARGEST_NUMBER, Client, Report, Share, ShareView, Site
from noctilum.reports.document import Document
from noctilum.wire import shares as wire
from noctilum.wire.reports import ReportBody

WINDOWS = ("last-month", "P28D", "P3M", "P6M", "P12M")
AGAINST = ("before", "year", "none")
DEVICES = ("", "mobile", "desktop", "tablet")
OPENED_FOR = timedelta(hours=12)
"""A password is asked for again after so long."""
LOGGED_FOR = timedelta(days=400)


@dataclass(frozen=True)
class Opened:
    """A shared page that may be looked at. allowed: what its reader may change, sets as `set:Name`."""

    number: int
    report: int
    edition: int | None
    site: str
    allowed: tuple[str, ...]
    locked: bool

    @property
    def sets(self) -> tuple[str, ...]:
        """The saved sets that a reader may choose from."""
        return tuple(name.removeprefix("set:") for name in self.allowed if name.startswith("set:"))


def added(install: Install, asked: wire.NewShare, now: datetime, who: str) -> wire.ShareOut:
    """Share an edition that is signed off, or a report as it is today."""
    password = asked.password.get_secret_value() if asked.password else ""
    if password and len(password) < 8:
        raise Nonsense("password-weak", "The password has fewer than 8 characters.", where="password")
    with install.records.begin() as db:
        report = asked.report
        if asked.edition is not None:
            report = editions.of_state(db, asked.edition, "approved", "sent").report_id
        found, site, _ = reports.find(db, report or 0)
        known = usable_sets(db, find_site(db, site).client_id)
        for name in asked.sets:
            if compared(name) not in known:
                names = ", ".join(each.name for each in known.values())
                raise NotThere(
                    "no-such-set",
                    worded("There is no set {name!r}.", name=name),
                    remedy=worded("one of {names}", names=names),
                )
        share = Share(
            report_id=found.id,
            edition_id=asked.edition,
            label=asked.label,
            nonce=secrets.token_urlsafe(18),
            password_hash=people.hash_of(password) if password else "",
            allowed=[*asked.may_change, *(f"set:{name}" for name in asked.sets)] if asked.edition is None else [],
            until=now + timedelta(asked.days) if asked.days is not None else None,
            created_at=now,
            created_by=who,
        )
        db.add(share)
        db.flush()
        return _out(install, db, share, now)


def listed(install: Install, asked: wire.SharesQuery, now: datetime) -> list[wire.ShareOut]:
    """List shared pages, the newest first."""
    question = select(Share).join(Report, Share.report_id == Report.id).join(Site, Report.site_id == Site.id)
    question = question.join(Client, Site.client_id == Client.id).order_by(Share.id.desc())
    with install.records.read() as db:
        if asked.site is not None:
            question = question.where(Site.id == find_site(db, asked.site).id)
        if asked.client is not None:
            question = question.where(Client.key == asked.client)
        return [_out(install, db, found, now) for found in db.scalars(question).all()]


def revoked(install: Install, number: int, now: datetime) -> None:
    """Take a shared page back: its address leads to nothing from then on."""
    with install.records.begin() as db:
        found = _found(db, number)
        if found.revoked_at is not None:
            raise Clash("share-revoked", worded("The shared page {number} was taken back already.", number=number))
        found.revoked_at = now


def views(install: Install, number: int) -> list[wire.ShareViewOut]:
    """List when a shared page was looked at, the newest first, a thousand at most."""
    with install.records.read() as db:
        _found(db, number)
        asked = select(ShareView).where(ShareView.share_id == number).order_by(ShareView.id.desc()).limit(1000)
        return [wire.ShareViewOut(at=each.at, address=each.address, what=each.what) for each in db.scalars(asked)]


def _found(db: Session, number: int) -> Share:
    found = db.get(Share, number) if number <= LARGEST_NUMBER else None
    if found is None:
        raise NotThere(
            "no-such-share",
            worded("There is no shared page {number}.", number=number),
            remedy="list them with `noctilum shares`",
        )
    return found


def _out(install: Install, db: Session, found: Share, now: datetime) -> wire.ShareOut:
    report, site, client = reports.find(db, found.report_id)
    many, last = db.execute(select(func.count(), func.max(ShareView.at)).where(ShareView.share_id == found.id)).one()
    return wire.ShareOut(
        id=found.id,
        address=address_of(install, found),
        report=report.id,
        name=report.name,
        site=site,
        client=client,
        edition=found.edition_id,
        live=found.edition_id is None,
        label=found.label,
        password=bool(found.password_hash),
        may_change=[name for name in found.allowed if not name.startswith("set:")],
        sets=[name.removeprefix("set:") for name in found.allowed if name.startswith("set:")],
        until=found.until,
        over=_is_over(found, now),
        views=many,
        seen_at=last,
        created_at=found.created_at,
        created_by=found.created_by,
    )


def _is_over(found: Share, now: datetime) -> bool:
    return found.revoked_at is not None or (found.until is not None and found.until <= now)


# what readers do


def address_of(install: Install, found: Share) -> str:
    """Give the address of a shared page; it is made anew each time and kept nowhere."""
    token = signer(install, "share").dumps([found.id, found.nonce])
    return f"{install.settings.portal}/shared/{token}"


def opened(install: Install, token: str, key: str, now: datetime) -> Opened:
    """Open a shared page by its address. key: what a right password has given. Raises NotThere for one that is over.

    One that asks for a password and has not been given it is locked.
    """
    number, nonce = _read(install, token)
    with install.records.read() as db:
        found = db.get(Share, number) if number <= LARGEST_NUMBER else None
        if found is None or not secrets.compare_digest(found.nonce, nonce) or _is_over(found, now):
            raise _nothing()
        report, site, _ = reports.find(db, found.report_id)
        locked = bool(found.password_hash) and not _fits(install, key, found)
        return Opened(found.id, report.id, found.edition_id, site, tuple(found.allowed), locked)


def _read(install: Install, token: str) -> tuple[int, str]:
    try:
        number, nonce = signer(install, "share").loads(token)
        return int(number), str(nonce)
    except (BadSignature, ValueError, TypeError) as why:
        raise _nothing() from why


def _nothing() -> NotThere:
    return NotThere("no-such-link", "This address leads to nothing.")


def unlocked(install: Install, number: int, password: str, address: str, now: datetime) -> str:
    """Give the key to a shared page for its password; raises Refused, or TooMany after too many wrong ones."""
    keys = {f"share {number} {address}": PAIR}
    refuse_early(install, keys, now)
    with install.records.read() as db:
        found = _found(db, number)
    if not people.is_password(found.password_hash, password):
        note_failure(install, keys, now)
        raise Refused("password-wrong", "That is not the password.", remedy="ask who sent the address")
    forget_failures(install, keys)
    return _keys(install).dumps([found.id, found.password_hash[-16:]])


def _keys(install: Install) -> URLSafeTimedSerializer:
    return timed_signer(install, "share-key")


def _fits(install: Install, key: str, found: Share) -> bool:
    try:
        told = _keys(install).loads(key, max_age=int(OPENED_FOR.total_seconds()))
    except BadSignature:
        return False
    return bool(told == [found.id, found.password_hash[-16:]])


def looked_at(install: Install, number: int, address: str, what: str, now: datetime) -> None:
    """Note a look at a shared page; looks of more than a year ago are forgotten."""
    with install.records.begin() as db:
        db.execute(delete(ShareView).where(ShareView.share_id == number, ShareView.at < now - LOGGED_FOR))
        db.add(ShareView(share_id=number, at=now, address=network_of(address), what=what[:40]))


def network_of(address: str) -> str:
    """Cut an address to its network, which names nobody.

    >>> network_of("192.0.2.77"), network_of("2001:db8:1:2::9"), network_of("?")
    ('192.0.2.0', '2001:db8:1::', '')
    """
    try:
        ip = ip_address(address)
    except ValueError:
        return ""
    return str(ip_network(f"{ip}/{24 if ip.version == 4 else 48}", strict=False).network_address)


def document(install: Install, of: Opened, asked: Mapping[str, str], now: datetime) -> Document:
    """Give what a shared page shows: its edition as it was frozen, or its report today as its reader asks for it."""
    if of.edition is not None:
        return editions.document(install, of.edition)[0]
    with install.records.read() as db:
        found, site, _ = reports.find(db, of.report)
        body, language = reports.body_of(db, found), found.language
    return making.document(install, site, asked_of(of, body, asked), now, language)


def asked_of(of: Opened, body: ReportBody, asked: Mapping[str, str]) -> ReportBody:
    """Put what a reader asks for on a report, as far as it is allowed; anything else is passed over.

    A window of a block's own stays.
    """
    changes: dict[str, str] = {}
    if "window" in of.allowed and asked.get("window") in WINDOWS:
        changes["window"] = asked["window"]
    if "against" in of.allowed and asked.get("against") in AGAINST:
        changes["against"] = asked["against"]
    parts = [body.filter] if body.filter else []
    if "device" in of.allowed and asked.get("device") in DEVICES[1:]:
        parts.append(f"device is {asked['device']}")
    country = asked.get("country", "").upper()
    if "country" in of.allowed and len(country) == 2 and country.isascii() and country.isalpha():
        parts.append(f"country is {country}")
    if asked.get("set") in of.sets:
        parts.append(f"set {quoted(asked['set'])}")
    if parts:
        changes["filter"] = " and ".join(f"({part})" for part in parts) if len(parts) > 1 else parts[0]
    return body.model_copy(update=changes)
