"""Who is asking and what they may do: the console's cookie with its CSRF token, or a bearer token; a role per route."""

from __future__ import annotations

import hmac
from collections.abc import Callable
from typing import Any, TypeVar
from urllib.parse import urlsplit

from apiflask import APIFlask
from flask import Response, current_app, g, request

from noctilum.actions import audit, people, signing_in
from noctilum.actions.install import Install
from noctilum.actions.passkeys import Place
from noctilum.actions.people import Role
from noctilum.core.errors import Nonsense, Refused, worded
from noctilum.records.models import User
from noctilum.records.scope import current, enter
from noctilum.service import clock
from noctilum.service.hosts import is_number

SAFE = ("GET", "HEAD", "OPTIONS", "QUERY")
COOKIE = "noctilum"
NO_LONGER_THAN = 14 * 24 * 3600
V = TypeVar("V", bound=Callable[..., Any])


def allow(role: Role | None) -> Callable[[V], V]:
    """Declare who may use a route; None opens it to everybody. A route that declares nothing is refused to all."""

    def declared(view: V) -> V:
        view.allowed = role or "everybody"  # type: ignore[attr-defined]
        return view

    return declared


def whole(view: V) -> V:
    """Declare that a route concerns the agency as a whole: whoever works for some clients may not use it."""
    view.whole = True  # type: ignore[attr-defined]
    return view


def is_whole(endpoint: str | None) -> bool:
    """Say whether a route concerns the agency as a whole."""
    return bool(getattr(current_app.view_functions.get(endpoint or ""), "whole", False))


def _only_asks() -> bool:
    """Say whether a request asks something by a body, and changes nothing."""
    view = current_app.view_functions.get(request.endpoint or "")
    return bool(getattr(view, "asks", False) or getattr(view, "spec", None) is not None)


def asks(view: V) -> V:
    """Declare that a route changes nothing, though it is asked by a body."""
    view.asks = True  # type: ignore[attr-defined]
    return view


def allowed(endpoint: str | None) -> str | None:
    """Say what a route declares; None where it declares nothing."""
    view = current_app.view_functions.get(endpoint or "")
    return getattr(view, "allowed", None)


def install() -> Install:
    """The install this application serves."""
    found: Install = current_app.extensions["install"]
    return found


def install_access(app: APIFlask) -> None:
    """Let nobody reach the API without saying who they are, and nobody a route their role does not suffice for."""

    @app.before_request
    def _gate() -> None:
        if not request.path.startswith("/api/"):
            return
        enter(None)
        wanted = allowed(request.endpoint)
        if wanted == "everybody":
            return
        g.user = _by_token() or _by_cookie()
        if request.endpoint is not None and not (wanted and people.may(g.user.role, wanted)):  # type: ignore[arg-type]
            raise Refused(
                "role-refused",
                worded("Your role, {role}, may not do this.", role=g.user.role),
                status=403,
                where=request.path,
                remedy=worded("ask an owner; it needs the role {wanted}", wanted=wanted) if wanted else "nobody may",
            )
        enter(people.scope_of(install(), g.user))
        if current() is not None and is_whole(request.endpoint):
            raise Refused(
                "agency-wide",
                "This concerns the agency as a whole; you work for some of its clients.",
                status=403,
                where=request.path,
                remedy="ask somebody who works for all of them",
            )

    @app.teardown_request
    def _leave(_why: BaseException | None) -> None:
        enter(None)

    @app.after_request
    def _log(answered: Response) -> Response:
        """Note what was changed or sent, by whom."""
        user = g.get("user")
        if user is not None and request.method not in SAFE and answered.status_code < 400 and not _only_asks():
            view = current_app.view_functions.get(request.endpoint or "")
            said = getattr(view, "_spec", {}).get("summary") or request.endpoint or ""
            where = f"{request.method} {request.path.removeprefix('/api/v1')}"
            audit.note(install(), user.email, said, where, request.remote_addr or "", answered.status_code, clock.now())
        return answered


def _by_token() -> User | None:
    scheme, _, token = request.headers.get("Authorization", "").partition(" ")
    if scheme.lower() != "bearer":
        return None
    user, reads = people.token_used(install(), token.strip(), clock.now())
    if reads and request.method not in SAFE and not _only_asks():
        raise Refused("token-reads", "This token only reads.", status=403, where="Authorization", remedy="use another")
    return user


def _by_cookie() -> User:
    cookie = request.cookies.get(COOKIE, "")
    found = signing_in.of_cookie(install(), cookie, clock.now()) if cookie else None
    if found is None:
        raise Refused("not-signed-in", "Sign in first.", remedy="sign in, or send a bearer token")
    g.sign_in = found
    if request.method not in SAFE:
        sent = request.headers.get("X-CSRF-Token", "")
        if not hmac.compare_digest(sent.encode("utf-8", "replace"), found.csrf.encode()):
            what = "The change did not come from the console."
            raise Refused("csrf-refused", what, status=403, remedy="reload the page")
        check_origin()
    return found.user


def is_signed_in() -> bool:
    """Say whether an open route is asked by somebody who has signed in, or with a token."""
    try:
        return (_by_token() or _by_cookie()) is not None
    except Refused:
        return False


def check_origin() -> None:
    """Refuse what a page of another origin sends; programs send no origin."""
    origin = request.headers.get("Origin")
    if origin is not None and _same_machine(origin) != _same_machine(own_address()):
        raise Refused("origin-refused", "This came from a page of another origin.", status=403, where="Origin")


def _same_machine(address: str) -> str:
    """Give the host and port of an address; this machine has one name."""
    parts = urlsplit(address)
    return parts.netloc.lower().replace("127.0.0.1", "localhost", 1)


def place() -> Place:
    """Where passkeys are of. Raises Nonsense where this service is asked for by a number, as they are of names only."""
    parts = urlsplit(own_address())
    name = "localhost" if parts.hostname == "127.0.0.1" else parts.hostname or ""
    if is_number(name):
        raise Nonsense(
            "passkey-nameless",
            "A passkey is of a host name, and this service is asked for by a number.",
            where="Host",
            remedy="open it under its name; operators set public_url",
        )
    port = f":{parts.port}" if parts.port else ""
    return Place(name, f"{parts.scheme}://{name}{port}")


def own_address() -> str:
    """Give the address this service is reached at: as the operator says, or as it was just asked for."""
    settings = install().settings
    scheme = "https" if settings.is_https else request.scheme
    return settings.public_url.rstrip("/") or f"{scheme}://{request.host}"


def check_media_type() -> None:
    """Refuse a body that does not call itself JSON, as forms of other pages cannot do so."""
    if request.mimetype != "application/json":
        raise Nonsense(
            "media-type", "Only JSON is taken here.", where="Content-Type", remedy="send it as application/json"
        )


def sign_in(email: str, password: str, code: str = "") -> signing_in.Begun:
    """Begin a sign-in for the console; the CSRF token is new with each."""
    check_media_type()
    check_origin()
    agent = request.headers.get("User-Agent", "")
    return signing_in.sign_in(install(), email, password, request.remote_addr or "", agent, clock.now(), code)


def give_cookie(answer: Response, cookie: str) -> Response:
    """Give the browser its cookie: unseen by scripts, of this origin only."""
    answer.set_cookie(
        COOKIE,
        cookie,
        max_age=NO_LONGER_THAN,
        httponly=True,
        samesite="Lax",
        secure=install().settings.is_https,
        path="/",
    )
    return answer


def take_cookie(answer: Response) -> Response:
    """Let the browser forget its cookie."""
    answer.delete_cookie(COOKIE, path="/", httponly=True, samesite="Lax")
    return answer


def sign_in_number() -> int | None:
    """The number of the sign-in that asks; None for programs."""
    found = g.get("sign_in")
    return found.id if found is not None else None


def csrf() -> str | None:
    """The sign-in's CSRF token; None for programs."""
    found = g.get("sign_in")
    return found.csrf if found is not None else None
