"""Grants: letting a person say at the provider that Noctilum may read.

OAuth 2.0 authorization code (RFC 6749, 4.1) with PKCE (RFC 7636).
"""

from __future__ import annotations

import base64
import json
import secrets
from dataclasses import dataclass
from datetime import datetime, timedelta
from hashlib import sha256
from pathlib import Path
from urllib.parse import urlencode

from noctilum.actions.install import Install
from noctilum.core.errors import FeedFault, Nonsense, NotThere
from noctilum.sources.http_feed import HttpFeed, checked_url, token_of
from noctilum.sources.mapping import Auth, auth_of
from noctilum.sources.outgoing import SOMEBODY_WAITS
from noctilum.wire import setup as wire

LASTS = timedelta(minutes=30)


@dataclass(frozen=True)
class Begun:
    """Where to send somebody, and what the grant is called until it is used."""

    go: str
    grant: str


def begin(install: Install, asked: wire.AskGrant, callback: str, now: datetime) -> Begun:
    """Prepare a grant; the verifier and the client secret stay here, encrypted."""
    auth = auth_of(asked.mapping)
    if auth.kind != "oauth-code":
        raise Nonsense("no-grant-needed", "This mapping's feed is not granted by a person.", where="auth.kind")
    verifier, state = secrets.token_urlsafe(48), secrets.token_urlsafe(24)
    challenge = base64.urlsafe_b64encode(sha256(verifier.encode()).digest()).rstrip(b"=").decode()
    query = {
        "response_type": "code",
        "client_id": asked.account,
        "redirect_uri": callback,
        "state": state,
        "code_challenge": challenge,
        "code_challenge_method": "S256",
    } | ({"scope": auth.scope} if auth.scope else {})
    kept = {
        "url": asked.url.rstrip("/"),
        "account": asked.account,
        "client_secret": asked.secret.get_secret_value(),
        "mapping": asked.mapping,
        "verifier": verifier,
        "callback": callback,
        "back": asked.back,
        "until": (now + LASTS).isoformat(),
    }
    _write(install, state, kept)
    address = checked_url(auth.authorize_url.replace("{url}", asked.url.rstrip("/")))
    return Begun(f"{address}{'&' if '?' in address else '?'}{urlencode(query)}", state)


def finish(install: Install, state: str, code: str, now: datetime) -> str:
    """Trade the code for tokens; returns where in the console to go back to, "" for nowhere.

    Raises NotThere when the state is not of a grant begun here, Nonsense when it comes too late.
    """
    kept = _read(install, state)
    if datetime.fromisoformat(kept["until"]) < now:
        _path(install, state).unlink(missing_ok=True)
        raise Nonsense("grant-late", "The grant took too long.", remedy="begin again")
    found = _trade(install, auth_of(kept["mapping"]), kept, code)
    refresh = found.get("refresh_token")
    if not refresh:
        what = "The provider granted access without a way to renew it."
        raise FeedFault("grant-not-lasting", what, remedy="ask the provider for offline access, in auth.scope")
    secret = {"refresh_token": str(refresh), "client_secret": kept["client_secret"]}
    _write(install, state, kept | {"secret": json.dumps(secret), "verifier": ""})
    if not kept["back"]:
        return ""
    return f"{kept['back']}{'&' if '?' in kept['back'] else '?'}{urlencode({'grant': state})}"


def _trade(install: Install, auth: Auth, kept: dict[str, str], code: str) -> dict[str, object]:
    form = {
        "grant_type": "authorization_code",
        "code": code,
        "redirect_uri": kept["callback"],
        "client_id": kept["account"],
        "code_verifier": kept["verifier"],
    } | ({"client_secret": kept["client_secret"]} if kept["client_secret"] else {})
    feed = HttpFeed(kept["url"], install.settings.inside, SOMEBODY_WAITS)
    feed.secrets.learn(kept["client_secret"], code, kept["verifier"])
    try:
        address = auth.token_url.replace("{url}", kept["url"])
        return token_of(feed.patiently(lambda: feed.post_form(address, form)), kept["account"])
    finally:
        feed.close()


def secret_of(install: Install, grant: str) -> str:
    """Give what was granted; raises Nonsense while nothing is."""
    found = _read(install, grant).get("secret")
    if not found:
        raise Nonsense("not-granted", "Nobody has granted this yet.", remedy="go to the provider's page and agree")
    return found


def back_of(install: Install, state: str) -> str:
    """Say where a grant was begun, for somebody who did not agree."""
    return _read(install, state)["back"]


def asked_of(install: Install, grant: str) -> wire.Grant:
    """Give what a grant was begun with, so that whoever began it can go on."""
    kept = _read(install, grant)
    given = {"url": kept["url"], "account": kept["account"], "mapping": kept["mapping"]}
    return wire.Grant(connector="mapped-feed", grant=grant, granted=bool(kept.get("secret")), **given)


def renew(install: Install, grant: str, secret: str) -> None:
    """Keep a secret that the provider has put in place of the granted one."""
    _write(install, grant, _read(install, grant) | {"secret": secret})


def _path(install: Install, state: str) -> Path:
    name = sha256(state.encode()).hexdigest()[:32]
    return install.settings.data / "grants" / name


def _write(install: Install, state: str, kept: dict[str, str]) -> None:
    path = _path(install, state)
    path.parent.mkdir(mode=0o700, exist_ok=True)
    path.write_bytes(install.seal(json.dumps(kept)))


def _read(install: Install, state: str) -> dict[str, str]:
    try:
        found: dict[str, str] = json.loads(install.unseal(_path(install, state).read_bytes()))
    except FileNotFoundError as why:
        raise NotThere("no-such-grant", "This grant was not begun here.", remedy="begin again") from why
    return found
