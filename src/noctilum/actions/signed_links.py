"""Addresses that only this install can have made: they say what they are for, and cannot be guessed."""

from __future__ import annotations

from hashlib import sha256

from itsdangerous import BadSignature, URLSafeSerializer

from noctilum.actions.install import Install
from noctilum.core.errors import NotThere


def unsubscribe_address(install: Install, report: int, email: str) -> str:
    """Give the address by which somebody gets a report's mails no longer."""
    token = _signer(install, "unsubscribe").dumps([report, email])
    return f"{install.settings.public_url.rstrip('/')}/unsubscribe/{token}"


def unsubscribing(install: Install, token: str) -> tuple[int, str]:
    """Read such an address: the report and the mail address; raises NotThere for one that was not made here."""
    try:
        report, email = _signer(install, "unsubscribe").loads(token)
        return int(report), str(email)
    except (BadSignature, ValueError, TypeError) as why:
        raise NotThere("no-such-link", "This address leads to nothing.") from why


def _signer(install: Install, purpose: str) -> URLSafeSerializer:
    secret = sha256(b"links " + install.key_path.read_bytes()).digest()
    return URLSafeSerializer(secret, salt=purpose, signer_kwargs={"digest_method": sha256})
