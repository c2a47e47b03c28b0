"""Signing in to the console: sign-ins that can be listed and ended, and waits that grow with each failure.

Failures count for an account from an address, for an address, and for an account. An address somebody has signed in
from before waits for its own failures only: what strangers try elsewhere costs nobody their morning.
"""

from __future__ import annotations

import secrets
from dataclasses import dataclass
from datetime import datetime, timedelta

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from noctilum.actions import people, second_factor
from noctilum.actions.install import Install
from noctilum.core.errors import NotThere, Refused, TooMany, worded
from noctilum.records.models import LARGEST_NUMBER, FailedSignIn, KnownAddress, SignIn, User
from noctilum.wire import people as wire
from noctilum.wire.plain_text import cleaned

LASTS = timedelta(days=14)
"""A sign-in that is not used for so long is over; using it renews it."""
FORGOTTEN_AFTER = timedelta(days=1)
"""Failures are forgotten when none came for so long."""


@dataclass(frozen=True)
class Allowance:
    """How many failures are free, and how long the longest wait after more of them is."""

    free: int
    longest: timedelta

    def wait(self, failures: int) -> timedelta:
        """Give the wait after so many failures in a row: doubling from a second.

        >>> Allowance(3, timedelta(minutes=1)).wait(5)
        datetime.timedelta(seconds=2)
        """
        beyond = failures - self.free
        return min(self.longest, timedelta(seconds=2.0 ** min(beyond - 1, 30))) if beyond > 0 else timedelta(0)


PAIR = Allowance(4, timedelta(minutes=15))
ADDRESS = Allowance(20, timedelta(minutes=15))
ACCOUNT = Allowance(40, timedelta(minutes=2))


@dataclass(frozen=True)
class Begun:
    """A sign-in just begun: whose, its number, the cookie and the token its changes must bring along."""

    user: User
    number: int
    cookie: str
    csrf: str


def sign_in(
    install: Install, email: str, password: str, address: str, agent: str, now: datetime, code: str = ""
) -> Begun:
    """Check a password and begin a sign-in; raises TooMany while there is a wait, before anything is hashed.

    code: of the authenticator, for who has one; raises Refused without it, once the password was right.
    """
    account = email.strip().lower()[:300]
    keys = _keys(install, account, address)
    refuse_early(install, keys, now)
    try:
        user = people.check_password(install, account, password)
        second_factor.asked(install, user, code, now)
    except Refused as why:
        if why.code != "second-factor-needed":
            note_failure(install, keys, now)
        raise
    return begun(install, user, keys, address, agent, now)


def _keys(install: Install, account: str, address: str) -> dict[str, Allowance]:
    with install.records.read() as db:
        known = db.scalar(
            select(KnownAddress.user_id).join(User).where(User.email == account, KnownAddress.address == address)
        )
    keys = {f"{account} {address}": PAIR}
    return keys if known else keys | {f"from {address}": ADDRESS, f"to {account}": ACCOUNT}


def refuse_early(install: Install, keys: dict[str, Allowance], now: datetime) -> None:
    """Raise TooMany while any of the keys has to wait after its failures."""
    with install.records.read() as db:
        found = list(db.scalars(select(FailedSignIn).where(FailedSignIn.key.in_(keys))))
    ends = [each.last_at + keys[each.key].wait(each.count) for each in found if each.last_at <= now]
    left = max(((end - now).total_seconds() for end in ends), default=0.0)
    if left > 0:
        seconds = int(left) + 1
        raise TooMany(
            "sign-in-waits",
            worded("Signing in has failed too often; it can be tried again in {seconds} s.", seconds=seconds),
            remedy="wait, then try once with the right password",
            retry_after=seconds,
        )


def note_failure(install: Install, keys: dict[str, Allowance], now: datetime) -> None:
    """Count a failure for each of the keys."""
    with install.records.begin() as db:
        db.execute(delete(FailedSignIn).where(FailedSignIn.last_at < now - FORGOTTEN_AFTER))
        for key in keys:
            found = db.get(FailedSignIn, key)
            if found is None:
                db.add(FailedSignIn(key=key, count=1, last_at=now))
            else:
                found.count, found.last_at = found.count + 1, now


def forget_failures(install: Install, keys: dict[str, Allowance]) -> None:
    """Forget the failures of some keys, as after the right password."""
    with install.records.begin() as db:
        db.execute(delete(FailedSignIn).where(FailedSignIn.key.in_(keys)))


def begun(install: Install, user: User, keys: dict[str, Allowance], address: str, agent: str, now: datetime) -> Begun:
    """Begin a sign-in of somebody who has shown who they are; the failures of the first of the keys are forgotten."""
    cookie, csrf = secrets.token_urlsafe(32), secrets.token_urlsafe(24)
    with install.records.begin() as db:
        db.execute(delete(SignIn).where(SignIn.until <= now))
        pair = next(key for key, allowance in keys.items() if allowance is PAIR)
        db.execute(delete(FailedSignIn).where(FailedSignIn.key == pair))
        db.merge(KnownAddress(user_id=user.id, address=address, seen_at=now))
        found = SignIn(
            user_id=user.id,
            digest=people.digest_of(cookie),
            csrf=csrf,
            address=address[:60],
            agent=cleaned(agent, 190),
            created_at=now,
            seen_at=now,
            until=now + LASTS,
        )
        db.add(found)
        db.flush()
        return Begun(user, found.id, cookie, csrf)


def of_cookie(install: Install, cookie: str, now: datetime) -> SignIn | None:
    """Find the sign-in of a cookie, with its user, and renew it; None for one that is unknown, ended or past."""
    with install.records.read() as db:
        found = db.scalar(select(SignIn).where(SignIn.digest == people.digest_of(cookie)))
        if found is None or found.until <= now or found.user is None:
            return None
    if abs(now - found.seen_at) > people.NOTED_EVERY:
        with install.records.begin() as db:
            if (again := db.get(SignIn, found.id)) is not None:
                again.seen_at, again.until = now, now + LASTS
    return found


def list_sign_ins(install: Install, user: User, mine: int | None, now: datetime) -> list[wire.SignInOut]:
    """List where one is signed in, newest first; an owner sees everybody."""
    asked = select(SignIn).where(SignIn.until > now).order_by(SignIn.seen_at.desc(), SignIn.id.desc())
    if not people.may(user.role, "owner"):
        asked = asked.where(SignIn.user_id == user.id)
    with install.records.read() as db:
        return [
            wire.SignInOut(
                id=found.id,
                user=found.user.email,
                address=found.address,
                agent=found.agent,
                created_at=found.created_at,
                seen_at=found.seen_at,
                until=found.until,
                this=found.id == mine,
            )
            for found in db.scalars(asked)
        ]


def end(install: Install, user: User, number: int) -> None:
    """End a sign-in: one's own, or as an owner anybody's."""
    with install.records.begin() as db:
        found = db.get(SignIn, number) if number <= LARGEST_NUMBER else None
        if found is None or not (found.user_id == user.id or people.may(user.role, "owner")):
            raise NotThere(
                "no-such-sign-in",
                worded("There is no sign-in {number}.", number=number),
                remedy="list them with `noctilum sign-ins`",
            )
        db.delete(found)


def end_others(install: Install, user: User, mine: int | None) -> int:
    """End all of one's own sign-ins but this one; returns how many."""
    with install.records.begin() as db:
        return _ended(db, user.id, mine)


def _ended(db: Session, user: int, keep: int | None) -> int:
    found = db.execute(delete(SignIn).where(SignIn.user_id == user, SignIn.id != (keep or 0)))
    return int(found.rowcount)  # type: ignore[attr-defined]
