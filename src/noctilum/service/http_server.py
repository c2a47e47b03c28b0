"""The HTTP server: waitress, which takes in a whole request before a thread sees it, with deadlines and small bodies.

So a slow or silent connection costs a socket and no thread. Large bodies are taken in only for an address that wants
them, from somebody who may send them. Errors before the application are problem documents too.
"""

from __future__ import annotations

import logging
import socket
import tempfile
import time
from collections.abc import Callable, Mapping
from contextlib import suppress
from http import HTTPStatus
from pathlib import Path
from typing import Any

from waitress.channel import HTTPChannel
from waitress.parser import HTTPRequestParser
from waitress.server import BaseWSGIServer, create_server
from waitress.task import ErrorTask
from waitress.utilities import RequestEntityTooLarge

from noctilum.actions.settings import Settings
from noctilum.service.problems import document

MOST_BODY = 1 << 20
MOST_HEAD = 64 << 10
HEAD_SECONDS, BODY_SECONDS, SILENT_SECONDS = 15.0, 60.0, 30.0
"""A request's head is there after so long, its small body after so long; a connection is silent so long and no more."""
SLOWEST_UPLOAD = 20 << 10
"""Bytes a second below which a large body is cut off, once its first minute is over."""
MOST_CONNECTIONS = 1000
MOST_DRAINED = 64
"""Pieces of what nobody wanted that are taken in and dropped before a connection is closed."""
Admits = Callable[[str, Mapping[str, str]], bool]
"""Says of a path and the headers of a request (as WSGI spells them) whether a large body is taken in for it."""


class _Task(ErrorTask):  # type: ignore[misc]
    """Answer a request that never reached the application with a problem document."""

    def execute(self) -> None:
        """Write the answer and close the connection."""
        error = self.request.error
        status = HTTPStatus(error.code)
        body = document(status, f"http-{error.code}", f"{status.phrase}.", where=str(error.body)[:200]).encode()
        self.status = f"{status.value} {status.phrase}"
        self.response_headers += [("Content-Type", "application/problem+json"), ("X-Content-Type-Options", "nosniff")]
        self.set_close_on_finish()
        self.content_length = len(body)
        self.write(body)


def _parser(admits: Admits, most_upload: int) -> type[HTTPRequestParser]:
    """Make a parser that refuses a large body as soon as the head is there, unless it is admitted."""

    class Parser(HTTPRequestParser):  # type: ignore[misc]
        large = False
        error: Any = None

        def parse_header(self, header_plus: bytes) -> None:
            """Read the head; decide how large the body may be."""
            super().parse_header(header_plus)
            claims = self.content_length
            if (claims > MOST_BODY or self.chunked) and self.error is None:
                self.large = claims <= most_upload and admits(self.path, self.headers)
            if claims > MOST_BODY and not self.large:
                self.error = RequestEntityTooLarge(f"a body of {claims} bytes is not taken here")
                self.expect_continue = False
                self.completed = True

        def received(self, data: bytes) -> int:
            """Take in what came; a body sent in chunks is cut off where it grows too large."""
            taken: int = super().received(data)
            most = most_upload if self.large else MOST_BODY
            if self.error is None and self.body_bytes_received > most:
                self.error = RequestEntityTooLarge(f"a body of more than {most} bytes is not taken here")
                self.completed = True
            return taken

    return Parser


class _Channel(HTTPChannel):  # type: ignore[misc]
    """A connection with deadlines for the request that is coming in."""

    error_task_class = _Task
    began = 0.0

    def received(self, data: bytes) -> bool:
        """Take in what came, and note when its request began."""
        if self.request is None:
            self.began = time.time()
        return bool(super().received(data))

    def handle_close(self) -> None:
        """Close; what the other side has sent and nobody read is taken in first, so that it still gets its answer."""
        with suppress(OSError, AttributeError):
            self.socket.shutdown(socket.SHUT_WR)
            for _ in range(MOST_DRAINED):
                if not self.socket.recv(1 << 16):
                    break
        super().handle_close()

    def is_late(self, now: float) -> bool:
        """Say whether the request that is coming in takes too long."""
        request = self.request
        if request is None or self.requests:
            return False
        took = now - self.began
        if not request.headers_finished:
            return took > HEAD_SECONDS
        if getattr(request, "large", False):
            return bool(took > BODY_SECONDS and request.body_bytes_received < took * SLOWEST_UPLOAD)
        return took > BODY_SECONDS


def serve(app: Any, settings: Settings, listening: socket.socket, admits: Admits) -> BaseWSGIServer:
    """Make the server of one process on a socket that several may share; run() serves until close()."""
    logging.getLogger("waitress.queue").setLevel(logging.ERROR)
    tempfile.tempdir = str(_spool(settings.data))
    given: dict[str, Any] = {
        "sockets": [listening],
        "threads": settings.web_threads,
        "connection_limit": MOST_CONNECTIONS,
        "asyncore_use_poll": True,
        "max_request_header_size": MOST_HEAD,
        "max_request_body_size": settings.most_upload + 1,
        "channel_timeout": int(SILENT_SECONDS),
        "cleanup_interval": 5,
        "ident": "",
        "clear_untrusted_proxy_headers": True,
    }
    if settings.proxy:
        headers = {"x-forwarded-for", "x-forwarded-proto", "x-forwarded-host"}
        given |= {"trusted_proxy": settings.proxy, "trusted_proxy_count": 1, "trusted_proxy_headers": headers}
    server = create_server(app, **given)
    channel = type("Channel", (_Channel,), {"parser_class": _parser(admits, settings.most_upload)})
    server.channel_class = channel
    server.maintenance = lambda now: _clear(server, now)
    return server


def _spool(data: Path) -> Path:
    folder = data / "spool"
    folder.mkdir(mode=0o700, parents=True, exist_ok=True)
    return folder


def _clear(server: BaseWSGIServer, now: float) -> None:
    """Close connections that are silent, or whose request takes too long."""
    for channel in list(server.active_channels.values()):
        silent = not channel.requests and channel.last_activity < now - SILENT_SECONDS
        if silent or channel.is_late(now):
            channel.will_close = True
