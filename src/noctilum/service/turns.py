"""Taking turns: answers that wait for feeds, or make reports, never hold more than a few threads."""

from __future__ import annotations

from collections.abc import Callable
from functools import wraps
from threading import BoundedSemaphore
from typing import ParamSpec, TypeVar

from noctilum.core.errors import TooMany

REPORT_WAIT = 2.0
"""Seconds a report waits for the one before it; a report takes a processor for a second or two."""
AT_ONCE = 2
"""Answers of one process that may wait for feeds at once, out of web_threads."""
P = ParamSpec("P")
R = TypeVar("R")
_turns = BoundedSemaphore(AT_ONCE)
_report = BoundedSemaphore(1)


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


def one_report_at_a_time(view: Callable[P, R]) -> Callable[P, R]:
    """Let a route make a report while no other is being made; raises TooMany (503) after a short wait."""

    @wraps(view)
    def taken(*args: P.args, **more: P.kwargs) -> R:
        if not _report.acquire(timeout=REPORT_WAIT):
            raise TooMany(
                "reports-busy",
                "Other reports are being made right now.",
                remedy="try again in a few seconds",
                retry_after=5,
                status=503,
            )
        try:
            return view(*args, **more)
        finally:
            _report.release()

    return taken
