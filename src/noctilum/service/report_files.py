"""Sending reports as files."""

from __future__ import annotations

from flask import Response

from noctilum.actions.report import File

TEXTS = ("text/html",)


def send_report(made: File) -> Response:
    """Send a report under its name; HTML may reach nothing and run nothing."""
    headers = {"Content-Disposition": f'attachment; filename="{made.name}"', "Cache-Control": "private, no-cache"}
    if made.media_type == "text/html":
        headers["Content-Security-Policy"] = (
            "default-src 'none'; style-src 'unsafe-inline'; img-src data:; font-src data:"
        )
    kind = f"{made.media_type}; charset=utf-8" if made.media_type in TEXTS else made.media_type
    return Response(made.body, content_type=kind, headers=headers)
