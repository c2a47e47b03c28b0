"""Users, passwords and tokens."""

from __future__ import annotations

import secrets
from datetime import datetime
from hashlib import sha256

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerifyMismatchError
from sqlalchemy import select

from noctilum.actions.install import Install
from noctilum.core.errors import Clash, Nonsense, Refused
from noctilum.records.models import Token, User

_hasher = PasswordHasher()
_NOBODY = _hasher.hash("nobody signs in with this")
SHORTEST_PASSWORD = 8


def add_user(install: Install, name: str, email: str, password: str, now: datetime) -> User:
    """Add somebody who may sign in; raises Nonsense or Clash."""
    if len(password) < SHORTEST_PASSWORD:
        raise Nonsense("password-short", f"A password has at least {SHORTEST_PASSWORD} characters.", where="password")
    if "@" not in email:
        raise Nonsense("email-unusable", f"{email!r} is not a mail address.", where="email")
    with install.records.begin() as db:
        if db.scalar(select(User).where(User.email == email.lower())):
            raise Clash("user-exists", f"{email} is a user already.")
        user = User(name=name, email=email.lower(), password_hash=_hasher.hash(password), created_at=now)
        db.add(user)
        return user


def check_password(install: Install, email: str, password: str) -> User:
    """Find the user these belong to; raises Refused, taking as long for an unknown address."""
    with install.records.read() as db:
        user = db.scalar(select(User).where(User.email == email.strip().lower()))
    try:
        _hasher.verify(user.password_hash if user else _NOBODY, password)
    except (VerifyMismatchError, InvalidHashError):
        user = None
    if user is None:
        raise Refused("sign-in-refused", "The address and the password do not belong together.", remedy="try again")
    return user


def find_user(install: Install, number: int) -> User | None:
    """Find a user by number."""
    with install.records.read() as db:
        return db.get(User, number)


def new_token(install: Install, user_id: int, label: str, now: datetime) -> str:
    """Make a bearer token; it is shown this once, and only its digest is kept."""
    token = f"nct_{secrets.token_urlsafe(24)}"
    with install.records.begin() as db:
        db.add(Token(user_id=user_id, label=label, digest=_digest(token), created_at=now))
    return token


def user_of_token(install: Install, token: str) -> User:
    """Find the user of a bearer token; raises Refused."""
    with install.records.read() as db:
        user = db.scalar(select(User).join(Token).where(Token.digest == _digest(token)))
    if user is None:
        raise Refused("token-refused", "The token is not known here.", remedy="make one with `noctilum token`")
    return user


def _digest(token: str) -> str:
    return sha256(token.encode()).hexdigest()
