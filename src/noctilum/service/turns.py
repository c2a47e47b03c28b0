"""Taking turns at feeds: answers that wait for an outside service never hold more than a few threads."""

from __future__ import annotations

from collections.abc import Callable
from functools import wraps
from threading import BoundedSemaphore
from typing import ParamSpec, TypeVar

from noctilum.core.errors import TooMany

AT_ONCE = 2
"""Answers of one process that may wait for feeds at once, out of web_threads."""
P = ParamSpec("P")
R = TypeVar("R")
_turns = BoundedSemaphore(AT_ONCE)


def waits_for_feed(view: Callable[P, R]) -> Callable[P, R]:
    """Let a route wait for a feed while few others do; raises TooMany (503) at once while there is no turn."""

    @wraps(view)
    def taken(*args: P.args, **more: P.kwargs) -> R:
        if not _turns.acquire(blocking=False):
            raise TooMany(
                "feeds-busy",
                "Others are waiting for feeds right now.",
                remedy="try again in a few seconds",
                retry_after=5,
                status=503,
            )
        try:
            return view(*args, **more)
        finally:
            _turns.release()

    return taken
