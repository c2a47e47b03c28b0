"""Pages for who has no account here: leaving a report's mails. Each is reached by an address that cannot be guessed."""

from __future__ import annotations

from apiflask import APIBlueprint
from flask import Response, render_template, request

from noctilum.actions import sending
from noctilum.actions.signed_links import unsubscribing
from noctilum.core.errors import NotThere
from noctilum.service import clock
from noctilum.service.access import allow, install
from noctilum.words.speech import Speech

bp = APIBlueprint("public", __name__)
PLAIN = "default-src 'none'; style-src 'unsafe-inline'; img-src data:; form-action 'self'; frame-ancestors 'none'"


@bp.get("/unsubscribe/<token>")
@allow(None)
@bp.doc(hide=True)
def ask_to_leave(token: str) -> Response:
    """Ask whether somebody wants a report's mails no longer; nothing changes yet, as mail programs open addresses."""
    return _leaving(token, done=False)


@bp.post("/unsubscribe/<token>")
@allow(None)
@bp.doc(hide=True)
def leave(token: str) -> Response:
    """Send that report's mails no longer (RFC 8058)."""
    return _leaving(token, done=True)


def _leaving(token: str, *, done: bool) -> Response:
    speech = Speech(request.accept_languages.best_match(("en", "de", "fr", "es")) or "en")
    try:
        report, email = unsubscribing(install(), token)
        if done:
            sending.unsubscribed(install(), report, email, clock.now())
    except NotThere:
        return public_page(speech, 404, "leave.html", state="gone", email="")
    return public_page(speech, 200, "leave.html", state="done" if done else "ask", email=email)


def public_page(speech: Speech, status: int, name: str, **told: object) -> Response:
    """Give a page for clients: no script, nothing from elsewhere, kept by nobody and found by no search engine."""
    page = render_template(f"public/{name}", said=speech.say, language=speech.language, n=speech.numbers, **told)
    headers = {
        "Content-Security-Policy": PLAIN,
        "X-Robots-Tag": "noindex, nofollow",
        "Cache-Control": "private, no-store",
        "Referrer-Policy": "no-referrer",
    }
    return Response(page, status, content_type="text/html; charset=utf-8", headers=headers)
