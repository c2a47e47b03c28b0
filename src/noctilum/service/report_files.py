"""Sending reports as files."""

from __future__ import annotations

from flask import Response

from noctilum.actions.looks import Kept as Picture
from noctilum.actions.report import File

TEXTS = ("text/html", "text/csv")
PICTURE = "default-src 'none'; style-src 'unsafe-inline'; sandbox"
ITSELF_ONLY = "default-src 'none'; style-src 'unsafe-inline'; img-src data:; font-src data:"


def send_report(made: File, *, inline: bool = False) -> Response:
    """Send a report under its name; HTML may reach nothing and run nothing. inline: to be shown in the console."""
    how = "inline" if inline else "attachment"
    headers = {"Content-Disposition": f'{how}; filename="{made.name}"', "Cache-Control": "private, no-cache"}
    if made.media_type == "text/html":
        headers["Content-Security-Policy"] = ITSELF_ONLY + ("; frame-ancestors 'self'; sandbox" if inline else "")
    kind = f"{made.media_type}; charset=utf-8" if made.media_type in TEXTS else made.media_type
    return Response(made.body, content_type=kind, headers=headers)


def send_picture(found: Picture) -> Response:
    """Send a logo; one that is SVG may reach nothing and run nothing."""
    headers = {"Content-Security-Policy": PICTURE, "Cache-Control": "private, no-cache"}
    return Response(found.body, content_type=found.media_type, headers=headers)
