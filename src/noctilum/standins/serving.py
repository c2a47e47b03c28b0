"""How stand-ins are served: waitress, which keeps connections open, so that a day costs a request and no connection."""

from __future__ import annotations

import logging
import threading
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from typing import Any

from flask import Flask
from waitress.server import create_server

THREADS = 16
"""A stand-in that is told to be slow keeps a thread for each who waits."""
CLOSES_WITHIN = 1.0


def serve(app: Flask, host: str, port: int) -> None:
    """Serve until the process is stopped."""
    _server(app, host, port).run()


@contextmanager
def serving(app: Flask, host: str = "127.0.0.1", port: int = 0) -> Iterator[str]:
    """Serve from a thread of this process, on any free port without one; gives the address."""
    server = _server(app, host, port)
    thread = threading.Thread(target=server.run)
    thread.start()
    try:
        yield f"http://{host}:{server.effective_port}"
    finally:
        with suppress(OSError):  # its own thread may be awake already, and have closed what wakes it
            server.trigger.pull_trigger(lambda: _close(server))
        thread.join()


def _server(app: Flask, host: str, port: int) -> Any:
    """Make a server that says nothing: neither of busy threads nor of answers cut off on purpose."""
    for name in ("waitress", "waitress.queue"):
        logging.getLogger(name).setLevel(logging.CRITICAL)
    return create_server(
        app, host=host, port=port, threads=THREADS, asyncore_use_poll=True, channel_timeout=60, ident=""
    )


def _close(server: Any) -> None:
    """Close the socket and every connection; run() ends when none is left. To be run by its own thread."""
    server.task_dispatcher.shutdown(timeout=CLOSES_WITHIN)
    server.asyncore.close_all(server._map)
