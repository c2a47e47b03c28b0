"""Posting to somebody's address, signed (RFC 9421, RFC 9530): where it may go, in bounded time, with no redirect."""

from __future__ import annotations

import hashlib
from base64 import b64encode
from dataclasses import dataclass, field
from datetime import datetime

import httpcore
import httpx
from http_message_signatures import HTTPMessageSigner, HTTPSignatureKeyResolver
from http_message_signatures.algorithms import HMAC_SHA256

from noctilum.core.errors import FeedFault, worded
from noctilum.sources.outgoing import Guard, InsideRefused, guarded_client

SECONDS = 10.0
COVERED = ("@method", "@target-uri", "content-type", "content-digest", "noctilum-event")
"""What a signature stands for."""


@dataclass
class Message:
    """A request as it is signed."""

    method: str
    url: str
    headers: dict[str, str] = field(default_factory=dict)


class _Key(HTTPSignatureKeyResolver):
    def __init__(self, secret: bytes) -> None:
        self._secret = secret

    def resolve_private_key(self, key_id: str) -> bytes:
        """Give the secret that both sides know."""
        return self._secret

    def resolve_public_key(self, key_id: str) -> bytes:
        """Give the secret that both sides know."""
        return self._secret


def signed(url: str, body: bytes, event: str, key: str, secret: bytes, at: datetime) -> dict[str, str]:
    """Give the headers of a signed POST: HMAC-SHA256 over its method, address, kind, digest, number and time."""
    digest = b64encode(hashlib.sha256(body).digest()).decode()
    headers = {
        "Content-Type": "application/json",
        "Content-Digest": f"sha-256=:{digest}:",
        "Noctilum-Event": event,
    }
    message = Message("POST", url, headers)
    signer = HTTPMessageSigner(signature_algorithm=HMAC_SHA256, key_resolver=_Key(secret))
    signer.sign(message, key_id=key, created=at, covered_component_ids=COVERED, use_existing_digest=True)
    return message.headers


def post(url: str, body: bytes, headers: dict[str, str], guard: Guard) -> int:
    """Post it; gives the status. Raises FeedFault where it cannot be reached, may not be, or takes too long."""
    try:
        with (
            guarded_client("", guard, httpx.Timeout(SECONDS), SECONDS) as client,
            client.stream("POST", url, content=body, headers=headers) as answer,
        ):
            return answer.status_code
    except httpx.HTTPError as why:
        inside = isinstance(why.__cause__, InsideRefused) or isinstance(why.__context__, InsideRefused)
        what = "is inside the network, where it may not go" if inside else f"does not answer ({type(why).__name__})"
        raise FeedFault(
            "webhook-away", worded("{url} {what}.", url=url, what=what), where=url, remedy="look at the address"
        ) from why
    except (httpx.InvalidURL, httpcore.ConnectError, ValueError, UnicodeError) as why:
        raise FeedFault(
            "webhook-away", worded("{url} cannot be asked.", url=url), where=url, remedy="look at the address"
        ) from why
