"""Pages for who has no account here: shared reports, and leaving a report's mails, each by an unguessable address."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING, get_args
from urllib.parse import urlencode

from apiflask import APIBlueprint
from flask import Response, render_template, request
from markupsafe import Markup

from noctilum.actions import invitations, report, sending, shares
from noctilum.actions.edition_files import file_of
from noctilum.actions.signed_links import unsubscribing
from noctilum.core.errors import Nonsense, NotThere, Refused, TooMany
from noctilum.reports.document import Document, Made
from noctilum.reports.sheets import csv_of
from noctilum.service import clock
from noctilum.service.access import allow, install
from noctilum.service.report_files import send_report
from noctilum.service.turns import one_report_at_a_time
from noctilum.wire.reports import ReportFile
from noctilum.words.speech import Speech

if TYPE_CHECKING:
    from noctilum.reports.render import Saves

KEY = "shared"
FORMATS: tuple[ReportFile, ...] = get_args(ReportFile)
bp = APIBlueprint("public", __name__)
PLAIN = (
    "default-src 'none'; style-src 'unsafe-inline'; img-src data:; font-src data:; form-action 'self'; "
    "frame-ancestors 'none'"
)


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
    speech = _speech()
    try:
        number, email = unsubscribing(install(), token)
        if done:
            sending.unsubscribed(install(), number, email, clock.now())
    except NotThere:
        return public_page(speech, 404, "leave.html", state="gone", email="")
    return public_page(speech, 200, "leave.html", state="done" if done else "ask", email=email)


# shared pages


@bp.get("/shared/<token>")
@allow(None)
@bp.doc(hide=True)
@one_report_at_a_time
def shared(token: str) -> Response:
    """Show a shared page: an edition as it was frozen, or a report as it is today, narrowed as its reader asks."""
    from noctilum.reports.render import render_html  # late: a service is up before what draws is loaded

    found = _opened(token)
    if isinstance(found, Response):
        return found
    made = _made(found)
    if isinstance(made, Response):
        return made
    asked = _asked()
    bar = _bar(found, asked, made, token)
    what = "edition" if found.edition is not None else "wall" if "wall" in request.args else "live page"
    shares.looked_at(install(), found.number, request.remote_addr or "", what, clock.now())
    wall = "wall" in request.args and found.edition is None
    page = render_html(made, bar=bar, wall=wall, saves=None if wall else _saves(token, asked))
    return Response(page, content_type="text/html; charset=utf-8", headers=_headers(PLAIN))


@bp.post("/shared/<token>")
@allow(None)
@bp.doc(hide=True)
def unlock(token: str) -> Response:
    """Take a shared page's password; a right one opens it for twelve hours in this browser."""
    found = _read(token)
    if isinstance(found, Response):
        return found
    password = request.form.get("password", "")[:1000]
    try:
        key = shares.unlocked(install(), found.number, password, request.remote_addr or "", clock.now())
    except (Refused, TooMany) as why:
        return _ask_password(found, wrong=isinstance(why, Refused))
    answer = Response(status=303, headers={"Location": f"/shared/{token}"} | _headers(PLAIN))
    secure = install().settings.is_https
    answer.set_cookie(KEY, key, httponly=True, samesite="Lax", secure=secure, path=f"/shared/{token}")
    return answer


@bp.get("/shared/<token>/file.<kind>")
@allow(None)
@bp.doc(hide=True)
@one_report_at_a_time
def shared_file(token: str, kind: str) -> Response:
    """Give a shared edition as a file, or a live page as it is asked for."""
    found = _opened(token)
    if isinstance(found, Response):
        return found
    wanted = next((known for known in FORMATS if known == kind), None)
    if wanted is None:
        return public_page(_speech(), 404, "leave.html", state="gone", email="")
    shares.looked_at(install(), found.number, request.remote_addr or "", kind, clock.now())
    if found.edition is not None:
        return send_report(file_of(install(), found.edition, wanted))
    made = _made(found)
    if isinstance(made, Response):
        return made
    return send_report(report.rendered(made, wanted))


ASKED = ("window", "against", "device", "country", "set")
"""What the reader of a live page may ask for."""


def _asked() -> dict[str, str]:
    return {name: request.args.get(name, "") for name in ASKED}


def _made(found: shares.Opened) -> Document | Response:
    """Make what a shared page shows; a page that says why where there is nothing to show."""
    try:
        return shares.document(install(), found, _asked(), clock.now())
    except (Nonsense, NotThere) as why:
        return public_page(_speech(), 200, "nothing.html", why=why.what)


def _saves(token: str, asked: Mapping[str, str]) -> Saves:
    """Give the files that each block of a shared page may be saved as."""
    from noctilum.reports.render import has_chart

    query = _query(asked)

    def of(number: int, made: Made) -> list[tuple[str, str]]:
        kinds = ["svg", "png"] if has_chart(made) else []
        kinds += ["csv"] if csv_of(made) is not None else []
        return [(kind.upper(), f"/shared/{token}/blocks/{number}.{kind}{query}") for kind in kinds]

    return of


@bp.get("/shared/<token>/blocks/<int:number>.<kind>")
@allow(None)
@bp.doc(hide=True)
@one_report_at_a_time
def shared_block(token: str, number: int, kind: str) -> Response:
    """Give one block of a shared page: its table as CSV, its chart as SVG or PNG."""
    from noctilum.reports.render import chart_of

    found = _opened(token)
    if isinstance(found, Response):
        return found
    made = _made(found)
    if isinstance(made, Response):
        return made
    body = csv_of(made.blocks[number - 1]) if kind == "csv" and 0 < number <= len(made.blocks) else None
    if kind in ("svg", "png"):
        body = chart_of(made, number, "svg" if kind == "svg" else "png")
    if body is None:
        return public_page(_speech(), 404, "leave.html", state="gone", email="")
    shares.looked_at(install(), found.number, request.remote_addr or "", kind, clock.now())
    media = {"csv": "text/csv", "svg": "image/svg+xml", "png": "image/png"}[kind]
    return send_report(report.File(f"{made.host.replace('/', '-')}-{number}.{kind}", media, body))


def _query(asked: Mapping[str, str]) -> str:
    told = urlencode({name: value for name, value in asked.items() if value})
    return f"?{told}" if told else ""


def _read(token: str) -> shares.Opened | Response:
    """Read an address; a page that says so where it leads to nothing."""
    try:
        return shares.opened(install(), token, request.cookies.get(KEY, ""), clock.now())
    except NotThere:
        return public_page(_speech(), 404, "leave.html", state="gone", email="")


def _opened(token: str) -> shares.Opened | Response:
    """Open an address; a page that asks for the password where it has one that was not given."""
    found = _read(token)
    if isinstance(found, shares.Opened) and found.locked:
        return _ask_password(found, wrong=False)
    return found


def _ask_password(_found: shares.Opened, *, wrong: bool) -> Response:
    return public_page(_speech(), 403 if wrong else 401, "password.html", wrong=wrong)


def _bar(of: shares.Opened, asked: Mapping[str, str], made: Document, token: str) -> Markup:
    """Make the line above a shared page: what its reader may change, and its files. No script is needed."""
    speech = Speech(made.look.language)
    told = render_template(
        "public/bar.html",
        said=speech.say,
        of=of,
        asked=asked,
        windows=shares.WINDOWS,
        against=shares.AGAINST,
        devices=shares.DEVICES,
        token=token,
        query=_query(asked),
        live=of.edition is None,
    )
    return Markup(told)


def _speech() -> Speech:
    return Speech(request.accept_languages.best_match(("en", "de", "fr", "es")) or "en")


def _headers(policy: str) -> dict[str, str]:
    return {
        "Content-Security-Policy": policy,
        "X-Robots-Tag": "noindex, nofollow",
        "Cache-Control": "private, no-store",
        "Referrer-Policy": "no-referrer",
    }


def public_page(speech: Speech, status: int, name: str, **told: object) -> Response:
    """Give a page for clients: no script, nothing from elsewhere, kept by nobody and found by no search engine."""
    page = render_template(f"public/{name}", said=speech.say, language=speech.language, n=speech.numbers, **told)
    return Response(page, status, content_type="text/html; charset=utf-8", headers=_headers(PLAIN))


# choosing a password


@bp.get("/welcome/<purpose>/<token>")
@allow(None)
@bp.doc(hide=True)
def ask_password(purpose: str, token: str) -> Response:
    """Let who was invited, or asked for it, choose a password."""
    try:
        user = invitations.whose(install(), purpose, token)
    except NotThere:
        return public_page(_speech(), 404, "leave.html", state="gone", email="")
    return public_page(_speech(), 200, "welcome.html", email=user.email, why="")


@bp.post("/welcome/<purpose>/<token>")
@allow(None)
@bp.doc(hide=True)
def choose_password(purpose: str, token: str) -> Response:
    """Set the password that was chosen; the address leads to nothing from then on."""
    try:
        user = invitations.whose(install(), purpose, token)
        invitations.chosen(install(), purpose, token, request.form.get("password", "")[:1001])
    except NotThere:
        return public_page(_speech(), 404, "leave.html", state="gone", email="")
    except Nonsense as why:
        return public_page(_speech(), 400, "welcome.html", email=user.email, why=why.what)
    return Response(status=303, headers={"Location": "/"} | _headers(PLAIN))
