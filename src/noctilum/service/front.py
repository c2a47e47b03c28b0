"""The console's own files, and its door: what who is not signed in yet sees bears the agency's name, and not ours."""

from __future__ import annotations

from functools import cache
from pathlib import Path

from apiflask import APIFlask
from flask import Response, render_template, request, send_from_directory
from markupsafe import escape

from noctilum.actions import looks
from noctilum.actions.install import Install
from noctilum.actions.settings import Settings
from noctilum.core.errors import worded
from noctilum.service.access import allow
from noctilum.service.problems import problem
from noctilum.service.report_files import send_picture
from noctilum.wire.plain_text import cleaned

CONSOLE = Path(__file__).parent / "console"
OURS = "Noctilum"
DOOR = "index.html"


def install_console(app: APIFlask, install: Install) -> None:
    """Serve the built console's own files, known beforehand; every other address is a view of the console."""
    files = frozenset(str(path.relative_to(CONSOLE)) for path in CONSOLE.rglob("*") if path.is_file())

    @app.get("/")
    @app.get("/<path:address>")
    @allow("analyst")
    @app.doc(hide=True)
    def _console(address: str = "") -> Response:
        if address.startswith("api/"):
            return problem(
                404,
                "no-such-address",
                worded("There is nothing at /{address}.", address=cleaned(address, 100)),
                remedy="see /api/v1/docs",
            )
        if DOOR not in files:
            return Response(render_template("no_console.html"), 200, content_type="text/html; charset=utf-8")
        if address.startswith("assets/"):
            return _asset(address, files)
        if address in files and address != DOOR:
            found = send_from_directory(CONSOLE, address)
        else:
            found = Response(_door(install), content_type="text/html; charset=utf-8")
        found.headers["Cache-Control"] = "no-cache"
        return found

    @app.get("/agency-logo")
    @allow(None)
    @app.doc(hide=True)
    def _logo() -> Response:
        """Show the agency's logo at the door: it stands on its reports too."""
        return send_picture(looks.logo_of(install, None))


def _door(install: Install) -> str:
    """Write the console's first page with the agency's name, and whether it has a logo."""
    look = looks.agency(install)
    named = install.settings.agency != Settings.agency
    name = escape(install.settings.agency if named else OURS)
    written = _written().replace(f"<title>{OURS}</title>", f"<title>{name}</title>")
    logo = "/agency-logo" if look.logo else ""
    return written.replace(f'content="{OURS}" data-logo=""', f'content="{name}" data-logo="{logo}"')


@cache
def _written() -> str:
    return (CONSOLE / DOOR).read_text(encoding="utf-8")


def _asset(address: str, files: frozenset[str]) -> Response:
    """Serve a hashed file for ever; its .gz twin where the browser takes it."""
    if address not in files:
        return problem(404, "no-such-address", "There is no such file.", where=f"/{cleaned(address, 100)}")
    squeezed = request.accept_encodings["gzip"] > 0 and f"{address}.gz" in files
    found = send_from_directory(CONSOLE, f"{address}.gz" if squeezed else address)
    if squeezed:
        kinds = {"js": "text/javascript; charset=utf-8", "css": "text/css; charset=utf-8", "svg": "image/svg+xml"}
        found.headers["Content-Type"] = kinds.get(address.rsplit(".", 1)[-1], "application/octet-stream")
        found.headers["Content-Encoding"] = "gzip"
    found.headers["Vary"] = "Accept-Encoding"
    found.headers["Cache-Control"] = "public, max-age=31536000, immutable"
    return found
