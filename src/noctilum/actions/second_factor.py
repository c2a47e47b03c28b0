"""A second factor at signing in: codes of an authenticator (RFC 6238), each taken once."""

from __future__ import annotations

from datetime import datetime

import pyotp
import segno
from sqlalchemy.orm import Session

from noctilum.actions.install import Install
from noctilum.core.errors import Clash, Refused
from noctilum.records.models import User
from noctilum.wire.people import SecondFactorBegun

STEP = 30
DRIFT = 1
"""So many steps a clock may be off, to either side."""


def begun(install: Install, number: int) -> SecondFactorBegun:
    """Make a new secret for somebody's authenticator; it counts once a code of it was given. Raises Clash while on."""
    secret = pyotp.random_base32()
    with install.records.begin() as db:
        user = db.get_one(User, number)
        if user.second_on:
            raise Clash("second-factor-on", "A second factor is on already.", remedy="turn it off first, with a code")
        user.second = install.seal(secret)
        email = user.email
    address = pyotp.TOTP(secret, interval=STEP).provisioning_uri(name=email, issuer_name=install.settings.agency)
    picture = segno.make(address, error="m").svg_inline(scale=4, dark="#241F19", light="#FFFFFF")
    return SecondFactorBegun(secret=secret, address=address, picture=picture)


def turned_on(install: Install, number: int, code: str, now: datetime) -> None:
    """Ask for codes from now on; raises Refused for a wrong code, Clash where none was begun."""
    with install.records.begin() as db:
        user = db.get_one(User, number)
        if user.second is None or user.second_on:
            raise Clash("second-factor-not-begun", "No second factor was begun.", remedy="begin one first")
        _take(install, user, code, now)
        user.second_on = True


def turned_off(install: Install, number: int, code: str, now: datetime) -> None:
    """Ask for codes no longer; raises Refused for a wrong code."""
    with install.records.begin() as db:
        user = db.get_one(User, number)
        if user.second_on:
            _take(install, user, code, now)
        forgotten(user)


def forgotten(user: User) -> None:
    """Let a user sign in without a code, as an owner may who knows that somebody lost theirs."""
    user.second, user.second_on, user.second_used = None, False, 0


def asked(install: Install, user: User, code: str, now: datetime) -> None:
    """Take the code of who signs in, where one is asked for; raises Refused without it, for a wrong or a used one."""
    if not user.second_on:
        return
    if not code.strip():
        raise Refused(
            "second-factor-needed",
            "A code of your authenticator is asked for.",
            where="code",
            remedy="type its six digits",
        )
    with install.records.begin() as db:
        _take(install, _again(db, user), code, now)


def _again(db: Session, user: User) -> User:
    return db.get_one(User, user.id)


def _take(install: Install, user: User, code: str, now: datetime) -> None:
    """Take a code that was not taken before, of this half minute or the ones beside it."""
    assert user.second is not None
    totp = pyotp.TOTP(install.unseal(user.second), interval=STEP)
    step = int(now.timestamp()) // STEP
    for each in range(step - DRIFT, step + DRIFT + 1):
        if each > user.second_used and totp.verify(code.strip().replace(" ", ""), for_time=each * STEP):
            user.second_used = each
            return
    raise Refused(
        "code-wrong", "That code is wrong, or was used already.", where="code", remedy="wait for the next one"
    )
