"""Addresses that only this install can have made: they say what they are for, and cannot be guessed."""

from __future__ import annotations

from hashlib import sha256

from itsdangerous import BadSignature, URLSafeSerializer, URLSafeTimedSerializer

from noctilum.actions.install import Install
from noctilum.core.errors import NotThere


def unsubscribe_address(install: Install, report: int, email: str) -> str:
    """Give the address by which somebody gets a report's mails no longer."""
    token = signer(install, "unsubscribe").dumps([report, email])
    return f"{install.settings.portal}/unsubscribe/{token}"


def unsubscribing(install: Install, token: str) -> tuple[int, str]:
    """Read such an address: the report and the mail address; raises NotThere for one that was not made here."""
    try:
        report, email = signer(install, "unsubscribe").loads(token)
        return int(report), str(email)
    except (BadSignature, ValueError, TypeError) as why:
        raise NotThere("no-such-link", "This address leads to nothing.") from why


def signer(install: Install, purpose: str) -> URLSafeSerializer:
    """Give what signs for a purpose, with a key made of the install's own; the same is signed the same each time."""
    return URLSafeSerializer(_secret(install), salt=purpose, signer_kwargs={"digest_method": sha256})


def timed_signer(install: Install, purpose: str) -> URLSafeTimedSerializer:
    """Give what signs for a purpose and says when it did."""
    return URLSafeTimedSerializer(_secret(install), salt=purpose, signer_kwargs={"digest_method": sha256})


def _secret(install: Install) -> bytes:
    return sha256(b"links " + install.key_path.read_bytes()).digest()
