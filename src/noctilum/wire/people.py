"""Users, their sign-ins and tokens as they cross HTTP."""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from pydantic import Field, SecretStr

from noctilum.wire.base import Asked, Line, Wire

Role = Literal["owner", "analyst"]


class UserOut(Wire):
    """Somebody who may sign in."""

    id: int
    name: str
    email: str
    role: str = Field(description="owner: everything; analyst: all but people and deleting for good")
    created_at: datetime


class NewUser(Asked):
    """Somebody to add."""

    name: Line = Field(min_length=1, max_length=120)
    email: Line = Field(min_length=3, max_length=300)
    password: SecretStr = Field(max_length=1000, description="At least 12 characters, none of the common ones")
    role: Role = "analyst"


class UserChange(Asked):
    """What to change of a user; what is left out stays."""

    name: Line | None = Field(default=None, min_length=1, max_length=120)
    role: Role | None = None
    password: SecretStr | None = Field(default=None, max_length=1000, description="Ends what they are signed in with")


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


class TokenOut(Wire):
    """A token of a program; the token itself is shown once, when it is made."""

    id: int
    label: str
    user: str
    created_at: datetime
    used_at: datetime | None
    until: datetime | None


class TokenMade(TokenOut):
    """A token just made, shown this once."""

    token: str
