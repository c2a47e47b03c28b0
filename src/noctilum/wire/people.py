"""Users, their sign-ins and tokens as they cross HTTP."""

from __future__ import annotations

from datetime import datetime
from typing import Any, Literal

from pydantic import Field, SecretStr

from noctilum.wire.base import Asked, Line, Wire
from noctilum.wire.questions import Question

Role = Literal["owner", "analyst", "reader"]


class UserOut(Wire):
    """Somebody who may sign in."""

    id: int
    name: str
    email: str
    role: str = Field(
        description="owner: everything; analyst: all but people, deleting for good; reader: figures, signed editions"
    )
    clients: list[str] | None = Field(description="Those somebody works for or reads of; none for all of them")
    second_factor: bool = Field(description="Whether a code is asked for at signing in")
    created_at: datetime


class NewUser(Asked):
    """Somebody to add."""

    name: Line = Field(min_length=1, max_length=120)
    email: Line = Field(min_length=3, max_length=300)
    password: SecretStr = Field(max_length=1000, description="At least 12 characters, none of the common ones")
    role: Role = "analyst"
    clients: list[Line] | None = Field(
        default=None, max_length=500, description="Keys of some clients; all without any"
    )


class UserChange(Asked):
    """What to change of a user; what is left out stays."""

    name: Line | None = Field(default=None, min_length=1, max_length=120)
    role: Role | None = None
    clients: list[Line] | None = Field(
        default=None, max_length=500, description="Keys of some clients; an empty list for all"
    )
    second_factor: Literal[False] | None = Field(default=None, description="False: no code is asked for any more")
    password: SecretStr | None = Field(default=None, max_length=1000, description="Ends what they are signed in with")


class MyChange(Asked):
    """What to change of oneself."""

    language: Literal["", "en", "de", "fr", "es"] = Field(
        description="To read the console and its mails in; empty: the one the browser asks for"
    )


class PasswordChange(Asked):
    """One's own password, old and new."""

    old: SecretStr = Field(max_length=1000)
    new: SecretStr = Field(max_length=1000, description="At least 12 characters, none of the common ones")


class SignInOut(Wire):
    """Where somebody is signed in to the console."""

    id: int
    user: str
    address: str
    agent: str
    created_at: datetime
    seen_at: datetime
    until: datetime = Field(description="When it ends unless it is used again")
    this: bool = Field(description="Whether this is the one that asks")


class Ended(Wire):
    """How many sign-ins ended."""

    ended: int


class NewToken(Asked):
    """A token to make for a program."""

    label: Line = Field(min_length=1, max_length=120, description="What it is for")
    days: int | None = Field(default=None, ge=1, le=3650, description="How long it holds; until it is revoked without")
    reads: bool = Field(default=False, description="It changes nothing")


class TokenOut(Wire):
    """A token of a program; the token itself is shown once, when it is made."""

    id: int
    label: str
    user: str
    created_at: datetime
    used_at: datetime | None
    until: datetime | None
    reads: bool


class TokenMade(TokenOut):
    """A token just made, shown this once."""

    token: str


class AuditQuery(Question):
    """Which changes, the newest first."""

    find: str = Field(default="", max_length=120, description="Those by, of, or at something that holds this")
    limit: int = Field(default=200, ge=1, le=1000)
    offset: int = Field(default=0, ge=0, le=1_000_000_000)


class AuditOut(Wire):
    """One change that somebody made, or something that was sent."""

    at: datetime
    who: str
    what: str
    where: str
    address: str
    status: int


class Invitation(Asked):
    """Somebody to invite by mail, who chooses a password themselves."""

    name: Line = Field(min_length=1, max_length=120)
    email: Line = Field(min_length=3, max_length=300)
    role: Role = "reader"
    clients: list[Line] | None = Field(
        default=None, max_length=500, description="Keys of some clients; all without any"
    )
    language: Line = Field(default="en", max_length=20, description="Of the mail, BCP 47")


class PasswordReset(Asked):
    """Whose password is to be chosen anew."""

    email: Line = Field(min_length=3, max_length=300)


class PasskeyAsked(Wire):
    """What a browser asks a device for, and what its answer brings along."""

    options: dict[str, Any] = Field(description="Of WebAuthn, as PublicKeyCredential takes them from JSON")
    ticket: str = Field(description="Stands for the challenge; it is taken once, within five minutes")


class NewPasskey(Asked):
    """A passkey that a device has made."""

    ticket: str = Field(max_length=400)
    label: Line = Field(min_length=1, max_length=120, description="Of the device")
    credential: dict[str, Any] = Field(description="Of WebAuthn, as PublicKeyCredential writes it to JSON")


class PasskeySignIn(Asked):
    """What a device answers who signs in."""

    ticket: str = Field(max_length=400)
    credential: dict[str, Any] = Field(description="Of WebAuthn, as PublicKeyCredential writes it to JSON")


class PasskeyOut(Wire):
    """A passkey of one's own."""

    id: int
    label: str
    created_at: datetime
    used_at: datetime | None


class SecondFactorBegun(Wire):
    """What an authenticator is told; it counts once a code of it was given."""

    secret: str = Field(description="Base32, to be typed")
    address: str = Field(description="otpauth: for the same machine")
    picture: str = Field(description="The address as a QR code, SVG")


class SecondFactorCode(Asked):
    """A code of one's authenticator."""

    code: Line = Field(min_length=6, max_length=12)
