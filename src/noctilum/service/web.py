"""One web process: the application behind its server, on a socket it was handed; the environment names its install."""

from __future__ import annotations

import importlib
import os
import signal
import socket
import threading
from collections.abc import Mapping
from http.cookies import CookieError, SimpleCookie
from types import FrameType

from noctilum.actions import people, signing_in
from noctilum.actions.install import Install
from noctilum.actions.settings import settings_from
from noctilum.core.errors import Fault
from noctilum.orphans import end_with_parent
from noctilum.service import clock, logs
from noctilum.service.access import COOKIE
from noctilum.service.part import set_apart

UPLOADS = "/api/v1/uploads"


def open_install() -> Install:
    """Open the install that the environment names."""
    install = Install(settings_from(os.environ))
    install.prepare()
    return install


def admits(install: Install, path: str, headers: Mapping[str, str]) -> bool:
    """Say whether a large body is taken in: a file, sent by somebody who is signed in or has a token."""
    if path != UPLOADS:
        return False
    scheme, _, token = headers.get("AUTHORIZATION", "").partition(" ")
    try:
        if scheme.lower() == "bearer":
            return bool(people.user_of_token(install, token.strip(), clock.now()))
        cookie = SimpleCookie(headers.get("COOKIE", "")).get(COOKIE)
        return cookie is not None and signing_in.of_cookie(install, cookie.value, clock.now()) is not None
    except (Fault, CookieError):
        return False


def run(listening: socket.socket) -> None:
    """Serve until told to stop, or until whoever started this process is gone."""
    from noctilum.service import ahead
    from noctilum.service.app import create_app
    from noctilum.service.http_server import serve

    settings = settings_from(os.environ)
    logs.configure(settings.log_level)
    install = open_install()
    server = serve(create_app(install), settings, listening, lambda path, headers: admits(install, path, headers))
    ahead.load()
    set_apart()
    threading.Thread(target=_warm, daemon=True).start()

    def _stop(_number: int, _frame: FrameType | None) -> None:
        raise SystemExit

    signal.signal(signal.SIGTERM, _stop)
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    end_with_parent()
    server.run()
    install.close()


def _warm() -> None:
    """Load what draws reports, and find the fonts, ahead of the first of them, as that takes seconds."""
    importlib.import_module("noctilum.reports.pdf").warm()
    set_apart()


def main(listening: str) -> None:
    """Serve on the socket of a number."""
    run(socket.socket(fileno=int(listening)))
