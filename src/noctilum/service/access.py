"""Who is asking: the console's cookie with its CSRF token, or a bearer token."""

from __future__ import annotations

import hmac
import secrets

from apiflask import APIFlask
from flask import current_app, g, request, session

from noctilum.actions import people
from noctilum.actions.install import Install
from noctilum.core.errors import Refused
from noctilum.records.models import User

OPEN = ("/api/v1/grants/callback", "/api/v1/health", "/api/v1/openapi.json", "/api/v1/docs", "/api/v1/session")
SAFE = ("GET", "HEAD", "OPTIONS")


def install() -> Install:
    """The install this application serves."""
    found: Install = current_app.extensions["install"]
    return found


def install_access(app: APIFlask) -> None:
    """Let nobody reach the API without saying who they are."""

    @app.before_request
    def _gate() -> None:
        if not request.path.startswith("/api/") or (request.path in OPEN and request.method != "DELETE"):
            return
        g.user = _by_token() or _by_cookie()


def _by_token() -> User | None:
    scheme, _, token = request.headers.get("Authorization", "").partition(" ")
    return people.user_of_token(install(), token.strip()) if scheme.lower() == "bearer" else None


def _by_cookie() -> User:
    user = people.find_user(install(), session["user"]) if "user" in session else None
    if user is None:
        raise Refused("not-signed-in", "Sign in first.", remedy="sign in, or send a bearer token")
    sent = request.headers.get("X-CSRF-Token", "")
    if request.method not in SAFE and not hmac.compare_digest(sent.encode(), session.get("csrf", "").encode()):
        raise Refused("csrf-refused", "The change did not come from the console.", status=403, remedy="reload the page")
    return user


def sign_in(email: str, password: str) -> User:
    """Begin a session; the CSRF token is new with each."""
    user = people.check_password(install(), email, password)
    session.clear()
    session.permanent = True
    session["user"], session["csrf"] = user.id, secrets.token_urlsafe(24)
    return user


def csrf() -> str | None:
    """The session's CSRF token; None for programs."""
    found = session.get("csrf")
    return str(found) if found else None
