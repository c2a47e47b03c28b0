"""Users, what they may do, their passwords and their tokens."""

from __future__ import annotations

import secrets
from collections.abc import Sequence
from datetime import datetime, timedelta
from functools import lru_cache
from hashlib import sha256
from threading import Semaphore
from typing import Literal, get_args

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerifyMismatchError
from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from noctilum.actions.find import find_client
from noctilum.actions.install import Install
from noctilum.actions.second_factor import forgotten
from noctilum.core.errors import Clash, Nonsense, NotThere, Refused, worded
from noctilum.records.models import LARGEST_NUMBER, Client, SignIn, Token, User, UserClient
from noctilum.records.scope import Scope
from noctilum.wire import people as wire
from noctilum.wire.plain_text import unkeepable

Role = Literal["owner", "analyst", "reader"]
"""What somebody may do. An owner may do everything; an analyst all but what concerns people and deleting for good, for
all clients or for some; a reader sees the figures and signed editions of some clients, and changes nothing."""
ROLES: tuple[Role, ...] = get_args(Role)
SHORTEST_PASSWORD, LONGEST_PASSWORD = 12, 1000
FEWEST_GUESSES = 1e8
"""A password that so many guesses find is refused."""
MOST_LOOKED_AT = 72
"""Characters of a password that are estimated; more only cost time."""
NOTED_EVERY = timedelta(hours=1)
"""That something is used is written down at most so often."""
_hasher = PasswordHasher()
_one_at_a_time = Semaphore(1)
"""A hash takes memory and time on purpose: many at once must not take them from everything else."""


@lru_cache(maxsize=1)
def _nobody() -> str:
    return _hasher.hash("nobody signs in with this")


def may(role: str, wanted: Role) -> bool:
    """Say whether a role suffices.

    >>> may("owner", "analyst"), may("analyst", "owner"), may("analyst", "reader")
    (True, False, True)
    """
    return role in ROLES and ROLES.index(role) <= ROLES.index(wanted)


def check_new_password(password: str, *about: str) -> None:
    """Refuse a password that is short, common, blank, or made of what is known of its user."""
    bare = "".join(password.casefold().split())
    known = {part.casefold() for each in about for part in (each, each.partition("@")[0], "".join(each.split()))}
    for wrong, why in (
        (not bare, "is blank"),
        (len(password) < SHORTEST_PASSWORD, f"has fewer than {SHORTEST_PASSWORD} characters"),
        (len(password) > LONGEST_PASSWORD, f"has more than {LONGEST_PASSWORD} characters"),
        (len(set(bare)) < 4, "repeats the same few characters"),
        (unkeepable(password) is not None, "holds characters that cannot be typed"),
        (bare in known, "is the user's own name or address"),
        (_is_guessed_soon(password, about), "is among those that everybody tries"),
    ):
        if wrong:
            raise Nonsense(
                "password-weak",
                worded("The password {why}.", why=why),
                where="password",
                remedy="a few words that only you put together",
            )


def _is_guessed_soon(password: str, about: Sequence[str]) -> bool:
    """Say whether common passwords, words, keyboards and the user's own names lead to it (zxcvbn's estimate)."""
    from zxcvbn import zxcvbn

    return bool(password) and bool(
        zxcvbn(password[:MOST_LOOKED_AT], user_inputs=list(about))["guesses"] < FEWEST_GUESSES
    )


def add_user(
    install: Install,
    name: str,
    email: str,
    password: str,
    now: datetime,
    role: Role = "analyst",
    clients: Sequence[str] | None = None,
) -> User:
    """Add somebody who may sign in; raises Nonsense or Clash. The first user of an install is its owner.

    clients: keys of those somebody works for, or reads of; all of them without.
    """
    address = checked_email(email)
    check_new_password(password, name, address)
    hashed = hash_of(password)
    with install.records.begin() as db:
        if db.scalar(select(User).where(User.email == address)):
            raise Clash("user-exists", worded("{address} is a user already.", address=address))
        first = db.scalar(select(User.id).limit(1)) is None
        user = User(name=name, email=address, password_hash=hashed, role="owner" if first else role, created_at=now)
        db.add(user)
        db.flush()
        _set_clients(db, user, clients)
        return user


def _set_clients(db: Session, user: User, clients: Sequence[str] | None) -> None:
    """Say which clients somebody works for; without any for all of them, as an owner does and no reader can."""
    if user.role == "owner" and clients:
        raise Nonsense("owner-of-some", "An owner has all clients.", where="clients", remedy="make them an analyst")
    if user.role == "reader" and not clients:
        raise Nonsense("reader-of-none", "A reader reads of some clients.", where="clients", remedy="name them")
    db.execute(delete(UserClient).where(UserClient.user_id == user.id))
    user.some = bool(clients)
    for key in dict.fromkeys(clients or ()):
        db.add(UserClient(user_id=user.id, client_id=find_client(db, key).id))


def scope_of(install: Install, user: User) -> Scope | None:
    """Say which clients somebody may see; None for all of them."""
    if not user.some and user.role != "reader":
        return None
    with install.records.read() as db:
        numbers = frozenset(db.scalars(select(UserClient.client_id).where(UserClient.user_id == user.id)))
    return Scope(numbers, drafts=user.role != "reader")


def checked_email(email: str) -> str:
    """Bring a mail address to the form it is kept in; raises Nonsense for what is none."""
    address = email.strip().lower()
    local, at, host = address.rpartition("@")
    if not (at and local and host) or len(address) > 300 or unkeepable(address, line=True) or " " in address:
        raise Nonsense("email-unusable", worded("{email!r} is not a mail address.", email=email[:100]), where="email")
    return address


def hash_of(password: str) -> str:
    """Hash a password for keeping (Argon2id)."""
    with _one_at_a_time:
        return _hasher.hash(password)


def is_password(hashed: str, password: str) -> bool:
    """Say whether a password is the one that was hashed."""
    with _one_at_a_time:
        try:
            return _hasher.verify(hashed, password)
        except (VerifyMismatchError, InvalidHashError, UnicodeEncodeError):
            return False


def check_password(install: Install, email: str, password: str) -> User:
    """Find the user these belong to; raises Refused, taking as long for an unknown address."""
    with install.records.read() as db:
        user = db.scalar(select(User).where(User.email == email.strip().lower()))
    is_right = is_password(user.password_hash if user else _nobody(), password)
    if user is None or not is_right:
        raise Refused("sign-in-refused", "The address and the password do not belong together.", remedy="try again")
    return user


def list_users(install: Install) -> list[wire.UserOut]:
    """List everybody who may sign in, by name."""
    with install.records.read() as db:
        return [_user_out(db, found) for found in db.scalars(select(User).order_by(User.name, User.id))]


def user_out(install: Install, found: User) -> wire.UserOut:
    """Show a user."""
    with install.records.read() as db:
        return _user_out(db, found)


def _user_out(db: Session, found: User) -> wire.UserOut:
    keys = select(Client.key).join(UserClient, UserClient.client_id == Client.id).where(UserClient.user_id == found.id)
    return wire.UserOut(
        id=found.id,
        name=found.name,
        email=found.email,
        role=found.role,
        clients=list(db.scalars(keys.order_by(Client.key))) if found.some else None,
        second_factor=found.second_on,
        created_at=found.created_at,
    )


def change_user(install: Install, number: int, asked: wire.UserChange) -> wire.UserOut:
    """Change a user's name, role or password; a new password or role ends what they are signed in with."""
    with install.records.read() as db:
        known = _user(db, number)
    password = asked.password.get_secret_value() if asked.password else None
    if password is not None:
        check_new_password(password, known.name, known.email)
    hashed = hash_of(password) if password is not None else None
    with install.records.begin() as db:
        found = _user(db, number)
        found.name = asked.name or found.name
        if asked.role is not None and asked.role != found.role:
            _keep_an_owner(db, found)
            found.role = asked.role
        if "clients" in asked.model_fields_set or asked.role is not None:
            _set_clients(db, found, asked.clients)
        if asked.second_factor is False:
            forgotten(found)
        if hashed is not None:
            found.password_hash = hashed
            db.execute(delete(SignIn).where(SignIn.user_id == number))
        db.flush()
        return _user_out(db, found)


def drop_user(install: Install, number: int) -> None:
    """Remove a user with their tokens and sign-ins; raises Clash for the last owner."""
    with install.records.begin() as db:
        found = _user(db, number)
        _keep_an_owner(db, found)
        db.execute(delete(Token).where(Token.user_id == number))
        db.execute(delete(SignIn).where(SignIn.user_id == number))
        db.delete(found)


def change_password(install: Install, number: int, old: str, new: str, keep: int | None) -> None:
    """Change one's own password; other sign-ins end, keep stays. Tokens stay: they are listed and revoked apart."""
    with install.records.read() as db:
        known = _user(db, number)
    check_password(install, known.email, old)
    check_new_password(new, known.name, known.email)
    set_password(install, known.email, new, keep)


def speak(install: Install, number: int, language: str) -> None:
    """Keep the language that somebody reads in; empty: the one their browser asks for."""
    with install.records.begin() as db:
        _user(db, number).language = language


def set_password(install: Install, email: str, password: str, keep: int | None = None) -> None:
    """Set a password without the old one, as who may read the data folder can; sign-ins but keep end."""
    with install.records.read() as db:
        known = db.scalar(select(User).where(User.email == email.strip().lower()))
    if known is None:
        raise NotThere(
            "no-such-user",
            worded("There is no user {email!r}.", email=email[:100]),
            remedy="list them with `noctilum users`",
        )
    check_new_password(password, known.name, known.email)
    hashed = hash_of(password)
    with install.records.begin() as db:
        _user(db, known.id).password_hash = hashed
        db.execute(delete(SignIn).where(SignIn.user_id == known.id, SignIn.id != (keep or 0)))


def _user(db: Session, number: int) -> User:
    found = db.get(User, number) if number <= LARGEST_NUMBER else None
    if found is None:
        raise NotThere(
            "no-such-user",
            worded("There is no user {number}.", number=number),
            remedy="list them with `noctilum users`",
        )
    return found


def _keep_an_owner(db: Session, found: User) -> None:
    others = select(User.id).where(User.role == "owner", User.id != found.id)
    if found.role == "owner" and db.scalar(others.limit(1)) is None:
        raise Clash(
            "last-owner",
            worded("{name} is the only owner.", name=found.name),
            remedy="make somebody else an owner first",
        )


# tokens


def new_token(
    install: Install, user_id: int, label: str, now: datetime, days: int | None = None, *, reads: bool = False
) -> str:
    """Make a bearer token; it is shown this once, and only its digest is kept.

    days: how long it holds. reads: it changes nothing.
    """
    token = f"nct_{secrets.token_urlsafe(24)}"
    until = now + timedelta(days) if days else None
    with install.records.begin() as db:
        db.add(Token(user_id=user_id, label=label, digest=digest_of(token), created_at=now, until=until, reads=reads))
    return token


def user_of_token(install: Install, token: str, now: datetime) -> User:
    """Find the user of a bearer token; raises Refused for one that is unknown, revoked or past."""
    return token_used(install, token, now)[0]


def token_used(install: Install, token: str, now: datetime) -> tuple[User, bool]:
    """Find the user of a bearer token, and whether it only reads; raises Refused for one unknown, revoked or past."""
    with install.records.read() as db:
        found = db.scalar(select(Token).where(Token.digest == digest_of(token)))
        user = found.user if found else None
    if found is None or user is None or (found.until is not None and found.until <= now):
        raise Refused("token-refused", "The token is not known here.", remedy="make one with `noctilum token`")
    if found.used_at is None or abs(now - found.used_at) > NOTED_EVERY:
        with install.records.begin() as db:
            if (again := db.get(Token, found.id)) is not None:
                again.used_at = now
    return user, found.reads


def list_tokens(install: Install, user: User) -> list[wire.TokenOut]:
    """List one's own tokens, newest first; an owner sees everybody's."""
    asked = select(Token).order_by(Token.id.desc())
    if not may(user.role, "owner"):
        asked = asked.where(Token.user_id == user.id)
    with install.records.read() as db:
        return [_token_out(found) for found in db.scalars(asked)]


def newest_token(install: Install, token: str) -> wire.TokenOut:
    """Show a token just made."""
    with install.records.read() as db:
        return _token_out(db.scalars(select(Token).where(Token.digest == digest_of(token))).one())


def _token_out(found: Token) -> wire.TokenOut:
    return wire.TokenOut(
        id=found.id,
        label=found.label,
        user=found.user.email,
        created_at=found.created_at,
        used_at=found.used_at,
        until=found.until,
        reads=found.reads,
    )


def drop_token(install: Install, user: User, number: int) -> None:
    """Revoke a token: one's own, or as an owner anybody's."""
    with install.records.begin() as db:
        found = db.get(Token, number) if number <= LARGEST_NUMBER else None
        if found is None or not (found.user_id == user.id or may(user.role, "owner")):
            raise NotThere(
                "no-such-token",
                worded("There is no token {number}.", number=number),
                remedy="list them with `noctilum tokens`",
            )
        db.delete(found)


def digest_of(token: str) -> str:
    """Digest a token or cookie for keeping."""
    return sha256(token.encode("utf-8", "surrogatepass")).hexdigest()
